import type { Engine } from '../project/config.js';
import { isShared, type Project } from '../project/project.js';
import type { Site } from '../site/site.js';

/** The app that a site is judged for. */
export interface Target {
  /** Whether the pages are in the package, so that they open without a network. */
  readonly packed: boolean;
  /** Whether they are on a host too, where browsers open and install them. */
  readonly hosted: boolean;
  /** What shows the pages on Android. */
  readonly engine: Engine;
  /** `inset`: the window keeps pages clear of bars and cutout; `cover`: they reach the edges. */
  readonly edges: 'inset' | 'cover';
  /** Whether it is made for Apple's systems too: `hull.json` has a part of its own for them, or they were asked for. */
  readonly apple: boolean;
  /** Whether several brands have these pages, each on a host of its own. */
  readonly sharesPages: boolean;
  /** Whether nothing says so: no `hull.json` was there, and this is what a new one would choose. */
  readonly assumed: boolean;
}

/** The app that a project makes. */
export function projectTarget(project: Project): Target {
  const { settings, origin } = project;
  const { folder } = settings.web;
  const { engine } = settings.android;
  return {
    packed: folder !== undefined && engine === 'webview',
    hosted: settings.web.url !== undefined,
    engine,
    edges: settings.look.window.edges,
    apple: origin('/apple').from === 'hull.json',
    sharesPages: folder !== undefined && isShared(project, project.resolve(folder)),
    assumed: false,
  };
}

/** The app that a new project would make of a site. */
export function newTarget(site: Site, engine: Engine): Target {
  const isFolder = site.kind === 'folder';
  return {
    packed: isFolder,
    hosted: !isFolder || site.baseIsKnown,
    engine: isFolder ? 'webview' : engine,
    edges: 'inset',
    apple: false,
    sharesPages: false,
    assumed: true,
  };
}

/** A target in words, as a report begins with it. */
export function describeTarget({ packed, engine, edges, apple, assumed }: Target): string {
  const where = packed ? 'packed into an Android app' : 'shown from its host by an Android app';
  const shown =
    engine === 'browser'
      ? 'with the browser engine'
      : `in its web view, ${edges === 'inset' ? 'clear of bars and cutout' : 'up to the edges of the screen'}`;
  return `${where}, ${shown}${apple ? ', and by an app for Apple’s systems' : ''}${assumed ? ' (what a new hull.json would choose)' : ''}`;
}

/** Why a rule is not concerned with a target; `undefined` where it is. */
export type Concern = (target: Target) => string | undefined;

/** For rules about what one host serves besides the pages. */
export const unlessShared: Concern = ({ sharesPages }) =>
  sharesPages
    ? 'several brands share these pages: what the host of each serves is not among them'
    : undefined;

/** For rules about pages that come from a host. */
export const unlessPacked: Concern = ({ packed }) =>
  packed ? 'the pages are packed: they open without a network, and need no worker' : undefined;

/** For rules about what browsers install, which a package does not go by. */
export const unlessOnlyPacked: Concern = ({ packed, hosted }) =>
  packed && !hosted ? 'the pages are packed and hosted nowhere, so no browser installs them' : undefined;

/** For rules about colours of pages that the app's own view takes from `hull.json`. */
export const unlessViewed: Concern = ({ engine, hosted }) =>
  engine === 'webview' && !hosted ? 'the app’s own view takes its colours from hull.json' : undefined;

/** For rules about Apple's web view. */
export const unlessApple: Concern = ({ apple }) =>
  apple ? undefined : 'hull.json has no "apple": the app is for Android';

/** For rules about pages that reach under bars and cutout. */
export const unlessInset: Concern = ({ engine, edges }) =>
  engine === 'webview' && edges === 'inset'
    ? 'the window keeps the pages clear of bars and cutout (look.window.edges is inset)'
    : undefined;
