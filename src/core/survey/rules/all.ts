import type { Rule } from '../rule.js';
import { FEEL_RULES } from './feel.js';
import { FILES_RULES } from './files.js';
import { FIT_RULES } from './fit.js';
import { LINK_RULES } from './link.js';
import { MANIFEST_RULES } from './manifest.js';
import { OFFLINE_RULES } from './offline.js';
import { PERMISSION_RULES } from './permission.js';
import { READ_RULES } from './read.js';
import { RUN_RULES } from './run.js';
import { SECURE_RULES } from './secure.js';
import { SPEED_RULES } from './speed.js';
import { STORE_RULES } from './store.js';

/** Every rule of the survey, family by family, in the order in which reports tell them. */
export const RULES: readonly Rule[] = [
  ...SECURE_RULES,
  ...MANIFEST_RULES,
  ...OFFLINE_RULES,
  ...FEEL_RULES,
  ...FIT_RULES,
  ...FILES_RULES,
  ...PERMISSION_RULES,
  ...STORE_RULES,
  ...LINK_RULES,
  ...RUN_RULES,
  ...SPEED_RULES,
  ...READ_RULES,
];
