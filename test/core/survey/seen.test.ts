import { describe, expect, it } from 'vitest';
import { shotDifferences, withAppleShots } from '../../../src/core/preview/differences.js';
import type { ShotPlan, Shots } from '../../../src/core/preview/shots.js';
import type { BrowserFacts, PageView, WebKitFacts } from '../../../src/core/survey/browser-facts.js';
import type { RuleContext } from '../../../src/core/survey/rule.js';
import { differencesOf, errorsOf, requestsOf, showsEdges } from '../../../src/core/survey/seen.js';
import { findRule } from '../../../src/core/survey/survey.js';

/** What two engines showed, told as one. */

const PAGE = 'https://ferry.saltmarsh.example/';
const answer = { answered: true, own: true };
const view = (engine: PageView['engine'], textLength: number): PageView => ({
  url: PAGE,
  device: {
    name: 'phone',
    width: 390,
    height: 844,
    scale: 2,
    insets: { top: 0, right: 0, bottom: 0, left: 0 },
  },
  engine,
  textLength,
  scrollWidth: 390,
  wide: [],
  small: [],
  underCutout: [],
  underBar: [],
});
const chromium = (changes: Partial<BrowserFacts> = {}): BrowserFacts => ({
  browser: 'chromium 1',
  workerControls: undefined,
  isolated: false,
  offline: answer,
  notFound: answer,
  serverError: answer,
  views: [view('chromium', 500)],
  rendered: [],
  notOpened: 0,
  errors: [],
  requests: [],
  asked: [],
  ...changes,
});
const webkit = (changes: Partial<WebKitFacts> = {}): WebKitFacts => ({
  browser: 'WebKit 1',
  views: [view('webkit', 500)],
  notLoaded: [],
  rendered: [],
  notOpened: 0,
  requests: [],
  watched: { errors: [], asked: [] },
  ...changes,
});

describe('errors of two engines', () => {
  const said = (ours: string[], theirs: string[]) =>
    errorsOf({
      browser: chromium({ errors: ours.map((text) => ({ page: PAGE, text })) }),
      webkit: webkit({
        watched: { errors: theirs.map((text) => ({ page: PAGE, text })), asked: [] },
      }),
    })
      .filter(({ isWebKitsAlone }) => isWebKitsAlone)
      .map(({ text }) => text);

  it('are one where they are of one kind, in whatever words', () => {
    expect(
      said(
        ['Uncaught ReferenceError: tide is not defined', 'the tide is out'],
        ["Uncaught ReferenceError: Can't find variable: tide", 'the tide is out'],
      ),
    ).toEqual([]);
    expect(
      said(['Failed to load resource: the server responded with 404'], ['Failed to load resource: x.js']),
    ).toEqual([]);
  });

  it('are one where a page says itself what failed, and the engine why', () => {
    expect(
      said(
        ['Extension failed; TypeError: Failed to fetch dynamically imported module: x.js'],
        ['Extension failed; TypeError: Importing a module script failed.', 'Chart failed; TypeError: null'],
      ),
    ).toEqual(['Chart failed; TypeError: null']);
  });

  it('are WebKit’s alone where Chromium says nothing like it of the page', () => {
    expect(said(['Uncaught TypeError: a'], ['Uncaught SyntaxError: Invalid regular expression'])).toEqual([
      'Uncaught SyntaxError: Invalid regular expression',
    ]);
    const alone = errorsOf({
      browser: undefined,
      webkit: webkit({ watched: { errors: [{ page: PAGE, text: 'x' }], asked: [] } }),
    });
    expect(alone).toEqual([{ page: PAGE, text: 'x', isWebKitsAlone: false }]);
  });
});

describe('differences', () => {
  it('are pages that do not load, or lose a good part of their text', () => {
    const of = (changes: Partial<WebKitFacts>) =>
      differencesOf({ browser: chromium(), webkit: webkit(changes) });
    expect(of({})).toEqual([]);
    expect(of({ views: [view('webkit', 480)] })).toEqual([]);
    expect(of({ views: [view('webkit', 20)] })[0]?.observed).toBe(
      'The page shows 20 letters in WebKit, and 500 in Chromium (phone).',
    );
    const lost = { page: PAGE, text: 'connection refused' };
    expect(of({ views: [], notLoaded: [lost, lost] }).map(({ observed }) => observed)).toEqual([
      'The page does not load in WebKit (connection refused); in Chromium it does.',
    ]);
    // What takes too long says nothing of the engine.
    expect(of({ views: [], notLoaded: [{ page: PAGE, text: 'timeout' }] })).toEqual([]);
    // Nobody knows whether Chromium would have shown it.
    expect(of({ notLoaded: [{ page: `${PAGE}other`, text: 'timeout' }] })).toEqual([]);
    expect(differencesOf({ browser: undefined, webkit: webkit({ views: [] }) })).toEqual([]);
  });

  it('leave edges unjudged where a hosted page was shown by WebKit alone', () => {
    expect(showsEdges({ browser: undefined, webkit: webkit({ watched: undefined }) })).toBe(false);
    expect(showsEdges({ browser: undefined, webkit: webkit() })).toBe(true);
  });

  it('take each request once', () => {
    const request = { page: PAGE, url: 'https://other.example/x.js', kind: 'script' };
    expect(
      requestsOf({ browser: chromium({ requests: [request] }), webkit: webkit({ requests: [request] }) }),
    ).toEqual([request]);
  });
});

it('pages that take too long leave the comparison unjudged, and never passed', async () => {
  const rule = findRule('run.differs');
  const late = webkit({ views: [], notLoaded: [{ page: PAGE, text: 'timeout' }] });
  expect(rule.blind?.({ webkit: late } as unknown as RuleContext)).toBe(
    'WebKit did not load 1 of the pages in time',
  );
  expect(rule.blind?.({ webkit: webkit() } as unknown as RuleContext)).toBeUndefined();
});

describe('screens of the preview', () => {
  const plan = (key: string, width: number) =>
    ({
      key,
      layout: {
        screen: { device: { kind: 'phone', platform: 'apple' }, orientation: 'portrait' },
        page: { width },
      },
    }) as unknown as ShotPlan;
  const shots = (
    name: string,
    entries: Record<string, [number, number]>,
    faults: Record<string, string> = {},
  ): Shots => ({
    browser: name,
    shots: new Map(
      Object.entries(entries).map(([key, [scrollWidth, textLength]]) => [
        key,
        {
          pictures: { light: new Uint8Array(), dark: new Uint8Array() },
          underCutout: [],
          scrollWidth,
          textLength,
        },
      ]),
    ),
    faults: new Map(Object.entries(faults)),
  });
  const plans = [plan('a', 390), plan('b', 390)];

  it('tell once what all of them have in common', () => {
    const there = shots('chromium', { a: [390, 500], b: [390, 500] });
    expect(shotDifferences(plans, there, there)).toEqual([]);
    const [wide] = shotDifferences(plans, there, shots('webkit', { a: [700, 500], b: [700, 500] }));
    expect(wide?.observed).toContain(
      '700 px wide on 390 px in WebKit; in Chromium it fits. So it is on 1 more',
    );
    const [gone] = shotDifferences(plans, there, shots('webkit', {}, { a: 'timeout' }));
    expect(gone?.observed).toContain('does not load in WebKit: timeout.');
  });

  it('are WebKit’s for Apple, and Chromium’s for the others', () => {
    const both = withAppleShots(
      plans,
      shots('chromium', { a: [1, 1], android: [2, 2] }),
      shots('WebKit', { a: [3, 3] }),
    );
    expect([...both.shots].map(([key, { scrollWidth }]) => [key, scrollWidth])).toEqual([
      ['android', 2],
      ['a', 3],
    ]);
    expect(both.browser).toBe('chromium, Apple’s screens by WebKit');
  });
});
