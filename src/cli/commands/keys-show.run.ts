import { showKey } from '../../core/tasks/show-key.js';
import type { OptionsOf } from '../define-command.js';
import { showFindings } from '../terminal/findings.js';
import { columns, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonPath } from '../terminal/json.js';
import { passwordOf } from '../terminal/passwords.js';
import { appleRow } from './key-table.js';
import type { declare } from './keys-show.js';

export async function run(
  io: Io,
  options: OptionsOf<typeof declare>,
  name: string | undefined,
): Promise<void> {
  const shown = await showKey({
    project: options.project,
    name,
    file: options.file,
    password: passwordOf(io, options),
  });
  const {
    name: known,
    path,
    file,
    alias,
    certificate: facts,
    apple,
    fingerprints,
    findings,
    lineage,
  } = shown;
  if (io.json) {
    emit(io, 'keys show', {
      name: known,
      file: jsonPath(io, file),
      alias,
      certificate: facts,
      apple,
      fingerprints,
      findings: jsonFindings(io, findings),
      lineage,
    });
    return;
  }
  const { paint } = io;
  io.out(
    `${paint.bold(known === null ? 'Key' : `Key "${known}"`)} in ${safe(path)}${alias === null ? ': its certificate alone, it signs elsewhere' : `, alias ${safe(alias)}`}`,
  );
  io.out(
    columns([
      ['subject', safe(facts.subject)],
      ...appleRow(apple),
      ['key', facts.key],
      ['valid from', facts.notBefore.slice(0, 10)],
      ['valid until', facts.notAfter.slice(0, 10)],
      ['SHA-1', facts.sha1],
      ['SHA-256', facts.sha256],
      ...(apple === null ? [['', paint.dim('in consoles and /.well-known/assetlinks.json')]] : []),
      ['SHA-256, hex', fingerprints.sha256.hex],
      ['SHA-256, Base64', fingerprints.sha256.base64],
    ]),
  );
  showFindings(io, findings);
  if (findings.length === 0) io.out(paint.good('No weakness found.'));
  for (const { certificate, keeps } of lineage) {
    io.out(
      `${paint.dim('succeeds')} ${safe(certificate.subject)}, ${certificate.sha256}\n  which keeps ${keeps.join(', ') || 'nothing'}`,
    );
  }
}
