import type { AttachedDevice } from '../../core/platforms/android/bridge/bridge.js';
import { pictureOfApp, type WatchOptions, watchApp } from '../../core/tasks/watch-app.js';
import { shownPath } from '../../core/util/files.js';
import type { ScriptPlace, WatchEvent } from '../../core/watch/events.js';
import type { OptionsOf } from '../define-command.js';
import { bridgeAddress } from '../options/bridge.js';
import { numberBetween } from '../options/numbers.js';
import type { WatchOutput } from '../outputs.js';
import { duration, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import type { declare } from './watch.js';

type Options = OptionsOf<typeof declare>;

/** Events that a document holds; what came before is left out, and counted. */
const MOST_EVENTS = 10_000;
const LONGEST = 86_400;

const placeText = ({ url, line, column, source, name }: ScriptPlace): string => {
  const called = name === undefined ? '' : `${safe(name)}, `;
  const own = `${safe(url)}:${line}:${column}`;
  return source === undefined
    ? `${called}${own}`
    : `${called}${safe(source.file)}:${source.line}:${source.column} (${own})`;
};

const APP_STATES: Readonly<Record<Extract<WatchEvent, { is: 'app' }>['state'], string>> = {
  waiting: 'The app does not run; waiting until it starts.',
  attached: 'Attached.',
  ended: 'The app has ended; waiting until it starts again.',
  'device-gone': 'The device or the bridge has gone; waiting until it is back.',
  'no-socket':
    'The app runs, and its pages cannot be inspected: the package is not debuggable. Make one with hull pack apk --debuggable.',
};

const PAGE_STATES = {
  opened: 'page',
  worker: 'worker',
  went: 'page',
  closed: 'closed',
  crashed: 'crashed',
} as const;

function vitalsText({
  firstPaint,
  largestPaint,
  shift,
  interaction,
  blocked,
}: Extract<WatchEvent, { is: 'vitals' }>['vitals']): string {
  const parts = [
    ...(firstPaint === undefined ? [] : [`first paint ${duration(firstPaint)}`]),
    ...(largestPaint === undefined ? [] : [`largest ${duration(largestPaint.at)}`]),
    `shift ${shift}`,
    `blocked ${duration(blocked)}`,
    ...(interaction === undefined
      ? []
      : [`slowest answer ${duration(interaction.lasted)} (${safe(interaction.kind)})`]),
  ];
  return parts.join(', ');
}

/** An event in lines: its word and what it says, then where. */
function linesOf({ paint }: Io, event: WatchEvent): readonly [word: string, ...rest: string[]] {
  switch (event.is) {
    case 'app':
      return [paint.bold('app'), APP_STATES[event.state]];
    case 'page': {
      const word = PAGE_STATES[event.state];
      const inspect =
        event.state === 'opened' || event.state === 'worker'
          ? [paint.dim(`inspect ${safe(event.inspector)}`)]
          : [];
      return [event.state === 'crashed' ? paint.bad(word) : paint.name(word), safe(event.page), ...inspect];
    }
    case 'console': {
      const painted = { error: paint.bad, warning: paint.warn, info: paint.dim } as const;
      const where = event.place && event.level !== 'info' ? [paint.dim(placeText(event.place))] : [];
      return [painted[event.level](event.level), safe(event.text), ...where];
    }
    case 'error':
      return [
        paint.bad('error'),
        safe(event.text),
        ...event.stack.map((place) => paint.dim(placeText(place))),
      ];
    case 'request':
      return [
        paint.warn('request'),
        [event.why, event.method, event.url].filter(Boolean).map(safe).join('  '),
      ];
    case 'vitals':
      return [paint.dim('vitals'), vitalsText(event.vitals)];
  }
}

function show(io: Io, event: WatchEvent): void {
  const [word, first = '', ...rest] = linesOf(io, event);
  const time = io.paint.dim(event.at.toTimeString().slice(0, 8));
  io.out(`${time}  ${word}  ${first}`);
  for (const line of rest) io.out(`          ${line}`);
}

/** An event as the document has it. */
function jsonEvent({ at, ...event }: WatchEvent): WatchOutput['events'][number] {
  return { at: at.toISOString(), ...event };
}

async function takePicture(io: Io, options: WatchOptions, png: string): Promise<void> {
  let device: AttachedDevice | undefined;
  const { page } = await pictureOfApp(
    {
      ...options,
      onDevice: (chosen) => {
        device = chosen;
      },
    },
    png,
  );
  if (io.json) {
    emit(io, 'watch', {
      device: device ?? null,
      picture: { file: jsonPath(io, png), page },
      events: [],
      dropped: 0,
    });
    return;
  }
  io.out(`${shownPath(png)}  ${safe(page)}`);
}

export async function run(io: Io, options: Options): Promise<void> {
  const ended = new AbortController();
  const seconds =
    options.for === undefined ? undefined : numberBetween(options.for, '--for', [1, LONGEST], 60);
  const timer = seconds === undefined ? undefined : setTimeout(() => ended.abort(), seconds * 1000);
  const common = {
    project: options.project,
    app: options.app,
    bridge: bridgeAddress(io, options.bridge),
    serial: options.device,
    signal: AbortSignal.any([io.signal, ended.signal]),
  };
  if (options.png !== undefined) {
    await takePicture(io, { ...common, onEvent: () => undefined }, options.png).finally(() =>
      clearTimeout(timer),
    );
    return;
  }
  let device: AttachedDevice | undefined;
  const events: WatchEvent[] = [];
  let dropped = 0;
  await watchApp({
    ...common,
    onDevice: (chosen) => {
      device = chosen;
      io.note(
        `Watching on ${io.paint.bold(safe(chosen.model ?? chosen.serial))}${seconds === undefined ? '; Ctrl-C ends it' : ''}`,
      );
    },
    onEvent: (event) => {
      if (!io.json) {
        show(io, event);
        return;
      }
      events.push(event);
      if (events.length <= MOST_EVENTS) return;
      events.shift();
      dropped += 1;
    },
  }).finally(() => clearTimeout(timer));
  if (io.json)
    emit(io, 'watch', { device: device ?? null, picture: null, events: events.map(jsonEvent), dropped });
}
