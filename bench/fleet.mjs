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
 * @param pack runs `hull fleet pack` in a folder to its end: its time in ms, and the peak of its memory in bytes
 * @param document reads what `hull fleet pack --json` prints there
 */
export async function fleetFigures({ demo, large, counts, pack, document, figure, median }) {
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
    forget(copy);
    await pack(copy);
    forget(copy);
    const times = document(copy).brands.map(({ milliseconds }) => milliseconds);
    figure(
      `${name}: each further of ${count} brands to the first`,
      (100 * median(times.slice(1))) / times[0],
      '%',
      10,
    );
    const again = await pack(copy);
    const [first] = times;
    figure(`${name}: ${count} brands with nothing to do, a brand`, again.time / count, 'ms');
    if (name === 'demo') figure('demo: the first brand', first, 'ms');
    rmSync(copy, { recursive: true, force: true });
  }
  if (counts.memory === undefined) return;
  const peaks = [];
  for (const count of counts.memory) {
    const copy = `${demo}-brands`;
    cpSync(demo, copy, { recursive: true });
    writeFleet(copy, count);
    forget(copy);
    peaks.push((await pack(copy)).peak);
    rmSync(copy, { recursive: true, force: true });
  }
  const [few, many] = counts.memory;
  figure(`${many} brands: peak memory to that of ${few}`, peaks[1] / peaks[0], '×', 1.2);
}
