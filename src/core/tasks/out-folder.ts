import { join } from 'node:path';
import type { Project } from '../project/project.js';

/** Where a project's packages are made and looked for, unless another folder is named; those of a brand in a folder of its own. */
export const outFolder = ({ dir, brand }: Pick<Project, 'dir' | 'brand'>, named?: string): string =>
  join(named ?? join(dir, 'out'), brand?.name ?? '');
