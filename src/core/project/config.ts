/** `hull.json` as `schema/hull.schema.json` describes it. */
export interface HullConfig {
  readonly $schema?: string;
  readonly app: {
    readonly id: string;
    readonly name: string;
    readonly short_name?: string;
    /** Language tag → names. */
    readonly translations?: Readonly<
      Record<string, { readonly name?: string; readonly short_name?: string }>
    >;
    readonly version: string;
    readonly build: number;
  };
  readonly web: {
    readonly folder?: string;
    readonly url?: string;
    readonly start?: string;
    readonly inside?: readonly string[];
    /** Origin or host → reason. */
    readonly insecure?: Readonly<Record<string, string>>;
    readonly source_maps?: boolean;
    readonly errors?: {
      readonly offline?: string;
      readonly not_found?: 'page' | 'shell';
      readonly server?: 'page' | 'shell';
    };
  };
  readonly look?: {
    readonly display?: DisplayMode;
    readonly orientation?: Orientation;
    readonly theme_color?: string;
    readonly dark?: { readonly theme_color?: string; readonly background_color?: string };
    readonly background_color?: string;
    readonly icon?: string;
    readonly window?: WindowConfig;
    readonly art?: ArtConfig;
  };
  readonly permissions?: Readonly<Record<string, string>>;
  readonly links?: readonly LinkConfig[];
  readonly shortcuts?: readonly ShortcutConfig[];
  readonly share_target?: ShareTargetConfig;
  /** `ignore`: rule → reason. */
  readonly survey?: { readonly ignore?: Readonly<Record<string, string>> };
  readonly android?: {
    readonly engine?: Engine;
    readonly key?: string;
    readonly store_key?: string;
    readonly id?: string;
    readonly scheme?: string;
    readonly devices?: readonly DeviceKind[];
    readonly otherwise?: OtherwiseShown;
    readonly min_sdk?: number;
  };
  readonly apple?: {
    readonly team?: string;
    readonly id?: string;
    readonly clip?: string;
    readonly min_version?: string;
  };
  readonly keys?: Readonly<Record<string, KeyConfig>>;
}

/** A host whose links open in the app. */
export interface LinkConfig {
  readonly host: string;
  readonly paths?: readonly (string | LinkPathConfig)[];
  /** Whether passwords that are kept for the host may be used in the app. */
  readonly credentials?: boolean;
  /** What the host serves, where it is not `web.folder`. */
  readonly folder?: string;
}

export interface LinkPathConfig {
  readonly path: string;
  /** Name → value. */
  readonly query?: Readonly<Record<string, string>>;
  readonly fragment?: string;
  readonly exclude?: boolean;
  readonly comment?: string;
}

export interface WindowConfig {
  readonly edges?: 'inset' | 'cover';
  readonly keep_screen_on?: boolean;
  readonly secure?: boolean;
  readonly pull_to_refresh?: boolean;
}

/** Web Application Manifest, "shortcuts member". */
export interface ShortcutConfig {
  readonly name: string;
  readonly short_name?: string;
  readonly description?: string;
  readonly url: string;
}

/** Web Share Target API, "share_target member". */
export interface ShareTargetConfig {
  readonly action: string;
  readonly method?: 'GET' | 'POST';
  readonly enctype?: 'application/x-www-form-urlencoded' | 'multipart/form-data';
  readonly params: {
    readonly title?: string;
    readonly text?: string;
    readonly url?: string;
    readonly files?: readonly { readonly name: string; readonly accept: readonly string[] }[];
  };
}

/** What shows the pages where no installed browser presents them by itself. */
export type OtherwiseShown = 'tab' | 'webview' | 'none';

export type DeviceKind = 'phone' | 'tablet' | 'desktop';

/** How images are made from `look.icon`; paths of pictures, colours, and space by purpose. */
export interface ArtConfig {
  readonly out?: string;
  readonly background?: string;
  readonly dark_background?: string;
  readonly foreground?: string;
  readonly maskable?: string;
  readonly monochrome?: string;
  readonly dark?: string;
  readonly splash?: string;
  readonly padding?: Readonly<Record<string, number>>;
}

/** A key that signs here, or the certificate of one that signs elsewhere. */
export interface KeyConfig {
  readonly file?: string;
  readonly alias?: string;
  /** PEM or DER: the public part of a key that is a store's own. */
  readonly certificate?: string;
  /** Name of the key that this one succeeded. */
  readonly succeeds?: string;
  /** Every signer's word for the next one. */
  readonly lineage?: string;
  /** API level from which this key counts instead of the one before. */
  readonly since?: number;
}

/** What shows the pages on a device. */
export type Engine = 'webview' | 'browser';

/** Display modes a package can have (Web Application Manifest, "display modes"); `browser` is no app. */
export const DISPLAY_MODES = ['standalone', 'fullscreen', 'minimal-ui'] as const;
export type DisplayMode = (typeof DISPLAY_MODES)[number];

/** Orientations of the Screen Orientation API that a manifest may name. */
export const ORIENTATIONS = [
  'any',
  'natural',
  'portrait',
  'portrait-primary',
  'portrait-secondary',
  'landscape',
  'landscape-primary',
  'landscape-secondary',
] as const;
export type Orientation = (typeof ORIENTATIONS)[number];

export const CONFIG_FILE = 'hull.json';
