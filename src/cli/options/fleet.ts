import type { Command, OptionValues } from '@commander-js/extra-typings';
import { HullError } from '../../core/errors.js';
import type { Arguments } from '../define-command.js';

/** Which brands are meant. */
export const fleet = <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
  command
    .option('--only <brands>', 'these brands alone, with commas between')
    .option('--changed-since <revision>', 'of these, those that a change since this revision of Git touches')
    .option('--shard <i/n>', 'the first, second … of n parts of them, for machines that share the work');

interface Chosen {
  readonly only?: string | undefined;
  readonly changedSince?: string | undefined;
  readonly shard?: string | undefined;
}

/** Most parts that work is divided into. */
const MOST = 1000;

/** The brands that options name. Throws `cli.usage`. */
export function chosen({ only, changedSince, shard }: Chosen) {
  const names = only
    ?.split(',')
    .map((name) => name.trim())
    .filter((name) => name !== '');
  if (shard === undefined) return { only: names, changedSince };
  const [, part, of] = /^(\d{1,4})\/(\d{1,4})$/.exec(shard) ?? [];
  const [first, all] = [Number(part), Number(of)];
  if (first >= 1 && all >= first && all <= MOST)
    return { only: names, changedSince, shard: { part: first, of: all } };
  throw new HullError('cli.usage', `"${shard}" is not a part of a whole.`, {
    location: { option: '--shard' },
    fix: 'Write it as --shard 1/3',
  });
}
