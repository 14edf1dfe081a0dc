import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import { basename, dirname, join, relative, resolve, sep } from 'node:path';
import ignore from 'ignore';
import { HullError, task, withTasks } from '../errors.js';
import type { Finding } from '../finding.js';
import { readGitIndex } from '../formats/git-index/reader.js';
import type { Project } from '../project/project.js';
import { pointerStep } from '../util/json-locations.js';
import { readCertificateFile } from './public-part.js';

/** Whether keys are kept as they should be: who can read them, whether version control would take them, where passwords are. */

const slashes = (path: string) => path.split(sep).join('/');

/** The work tree that a folder lies in; `undefined` outside of version control. */
export function workTree(dir: string): { readonly root: string; readonly git: string } | undefined {
  for (let at = resolve(dir); ; at = dirname(at)) {
    const git = join(at, '.git');
    if (existsSync(git)) {
      // In a linked work tree it is a file that says where the folder is.
      if (statSync(git).isDirectory()) return { root: at, git };
      const target = /^gitdir: (.+)$/m.exec(readFileSync(git, 'utf8'))?.[1]?.trim();
      return target === undefined ? undefined : { root: at, git: resolve(at, target) };
    }
    if (dirname(at) === at) return undefined;
  }
}

function textOf(file: string): string | undefined {
  try {
    return readFileSync(file, 'utf8');
  } catch {
    return undefined;
  }
}

/** Whether version control passes a file over: by the rules of every folder above it, the nearest last. */
export function isIgnored(root: string, git: string, file: string): boolean {
  const path = slashes(relative(root, file));
  const steps = path.split('/');
  let ignored = ignore()
    .add(textOf(join(git, 'info/exclude')) ?? '')
    .ignores(path);
  // A folder that is skipped takes everything in it along, whatever rules are inside.
  for (let depth = 0; depth < steps.length; depth += 1) {
    const rules = textOf(join(root, ...steps.slice(0, depth), '.gitignore'));
    if (rules === undefined) continue;
    const verdict = ignore().add(rules).test(steps.slice(depth).join('/'));
    if (verdict.ignored) ignored = true;
    else if (verdict.unignored) ignored = false;
  }
  return ignored;
}

function isTracked(root: string, git: string, file: string): boolean {
  const index = join(git, 'index');
  if (!existsSync(index)) return false;
  return readGitIndex(readFileSync(index)).includes(slashes(relative(root, file)));
}

/** Files in which passwords are found: settings, build and CI files, histories of shells. */
const SUSPECTS =
  /^(hull\.json|\.env(\..*)?|.*_history|.*\.(ya?ml|sh|bash|zsh|properties|toml|gradle|kts|cfg|ini)|Makefile|Dockerfile|Jenkinsfile|justfile|package\.json|run|\.npmrc)$/i;
const PASSED_OVER = new Set(['node_modules', '.git', 'out', 'dist', 'build', '.gradle']);
const MAX_DEPTH = 4;
const MAX_FILES = 2000;
const MAX_BYTES = 2 * 1024 * 1024;

/** Ways in which passwords of keystores are written down; what stands for a value is a reference, and none. */
const WRITTEN: readonly RegExp[] = [
  /\bHULL_(?:OLD_)?KEY_PASSWORD(?:_[A-Z0-9_]+)?["']?\s*[:=]\s*["']?(?!\$|["']?\s*$|["']?\{\{|<|%)[^\s"'#]+/,
  /\b(?:storePassword|keyPassword|store_password|key_password|keystore_password)\b["']?\s*[:=]?\s*["']?(?!\$|System|process|env|<|["']?\{\{|["']?\s*$)[^\s"',)]{4,}/i,
  /(?:-storepass|-keypass|--ks-pass|--key-pass|-passin|-passout)[ =]+(?:pass:)?["']?(?!\$|env:|file:|stdin|<)[^\s"']{4,}/,
];

function* suspects(dir: string, depth = 0): Generator<string> {
  let entries: import('node:fs').Dirent[];
  try {
    entries = readdirSync(dir, { withFileTypes: true });
  } catch {
    return;
  }
  for (const entry of entries) {
    const path = join(dir, entry.name);
    if (entry.isDirectory()) {
      if (depth < MAX_DEPTH && !PASSED_OVER.has(entry.name)) yield* suspects(path, depth + 1);
    } else if (entry.isFile() && SUSPECTS.test(entry.name)) yield path;
  }
}

/** Places where a password is: those given, and what looks like one. The password is never part of a finding. */
function writtenPasswords(dir: string, webFolder: string | undefined, known: readonly string[]): Finding[] {
  const found: Finding[] = [];
  let count = 0;
  for (const file of suspects(dir)) {
    if (webFolder !== undefined && file.startsWith(webFolder + sep)) continue;
    count += 1;
    if (count > MAX_FILES) break;
    if (statSync(file).size > MAX_BYTES) continue;
    const text = textOf(file) ?? '';
    for (const [index, line] of text.split('\n').entries()) {
      const isKnown = known.some((password) => password.length >= 6 && line.includes(password));
      if (!isKnown && !WRITTEN.some((pattern) => pattern.test(line))) continue;
      const isHistory = /_history$/.test(basename(file));
      found.push({
        severity: 'error',
        code: 'keys.password-written',
        impact: 'Anyone who reads this file can use the key.',
        observed: isKnown
          ? 'The password of a key is written here.'
          : 'What looks like the password of a key is written here.',
        location: { file, line: index + 1 },
        fix: isHistory
          ? withTasks`Take the line out of the history, and change the password: ${task('importKey', '<file>')} makes a copy with a new one.`
          : 'Take it out, and let CI give it from its own store of secrets, in HULL_KEY_PASSWORD; then change the password.',
      });
    }
  }
  return found;
}

/** A certificate file of `hull.json` that cannot be read: documents and packages would be made without it. */
function unreadableCertificate(project: Project, name: string, path: string): Finding[] {
  try {
    readCertificateFile(project.resolve(path), path);
    return [];
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    return [
      {
        severity: 'error',
        code: 'keys.certificate',
        impact: 'Documents and packages would be made without it.',
        observed: `The certificate of "${name}" cannot be used. ${error.message}`,
        location: project.location(`/keys/${pointerStep(name)}/certificate`),
        fix: error.fix ?? 'Download the certificate again.',
      },
    ];
  }
}

/** Readable by others than the owner (POSIX mode bits). */
const OTHERS = 0o077;

/**
 * Looks at how a project's keys are kept.
 *
 * @param passwords that are known here, so that they are found wherever they stand
 * @param platform as process.platform names it: Windows has no mode bits
 * @param more files with keys that no setting names yet, as paths in the project
 */
export function findKeyDangers(
  project: Project,
  passwords: readonly string[],
  platform: string,
  more: readonly string[] = [],
): Finding[] {
  const found: Finding[] = [];
  const tree = workTree(project.dir);
  for (const path of more) judgeFile(path, project.resolve(path));
  for (const [name, config] of Object.entries(project.settings.keys)) {
    if (config.certificate !== undefined) {
      found.push(...unreadableCertificate(project, name, config.certificate));
    }
    if (config.file === undefined) continue;
    const file = project.resolve(config.file);
    if (!existsSync(file)) {
      found.push({
        severity: 'error',
        code: 'keys.missing',
        impact: 'The app cannot be updated with this key.',
        observed: `The keystore of "${name}" is missing.`,
        location: project.location(`/keys/${pointerStep(name)}/file`),
        fix: 'Restore it from a backup.',
      });
      continue;
    }
    judgeFile(config.file, file);
  }
  const web = project.settings.web.folder;
  return [
    ...found,
    ...writtenPasswords(project.dir, web === undefined ? undefined : project.resolve(web), passwords),
  ];

  function judgeFile(path: string, file: string): void {
    const location = { file };
    const mode = statSync(file).mode & 0o777;
    if (platform !== 'win32' && (mode & OTHERS) !== 0) {
      found.push({
        severity: 'error',
        code: 'keys.mode',
        impact: 'Other users of this machine can copy the key.',
        observed: `Others on this machine can read it (mode ${mode.toString(8)}).`,
        location,
        fix: `chmod 600 ${path}`,
      });
    }
    if (tree === undefined || relative(tree.root, file).startsWith('..')) return;
    if (isTracked(tree.root, tree.git, file)) {
      found.push({
        severity: 'error',
        code: 'keys.tracked',
        impact: 'Everyone with a copy of the project has the key, forever.',
        observed: 'Version control has this key.',
        location,
        fix: withTasks`git rm --cached ${path}, and a rule in .gitignore. If the project was ever shared, rotate the key: ${task('rotateKey')}`,
      });
    } else if (!isIgnored(tree.root, tree.git, file)) {
      found.push({
        severity: 'error',
        code: 'keys.not-ignored',
        impact: 'The key would be published with the project.',
        observed: 'Version control would take this key with the next "add all".',
        location,
        fix: `Add a line to .gitignore: ${slashes(relative(tree.root, file))}`,
      });
    }
  }
}
