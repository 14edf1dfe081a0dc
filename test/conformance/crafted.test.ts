import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { openPackage, packageSignatures } from '../../src/core/platforms/android/package/resign.js';
import { type Cast, makeCast, plainRecipe, QUIRKS, type Quirk } from '../support/crafted/quirks.js';
import { craft, type Recipe } from '../support/crafted/recipe.js';
import { STRICTER } from '../support/crafted/stricter.js';
import { choose, generator, type PickNumber } from '../support/random.js';
import { temporaryFolder } from '../support/temporary.js';

/** The platform's own verifier as a library (Debian: libapksig-java, which comes with apksigner). */
const LIBRARY = ['/usr/share/java/apksig.jar'].find((file) => existsSync(file));
const required = process.env.HULL_REQUIRE_READERS === '1';
/** Crafted packages; npm run test:agreement asks about many more. */
const COUNT = Number(process.env.HULL_CRAFTED ?? 260);
const SEED = Number(process.env.HULL_SEED ?? 20_261_128);

const SCHEMES = [
  ['v1'],
  ['v1'],
  ['v2'],
  ['v3'],
  ['v1', 'v2'],
  ['v2', 'v3'],
  ['v1', 'v2', 'v3'],
  ['v1', 'v3'],
] as const;

/** Which schemes a quirk can show itself in. */
function suits(quirk: string, schemes: readonly string[]): boolean {
  if (/^(CMS|SF|MF|names)/.test(quirk)) return schemes.includes('v1');
  if (/^levels|^lineage|^rotation|of v3$/.test(quirk)) return schemes.includes('v3');
  if (/^stripping|of v2$|^eleven/.test(quirk)) return schemes.includes('v2');
  if (/pair|signers|algorithms|digest|signature|certificate|public key|attribute|^verity/.test(quirk)) {
    return schemes.includes('v2') || schemes.includes('v3') || /v1/.test(quirk);
  }
  return true;
}

function baseRecipe(pick: PickNumber, cast: Cast, quirk: string): Recipe {
  const schemes = choose(
    pick,
    SCHEMES.filter((list) => suits(quirk, list)),
  );
  // Mostly where every scheme counts, so that one bad part is seen; sometimes any level.
  const usual = (schemes as readonly string[]).includes('v1') ? [21, 21, 23, 16] : [24, 24, 28, 30];
  const min = pick(8) === 0 ? choose(pick, [9, 16, 17, 18, 19, 20, 23, 27, 28, 33]) : choose(pick, usual);
  const target = schemes.length === 1 && schemes[0] === 'v1' ? 29 : choose(pick, [29, 30, 33, 36]);
  return plainRecipe(schemes, pick(4) === 0 && min >= 18 ? cast.e : cast.a, min, Math.max(target, min));
}

interface Verdict {
  readonly name: string;
  readonly ours: boolean;
  /** A scheme holds, and an older one does not. */
  readonly isOlder: boolean;
  readonly why: string;
  theirs: string;
}

async function judge(file: string): Promise<Pick<Verdict, 'ours' | 'isOlder' | 'why'>> {
  try {
    const { source, layout, kind } = await openPackage(file);
    try {
      const report = await packageSignatures(source, layout, kind);
      const faults = report.schemes.flatMap((scheme) => scheme.faults);
      const why = report.verdict === 'unsigned' ? 'not signed' : [...report.gaps, ...faults].join(' ');
      const isOlder = report.gaps.length === 0 && report.schemes.at(-1)?.state === 'verified';
      return { ours: report.verifies, isOlder, why };
    } finally {
      await source.close();
    }
  } catch (error) {
    return { ours: false, isOlder: false, why: String(error) };
  }
}

describe.skipIf(LIBRARY === undefined && !required)('packages crafted to be misread', () => {
  const verdicts: Verdict[] = [];

  beforeAll(async () => {
    const cast = await makeCast();
    const pick = generator(SEED);
    const names = Object.keys(QUIRKS);
    const dir = process.env.HULL_KEEP ?? join(temporaryFolder(), 'packages');
    mkdirSync(dir, { recursive: true });
    for (let index = 0; index < COUNT; index += 1) {
      const quirk = names[index % names.length] as string;
      const recipe = baseRecipe(pick, cast, quirk);
      (QUIRKS[quirk] as Quirk)(recipe, pick, cast);
      let name = `${String(index).padStart(5, '0')} ${recipe.name} ${quirk}`;
      if (pick(5) === 0) {
        const second = choose(pick, names);
        (QUIRKS[second] as Quirk)(recipe, pick, cast);
        name += ` + ${second}`;
      }
      const file = join(dir, `${name.replaceAll(/[^A-Za-z0-9 +-]/g, '_')}.apk`);
      writeFileSync(file, await craft(recipe));
      verdicts.push({ name: file.slice(dir.length + 1), ...(await judge(file)), theirs: 'was not asked' });
    }
    // Packages without a quirk, so that agreement is not agreement on refusing everything.
    for (const [index, schemes] of SCHEMES.entries()) {
      for (const who of [cast.a, cast.e]) {
        const recipe = plainRecipe(schemes, who, 28, 29);
        const file = join(dir, `plain ${index} ${schemes.join('-')} ${who === cast.a ? 'rsa' : 'ec'}.apk`);
        writeFileSync(file, await craft(recipe));
        verdicts.push({ name: file.slice(dir.length + 1), ...(await judge(file)), theirs: 'was not asked' });
      }
    }
    const program = join(import.meta.dirname, 'PackageJudge.java');
    const said = execFileSync('java', ['-cp', LIBRARY ?? '', program, dir], {
      encoding: 'utf8',
      maxBuffer: 256 << 20,
    });
    const theirs = new Map(said.split('\n').map((line) => line.split('\t') as [string, string]));
    for (const verdict of verdicts) verdict.theirs = theirs.get(verdict.name) ?? 'was not asked';
  }, 900_000);

  it('are accepted where nothing is wrong', () => {
    const whole = verdicts.filter(({ name }) => name.startsWith('plain '));
    expect(whole).toHaveLength(16);
    expect(whole.filter(({ ours, theirs }) => !ours || theirs !== 'holds')).toEqual([]);
  });

  it('are never accepted where the platform refuses them', () => {
    expect(verdicts.filter(({ ours, theirs }) => ours && theirs !== 'holds')).toEqual([]);
  });

  it('are refused here alone only for reasons that are written down', () => {
    const stricter = verdicts.filter(({ ours, theirs }) => !ours && theirs === 'holds');
    const unexplained = stricter.filter(
      ({ why, isOlder }) => !STRICTER.some(({ fault }) => (fault === undefined ? isOlder : fault.test(why))),
    );
    console.info(
      `${verdicts.length} crafted packages: ${verdicts.filter(({ theirs }) => theirs === 'holds').length} hold, ${stricter.length} refused here alone, ${unexplained.length} of them unexplained`,
    );
    expect(unexplained).toEqual([]);
  });
});
