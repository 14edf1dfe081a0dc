import { join } from 'node:path';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { judgeFleet } from '../../../src/core/fleet/check.js';
import { brandProject, chosenBrands, readFleet } from '../../../src/core/fleet/fleet.js';
import { decides, mergePatch, patchAt } from '../../../src/core/fleet/merge-patch.js';
import { shardOf } from '../../../src/core/fleet/shards.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

describe('a merge patch', () => {
  // RFC 7396, appendix A.
  it.each([
    ['{"a":"b"}', '{"a":"c"}', '{"a":"c"}'],
    ['{"a":"b"}', '{"b":"c"}', '{"a":"b","b":"c"}'],
    ['{"a":"b"}', '{"a":null}', '{}'],
    ['{"a":"b","b":"c"}', '{"a":null}', '{"b":"c"}'],
    ['{"a":["b"]}', '{"a":"c"}', '{"a":"c"}'],
    ['{"a":"c"}', '{"a":["b"]}', '{"a":["b"]}'],
    ['{"a":{"b":"c"}}', '{"a":{"b":"d","c":null}}', '{"a":{"b":"d"}}'],
    ['{"a":[{"b":"c"}]}', '{"a":[1]}', '{"a":[1]}'],
    ['["a","b"]', '["c","d"]', '["c","d"]'],
    ['{"a":"b"}', '["c"]', '["c"]'],
    ['{"a":"foo"}', 'null', 'null'],
    ['{"a":"foo"}', '"bar"', '"bar"'],
    ['{"e":null}', '{"a":1}', '{"e":null,"a":1}'],
    ['[1,2]', '{"a":"b","c":null}', '{"a":"b"}'],
    ['{}', '{"a":{"bb":{"ccc":null}}}', '{"a":{"bb":{}}}'],
  ])('%s with %s is %s', (target, patch, result) => {
    expect(mergePatch(JSON.parse(target), JSON.parse(patch))).toEqual(JSON.parse(result));
  });

  it('changes nothing that it was given, and no prototype', () => {
    const target = { a: { b: 1 } };
    mergePatch(target, { a: { b: 2 } });
    expect(target).toEqual({ a: { b: 1 } });
    mergePatch({}, JSON.parse('{"__proto__":{"polluted":true}}'));
    expect(({} as Record<string, unknown>).polluted).toBeUndefined();
  });

  it('decides what it sets and what it takes away', () => {
    const patch = { app: { id: 'x', words: null }, links: [{ host: 'a' }] };
    for (const pointer of ['/app', '/app/id', '/app/words', '/app/words/en', '/links', '/links/0/host'])
      expect(decides(patch, pointer), pointer).toBe(true);
    for (const pointer of ['/app/name', '/web', '/web/url'])
      expect(decides(patch, pointer), pointer).toBe(false);
    expect(patchAt('/a~1b/c~0d', 1)).toEqual({ 'a/b': { 'c~d': 1 } });
  });
});

const CONFIG = `{
  "app": { "id": "example.saltmarsh.ferry", "name": "Saltmarsh Ferry", "version": "1.0.0", "build": 1 },
  "web": { "folder": "site", "url": "https://ferry.saltmarsh.example/" },
  "look": { "icon": "icon.svg", "theme_color": "#0b4f6c" },
  "permissions": { "camera": "Scans the code of a ticket.", "geolocation": "Shows the pier nearest to you." },
  "android": { "key": "release" },
  "keys": { "release": { "file": "release.p12", "alias": "release" } }
}`;

function fleet(text: string, files: Readonly<Record<string, string>> = {}): string {
  const dir = temporaryFolder();
  writeFiles(dir, { 'hull.json': CONFIG, 'fleet.json': text, 'icon.svg': '<svg/>', ...files });
  return dir;
}
const brand = (dir: string, name: string) => {
  const read = readFleet(dir);
  const [one] = chosenBrands(read, [name]);
  if (one === undefined) throw new Error(name);
  return brandProject(read, one);
};

describe('a brand', () => {
  const dir = fleet(
    `{ // comments are allowed
  "groups": { "north": { "look": { "theme_color": "#114433" }, "app": { "name": "North" } } },
  "table": "brands.csv",
  "brands": {
    "heron-point": { "groups": ["north"], "patch": { "permissions": { "camera": null } } },
    "plain": {}
  }
}`,
    {
      'brands.csv':
        '\uFEFFbrand,/app/name,/app/build,/app/id\nheron-point,"Heron, Point",12,\nlantern-isle,,,example.saltmarsh.lantern\n'.replaceAll(
          '\\\n',
          '\n',
        ),
      'brands/heron-point/icon.svg': '<svg id="heron"/>',
    },
  );

  it('is what its groups, its row and itself say, in this order, each with its place', () => {
    const heron = brand(dir, 'heron-point');
    expect(heron.settings.app).toMatchObject({
      id: 'example.saltmarsh.ferry',
      name: 'Heron, Point',
      build: 12,
    });
    expect(heron.settings.look.theme_color).toBe('#114433');
    expect(Object.keys(heron.settings.permissions)).toEqual(['geolocation']);
    const at = (pointer: string) => {
      const { file, line } = heron.location(pointer);
      return `${file?.split('/').at(-1)}:${line}`;
    };
    expect(at('/app/name')).toBe('brands.csv:2');
    expect(at('/look/theme_color')).toBe('fleet.json:2');
    expect(at('/app/id')).toBe('hull.json:2');
    expect(heron.resolve('icon.svg')).toBe(join(dir, 'brands/heron-point/icon.svg'));
    expect(heron.resolve('release.p12')).toBe(join(dir, 'release.p12'));
    expect(brand(dir, 'lantern-isle').settings.app).toMatchObject({
      id: 'example.saltmarsh.lantern',
      name: 'Saltmarsh Ferry',
    });
  });

  it('has its errors at the place where the value was said', () => {
    const broken = (patch: string) =>
      fleet(`{ "brands": {\n"one": { "patch": ${patch} } } }`.replaceAll('\\\n', '\n'));
    const error = (patch: string) => {
      try {
        brand(broken(patch), 'one');
      } catch (caught) {
        return caught as { code: string; location: { file: string; line: number } };
      }
      return undefined;
    };
    expect(error('{ "app": { "build": "x" } }')).toMatchObject({
      code: 'config.bad-value',
      location: { line: 2 },
    });
    expect(error('{ "app": { "nmae": "x" } }')).toMatchObject({
      code: 'config.unknown-key',
      location: { line: 2 },
    });
    expect(error('{ "app": { "id": null } }')).toMatchObject({ code: 'config.bad-value' });
  });

  it.each([
    ['{', 'fleet.malformed'],
    ['{ "brands": { "Heron": {} } }', 'fleet.malformed'],
    ['{ "brands": {}, "brand": {} }', 'fleet.malformed'],
    ['{ "brands": { "one": { "groups": ["nroth"] } }, "groups": { "north": {} } }', 'fleet.no-group'],
    ['{ "brands": {}, "table": "none.csv" }', 'fleet.bad-table'],
  ])('is refused in %s: %s', (text, code) => {
    expect(() => readFleet(fleet(text))).toThrow(expect.objectContaining({ code }));
  });

  it.each([
    ['name,/app/name\na,b', 'no column'],
    ['brand,/app/nmae\na,b', 'Did you mean'],
    ['brand,/app/build\na,many', 'type integer'],
    ['brand,/app/name\na,b\na,c', 'two rows'],
    ['brand,/app/name\n../a,b', 'name of a brand'],
    ['brand,/app/name\na,"b', 'cannot be read'],
    ['brand,/app/name\na,b,c', 'cannot be read'],
  ])('is refused in a table: %j', (text, words) => {
    const table = text.replaceAll('\\\n', '\n');
    try {
      readFleet(fleet('{ "brands": {}, "table": "t.csv" }', { 't.csv': table }));
      expect.fail('it was taken');
    } catch (error) {
      const { code, message, fix } = error as { code: string; message: string; fix: string };
      expect(code).toBe('fleet.bad-table');
      expect(`${message} ${fix}`).toContain(words);
    }
  });
});

describe('what brands have in common', () => {
  it('is found where each should have its own', () => {
    const dir = fleet(
      JSON.stringify({
        brands: {
          one: { patch: { app: { id: 'example.saltmarsh.one', name: 'One' } } },
          two: { patch: { app: { id: 'example.saltmarsh.two', name: 'One' }, look: { icon: 'two.svg' } } },
          three: {
            patch: {
              app: { id: 'example.saltmarsh.one', name: 'Three' },
              web: { url: 'https://three.saltmarsh.example/' },
              android: { key: 'own' },
              keys: { own: { file: 'own.p12', alias: 'x' } },
            },
          },
          four: {},
        },
      }),
      {
        'two.svg': '<svg id="two"/>',
        'brands/three/icon.svg': '<svg id="three"/>',
        'brands/four/icon.svg': '<svg/>',
      },
    );
    const read = readFleet(dir);
    const found = judgeFleet(
      read,
      read.brands.map((one) => ({ brand: one, project: brandProject(read, one) })),
    );
    const of = (code: string) =>
      found.filter((one) => one.code === `fleet.${code}`).map(({ observed }) => observed);
    expect(of('same-id')).toEqual(['example.saltmarsh.one is the app ID of one and three']);
    expect(of('same-name')).toEqual(['"One" is the name of one and two']);
    expect(of('same-key')).toEqual([expect.stringMatching(/release\.p12 signs one, two and four$/)]);
    expect(of('same-host')).toEqual(['ferry.saltmarsh.example is the host of one, two and four']);
    // One file is that of the project, the other the brand's own, with the same picture.
    expect(of('same-icon')).toEqual(['One picture is the icon of one and four']);
    expect(of('nothing-own')).toEqual(['four says nothing of its own']);
    expect(found[0]?.severity).toBe('error');
  });
});

describe('parts of a fleet', () => {
  it('cover all brands once, in their order, and are even by cost', () => {
    const names = fc.uniqueArray(fc.stringMatching(/^[a-z0-9]{1,8}$/), { maxLength: 60 });
    fc.assert(
      fc.property(names, fc.integer({ min: 1, max: 7 }), fc.integer({ min: 0, max: 50 }), (all, of, seed) => {
        const cost = (name: string) => 1 + ((name.length * 31 + seed) % 17);
        const parts = Array.from({ length: of }, (_one, at) =>
          shardOf(all, at + 1, of, cost, (name) => name),
        );
        expect(parts.flat().sort()).toEqual([...all].sort());
        for (const part of parts) expect(part).toEqual(all.filter((name) => part.includes(name)));
        const loads = parts.map((part) => part.reduce((sum, name) => sum + cost(name), 0));
        expect(Math.max(...loads) - Math.min(...loads)).toBeLessThanOrEqual(18);
        // In whatever order they come.
        const turned = shardOf([...all].reverse(), 1, of, cost, (name) => name);
        expect([...turned].sort()).toEqual([...(parts[0] ?? [])].sort());
      }),
    );
  });
});

describe('ten brands', () => {
  // Worked out by hand: hull.json, then groups in their order, then the row, then the patch.
  const TEN = `{
    "groups": {
      "north": { "look": { "theme_color": "#114433" }, "permissions": { "camera": null } },
      "night": { "look": { "theme_color": "#000011", "background_color": "#000022" } }
    },
    "table": "brands.csv",
    "brands": {
      "a": {},
      "b": { "groups": ["north"] },
      "c": { "groups": ["north", "night"] },
      "d": { "groups": ["night", "north"] },
      "e": { "patch": { "app": { "name": "E of the patch" } } },
      "f": { "groups": ["north"], "patch": { "look": { "theme_color": "#ffffff" }, "permissions": null } },
      "g": { "patch": { "web": { "url": null } } },
      "h": { "groups": ["night"], "folder": "elsewhere/h" }
    }
  }`;
  const ROWS = [
    'brand,/app/id,/app/name,/app/build,/look/theme_color',
    'a,example.saltmarsh.a,A,,',
    'e,example.saltmarsh.e,E of the row,7,#eeeeee',
    'h,example.saltmarsh.h,,,#dddddd',
    'i,example.saltmarsh.i,I,9,',
    'j,,"J, with a comma",,',
  ].join('\n');
  const OWN = 'example.saltmarsh.ferry';
  it.each([
    ['a', 'example.saltmarsh.a', 'A', 1, '#0b4f6c', ['camera', 'geolocation'], true],
    ['b', OWN, 'Saltmarsh Ferry', 1, '#114433', ['geolocation'], true],
    ['c', OWN, 'Saltmarsh Ferry', 1, '#000011', ['geolocation'], true],
    ['d', OWN, 'Saltmarsh Ferry', 1, '#114433', ['geolocation'], true],
    ['e', 'example.saltmarsh.e', 'E of the patch', 7, '#eeeeee', ['camera', 'geolocation'], true],
    ['f', OWN, 'Saltmarsh Ferry', 1, '#ffffff', [], true],
    ['g', OWN, 'Saltmarsh Ferry', 1, '#0b4f6c', ['camera', 'geolocation'], false],
    ['h', 'example.saltmarsh.h', 'Saltmarsh Ferry', 1, '#dddddd', ['camera', 'geolocation'], true],
    ['i', 'example.saltmarsh.i', 'I', 9, '#0b4f6c', ['camera', 'geolocation'], true],
    ['j', OWN, 'J, with a comma', 1, '#0b4f6c', ['camera', 'geolocation'], true],
  ])('%s is %s', (name, id, title, build, color, permissions, isHosted) => {
    const dir = fleet(TEN, { 'brands.csv': ROWS });
    const read = readFleet(dir);
    expect(read.brands).toHaveLength(10);
    const [brand] = chosenBrands(read, [name]);
    if (brand === undefined) throw new Error(name);
    const { settings } = brandProject(read, brand);
    expect(settings.app).toMatchObject({ id, name: title, build });
    expect(settings.look.theme_color).toBe(color);
    expect(Object.keys(settings.permissions).sort()).toEqual(permissions);
    expect(settings.web.url !== undefined).toBe(isHosted);
    expect(brand.dir).toBe(join(dir, name === 'h' ? 'elsewhere/h' : `brands/${name}`));
  });
});
