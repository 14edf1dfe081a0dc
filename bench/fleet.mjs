// Many brands of one project: what each further one costs, and whether memory grows with their number.
import { cpSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** A fleet.json with so many brands, each with an ID, a name and a colour of its own. */
export function writeFleet(dir, count) {
  const hex = (index) => index.toString(16).padStart(6, '0');
  const brands = Array.from({ length: count }, (_, index) => [
    `line-${String(index).padStart(4, '0')}`,
    {
      patch: {
        app: { id: `example.saltmarsh.line${index}`, name: `Ferry line ${index}` },
        look: { theme_color: `#${hex(index * 97)}` },
      },
    },
  ]);
  writeFileSync(join(dir, 'fleet.json'), JSON.stringify({ brands: Object.fromEntries(brands) }));
}

function forget(dir) {
  for (const made of ['out', '.hull/fleet.jsonl', '.hull/cache/contents.json'])
    rmSync(join(dir, made), { recursive: true, force: true });
}

/**
 * @param pack runs `hull fleet pack` with more words in a folder to its end: its time in ms, or the peak of its memory in bytes
 * @param rounds each a run of one brand and a run of all; what a further brand takes is the difference, shared among the others
 */
export async function fleetFigures({ demo, large, counts, rounds, pack, figure, median }) {
  // With small inputs only that it works is seen.
  for (const [name, dir, count] of [
    ['demo', demo, counts.demo],
    ['100 MB, 5,000 files', large, counts.large],
  ]) {
    if (count === undefined) continue;
    const copy = `${dir}-fleet`;
    cpSync(dir, copy, { recursive: true });
    writeFleet(copy, count);
    // Icons are drawn before: brands of one picture share them.
    await pack(copy);
    const [ones, further] = [[], []];
    for (let round = 0; round < rounds; round += 1) {
      forget(copy);
      const one = await pack(copy, ['--only', 'line-0000']);
      forget(copy);
      const all = await pack(copy);
      ones.push(one.time);
      further.push((all.time - one.time) / (count - 1));
    }
    const share = median(further.map((time, round) => (100 * time) / ones[round]));
    figure(
      `${name}: each further of ${count} brands to a run of one`,
      share,
      '%',
      rounds > 1 ? 10 : undefined,
    );
    figure(`${name}: a run of one brand`, median(ones), 'ms');
    figure(`${name}: a further brand`, median(further), 'ms');
    const again = await pack(copy);
    figure(`${name}: ${count} brands with nothing to do, a brand`, again.time / count, 'ms');
    rmSync(copy, { recursive: true, force: true });
  }
  if (counts.memory === undefined) return;
  const peaks = [];
  for (const count of counts.memory) {
    const copy = `${demo}-brands`;
    cpSync(demo, copy, { recursive: true });
    writeFleet(copy, count);
    forget(copy);
    peaks.push((await pack(copy, [], 'memory')).peak);
    rmSync(copy, { recursive: true, force: true });
  }
  const [few, many] = counts.memory;
  figure(`${many} brands: peak memory to that of ${few}`, peaks[1] / peaks[0], '×', 1.2);
}
