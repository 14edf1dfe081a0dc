import { packSourceProject, type SourceProjectOptions } from '../../core/tasks/source-project.js';
import type { OptionsOf } from '../define-command.js';
import { count, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import { sayTask } from '../terminal/say-task.js';
import type { declare } from './pack-android-project.js';

type ProjectOptions = OptionsOf<typeof declare>;

const OPENED = {
  android: ["a source project for the platform's usual build", 'open it in the platform’s studio'],
  apple: ['a source project for Apple’s tools', 'on a Mac, open it in Xcode, or sh archive.sh for the store'],
} as const;

async function pack(
  io: Io,
  { project, out }: ProjectOptions,
  platform: NonNullable<SourceProjectOptions['platform']>,
): Promise<void> {
  const { folder, files } = await packSourceProject({
    project,
    platform,
    out,
    signal: io.signal,
    say: sayTask,
  });
  if (io.json) {
    emit(io, `pack ${platform}-project`, { folder: jsonPath(io, folder), files });
    return;
  }
  const [what, next] = OPENED[platform];
  io.out(`${io.paint.bold(safe(folder))}  ${count(files.length, 'file')}: ${what}`);
  io.note(`${io.paint.dim('next')} ${next}; hull refit ${safe(folder)} brings later changes in`);
}

export const run = (io: Io, options: ProjectOptions) => pack(io, options, 'android');
export const runApple = (io: Io, options: ProjectOptions) => pack(io, options, 'apple');
