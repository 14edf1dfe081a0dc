import { applyEdits, modify } from 'jsonc-parser';
import { replaceFile } from '../files.js';
import type { Project } from './project.js';

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

/** Writes changes into a project's `hull.json`. Throws `disk.*`. */
export async function changeProject(project: Project, changes: readonly ConfigChange[]): Promise<void> {
  await replaceFile(project.file, new TextEncoder().encode(editConfig(project.json.text, changes)));
}
