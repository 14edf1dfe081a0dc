import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';
import type { Project } from '../project/project.js';
import { isObject } from '../util/json-object.js';

/** Files that pages may be made from. */
const KINDS =
  /\.(html?|[jt]sx|astro|svelte|vue|njk|nunjucks|liquid|ejs|hbs|handlebars|mustache|twig|php|erb|pug)$/i;
/** Folders in which none is looked for. */
const ELSEWHERE = new Set(['node_modules', 'out', 'vendor', 'coverage', 'test', 'tests']);
const MAX_FILES = 4000;
const MAX_BYTES = 256 * 1024;
const MAX_DEPTH = 5;
const MAX_FOUND = 3;

/** The folder of the build that makes a web folder: the nearest one above it whose package has a build script. */
function buildFolder(webFolder: string, projectDir: string): string | undefined {
  for (let dir = dirname(webFolder); ; dir = dirname(dir)) {
    const file = join(dir, 'package.json');
    if (existsSync(file)) {
      try {
        const json: unknown = JSON.parse(readFileSync(file, 'utf8'));
        const scripts = isObject(json) && isObject(json.scripts) ? json.scripts : {};
        return typeof scripts.build === 'string' ? dir : undefined;
      } catch {
        return undefined;
      }
    }
    if (dir === projectDir || dirname(dir) === dir) return undefined;
  }
}

const hasHead = (file: string): boolean => {
  try {
    return statSync(file).size <= MAX_BYTES && /<\/([\w-]+:)?head>/i.test(readFileSync(file, 'utf8'));
  } catch {
    return false;
  }
};

/**
 * What a build makes the pages of a web folder from, as far as files show it: those beside the web folder that hold the end
 * of a head. Empty where no build is seen.
 *
 * @returns paths relative to the project
 */
export function findTemplates(project: Project): string[] {
  const { folder } = project.settings.web;
  if (folder === undefined) return [];
  const web = project.resolve(folder);
  const root = buildFolder(web, project.dir);
  if (root === undefined) return [];
  const found: string[] = [];
  let seen = 0;
  const look = (dir: string, depth: number): void => {
    for (const item of readdirSync(dir, { withFileTypes: true })) {
      const path = join(dir, item.name);
      seen += 1;
      if (seen > MAX_FILES || found.length >= MAX_FOUND) return;
      if (item.isFile() && KINDS.test(item.name) && hasHead(path)) found.push(relative(project.dir, path));
      const isOther = item.name.startsWith('.') || ELSEWHERE.has(item.name) || path === web;
      if (item.isDirectory() && !isOther && depth < MAX_DEPTH) look(path, depth + 1);
    }
  };
  try {
    look(root, 0);
  } catch {
    // A folder that cannot be read holds nothing that could be changed either.
  }
  return found.map((path) => path.split(sep).join('/'));
}
