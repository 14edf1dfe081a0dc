import { packSourceProject } from '../../core/tasks/source-project.js';
import type { OptionsOf } from '../define-command.js';
import { count, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import { sayTask } from '../terminal/say-task.js';
import type { declare } from './pack-android-project.js';

export async function run(io: Io, { project, out }: OptionsOf<typeof declare>): Promise<void> {
  const { folder, files } = await packSourceProject({ project, out, signal: io.signal, say: sayTask });
  if (io.json) {
    emit(io, 'pack android-project', { folder: jsonPath(io, folder), files });
    return;
  }
  io.out(
    `${io.paint.bold(safe(folder))}  ${count(files.length, 'file')}: a source project for the platform's usual build`,
  );
  io.note(
    `${io.paint.dim('next')} open it in the platform's studio; hull refit ${safe(folder)} brings later changes in`,
  );
}
