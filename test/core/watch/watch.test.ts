import { describe, expect, it } from 'vitest';
import type { Inspection } from '../../../src/core/browser/inspection.js';
import { readSockets } from '../../../src/core/platforms/android/bridge/inspection.js';
import { consoleText, remoteText } from '../../../src/core/watch/remote-values.js';
import { SourceMaps } from '../../../src/core/watch/source-maps.js';

describe('sockets of a device', () => {
  it('are those at which pages can be inspected, each once', () => {
    const list = `Num       RefCount Protocol Flags    Type St Inode Path
0000000000000000: 00000002 00000000 00010000 0001 01 12021 /dev/socket/zygote
0000000000000000: 00000002 00000000 00010000 0001 01 24100 @webview_devtools_remote_4100
0000000000000000: 00000003 00000000 00000000 0001 03 24101 @webview_devtools_remote_4100
0000000000000000: 00000002 00000000 00010000 0001 01 24102 @chrome_devtools_remote
0000000000000000: 00000002 00000000 00010000 0001 01 24103 @jdwp-control
0000000000000000: 00000002 00000000 00010000 0001 01 24104 @webview_devtools_remote_x; reboot
0000000000000000: 00000002 00000000 00010000 0001 01 24105 @other_devtools_remote_77\r
`;
    expect(readSockets(list)).toEqual([
      { name: 'webview_devtools_remote_4100', process: 4100 },
      { name: 'chrome_devtools_remote', process: undefined },
      { name: 'other_devtools_remote_77', process: undefined },
    ]);
    expect(readSockets('cat: /proc/net/unix: Permission denied')).toEqual([]);
  });
});

describe('values of a page', () => {
  it.each([
    [{ type: 'string', value: 'a\nb' }, 'a\nb'],
    [{ type: 'number', value: 4.5 }, '4.5'],
    [{ type: 'number', unserializableValue: '-0' }, '-0'],
    [{ type: 'undefined' }, 'undefined'],
    [{ type: 'object', subtype: 'null', value: null }, 'null'],
    [{ type: 'object', subtype: 'error', description: 'Error: lost\n    at x' }, 'Error: lost\n    at x'],
    [{ type: 'object', description: 'Object' }, 'Object'],
    [
      {
        type: 'object',
        preview: {
          properties: [
            { name: 'a', type: 'number', value: '1' },
            { name: 'b', type: 'string', value: 'x' },
          ],
          overflow: true,
        },
      },
      '{a: 1, b: "x", …}',
    ],
    [
      {
        type: 'object',
        preview: { subtype: 'array', properties: [{ name: '0', type: 'number', value: '1' }, null] },
      },
      '[1, ]',
    ],
    ['nonsense', ''],
  ])('%j is %j', (value, text) => {
    expect(remoteText(value)).toBe(text);
  });

  it('are put into a text as console does', () => {
    const string = (value: string) => ({ type: 'string', value });
    expect(
      consoleText([
        string('%cRed%c: %s is %d %%'),
        string('color:red'),
        string(''),
        string('a'),
        { type: 'number', value: 4 },
        string('more'),
      ]),
    ).toBe('Red: a is 4 % more');
    expect(consoleText([string('100%'), string('sure')])).toBe('100% sure');
    expect(consoleText([string('%s and %s'), string('one')])).toBe('one and %s');
    expect(consoleText([])).toBe('');
  });
});

describe('sources', () => {
  // One line of code, whose fifth character is from line 3 of a source.
  const MAP = JSON.stringify({
    version: 3,
    sources: ['webpack://ferry/./src/wallet.ts'],
    names: [],
    mappings: 'AAAA,IAEI',
  });
  const SCRIPT = 'let a=lost.code;';
  const URL_OF = 'https://ferry.saltmarsh.example/js/app.js';
  const place = { url: URL_OF, line: 1, column: 7 };
  const maps = (running: string, files: Readonly<Record<string, string>>) => {
    const inspection = {
      send: async (method: string) => {
        if (method === 'Debugger.getScriptSource') return { scriptSource: running };
        throw new Error(`not asked for: ${method}`);
      },
    };
    return new SourceMaps(inspection as unknown as Inspection, ({ pathname }) => files[pathname]);
  };

  it('are those of the project, where its script is the one that runs', async () => {
    const own = maps(SCRIPT, { '/js/app.js': SCRIPT, '/js/app.js.map': MAP });
    own.learn({ url: URL_OF, id: '7', map: 'app.js.map' });
    expect(await own.locate(place)).toEqual({
      ...place,
      source: { file: 'src/wallet.ts', line: 3, column: 5 },
    });
    const other = maps('let b=2;', { '/js/app.js': SCRIPT, '/js/app.js.map': MAP });
    other.learn({ url: URL_OF, id: '7', map: 'app.js.map' });
    expect(await other.locate(place)).toEqual(place);
  });

  it('come from a map in the script itself; damaged ones change nothing', async () => {
    const inside = (map: string) => {
      const own = maps(SCRIPT, {});
      own.learn({ url: URL_OF, id: '7', map });
      return own.locate(place);
    };
    const data = `data:application/json;charset=utf-8;base64,${Buffer.from(MAP).toString('base64')}`;
    expect((await inside(data)).source).toMatchObject({ line: 3, column: 5 });
    for (const bad of [
      'data:application/json,{',
      'data:application/json;base64,!!',
      'javascript:alert(1)',
      '',
    ])
      expect(await inside(bad), bad).toEqual(place);
  });
});
