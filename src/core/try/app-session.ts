import { HullError } from '../errors.js';
import type { Orientation } from '../preview/screens.js';
import { parseUrl } from '../util/url-path.js';
import type { Question } from './events.js';
import type { PackedApp } from './packed-app.js';
import type { Network } from './requests.js';
import type { DeviceKind, Scheme, ScreenPlan } from './screen-plan.js';
import type { LinkVerdict } from './settings.js';
import type { Shared } from './share.js';
import type { StoredItem } from './storage.js';

export type TextSize = (typeof TEXT_SIZES)[number];
/** Sizes of text that people choose on their devices, in percent. */
export const TEXT_SIZES = [85, 100, 130, 200] as const;

/** How a device is held and set up. */
export interface DeviceSettings {
  readonly device: DeviceKind;
  readonly turn: Orientation;
  readonly scheme: Scheme;
  readonly network: Network;
  readonly textSize: TextSize;
  /** BCP 47. */
  readonly language: string;
}

export const USUAL_SETTINGS: DeviceSettings = {
  device: 'phone',
  turn: 'portrait',
  scheme: 'light',
  network: 'on',
  textSize: 100,
  language: 'en-US',
};

export interface TryState extends DeviceSettings {
  readonly shows: 'home' | 'app';
  /** Of the app's own window. */
  readonly url: string | undefined;
  /** Of a window that the page has opened over itself. */
  readonly window: string | undefined;
  /** Whether the app is in memory: it may have been ended to make room. */
  readonly runs: boolean;
}

/** What some engine's driver cannot do to an app. */
export type Ability =
  | 'scheme'
  | 'network'
  | 'textSize'
  | 'language'
  | 'end'
  | 'share'
  | 'update'
  | 'stored'
  | 'steps';

/** An app that runs from its package in an engine that nobody sees: what a device can do with it. */
export interface AppSession {
  readonly engine: 'chromium' | 'webkit';
  readonly cannot: readonly Ability[];
  readonly app: PackedApp;
  state(): TryState;
  plan(): ScreenPlan;
  /** Starts the app, or brings it to the front: at its first page, or at one that a link names. */
  launchApp(address?: string): Promise<void>;
  /** Brings the app to the front as it was left. */
  resume(): Promise<void>;
  /** Loads the page that is open again. */
  reload(): Promise<void>;
  /** Leaves the app open behind the home screen. */
  home(): void;
  back(): Promise<void>;
  /** In CSS px of the page. */
  touch(kind: 'start' | 'move' | 'end' | 'cancel', x: number, y: number): Promise<void>;
  wheel(x: number, y: number, deltaX: number, deltaY: number): Promise<void>;
  key(name: string): Promise<void>;
  text(text: string): Promise<void>;
  /** Questions that wait for an answer. */
  open(): Question[];
  answerQuestion(id: number, yes: boolean): void;
  openLink(text: string): Promise<LinkVerdict>;
  openShortcut(name: string): Promise<void>;
  share(shared: Shared): Promise<string | undefined>;
  stored(): Promise<StoredItem[]>;
  endProcess(): Promise<void>;
  update(app: PackedApp): Promise<void>;
  setScreen(device: DeviceKind, turn: Orientation): Promise<void>;
  setScheme(scheme: Scheme): Promise<void>;
  setNetwork(network: Network): Promise<void>;
  setTextSize(size: TextSize): Promise<void>;
  setLanguage(tag: string): Promise<void>;
  /** PNG of the page that is seen; `undefined` where none is. */
  picture(): Promise<Uint8Array | undefined>;
  close(): Promise<void>;
}

/** The address that a link names. @throws HullError `try.bad-steps` for what is no address */
export function linkAddress({ settings }: PackedApp, text: string): URL {
  const url = parseUrl(text, settings.start);
  if (url !== undefined) return url;
  throw new HullError('try.bad-steps', `"${text}" is not an address.`, {
    fix: 'Write it in full, or as a path of the app: /tickets.html',
  });
}

/** The page that an entry of the icon's menu opens. @throws HullError `try.bad-steps` where there is none of this name */
export function shortcutAddress({ shortcuts }: PackedApp, name: string): string {
  const found = shortcuts.find((one) => one.name === name);
  if (found) return found.url;
  const names = shortcuts.map((one) => `"${one.name}"`).join(', ');
  throw new HullError('try.bad-steps', `The icon's menu has no "${name}".`, {
    fix: names === '' ? 'The package declares no shortcuts.' : `It has ${names}.`,
  });
}
