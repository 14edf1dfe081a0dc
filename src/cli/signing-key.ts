import { chooseKey, type NamedKey, readKeystoreFile } from '../core/keys/open.js';
import { openPlan, originalKey } from '../core/platforms/android/signing/plan.js';
import type { SigningPlan } from '../core/platforms/android/signing/sign.js';
import type { Project } from '../core/project/project.js';
import type { Io } from './io.js';
import { passwordFor } from './passwords.js';

/**
 * The key that signs, chosen and its passwords asked for; it is opened meanwhile, which is slow on purpose.
 *
 * @returns the plan still on its way, with a catcher, so that it may be awaited late
 */
export async function signingPlan(
  io: Io,
  options: { readonly passwordFile?: string },
  project: Project,
  wanted: string | undefined,
): Promise<{ readonly key: NamedKey; readonly plan: Promise<SigningPlan> }> {
  const key = chooseKey(project, wanted);
  const passwords = new Map<string, string>();
  for (const one of new Set([
    key,
    ...(key.config.succeeds === undefined ? [] : [originalKey(project, key)]),
  ])) {
    readKeystoreFile(one.file);
    passwords.set(one.name, await passwordFor(io, options, one.path, one.name));
  }
  const plan = openPlan(project, key, async ({ name }) => passwords.get(name) ?? '');
  plan.catch(() => undefined);
  return { key, plan };
}
