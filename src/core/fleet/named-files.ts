import { statSync } from 'node:fs';
import type { Project } from '../project/project.js';
import { isObject } from '../util/json-object.js';

/** Longer texts name no file. */
const LONGEST = 300;

function* texts(value: unknown): Generator<string> {
  if (typeof value === 'string') yield value;
  else if (Array.isArray(value)) for (const one of value) yield* texts(one);
  else if (isObject(value)) for (const one of Object.values(value)) yield* texts(one);
}

/** Files that the settings of a project name, absolute: icon, keys, further art. Folders are not among them. */
export function namedFiles(project: Project): string[] {
  const found = new Set<string>();
  for (const text of texts(project.settings)) {
    if (text.length > LONGEST || text.includes('\n') || /^https?:/.test(text) || text === '') continue;
    const path = project.resolve(text);
    if (statSync(path, { throwIfNoEntry: false })?.isFile()) found.add(path);
  }
  return [...found].sort();
}
