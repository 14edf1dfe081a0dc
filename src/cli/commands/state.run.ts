import { projectState } from '../../core/tasks/project-state.js';
import { columns, labelled, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { fixText } from '../terminal/say-task.js';

/** What `hull` alone says in the folder of a project: how far it is, and what comes next. */
export async function run(io: Io): Promise<void> {
  const { paint } = io;
  const { name, id, version, build, steps, next } = await projectState('.');
  io.out(`${paint.bold(safe(name))} ${version} (${build})  ${paint.dim(id)}`);
  io.out(
    columns(
      steps.map(({ name: step, done, detail }) => [
        done ? paint.good('✓') : paint.warn('·'),
        step,
        done ? safe(detail) : paint.dim(safe(detail)),
      ]),
    ),
  );
  io.out(labelled(paint.dim('next'), safe(fixText(next)), io.width));
  io.out(paint.dim('hull --help lists every command.'));
}
