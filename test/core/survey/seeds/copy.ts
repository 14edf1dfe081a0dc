import { generateKeyPairSync } from 'node:crypto';
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { formatLocation } from '../../../../src/core/errors.js';
import { readProject } from '../../../../src/core/project/project.js';
import { scanFolder } from '../../../../src/core/site/folder.js';
import { readFolderSite } from '../../../../src/core/site/read-folder.js';
import { type SurveyReport, surveySite } from '../../../../src/core/survey/survey.js';
import type { Target } from '../../../../src/core/survey/target.js';
import { DEMO_SITE } from '../../../support/hull.js';
import { temporaryFolder } from '../../../support/temporary.js';

/** The one finding that the demo site has on purpose: start-up images are made by a later step of the work. */
export const ON_PURPOSE = 'feel.startup-image';

export class Copy {
  readonly dir = join(temporaryFolder(), 'site');

  /** What the site sells is a matter of its own: most engines have no payment, and the survey says so. */
  constructor(shop: 'without its shop' | 'whole' = 'without its shop') {
    cpSync(DEMO_SITE, this.dir, { recursive: true });
    if (shop === 'whole') return;
    this.remove('js/shop.js');
    this.remove('js/buy.js');
    this.replace('tickets.html', /\s*<script type="module" src="\/js\/buy.js"><\/script>/, '');
    this.replace('sw.js', "'/js/buy.js', '/js/shop.js',", '');
  }

  path(name: string): string {
    const file = join(this.dir, name);
    mkdirSync(dirname(file), { recursive: true });
    return file;
  }

  read(name: string): string {
    return readFileSync(this.path(name), 'utf8');
  }

  write(name: string, content: string | Uint8Array): void {
    writeFileSync(this.path(name), content);
  }

  /** Puts one text for another, which has to be there. */
  replace(name: string, from: string | RegExp, to: string): void {
    const text = this.read(name);
    const changed = text.replace(from, () => to);
    if (changed === text) throw new Error(`${String(from)} is not in ${name}`);
    this.write(name, changed);
  }

  manifest(change: (members: Record<string, unknown>) => void): void {
    const members = JSON.parse(this.read('manifest.webmanifest'));
    change(members);
    this.write('manifest.webmanifest', JSON.stringify(members, undefined, 2));
  }

  remove(name: string): void {
    rmSync(this.path(name), { recursive: true });
  }

  /** Place of a text in a file, as `name:line:column`. */
  at(name: string, text: string, from = 0): string {
    const content = this.read(name);
    const offset = content.indexOf(text, from);
    if (offset === -1) throw new Error(`${text} is not in ${name}`);
    const before = content.slice(0, offset).split('\n');
    return `${name}:${before.length}:${(before.at(-1)?.length ?? 0) + 1}`;
  }
}

/** An app that every rule is about but those of Apple's web view, which see some of the same uses. */
export const EVERY_RULE: Target = {
  packed: false,
  hosted: true,
  engine: 'browser',
  edges: 'cover',
  apple: false,
  sharesPages: false,
  assumed: false,
};

export async function surveyCopy(copy: Copy, project?: object): Promise<SurveyReport> {
  if (project) writeFileSync(join(dirname(copy.dir), 'hull.json'), JSON.stringify(project, undefined, 2));
  const read = project ? readProject(dirname(copy.dir)) : undefined;
  const address = read?.settings.web.url;
  const site = await readFolderSite(await scanFolder(copy.dir), address ? { base: new URL(address) } : {});
  return surveySite({ site, project: read, browser: undefined, ...(read ? {} : { target: EVERY_RULE }) });
}

/** Findings as `rule place`, places told from the site's folder. */
export function told(report: SurveyReport, copy: Copy): string[] {
  return report.findings
    .filter(({ code }) => code !== ON_PURPOSE)
    .map(
      ({ code, location }) =>
        `${code} ${formatLocation(location)
          .replaceAll(`${copy.dir}/`, '')
          .replaceAll(copy.dir, '.')
          .replaceAll(`${dirname(copy.dir)}/`, '')}`,
    );
}

export type Seed = readonly [rule: string, what: string, break_: (copy: Copy) => string | Promise<string>];

export const HEAD = 'index.html:3:1';
export const TOP = 'manifest.webmanifest:1:1';
export const icons = (members: Record<string, unknown>) => members.icons as Record<string, unknown>[];
export const addToHead = (copy: Copy, tag: string) =>
  copy.replace('index.html', '  <link rel="manifest"', `  ${tag}\n  <link rel="manifest"`);
export const addToBody = (copy: Copy, tag: string, page = 'index.html') =>
  copy.replace(page, '</main>', `  ${tag}\n  </main>`);
export const pointer = (copy: Copy, key: string, at: string) =>
  `${copy.at('manifest.webmanifest', key)} ${at}`;
/** A private key of nobody's. */
export const newKey = () =>
  generateKeyPairSync('ec', { namedCurve: 'P-256' }).privateKey.export({ type: 'pkcs8', format: 'pem' });
/** Place of a member's value. */
export const value = (copy: Copy, key: string, at = `/${key}`) => {
  const text = copy.read('manifest.webmanifest');
  const start = text.indexOf(`"${key}":`) + key.length + 4;
  const before = text.slice(0, start).split('\n');
  return `manifest.webmanifest:${before.length}:${(before.at(-1)?.length ?? 0) + 1} ${at}`;
};
