import { rotateKey } from '../../core/tasks/rotate-key.js';
import type { OptionsOf } from '../define-command.js';
import { columns, labelled } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import { passwordOf } from '../terminal/passwords.js';
import type { declare } from './keys-rotate.js';

/** Names between commas; `nothing` is none. */
const namesOf = (text: string): string[] =>
  text
    .split(',')
    .map((part) => part.trim())
    .filter((name) => name !== '' && name !== 'nothing');

export async function run(
  io: Io,
  options: OptionsOf<typeof declare>,
  from: string,
  to: string,
): Promise<void> {
  const rotated = await rotateKey({
    project: options.project,
    from,
    to,
    since: Number(options.since),
    keeps: options.keeps === undefined ? undefined : namesOf(options.keeps),
    password: passwordOf(io, options),
  });
  const { path, file, since, keeps, lineage } = rotated;
  if (io.json) {
    emit(io, 'keys rotate', { file: jsonPath(io, file), since, keeps, lineage });
    return;
  }
  io.out(`${io.paint.bold(`"${to}" succeeds "${from}"`)} from API ${since} on; the lineage is in ${path}`);
  io.out(columns(lineage.map((one, index) => [`${index + 1}`, one.subject, one.sha256])));
  io.note(
    labelled(
      io.paint.warn('keep both'),
      'Older devices stay with the first key: every package is signed with both. The lineage holds no secret; keep it with the keys.',
      io.width,
    ),
  );
}
