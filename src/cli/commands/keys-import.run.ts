import { HullError } from '../../core/errors.js';
import { importKey, type KeyChoice } from '../../core/tasks/import-key.js';
import type { OptionsOf } from '../define-command.js';
import { showFindings } from '../terminal/findings.js';
import { safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonPath } from '../terminal/json.js';
import { keyPassword, newPasswordOf, OLD_REMEDY, oldPassword } from '../terminal/passwords.js';
import { keyTable } from './key-table.js';
import type { declare } from './keys-import.js';

/** Asks which of several keys is meant. */
async function choose(io: Io, choices: readonly KeyChoice[]): Promise<string> {
  const { select } = await import('@inquirer/prompts');
  return select(
    {
      message: 'Which key?',
      choices: choices.map(({ alias, subject }) => ({
        name: subject === undefined ? safe(alias) : `${safe(alias)}  ${safe(subject)}`,
        value: alias,
      })),
    },
    { output: process.stderr, signal: io.signal },
  );
}

export async function run(io: Io, options: OptionsOf<typeof declare>, source: string): Promise<void> {
  const imported = await importKey({
    project: options.project,
    source,
    name: options.as,
    alias: options.alias,
    certificate: options.certificate,
    sourcePassword: () => oldPassword(io, options, source),
    password: newPasswordOf(io, options),
    ...(io.interactive
      ? { choose: (choices) => choose(io, choices), keyPassword: () => keyPassword(io, source) }
      : {}),
  }).catch((error: unknown) => {
    // The password that is wrong is the old one.
    const isWrong = error instanceof HullError && error.code === 'keys.wrong-password';
    if (!isWrong) throw error;
    throw new HullError('keys.wrong-old-password', error.message, {
      ...(error.location ? { location: error.location } : {}),
      fix: OLD_REMEDY,
      cause: error,
    });
  });
  const { name, file, path, alias, from, certificate, findings } = imported;
  if (io.json) {
    emit(io, 'keys import', {
      name,
      file: jsonPath(io, file),
      alias,
      from: { file: jsonPath(io, from.file), kind: from.kind },
      certificate,
      findings: jsonFindings(io, findings),
    });
    return;
  }
  const { paint } = io;
  io.out(
    `${paint.bold(`Key "${name}"`)} imported from ${safe(source)} (${from.kind}) into ${path}; the original was not changed`,
  );
  io.out(keyTable(certificate));
  showFindings(io, findings);
  io.note(`${paint.dim('next')} hull keys check`);
}
