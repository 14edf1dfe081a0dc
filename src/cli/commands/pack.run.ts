import { resolve } from 'node:path';
import { ruleText } from '../../core/links/links.js';
import { onAndroid } from '../../core/platforms/android/app/permission-table.js';
import type { PackageKind } from '../../core/platforms/android/inspect/package-kind.js';
import {
  type PackedProject,
  packFromBundle,
  packProject,
  verifyRecord,
} from '../../core/tasks/pack-project.js';
import { shownPath } from '../../core/util/files.js';
import { formatBytes, formatShare } from '../../core/util/sizes.js';
import type { OptionsOf } from '../define-command.js';
import { debugKeyFile } from '../options/debug-key.js';
import { loopback } from '../options/loopback.js';
import { hostAccess } from '../options/site.js';
import { showFindings } from '../terminal/findings.js';
import { columns, count, duration, labelled, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonPath } from '../terminal/json.js';
import { passwordOf } from '../terminal/passwords.js';
import { openProgress } from '../terminal/progress.js';
import type { declare as declareAab } from './pack-aab.js';
import type { declare as declareApk } from './pack-apk.js';

type ApkOptions = OptionsOf<typeof declareApk>;
type AabOptions = OptionsOf<typeof declareAab>;

const PART_TEXT = {
  shell: 'shell: code, manifest, resources',
  art: 'art: icons and splash',
  web: 'web content',
  signature: 'signatures',
} as const;

export async function runApk(io: Io, options: ApkOptions): Promise<number> {
  const store = loopback(options.store, '--store');
  if (options.from === undefined) return pack(io, options, 'apk', options.debuggable ?? false, store);
  await packFrom(io, options, options.from);
  return 0;
}

export function runAab(io: Io, options: AabOptions): Promise<number> {
  return pack(io, options, 'aab', false);
}

async function pack(
  io: Io,
  options: AabOptions,
  kind: PackageKind,
  debuggable: boolean,
  store?: string,
): Promise<number> {
  if (options.verifyRecord !== undefined) return verify(io, options, kind, debuggable, options.verifyRecord);
  const progress = openProgress(io, { doing: 'packing', what: 'files' });
  const packed = await packProject({
    ...hostAccess(io, options),
    project: options.project,
    kind,
    out: options.out === undefined ? undefined : resolve(options.out),
    key: options.key,
    password: passwordOf(io, options),
    debugKey: debuggable ? debugKeyFile(io.env) : undefined,
    store,
    record: options.record,
    originCheck: options.skipOriginCheck ? 'skip' : undefined,
    signal: io.signal,
    onProgress: progress.update,
  }).finally(progress.end);
  const milliseconds = Math.round(process.uptime() * 1000);
  if (io.json) {
    const { file, size, sha256, certificate, parts, files, excluded, record, provenance, findings } = packed;
    emit(io, kind === 'apk' ? 'pack apk' : 'pack aab', {
      file: jsonPath(io, file),
      kind,
      size,
      sha256,
      certificate,
      parts,
      files,
      excluded,
      record: record === undefined ? null : jsonPath(io, record),
      provenance: provenance === undefined ? null : jsonPath(io, provenance),
      findings: jsonFindings(io, findings),
      milliseconds,
    });
    return 0;
  }
  show(io, packed, milliseconds);
  notes(io, packed);
  return 0;
}

function show(io: Io, { file, size, parts, files, certificate }: PackedProject, milliseconds: number): void {
  const { paint } = io;
  io.out(`${paint.bold(safe(shownPath(file)))}  ${formatBytes(size)}, signed, read back and verified`);
  io.out(
    columns(
      (Object.keys(PART_TEXT) as (keyof typeof PART_TEXT)[]).map((part) => [
        PART_TEXT[part] + (part === 'web' ? ` (${count(files.packed, 'file')})` : ''),
        formatBytes(parts[part]),
        paint.dim(formatShare(parts[part], size)),
      ]),
      [1, 2],
    ),
  );
  io.out(
    columns([
      ['certificate SHA-256', certificate],
      ['time', duration(milliseconds)],
    ]),
  );
}

/** What users will be asked, which links open in the app, what was left out, and what does not hold everywhere. */
function notes(
  io: Io,
  { app, android, excluded, record, provenance, outdated, findings }: PackedProject,
): void {
  const { paint } = io;
  const note = (word: string, text: string) => io.note(labelled(paint.dim(word), text, io.width));
  if (record !== undefined) note('record', safe(shownPath(record)));
  if (provenance !== undefined) note('origin', safe(shownPath(provenance)));
  if (outdated !== undefined)
    note(
      'origin',
      `${safe(shownPath(outdated))} is about an earlier package: pack with --record to replace it.`,
    );
  if (excluded.length > 0) {
    const reasons = [...new Set(excluded.map((item) => item.reason))].join(', ');
    note('left out', `${count(excluded.length, 'file')} (${reasons})`);
    if (io.verbose) for (const item of excluded) io.note(`  ${safe(item.path)}  ${item.reason}`);
  }
  if (android.engine === 'browser') {
    note(
      'engine',
      `browser: pages come from ${app.base.origin}, none is packed. Its /.well-known/assetlinks.json has to name this package’s certificate, or the browser shows a bar with the address: hull domains verify.`,
    );
  }
  for (const { name, reason } of app.permissions) {
    const byBrowser = android.engine === 'browser' && onAndroid(name)?.browser !== 'app';
    note('permission', `${name}: ${byBrowser ? 'the browser asks, in the name of the site.' : safe(reason)}`);
  }
  for (const { host, rules } of app.links) {
    note(
      'links',
      `https://${host} ${safe(rules.map(ruleText).join(' '))}, after assetlinks.json is deployed`,
    );
  }
  if (!io.quiet) showFindings({ ...io, out: io.note }, findings, '');
}

/** Rebuilds what would be packed and compares it with a record. */
async function verify(
  io: Io,
  { project }: AabOptions,
  kind: PackageKind,
  debuggable: boolean,
  record: string,
): Promise<number> {
  const verified = await verifyRecord({ project, kind, debuggable, record });
  const { same, files, added, removed, changed } = verified;
  const code = same ? 0 : 1;
  if (io.json) {
    const document = { ...verified, record: jsonPath(io, record) };
    emit(io, kind === 'apk' ? 'pack apk' : 'pack aab', document, same);
    return code;
  }
  if (same) {
    io.out(`${io.paint.good('The same:')} all ${count(files, 'file')} match ${safe(record)}.`);
    return code;
  }
  io.out(`${io.paint.bad('Not the same')} as in ${safe(record)}:`);
  for (const [word, paths] of Object.entries({ added, removed, changed })) {
    for (const path of paths) io.out(`  ${word.padEnd(7)} ${safe(path)}`);
  }
  return code;
}

/** The installable package out of a bundle. */
async function packFrom(io: Io, options: ApkOptions, bundle: string): Promise<void> {
  const packed = await packFromBundle({
    project: options.project,
    bundle,
    out: options.out === undefined ? undefined : resolve(options.out),
    key: options.key,
    password: passwordOf(io, options),
    signal: io.signal,
  });
  if (io.json) {
    emit(io, 'pack apk', { ...packed, file: jsonPath(io, packed.file) });
    return;
  }
  const { paint } = io;
  io.out(
    `${paint.bold(safe(shownPath(packed.file)))}  ${formatBytes(packed.size)}, everything in the bundle in one package`,
  );
  io.out(columns([['certificate SHA-256', packed.certificate]]));
  io.note(
    `${paint.dim('note')} The store signs what users get with its own key, and divides it by device: this is for trying.`,
  );
  for (const module of packed.leftOut) io.note(`${paint.warn('left out')} module ${safe(module)}`);
  if (packed.skippedValues > 0) {
    io.note(
      `${paint.warn('left out')} ${count(packed.skippedValues, 'resource value')} for kinds of devices that are not distinguished here`,
    );
  }
}
