import { HullError } from '../../core/errors.js';
import { importKey, type KeyChoice } from '../../core/tasks/import-key.js';
import type { OptionsOf } from '../define-command.js';
import { showFindings } from '../terminal/findings.js';
import { safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonPath } from '../terminal/json.js';
import { keyPassword, newPasswordOf, OLD_REMEDY, oldPassword, passwordOf } from '../terminal/passwords.js';
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
    certificates: options.certificate,
    sourcePassword: () => oldPassword(io, options, source),
    password: newPasswordOf(io, options),
    requestPassword: passwordOf(io, options),
    ...(io.interactive
      ? { choose: (choices) => choose(io, choices), keyPassword: () => keyPassword(io, source) }
      : {}),
  }).catch((error: unknown) => {
    // The password that is wrong is the old one, unless it is that of a request.
    const isWrong = error instanceof HullError && error.code === 'keys.wrong-password';
    if (!isWrong || error.location?.file !== source) throw error;
    throw new HullError('keys.wrong-old-password', error.message, {
      ...(error.location ? { location: error.location } : {}),
      fix: OLD_REMEDY,
      cause: error,
    });
  });
  const { name, file, path, alias, from, certificate, apple, request, findings } = imported;
  if (io.json) {
    emit(io, 'keys import', {
      name,
      file: jsonPath(io, file),
      alias,
      from: { file: jsonPath(io, from.file), kind: from.kind },
      certificate,
      apple,
      request,
      findings: jsonFindings(io, findings),
    });
    return;
  }
  const { paint } = io;
  io.out(
    request === null
      ? `${paint.bold(`Key "${name}"`)} imported from ${safe(source)} (${from.kind}) into ${path}; the original was not changed`
      : `${paint.bold(`Key "${name}"`)} in ${path}: ${safe(source)}, and the key of ${request} with its password`,
  );
  io.out(keyTable(certificate, apple));
  showFindings(io, findings);
  io.note(
    `${paint.dim('next')} ${apple === null ? 'hull keys check' : 'a provisioning profile with this certificate, named in apple.profile; then: hull pack ipa'}`,
  );
}
