import { checkKeys } from '../../core/tasks/check-keys.js';
import type { OptionsOf } from '../define-command.js';
import { showFindings } from '../terminal/findings.js';
import { columns, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonPath } from '../terminal/json.js';
import { knownPasswords, passwordOf } from '../terminal/passwords.js';
import { sayTask } from '../terminal/say-task.js';
import type { declare } from './keys-check.js';

export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<number> {
  const { keys, ends, findings, sheet } = await checkKeys({
    project: options.project,
    knownPasswords: (names) => knownPasswords(io, options, names),
    sheet: options.sheet,
    password: passwordOf(io, options),
    say: sayTask,
  });
  const ok = !findings.some(({ severity }) => severity === 'error');
  if (io.json) {
    const document = {
      keys,
      ends,
      findings: jsonFindings(io, findings),
      sheet: sheet === undefined ? null : jsonPath(io, sheet),
    };
    emit(io, 'keys check', document, ok);
    return ok ? 0 : 1;
  }
  const { paint } = io;
  showFindings(io, findings, '');
  if (ends.length > 0) io.out(columns(ends.map(({ what, date }) => [safe(what), `ends on ${date}`])));
  if (findings.length === 0) {
    io.out(
      `${paint.good('No problems found:')} ${keys.length === 1 ? 'the keystore is readable by its owner alone' : `${keys.length} keystores are readable by their owner alone`}, out of version control, and no password is written down.`,
    );
  }
  if (sheet !== undefined)
    io.out(`${paint.bold(safe(sheet))}  to print, fill in and keep apart from this computer`);
  else
    io.note(`${paint.dim('next')} hull keys check --sheet keys.md: a sheet for the safe, without a secret`);
  return ok ? 0 : 1;
}
