import type { HullJson } from './hull-config.generated.js';

/** A type whose members, and theirs, cannot be changed. */
type DeepReadonly<T> = T extends readonly (infer Item)[]
  ? readonly DeepReadonly<Item>[]
  : T extends object
    ? { readonly [K in keyof T]: DeepReadonly<T[K]> }
    : T;

/** `hull.json` as it is written: its types come from `schema/hull.schema.json`. */
export type HullConfig = DeepReadonly<HullJson>;

type Section<K extends keyof HullConfig> = NonNullable<HullConfig[K]>;

/** A host whose links open in the app. */
export type LinkConfig = Section<'links'>[number];
export type LinkPathConfig = Exclude<NonNullable<LinkConfig['paths']>[number], string>;
export type WindowConfig = NonNullable<Section<'look'>['window']>;
/** How images are made from `look.icon`; paths of images, colours, and space by purpose. */
export type ArtConfig = NonNullable<Section<'look'>['art']>;
/** Web Application Manifest, "shortcuts member". */
export type ShortcutConfig = Section<'shortcuts'>[number];
/** Web Share Target API, "share_target member". */
export type ShareTargetConfig = Section<'share_target'>;
/** A key that signs here, or the certificate of one that signs elsewhere. */
export type KeyConfig = Pick<
  Section<'keys'>[string],
  'file' | 'alias' | 'certificate' | 'succeeds' | 'lineage' | 'since'
>;
/** What shows the pages on a device. */
export type Engine = NonNullable<Section<'android'>['engine']>;
/** What shows the pages where no installed browser presents them by itself. */
export type OtherwiseShown = NonNullable<Section<'android'>['otherwise']>;
export type DeviceKind = NonNullable<Section<'android'>['devices']>[number];
/** What an app is offered on of Apple's devices. */
export type AppleDeviceKind = NonNullable<Section<'apple'>['devices']>[number];
export type AppCategory = NonNullable<Section<'android'>['category']>;

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
