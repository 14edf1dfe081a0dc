import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { gunzipSync, gzipSync } from 'node:zlib';
import { describe, expect, it } from 'vitest';
import { COMMANDS } from '../src/cli/commands/all.js';
import { build } from '../src/cli/program.js';
import { ERROR_CODES } from '../src/core/errors.js';
import { rulesTable } from '../src/core/survey/rules-table.js';
import { stricterTable } from './support/crafted/stricter.js';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const src = join(root, 'src');

function filesBelow(dir: string, ending: string): string[] {
  return readdirSync(dir, { recursive: true, encoding: 'utf8' })
    .filter((name) => name.endsWith(ending) && !name.endsWith('.d.ts'))
    .map((name) => join(dir, name));
}

interface Module {
  /** Path below src. */
  readonly path: string;
  readonly text: string;
  /** Modules of ours that it needs when it runs, as paths below src. */
  readonly needs: readonly string[];
  readonly packages: readonly string[];
}

const modules: Module[] = filesBelow(src, '.ts').map((file) => {
  const text = readFileSync(file, 'utf8');
  const needs: string[] = [];
  const packages: string[] = [];
  for (const match of text.matchAll(
    /^(?:import|export)\s(?!type\b)[^'"]*?from\s+'([^']+)'|^import\s+'([^']+)'|import\('([^']+)'\)/gm,
  )) {
    const target = (match[1] ?? match[2] ?? match[3]) as string;
    if (target.startsWith('.'))
      needs.push(relative(src, resolve(dirname(file), target)).replace(/\.js$/, '.ts'));
    else packages.push(target);
  }
  return { path: relative(src, file), text, needs, packages };
});

const inFolder = (module: Module, folder: string) => module.path.startsWith(`${folder}/`);

describe('the rules of the house', () => {
  it('formats import nothing of ours but the errors', () => {
    for (const module of modules.filter((item) => inFolder(item, 'core/formats'))) {
      for (const need of module.needs) {
        expect(
          need.startsWith('core/formats/') || need === 'core/errors.ts',
          `${module.path} imports ${need}`,
        ).toBe(true);
      }
    }
  });

  it('the core never imports the command line or the stand-ins', () => {
    for (const module of modules.filter((item) => inFolder(item, 'core'))) {
      for (const need of module.needs) expect(need, module.path).not.toMatch(/^(cli|drydock)\//);
    }
  });

  it('one platform never imports another', () => {
    for (const [one, other] of [
      ['android', 'apple'],
      ['apple', 'android'],
    ]) {
      for (const module of modules.filter((item) => inFolder(item, `core/platforms/${one}`))) {
        for (const need of module.needs)
          expect(need, module.path).not.toMatch(new RegExp(`^core/platforms/${other}/`));
      }
    }
  });

  it('no file lies about at the root of the core', () => {
    const loose = modules.map(({ path }) => path).filter((path) => /^core\/[^/]+$/.test(path));
    expect(loose.sort()).toEqual(['core/errors.ts', 'core/finding.ts', 'core/index.ts']);
  });

  it('arrows between folders point one way, types among them', () => {
    // A platform counts as a folder, and so does each of its own.
    const folderOf = (path: string) =>
      /^core\/platforms\/[^/]+\/[^/]+\//.exec(path)?.[0] ?? /^core\/[^/]+\//.exec(path)?.[0] ?? path;
    const arrows = new Map<string, Set<string>>();
    for (const { path, text } of modules.filter((item) => inFolder(item, 'core'))) {
      for (const match of text.matchAll(/from '(\.[^']+)'|import\('(\.[^']+)'\)/g)) {
        const target = resolve(dirname(join(src, path)), (match[1] ?? match[2]) as string);
        const [from, to] = [folderOf(path), folderOf(relative(src, target))];
        if (from !== to) arrows.set(from, (arrows.get(from) ?? new Set()).add(to));
      }
    }
    const done = new Set<string>();
    const visit = (folder: string, above: readonly string[]): void => {
      expect(above, `a circle: ${[...above, folder].join(' → ')}`).not.toContain(folder);
      if (done.has(folder)) return;
      for (const next of arrows.get(folder) ?? []) visit(next, [...above, folder]);
      done.add(folder);
    };
    for (const folder of arrows.keys()) visit(folder, []);
  });

  it('no module needs itself by way of others', () => {
    const byPath = new Map(modules.map((module) => [module.path, module]));
    const done = new Set<string>();
    const visit = (path: string, above: readonly string[]): void => {
      expect(above, `a circle: ${[...above, path].join(' → ')}`).not.toContain(path);
      if (done.has(path)) return;
      for (const need of byPath.get(path)?.needs ?? []) visit(need, [...above, path]);
      done.add(path);
    };
    for (const module of modules) visit(module.path, []);
  });

  it('the core prints nothing, asks nothing, reads no environment and never exits', () => {
    for (const module of modules.filter((item) => inFolder(item, 'core'))) {
      expect(module.text, module.path).not.toMatch(
        /\bconsole\.(?:log|error|warn|info|debug|table)\b|process\.(env|stdout|stderr|stdin|exit|argv|cwd)/,
      );
      for (const name of module.packages)
        expect(name, module.path).not.toMatch(/^(commander|picocolors|@inquirer|cli-progress)/);
    }
  });

  it('the core knows no command and no option', () => {
    const first = [...new Set(COMMANDS.map(({ words }) => words.split(' ')[0]))].join('|');
    const options = build({} as never, () => undefined)
      .commands.flatMap((command) => [command, ...command.commands])
      .flatMap((command) => command.options.flatMap(({ long }) => (long ? [long] : [])));
    // The marks around the tags in a page are a format of their own.
    const known = new RegExp(
      `\\bhull (?:${first})\\b(?!: (?:begin|end))|(?:${[...new Set(options)].join('|')})(?![\\w-])`,
    );
    for (const module of modules.filter(
      (item) => inFolder(item, 'core') && !/errors\.ts$|\.generated\.ts$/.test(item.path),
    )) {
      expect(known.exec(module.text)?.[0], module.path).toBe(undefined);
      expect(module.text, module.path).not.toMatch(/'cli\./);
    }
  });

  it('nothing is exported by default, and only the library is a barrel', () => {
    for (const module of modules) {
      expect(module.text, module.path).not.toMatch(/^export default/m);
      if (module.path !== 'core/index.ts')
        expect(module.text, module.path).not.toMatch(/^export (\*|\{[^}]*\}) from/m);
    }
  });
});

describe('the shell', () => {
  it('goes into packages as it was built, and smaller than zlib makes it', () => {
    const folder = join(root, 'shell/android/dist');
    const codes = readdirSync(folder).filter((name) => name.endsWith('.dex'));
    expect(codes.sort()).toEqual(['browser.dex', 'plain.dex', 'shop.dex', 'tabs.dex', 'webview.dex']);
    for (const name of codes) {
      const code = readFileSync(join(folder, name));
      const packed = readFileSync(join(folder, `${name}.gz`));
      expect(gunzipSync(packed).equals(code), `npm run build makes ${name}.gz anew`).toBe(true);
      expect(packed.length, name).toBeLessThan(gzipSync(code, { level: 9 }).length);
    }
  });
});

describe('the documents', () => {
  const errors = readFileSync(join(root, 'docs/errors.md'), 'utf8');

  it('list every error code, and no other', () => {
    const listed = [...errors.matchAll(/^### `([a-z-]+\.[a-z-]+)`/gm)].map((match) => match[1]);
    expect(listed.sort()).toEqual(Object.keys(ERROR_CODES).sort());
  });

  it('give each code its exit code', () => {
    for (const [code, exit] of Object.entries(ERROR_CODES)) {
      const section = errors.slice(errors.indexOf(`### \`${code}\``)).split('\n### ')[0] ?? '';
      expect(section, code).toContain(`Exit ${exit}`);
    }
  });

  it('list every rule of the survey as it is', () => {
    const text = readFileSync(join(root, 'docs/survey.md'), 'utf8');
    expect(text.split('<!-- rules -->')[1]?.trim(), 'npm run rules writes it').toBe(rulesTable().trim());
  });

  it('describe every key of hull.json', () => {
    const text = readFileSync(join(root, 'docs/configuration.md'), 'utf8');
    const schema = JSON.parse(readFileSync(join(root, 'schema/hull.schema.json'), 'utf8'));
    for (const [section, value] of Object.entries<{ properties?: object }>(schema.properties)) {
      if (section === '$schema') continue;
      expect(text, section).toContain(`\`${section}`);
      for (const key of Object.keys(value.properties ?? {})) expect(text).toContain(`\`${section}.${key}\``);
    }
  });

  it('link every picture from the README, and no picture that is not there', () => {
    const readme = readFileSync(join(root, 'README.md'), 'utf8');
    const linked = [...readme.matchAll(/docs\/screenshots\/([\w.-]+\.png)/g)].map(
      (match) => match[1] as string,
    );
    const there = readdirSync(join(root, 'docs/screenshots')).filter((name) => name.endsWith('.png'));
    expect([...new Set(linked)].sort()).toEqual(there.sort());
  });
});

describe('the security document', () => {
  it('has the table of what is judged more strictly', () => {
    const text = readFileSync(join(root, 'docs/security.md'), 'utf8');
    const own = /<!-- stricter -->\n([\s\S]*?)<!-- \/stricter -->/.exec(text)?.[1];
    expect(own?.trim()).toBe(stricterTable());
  });

  it('goes with a licence text for everything that is bundled', () => {
    const notices = readFileSync(join(root, 'dist/NOTICES.txt'), 'utf8').split('\n\n----\n\n');
    expect(notices.length).toBeGreaterThan(50);
    for (const notice of notices) {
      const [title = '', ...text] = notice.split('\n\n');
      expect(text.join('\n\n').length, title).toBeGreaterThan(300);
    }
  });
});

/** Phrases that readers stumble over, each with what a colleague would say. */
const STUMBLING: readonly (readonly [RegExp, string])[] = [
  [/\bmend(s|ed)?\b/i, 'fix'],
  [/\banew\b/i, 'again'],
  [/\ball the same\b/i, 'anyway'],
  [/\bno JSON\b/, 'not valid JSON'],
  [/\bhalf-written\b/i, 'no partial files'],
  [/in the order of the work/i, 'typical workflow'],
  [/without your doing/i, 'by default'],
  [/\b(passed over|passes over)\b/i, 'skipped'],
  [/\bworked out\b/i, 'computed'],
  [/\b(may not|should) stand\b/i, "isn't allowed, expected"],
  [/\bsee badly\b/i, 'low-vision users'],
  [/\bheld (upright|sideways)\b/i, 'portrait, landscape'],
  [/\bhindered\b/i, 'blocked'],
  [/a fault of our own/i, 'internal error'],
  [/'(Load again|Go on|This page is not there)'/, 'Reload, Continue, Page not found'],
  [
    /\b(it was refused before|has trouble, and not your device)\b/i,
    'You declined this earlier; something went wrong on our side',
  ],
  [/\b(is|are) told\b/i, 'is reported, is shown'],
  [/\btold apart\b/i, 'distinguished'],
  [/\bwhoever\b/i, 'anyone who, those who'],
  [/\bcannot be had\b/i, 'not supported, cannot be obtained'],
  [/\bis no (colour|picture|JSON)\b/i, 'is not a valid colour, is not an image'],
  [/\bstands? (in|here|there|before|behind|beside|where|on|under|over|at)\b/i, 'is in, is there'],
  [/\bonce the host says so\b/i, 'after assetlinks.json is deployed'],
  [/\bgo(es)? on to\b/i, 'continues'],
];

describe('what people read', () => {
  const documents = [
    ...['README.md', 'CONTRIBUTING.md', 'SECURITY.md', 'CHANGELOG.md'].map((name) => join(root, name)),
    ...filesBelow(join(root, 'docs'), '.md'),
    ...filesBelow(join(root, 'shell/android/src/main'), '.java'),
    ...filesBelow(src, '.ts'),
    ...filesBelow(join(root, 'schema'), '.json'),
  ];

  it.each(STUMBLING.map(([phrase, better]) => [phrase.source, phrase, better] as const))(
    'is plain English: %s',
    (_name, phrase, better) => {
      const found = documents.flatMap((file) => {
        const lines = readFileSync(file, 'utf8').split('\n');
        return lines.flatMap((line, index) =>
          phrase.test(line) ? [`${relative(root, file)}:${index + 1}`] : [],
        );
      });
      expect(found, `say: ${better}`).toEqual([]);
    },
  );
});
