import { applyEdits, modify } from 'jsonc-parser';
import { HullError } from '../errors.js';
import { replaceFile } from '../util/files.js';
import { withLock } from '../util/lock.js';
import { type Project, readProject } from './project.js';

/** One change to `hull.json`: the path of a key and its new value. */
export interface ConfigChange {
  readonly path: readonly (string | number)[];
  readonly value: unknown;
}

/** Changes values in a text of JSON with comments; everything else stays as it is. */
export function editConfig(text: string, changes: readonly ConfigChange[]): string {
  return changes.reduce((current, { path, value }) => {
    const edits = modify(current, [...path], value, {
      formattingOptions: { insertSpaces: true, tabSize: 2, eol: '\n' },
    });
    return applyEdits(current, edits);
  }, text);
}

/**
 * Changes a project's `hull.json` as it is by now: it is read again under a lock, so that of several runs at once none
 * loses what another wrote.
 *
 * @param changesTo what to change, by the project as it is now
 * @returns the changes that were written
 * @throws HullError `disk.*`, `file.locked`, `config.*`
 */
export function editProject(
  project: Pick<Project, 'dir' | 'file' | 'brand'>,
  changesTo: (current: Project) => readonly ConfigChange[],
): Promise<readonly ConfigChange[]> {
  if (project.brand !== undefined) {
    throw new HullError('fleet.shared-file', `hull.json is not changed for ${project.brand.name} alone.`, {
      location: { file: project.file },
      fix: 'Change the patch of the brand in fleet.json.',
    });
  }
  return withLock(project.file, async () => {
    const current = readProject(project.dir);
    const changes = changesTo(current);
    if (changes.length > 0) {
      await replaceFile(project.file, new TextEncoder().encode(editConfig(current.json.text, changes)));
    }
    return changes;
  });
}

/** Writes changes into a project's `hull.json`. Throws `disk.*`, `file.locked`, `config.*`. */
export async function changeProject(project: Project, changes: readonly ConfigChange[]): Promise<void> {
  await editProject(project, () => changes);
}
