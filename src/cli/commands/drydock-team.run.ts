import { makeTeam } from '../../drydock/team-files.js';
import type { OptionsOf } from '../define-command.js';
import { columns, labelled } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit } from '../terminal/json.js';
import { newPasswordOf } from '../terminal/passwords.js';
import type { declare } from './drydock-team.js';

export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<void> {
  const made = await makeTeam({
    project: options.project,
    devices: options.device,
    password: newPasswordOf(io, options),
  });
  const { team, key, keystore, profile, root, expires } = made;
  if (io.json) {
    emit(io, 'drydock team', { team, key, keystore, profile, root, expires: expires.toISOString() });
    return;
  }
  const { paint } = io;
  io.out(`${paint.bold(`Test team ${team}`)}, named in hull.json`);
  io.out(
    columns([
      ['identity', `${keystore} (key "${key}")`],
      ['profile', `${profile}, development`],
      ['root', root],
      ['expires', expires.toISOString().slice(0, 10)],
    ]),
  );
  io.note(
    labelled(
      paint.warn('test'),
      'No device trusts this authority: packages that it signs show that packing works, and can be installed nowhere but in the drydock.',
      io.width,
    ),
  );
  io.note(`${paint.dim('next')} hull pack ipa`);
}
