import { relative, resolve, sep } from 'node:path';

/** A path given on the command line, which is relative to the working folder, as `hull.json` writes it. */
export function pathInProject(projectDir: string, path: string): string {
  return relative(resolve(projectDir), resolve(path)).split(sep).join('/') || '.';
}
