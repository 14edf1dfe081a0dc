import type { Command, OptionValues } from '@commander-js/extra-typings';
import { HullError } from '../../core/errors.js';
import type { FleetOptions } from '../../core/tasks/fleet/brands.js';
import { readTextFile } from '../../core/util/files.js';
import { isObject } from '../../core/util/json-object.js';
import type { Arguments } from '../define-command.js';
import type { CommonOptions } from '../terminal/io.js';
import { numberBetween } from './numbers.js';
import { Option } from './typed.js';

/** Which brands are meant, and in which form the report on them is made. */
export const fleet = <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
  command
    .option('--only <brands>', 'these brands alone, with commas between')
    .option('--changed-since <revision>', 'of these, those that a change since this revision of Git touches')
    .option('--shard <i/n>', 'the first, second … of n parts of them, for machines that share the work')
    .option(
      '--costs <report>',
      'an earlier --json report: parts of --shard are even by the time that each brand took',
    )
    .addOption(
      new Option('--format <format>', 'form of the report').choices([
        'text',
        'json',
        'markdown',
        'html',
      ] as const),
    )
    .option('--report <file>', 'write the report into a file');

/** As {@link fleet}, for what is done for each brand. */
export const fleetRun = <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
  fleet(command.option('--jobs <number>', 'brands that are worked on side by side (default: 1)'));

interface Chosen extends CommonOptions {
  readonly only?: string | undefined;
  readonly changedSince?: string | undefined;
  readonly shard?: string | undefined;
  readonly costs?: string | undefined;
  readonly jobs?: string | undefined;
}

/** Most parts that work is divided into. */
const MOST = 1000;
const MOST_JOBS = 64;

function partOf(shard: string | undefined): FleetOptions['shard'] {
  if (shard === undefined) return undefined;
  const [, part, of] = /^(\d{1,4})\/(\d{1,4})$/.exec(shard) ?? [];
  const [first, all] = [Number(part), Number(of)];
  if (first >= 1 && all >= first && all <= MOST) return { part: first, of: all };
  throw new HullError('cli.usage', `"${shard}" is not a part of a whole.`, {
    location: { option: '--shard' },
    fix: 'Write it as --shard 1/3',
  });
}

/** What brands took in an earlier run, by the document that it printed. */
function costsOf(file: string): ReadonlyMap<string, number> {
  let value: unknown;
  try {
    value = JSON.parse(readTextFile(file));
  } catch (error) {
    if (error instanceof HullError) throw error;
    value = undefined;
  }
  const brands = isObject(value) && /^fleet \w+$/.test(String(value.command)) ? value.brands : undefined;
  if (!Array.isArray(brands)) {
    throw new HullError('cli.usage', `${file} is not a report on brands.`, {
      location: { option: '--costs' },
      fix: 'Give the document of an earlier run: hull fleet pack --json > costs.json',
    });
  }
  return new Map(
    brands
      .filter(isObject)
      .flatMap(({ name, milliseconds }) =>
        typeof name === 'string' && typeof milliseconds === 'number' ? [[name, milliseconds] as const] : [],
      ),
  );
}

/** The brands that options name, and how they are worked on. Throws `cli.usage`. */
export function chosen({ project, only, changedSince, shard, costs, jobs }: Chosen) {
  return {
    project,
    only: only
      ?.split(',')
      .map((name) => name.trim())
      .filter((name) => name !== ''),
    changedSince,
    shard: partOf(shard),
    costs: costs === undefined ? undefined : costsOf(costs),
    jobs: numberBetween(jobs, '--jobs', [1, MOST_JOBS], 1),
  };
}
