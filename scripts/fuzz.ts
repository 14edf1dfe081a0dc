import { mkdirSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { HullError } from '../src/core/errors.js';
import { corpus, damage, READERS } from '../test/support/fuzz/readers.js';
import { generator, type PickNumber } from '../test/support/random.js';

/**
 * Feeds every reader of hostile input with mutated, recombined and generated inputs, and stops at the first that does
 * something other than give a result or a HullError, takes too long, or takes too much memory.
 *
 *   npm run fuzz -- --minutes 5 [--seed N] [--reader name]
 */

/** Milliseconds that one input of at most 64 KiB may take, and bytes of memory that the process may grow to. */
const SLOW = 4000;
const MOST_MEMORY = 1536 * 1024 * 1024;
const MOST_INPUT = 64 * 1024;

const { values } = parseArgs({
  options: {
    minutes: { type: 'string', default: '1' },
    seed: { type: 'string', default: String(Date.now() % 1_000_000_000) },
    reader: { type: 'string' },
  },
});
const seed = Number(values.seed);
const pick: PickNumber = generator(seed);
const end = performance.now() + Number(values.minutes) * 60_000;
const readers = READERS.filter(({ name }) => values.reader === undefined || name === values.reader);
if (readers.length === 0) {
  console.error(`No such reader. There are: ${READERS.map(({ name }) => name).join(', ')}`);
  process.exit(2);
}
console.log(`seed ${seed}, ${values.minutes} minutes, ${readers.length} readers`);

const found = join(tmpdir(), 'hull-fuzz');
const counts = new Map<string, { inputs: number; results: number; slowest: number }>();
const seeds = await corpus();
let failures = 0;

function fail(name: string, input: Uint8Array, why: string): void {
  failures += 1;
  mkdirSync(found, { recursive: true });
  const file = join(found, `${name}-${seed}-${failures}`);
  writeFileSync(file, input);
  console.error(`${name}: ${why}\n  input kept as ${file}`);
}

while (performance.now() < end && failures < 20) {
  for (const reader of readers) {
    const own = seeds.get(reader.name) ?? [];
    const input = damage(own, pick, reader.dictionary, MOST_INPUT);
    const count = counts.get(reader.name) ?? { inputs: 0, results: 0, slowest: 0 };
    counts.set(reader.name, count);
    count.inputs += 1;
    const start = performance.now();
    try {
      await reader.read(input);
      count.results += 1;
    } catch (error) {
      if (!(error instanceof HullError))
        fail(reader.name, input, error instanceof Error ? (error.stack ?? error.message) : String(error));
    }
    const took = performance.now() - start;
    count.slowest = Math.max(count.slowest, took);
    if (took > SLOW) fail(reader.name, input, `took ${Math.round(took)} ms`);
    const { rss } = process.memoryUsage();
    if (rss > MOST_MEMORY) {
      fail(reader.name, input, `the process has grown to ${Math.round(rss / 1e6)} MB`);
      break;
    }
  }
}

for (const [name, { inputs, results, slowest }] of counts) {
  console.log(
    `${name.padEnd(24)} ${String(inputs).padStart(8)} inputs ${String(results).padStart(8)} read  slowest ${Math.round(slowest)} ms`,
  );
}
const total = [...counts.values()].reduce((sum, { inputs }) => sum + inputs, 0);
console.log(`${total} inputs, ${failures} failures, ${Math.round(process.memoryUsage().rss / 1e6)} MB`);
process.exitCode = failures === 0 ? 0 : 1;
