import { setVersion } from '../../core/tasks/set-version.js';
import type { OptionsOf } from '../define-command.js';
import { safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import type { declare } from './version.js';

export async function run(io: Io, options: OptionsOf<typeof declare>, to: string | undefined): Promise<void> {
  const { project, against: released } = options;
  const { version, build, before, against } = await setVersion({ project, to, against: released });
  if (io.json) {
    emit(io, 'version', {
      version,
      build,
      before,
      against: against && {
        file: jsonPath(io, against.file),
        version: against.version ?? null,
        build: against.build ?? null,
      },
    });
    return;
  }
  const now = `${version} (${build})`;
  io.out(
    before === null
      ? `${version}, build ${build}`
      : `${before.version} (${before.build}) → ${io.paint.bold(now)}`,
  );
  if (before !== null || against === null) return;
  const theirs = `${safe(against.file)} is ${safe(against.version ?? '?')} (${against.build ?? '?'})`;
  const isAbove = against.build === undefined || build > against.build;
  io.out(
    isAbove
      ? `${theirs}: this build is above it.`
      : `${io.paint.warn(theirs)}: raise the build before you pack. hull version build --against ${safe(against.file)}`,
  );
}
