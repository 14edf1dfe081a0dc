import { join, resolve } from 'node:path';
import { type App, readApp } from '../../core/app/app.js';
import { ART_CACHE } from '../../core/art/kit.js';
import { artInputs } from '../../core/art/project-art.js';
import { fromSystemError } from '../../core/errors.js';
import { GROUPS_SINCE } from '../../core/links/levels.js';
import { ruleText, sayMoreThanPaths } from '../../core/links/links.js';
import { findIconSource } from '../../core/platforms/android/app/icon-source.js';
import {
  type AndroidOptions,
  readAndroidOptions,
  shellName,
} from '../../core/platforms/android/app/options.js';
import { onAndroid } from '../../core/platforms/android/app/permission-table.js';
import { unusedPermissions } from '../../core/platforms/android/app/unused-permissions.js';
import type { PackageKind } from '../../core/platforms/android/inspect/package-kind.js';
import {
  type ContentRequest,
  debugApp,
  type PackReport,
  packAndroid,
  packedFiles,
} from '../../core/platforms/android/package/pack.js';
import { compareRecord, readRecord, recordOf } from '../../core/platforms/android/package/record.js';
import { jarSignerName } from '../../core/platforms/android/signing/jar-names.js';
import { type Project, readProject } from '../../core/project/project.js';
import { fileSha256, readRegularFile, replaceFile } from '../../core/util/files.js';
import { bytes, columns, duration, percent, safe } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { shortPath } from '../paths.js';
import { fileProgress } from '../progress.js';
import { signingPlan } from '../signing-key.js';
import type { SiteOptions } from '../site-options.js';
import { VERSION } from '../version.js';

export interface PackApkOptions extends CommonOptions, SiteOptions {
  readonly out?: string;
  readonly key?: string;
  readonly debuggable?: boolean;
  readonly from?: string;
  readonly record?: boolean;
  readonly verifyRecord?: string;
  readonly passwordFile?: string;
  readonly skipOriginCheck?: boolean;
}

/** Packages go here, beside `hull.json`, where nothing else is said. */
const DEFAULT_OUT = 'out';

const PART_TEXT = {
  shell: 'shell: code, manifest, resources',
  art: 'art: icons and splash',
  web: 'web content',
  signature: 'signatures',
} as const;

function show(io: Io, report: PackReport, milliseconds: number): void {
  const { paint } = io;
  io.out(`${paint.bold(shortPath(report.file))}  ${bytes(report.size)}, signed, read back and verified`);
  io.out(
    columns(
      (Object.keys(PART_TEXT) as (keyof typeof PART_TEXT)[]).map((part) => [
        PART_TEXT[part] + (part === 'web' ? ` (${report.files.packed} files)` : ''),
        bytes(report.parts[part]),
        paint.dim(percent(report.parts[part], report.size)),
      ]),
      [1, 2],
    ),
  );
  io.out(
    columns([
      ['certificate SHA-256', report.certificate],
      ['taken', duration(milliseconds)],
    ]),
  );
}

async function contentRequest(
  options: PackApkOptions,
  project: Project,
  kind: PackageKind,
): Promise<ContentRequest> {
  const app = await readApp(project);
  return {
    kind,
    app,
    android: readAndroidOptions(project),
    art: artInputs(project, await findIconSource(project, app.folder)),
    artCacheDir: join(project.dir, ART_CACHE),
    debuggable: options.debuggable ?? false,
  };
}

/** Who signs: the key that is named, or for packages that are never released one of their own. */
async function signerOf(io: Io, options: PackApkOptions, project: Project) {
  if (options.debuggable && options.key === undefined) {
    const { debugPlan } = await import('../debug-key.js');
    const plan = debugPlan(io);
    plan.catch(() => undefined);
    return { signerName: 'DEBUG', plan };
  }
  const { key, plan } = await signingPlan(io, options, project, options.key);
  return { signerName: jarSignerName(key.config.alias ?? key.name), plan };
}

/** Writes the bill of materials beside the package. */
async function writeRecord(report: PackReport, content: ContentRequest, kind: PackageKind): Promise<string> {
  const file = `${report.file}.cdx.json`;
  const bom = recordOf(content.app, kind, report.recorded ?? [], VERSION);
  await replaceFile(file, new TextEncoder().encode(`${JSON.stringify(bom, undefined, 2)}\n`));
  return file;
}

/** Rebuilds what would be packed and compares it with a record; nothing is signed or written. */
async function verifyRecord(
  io: Io,
  options: PackApkOptions,
  project: Project,
  kind: PackageKind,
  file: string,
): Promise<number> {
  let text: string;
  try {
    text = readRegularFile(file).toString('utf8');
  } catch (error) {
    throw fromSystemError(error, file);
  }
  const recorded = readRecord(text, file);
  const files = await packedFiles(await contentRequest(options, project, kind));
  const found = compareRecord(recorded, files);
  const count = found.added.length + found.removed.length + found.changed.length;
  if (io.json) outJson(io, { record: file, same: count === 0, ...found });
  else if (count === 0)
    io.out(`${io.paint.good('The same:')} all ${files.length} files are as ${safe(file)} has them.`);
  else {
    io.out(`${io.paint.bad('Not the same')} as ${safe(file)} has it:`);
    for (const [kindOf, list] of Object.entries(found) as [string, readonly string[]][]) {
      for (const path of list) io.out(`  ${kindOf.padEnd(7)} ${safe(path)}`);
    }
  }
  return count === 0 ? 0 : 1;
}

async function packCommand(io: Io, options: PackApkOptions, kind: PackageKind): Promise<number> {
  const project = readProject(options.project ?? '.');
  if (options.verifyRecord !== undefined)
    return verifyRecord(io, options, project, kind, options.verifyRecord);
  // Opening a keystore is slow on purpose; it goes on in the thread pool while the folder is read and compressed.
  const { signerName, plan: identity } = await signerOf(io, options, project);
  const content = await contentRequest(options, project, kind);
  const { app, android } = content;
  if (android.engine === 'browser' && !options.debuggable && !options.skipOriginCheck) {
    const { checkOrigin } = await import('../origin-check.js');
    await checkOrigin(options, project, app, await identity);
  }
  const progress = await fileProgress(io, app.folder?.files.length ?? 0);
  const report = await packAndroid({
    ...content,
    signerName,
    identity,
    outDir: options.out === undefined ? join(project.dir, DEFAULT_OUT) : resolve(options.out),
    record: options.record ?? false,
    signal: io.signal,
    onProgress: progress.update,
  }).finally(progress.end);
  const milliseconds = process.uptime() * 1000;
  const record = report.recorded && (await writeRecord(report, content, kind));
  if (io.json) {
    const { recorded: _recorded, ...rest } = report;
    outJson(io, {
      ...rest,
      ...(record ? { record } : {}),
      sha256: await fileSha256(report.file),
      milliseconds: Math.round(milliseconds),
    });
    return 0;
  }
  show(io, report, milliseconds);
  if (record) io.note(`${io.paint.dim('record')} ${safe(shortPath(record))}`);
  const { leftOut } = report.files;
  if (leftOut > 0) {
    const list = app.folder?.leftOut ?? [];
    const reasons = [...new Set(list.map((item) => item.reason))].join(', ');
    io.note(`${io.paint.dim('left out')} ${leftOut} ${leftOut === 1 ? 'file' : 'files'} (${reasons})`);
    if (io.verbose) for (const item of list) io.note(`  ${item.path}  ${item.reason}`);
  }
  if (options.debuggable)
    io.note(
      `${io.paint.warn('debuggable')} Anyone with this package can look inside the running app; stores refuse it.`,
    );
  await tellEntries(io, options.debuggable ? debugApp(app) : app, android);
  return 0;
}

/** What users will be asked, which links open in the app, and what of it does not hold everywhere. */
async function tellEntries(io: Io, app: App, android: AndroidOptions): Promise<void> {
  const { paint } = io;
  if (android.engine === 'browser') {
    io.note(
      `${paint.dim('engine')} browser: pages come from ${app.base.origin}, none is packed. Its /.well-known/assetlinks.json has to name this package’s certificate, or the browser shows a bar with the address: hull domains verify.`,
    );
    if (app.display === 'minimal-ui') {
      io.note(
        `${paint.warn('display')} The browser engine has no bar for minimal-ui: pages are shown as with standalone.`,
      );
    }
    if (shellName(android) === 'tabs' && app.share?.method === 'POST') {
      io.note(
        `${paint.warn('share_target')} What is shared is posted, which only a browser takes that shows the pages full screen; elsewhere this package, without a view of its own, opens the start page instead.`,
      );
    }
  }
  // Only told, so not looked for where nobody is told.
  const unused = io.quiet || android.engine === 'browser' ? [] : await unusedPermissions(app);
  for (const { name, reason } of app.permissions) {
    const row = onAndroid(name);
    if (android.engine === 'browser' && row?.browser !== 'app') {
      io.note(`${paint.dim('permission')} ${name}: the browser asks, in the name of the site.`);
    } else if (android.engine === 'webview' && row?.webview === 'never') {
      io.note(
        `${paint.warn('permission')} ${name} is not supported in a web view: pages find that it is missing.`,
      );
    } else io.note(`${paint.dim('permission')} ${name}: ${safe(reason)}`);
    if (unused.includes(name)) {
      io.note(
        `${paint.warn('permission')} ${name} is declared, and no packed page or script was seen to use it: reviewers ask what it is for.`,
      );
    }
  }
  for (const { host, rules } of app.links) {
    io.note(
      `${paint.dim('links')} https://${host} ${safe(rules.map(ruleText).join(' '))}, once the host says so`,
    );
  }
  if (app.links.some(({ rules }) => sayMoreThanPaths(rules)) && android.minSdk < GROUPS_SINCE) {
    io.note(
      `${paint.dim('links')} before Android 15 the system knows paths alone: what is left out by a rule, a query or a fragment opens the app, which hands it to the browser.`,
    );
  }
}

/** The installable package out of a bundle. */
async function packFrom(io: Io, options: PackApkOptions, bundle: string): Promise<void> {
  const { universalApk } = await import('../../core/platforms/android/package/universal.js');
  const project = readProject(options.project ?? '.');
  const { key, plan } = await signingPlan(io, options, project, options.key);
  const report = await universalApk({
    file: bundle,
    outDir: options.out === undefined ? join(project.dir, DEFAULT_OUT) : resolve(options.out),
    plan,
    signerName: jarSignerName(key.config.alias ?? key.name),
    signal: io.signal,
  });
  if (io.json) {
    outJson(io, report);
    return;
  }
  const { paint } = io;
  io.out(
    `${paint.bold(shortPath(report.file))}  ${bytes(report.size)}, everything in the bundle in one package`,
  );
  io.out(columns([['certificate SHA-256', report.certificate]]));
  io.note(
    `${paint.dim('note')} The store signs what users get with its own key, and divides it by device: this is for trying.`,
  );
  for (const module of report.leftOut) io.note(`${paint.warn('left out')} module ${safe(module)}`);
  if (report.passedOver > 0) {
    io.note(
      `${paint.warn('left out')} ${report.passedOver} resource values for kinds of devices that are not distinguished here`,
    );
  }
}

export async function packApkCommand(io: Io, options: PackApkOptions): Promise<number> {
  if (options.from === undefined) return packCommand(io, options, 'apk');
  await packFrom(io, options, options.from);
  return 0;
}

export function packAabCommand(io: Io, options: PackApkOptions): Promise<number> {
  return packCommand(io, options, 'aab');
}
