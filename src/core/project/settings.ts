import type { Location } from '../errors.js';
import type { LocatedJson } from '../util/json-locations.js';
import type {
  AppleDeviceKind,
  ArtConfig,
  DeviceKind,
  DisplayMode,
  Engine,
  HullConfig,
  KeyConfig,
  LinkConfig,
  Orientation,
  OtherwiseShown,
  ShareTargetConfig,
  ShortcutConfig,
  WindowConfig,
} from './config.js';

/** `hull.json` with every default applied: what all tasks go by. Members that have no default may be missing. */
export interface Settings {
  readonly app: Required<Omit<HullConfig['app'], 'language'>> & Pick<HullConfig['app'], 'language'>;
  readonly web: Pick<HullConfig['web'], 'folder' | 'url' | 'start' | 'inside' | 'fallback'> & {
    readonly insecure: Readonly<Record<string, string>>;
    readonly source_maps: boolean;
    readonly fallback_except: readonly string[];
    readonly headers: Readonly<Record<string, Readonly<Record<string, string>>>>;
    readonly access: NonNullable<HullConfig['web']['access']>;
    readonly trusted_frames: readonly string[];
    readonly third_party_cookies: boolean;
    readonly errors: Required<NonNullable<HullConfig['web']['errors']>>;
  };
  readonly look: {
    readonly display: DisplayMode;
    readonly orientation: Orientation;
    readonly theme_color: string;
    readonly background_color: string;
    /** The same colours where the project names none. */
    readonly dark: { readonly theme_color: string; readonly background_color: string };
    readonly icon?: string;
    readonly window: Required<WindowConfig>;
    readonly art: ArtConfig & { readonly out: string; readonly padding: Readonly<Record<string, number>> };
  };
  readonly permissions: Readonly<Record<string, string>>;
  readonly links: readonly LinkConfig[];
  readonly shortcuts: readonly ShortcutConfig[];
  readonly share_target?: ShareTargetConfig;
  readonly survey: {
    readonly ignore: Readonly<Record<string, string>>;
    readonly budgets: NonNullable<NonNullable<HullConfig['survey']>['budgets']>;
  };
  readonly android: Pick<NonNullable<HullConfig['android']>, 'key' | 'store_key' | 'scheme' | 'category'> & {
    readonly engine: Engine;
    /** That of the app, where it has none of its own. */
    readonly id: string;
    readonly devices: readonly DeviceKind[];
    readonly otherwise: OtherwiseShown;
    readonly min_sdk: number;
    readonly background_audio: boolean;
  };
  readonly apple: Omit<NonNullable<HullConfig['apple']>, 'min_version' | 'devices' | 'encryption'> & {
    /** That of the app, where it has none of its own. */
    readonly id: string;
    readonly min_version: string;
    readonly devices: readonly AppleDeviceKind[];
    readonly app_bound_domains: readonly string[];
    readonly encryption: 'exempt' | 'own';
  };
  readonly release: Omit<
    NonNullable<HullConfig['release']>,
    'listing' | 'contact' | 'testers' | 'apple' | 'done'
  > & {
    readonly listing: string;
    readonly contact: NonNullable<NonNullable<HullConfig['release']>['contact']>;
    readonly testers: Readonly<Record<string, readonly string[]>>;
    readonly apple: Pick<NonNullable<NonNullable<HullConfig['release']>['apple']>, 'issuer' | 'track'> & {
      readonly testers: Readonly<Record<string, readonly string[]>>;
    };
    readonly done: Readonly<Record<string, string>>;
  };
  readonly keys: Readonly<Record<string, KeyConfig>>;
}

/** Where a setting comes from. */
export type Origin =
  | { readonly from: 'hull.json'; readonly location: Location }
  /** It follows another setting, named by its pointer. */
  | { readonly from: 'setting'; readonly pointer: string }
  | { readonly from: 'default' };

/** Settings that follow another one where they are not written. */
const FOLLOWS: Readonly<Record<string, string>> = {
  '/app/short_name': '/app/name',
  '/android/id': '/app/id',
  '/apple/id': '/app/id',
  '/apple/scheme': '/android/scheme',
  '/look/theme_color': '/look/background_color',
  '/look/dark/theme_color': '/look/theme_color',
  '/look/dark/background_color': '/look/background_color',
};

const BACKGROUND = '#ffffff';

/**
 * The lowest API level of each engine: devices before Android 8 hardly have a browser that still shows pages so, and without
 * them the package is a fifth smaller.
 */
export const MIN_SDK: Readonly<Record<Engine, number>> = { webview: 24, browser: 26 };

/** The oldest system that the Apple shell is built for: the first to read entitlements in the form that is written. */
export const APPLE_MIN_VERSION = '15.0';

/** Applies every default to what `hull.json` says. */
export function resolveSettings(config: HullConfig): Settings {
  const { app, web, look = {}, android = {}, apple = {}, share_target } = config;
  const background = look.background_color ?? BACKGROUND;
  const theme = look.theme_color ?? background;
  const engine = android.engine ?? 'webview';
  const scheme = apple.scheme ?? android.scheme;
  return {
    app: {
      ...app,
      short_name: app.short_name ?? app.name,
      translations: app.translations ?? {},
      words: app.words ?? {},
    },
    web: {
      ...web,
      insecure: web.insecure ?? {},
      source_maps: web.source_maps ?? false,
      // What a host answers below /api/ are calls and sign-in, not pages of the app.
      fallback_except: web.fallback_except ?? (web.url === undefined ? [] : ['/api/']),
      headers: web.headers ?? {},
      access: web.access ?? {},
      trusted_frames: web.trusted_frames ?? [],
      // Pages that are hosted nowhere call every host as a stranger: their sessions there would be lost.
      third_party_cookies: web.third_party_cookies ?? web.url === undefined,
      errors: { offline: 'shell', not_found: 'page', server: 'page', ...web.errors },
    },
    look: {
      ...look,
      display: look.display ?? 'standalone',
      orientation: look.orientation ?? 'any',
      theme_color: theme,
      background_color: background,
      dark: { theme_color: theme, background_color: background, ...look.dark },
      window: {
        edges: 'inset',
        keep_screen_on: false,
        secure: false,
        pull_to_refresh: false,
        ...look.window,
      },
      art: { ...look.art, out: look.art?.out ?? 'art', padding: look.art?.padding ?? {} },
    },
    permissions: config.permissions ?? {},
    links: config.links ?? [],
    shortcuts: config.shortcuts ?? [],
    ...(share_target === undefined ? {} : { share_target }),
    survey: { ignore: config.survey?.ignore ?? {}, budgets: config.survey?.budgets ?? {} },
    android: {
      ...android,
      engine,
      id: android.id ?? app.id,
      devices: android.devices ?? ['phone', 'tablet', 'desktop'],
      otherwise: android.otherwise ?? 'none',
      background_audio: android.background_audio ?? false,
      min_sdk: android.min_sdk ?? MIN_SDK[engine],
    },
    apple: {
      ...apple,
      id: apple.id ?? app.id,
      min_version: apple.min_version ?? APPLE_MIN_VERSION,
      devices: apple.devices ?? ['phone', 'tablet'],
      ...(scheme === undefined ? {} : { scheme }),
      app_bound_domains: apple.app_bound_domains ?? [],
      encryption: apple.encryption ?? 'exempt',
    },
    release: {
      ...config.release,
      listing: config.release?.listing ?? 'listing',
      contact: config.release?.contact ?? {},
      testers: config.release?.testers ?? {},
      apple: { ...config.release?.apple, testers: config.release?.apple?.testers ?? {} },
      done: config.release?.done ?? {},
    },
    keys: config.keys ?? {},
  };
}

/**
 * Where a setting comes from.
 *
 * @param pointer JSON pointer (RFC 6901) of the setting, as in `/look/theme_color`
 */
export function originOf(json: LocatedJson, pointer: string): Origin {
  let value: unknown = json.value;
  for (const step of pointer.split('/').slice(1)) {
    value =
      typeof value === 'object' && value !== null
        ? (value as Record<string, unknown>)[step.replaceAll('~1', '/').replaceAll('~0', '~')]
        : undefined;
  }
  if (value !== undefined) return { from: 'hull.json', location: json.location(pointer) };
  const followed = FOLLOWS[pointer];
  // A setting that follows one that is not written either has that one's default.
  if (followed === undefined || originOf(json, followed).from === 'default') return { from: 'default' };
  return { from: 'setting', pointer: followed };
}
