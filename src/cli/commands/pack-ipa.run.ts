import { resolve } from 'node:path';
import { onApple } from '../../core/platforms/apple/app/permission-table.js';
import { type PackedIpa, packForApple } from '../../core/tasks/pack-ipa.js';
import { shownPath } from '../../core/util/files.js';
import { formatBytes, formatShare } from '../../core/util/sizes.js';
import type { OptionsOf } from '../define-command.js';
import { showFindings } from '../terminal/findings.js';
import { columns, count, duration, labelled, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonPath } from '../terminal/json.js';
import { passwordOf } from '../terminal/passwords.js';
import { openProgress } from '../terminal/progress.js';
import type { declare } from './pack-ipa.js';

const PART_TEXT = {
  shell: 'shell: program, settings, profile',
  art: 'art: icons and start pictures',
  web: 'web content',
  signature: 'seal of the files, directory',
} as const;

export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<number> {
  const progress = openProgress(io, { doing: 'packing', what: 'files' });
  const result = await packForApple({
    project: options.project,
    platform: options.simulator ? 'simulator' : 'device',
    out: options.out === undefined ? undefined : resolve(options.out),
    key: options.key,
    profile: options.profile,
    password: passwordOf(io, options),
    signal: io.signal,
    onProgress: progress.update,
  }).finally(progress.end);
  if (result.is === 'refused') {
    if (io.json) emit(io, 'pack ipa', { packed: null, findings: jsonFindings(io, result.findings) }, false);
    else {
      io.out(`${io.paint.bad('Not packed:')} identity, profile and app do not fit together.`);
      showFindings(io, result.findings);
    }
    return 1;
  }
  const milliseconds = Math.round(process.uptime() * 1000);
  if (io.json) {
    const { file, platform, size, sha256, parts, files, cdhashes, excluded, profile, findings } = result;
    emit(io, 'pack ipa', {
      packed: {
        file: jsonPath(io, file),
        platform,
        size,
        sha256,
        parts,
        files,
        cdhashes,
        excluded,
        profile:
          profile === undefined
            ? null
            : {
                name: profile.name,
                kind: profile.kind,
                team: profile.team ?? null,
                expires: profile.expires?.toISOString() ?? null,
                devices: profile.devices?.length ?? null,
              },
        milliseconds,
      },
      findings: jsonFindings(io, findings),
    });
    return 0;
  }
  show(io, result, milliseconds);
  notes(io, result);
  return 0;
}

function show(io: Io, packed: PackedIpa, milliseconds: number): void {
  const { paint } = io;
  const { file, size, parts, files, profile, cdhashes, platform } = packed;
  const signed = platform === 'device' ? 'signed' : 'for simulators, signed by nobody';
  io.out(`${paint.bold(safe(shownPath(file)))}  ${formatBytes(size)}, ${signed}, read back and verified`);
  io.out(
    columns(
      (['shell', 'art', 'web', 'signature'] as const).map((part) => [
        PART_TEXT[part] + (part === 'web' ? ` (${count(files.packed, 'file')})` : ''),
        formatBytes(parts[part]),
        paint.dim(formatShare(parts[part], size)),
      ]),
      [1, 2],
    ),
  );
  const devices = profile?.devices === undefined ? '' : `, ${count(profile.devices.length, 'device')}`;
  io.out(
    columns([
      ...(profile === undefined
        ? []
        : [
            [
              'profile',
              `${safe(profile.name)}: ${profile.kind}, team ${safe(profile.team ?? '?')}${devices}, until ${profile.expires?.toISOString().slice(0, 10) ?? '?'}`,
            ],
          ]),
      ['code hash', cdhashes.join(', ')],
      ['time', duration(milliseconds)],
    ]),
  );
}

/** What users will be asked, which links open in the app, what was left out, and what does not hold everywhere. */
function notes(io: Io, { app, excluded, findings, platform }: PackedIpa): void {
  const { paint } = io;
  const note = (word: string, text: string) => io.note(labelled(paint.dim(word), text, io.width));
  if (excluded.length > 0) {
    note(
      'left out',
      `${count(excluded.length, 'file')} (${[...new Set(excluded.map((item) => item.reason))].join(', ')})`,
    );
  }
  for (const { name, reason } of app.permissions) {
    const shown =
      onApple(name)?.usage === undefined ? 'the system asks, with words of its own.' : safe(reason);
    if (onApple(name)?.asks !== 'never') note('permission', `${name}: ${shown}`);
  }
  if (platform === 'device') {
    for (const { host } of app.links) {
      note('links', `https://${host}, after its apple-app-site-association is deployed`);
    }
  }
  note('store', 'Stores take only what Apple’s own SDK built. This package is for devices of the profile.');
  if (!io.quiet) showFindings({ ...io, out: io.note }, findings, '');
}
