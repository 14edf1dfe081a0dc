import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { readScript } from '../../../src/core/site/script.js';

const uses = (text: string) => readScript(text).uses.map(({ names }) => names.join('|'));

describe('capabilities that a script uses', () => {
  it.each([
    ['navigator.geolocation.getCurrentPosition(f)', 'geolocation'],
    ['const { geolocation: g } = navigator; g.watchPosition(f)', 'geolocation'],
    ['const g = navigator.geolocation; function a() { g.getCurrentPosition(f) }', 'geolocation'],
    ['this.geo = navigator.geolocation; this.geo.getCurrentPosition(f)', 'geolocation'],
    ['var e=window.navigator;e.geolocation&&e.geolocation.getCurrentPosition(t)', 'geolocation'],
    ['navigator?.geolocation?.getCurrentPosition(f)', 'geolocation'],
    ["navigator['geolocation']['watchPosition'](f)", 'geolocation'],
    ['navigator.mediaDevices.getUserMedia({ video: true })', 'camera'],
    ['navigator.mediaDevices.getUserMedia({ audio: {} })', 'microphone'],
    ['navigator.mediaDevices.getUserMedia({ audio: !1, video: !0 })', 'camera'],
    [
      'const c = { audio: true, video: { width: 1 } }; navigator.mediaDevices.getUserMedia(c)',
      'camera|microphone',
    ],
    ['navigator.mediaDevices.getUserMedia(wanted())', 'camera|microphone'],
    ['new Notification("x")', 'notifications'],
    ['await window.Notification.requestPermission()', 'notifications'],
    ['(await navigator.serviceWorker.ready).pushManager.subscribe({})', 'push'],
    ['navigator.bluetooth.requestDevice({})', 'bluetooth'],
    ["addEventListener('devicemotion', f)", 'accelerometer'],
    ["window.addEventListener('deviceorientation', f)", 'gyroscope'],
    ['new Gyroscope({ frequency: 60 })', 'gyroscope'],
    ['navigator.contacts.select(["name"])', 'contacts'],
    ['navigator.clipboard.readText()', 'clipboard-read'],
    ['navigator.clipboard.writeText("x")', 'clipboard-write'],
    ['showOpenFilePicker()', 'file-picker'],
    ['window.showSaveFilePicker()', 'file-save'],
    ['registration.sync.register("send")', 'background-sync'],
    ['navigator.requestMIDIAccess()', 'midi'],
    ['new NDEFReader()', 'nfc'],
    ['navigator.wakeLock.request("screen")', 'screen-wake-lock'],
    ['new PaymentRequest([], {})', 'payment'],
  ])('%s', (text, name) => {
    expect(uses(text)).toEqual([name]);
  });

  it.each([
    'if ("geolocation" in navigator) {}',
    'player.getCurrentPosition()',
    'import { Notification } from "./ui.js"; new Notification()',
    'class Notification {} new Notification()',
    'element.addEventListener("devicemotion", f)',
    'navigator.mediaDevices.getUserMedia({ video: false, audio: false })',
    '// navigator.geolocation.getCurrentPosition()',
    '"navigator.geolocation.getCurrentPosition()"',
    'form.contacts.select',
  ])('not: %s', (text) => {
    expect(uses(text)).toEqual([]);
  });

  it('have the place of the call', () => {
    const [use] = readScript('\n\n  a();\n   navigator.geolocation.watchPosition(b)').uses;
    expect(use).toMatchObject({ line: 4, column: 4, text: 'navigator.geolocation.watchPosition(b)' });
  });
});

describe('what a script asks for and leads to', () => {
  it('addresses, as far as they are constant', () => {
    const { requests } = readScript(`
      const API = 'http://a.example';
      fetch(API + '/x'); fetch(\`\${API}/y/\${id}\`); fetch(unknown);
      new WebSocket('ws://b.example'); const r = new XMLHttpRequest(); r.open('GET', 'http://c.example/');
      navigator.sendBeacon('/log'); file.open('a', 'b');`);
    expect(requests.map(({ text, complete }) => [text, complete])).toEqual([
      ['http://a.example/x', true],
      ['http://a.example', false],
      ['http://c.example/', true],
      ['/log', true],
      ['ws://b.example', true],
    ]);
  });

  it('workers, and what they listen for', () => {
    const { registrations } = readScript(
      "navigator.serviceWorker.register(new URL('sw.js', import.meta.url), { scope: './' }); navigator.serviceWorker.register(name);",
    );
    expect(registrations.map(({ url, fromScript, scope }) => [url, fromScript, scope])).toEqual([
      ['sw.js', true, './'],
      [undefined, false, undefined],
    ]);
    const worker = readScript(
      "importScripts('a.js', 'b.js'); self.onfetch = f; addEventListener('install', g); caches.match(x)",
    );
    expect([...worker.listens].sort()).toEqual(['fetch', 'install']);
    expect(worker.readsCache).toBe(true);
    expect(worker.imports.map(({ kind, text }) => [kind, text])).toEqual([
      ['worker', 'a.js'],
      ['worker', 'b.js'],
    ]);
  });

  it('modules', () => {
    const { imports } = readScript(
      "import a from './a.js'; export * from './b.js'; import('./c.js'); import(d);",
    );
    expect(imports.map(({ text }) => text).sort()).toEqual(['./a.js', './b.js', './c.js']);
  });
});

describe('scripts that cannot be read', () => {
  it('are told with their place', () => {
    expect(readScript('let a;\nlet b = ;').fault).toEqual({
      line: 2,
      column: 9,
      message: 'Unexpected token',
    });
    expect(readScript('<!doctype html>').fault?.line).toBe(1);
    expect(readScript('('.repeat(200_000)).fault?.message).toMatch(/Nested too deeply|stack space/);
  });

  it('in both grammars', () => {
    expect(readScript('with (a) { b }').fault).toBeUndefined();
    expect(readScript('await a; export {}').fault).toBeUndefined();
    expect(readScript('#!/usr/bin/env node\nreturn 1').fault).toBeUndefined();
  });

  it('never throw, whatever stands in them', () => {
    const piece = fc.constantFrom(
      'navigator',
      '.geolocation',
      '.register(',
      '(',
      ')',
      '{',
      '}',
      '`',
      '${',
      "'",
      '=',
      'new ',
      'await ',
      'import(',
      'class ',
      '=>',
      '?.',
      '\n',
      '/',
      '\u2028',
      'x',
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 40 }), (pieces) => {
        readScript(pieces.join(''));
      }),
      { numRuns: 400 },
    );
  });
});
