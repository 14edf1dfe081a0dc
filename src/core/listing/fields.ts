import type { StoreName } from './languages.js';

/** A text of a listing: where it is written, and how long stores let it be. */
export interface ListingField {
  /** Key of the front matter, or heading of a section. */
  readonly key: string;
  readonly from: 'front matter' | 'section';
  /** What each store calls it. */
  readonly called: Readonly<Partial<Record<StoreName, string>>>;
  /** The most characters, in UTF-16 code units. */
  readonly limits: Readonly<Partial<Record<StoreName, number>>>;
  /** Stores that refuse a listing without it. */
  readonly needed: readonly StoreName[];
}

/**
 * Every text of a listing (Android: console help, "Create and set up your app"; Apple: App Store Connect reference, "App
 * information" and "Platform version information"). Stores count an emoji as two or more characters, as UTF-16 does.
 */
const FIELDS = [
  {
    key: 'name',
    from: 'front matter',
    called: { android: 'app name', apple: 'name' },
    limits: { android: 30, apple: 30 },
    needed: ['android', 'apple'],
  },
  {
    key: 'summary',
    from: 'front matter',
    called: { android: 'short description' },
    limits: { android: 80 },
    needed: ['android'],
  },
  {
    key: 'subtitle',
    from: 'front matter',
    called: { apple: 'subtitle' },
    limits: { apple: 30 },
    needed: [],
  },
  {
    key: 'keywords',
    from: 'front matter',
    called: { apple: 'keywords' },
    limits: { apple: 100 },
    needed: ['apple'],
  },
  {
    key: 'promotion',
    from: 'front matter',
    called: { apple: 'promotional text' },
    limits: { apple: 170 },
    needed: [],
  },
  {
    key: 'video',
    from: 'front matter',
    called: { android: 'video' },
    limits: {},
    needed: [],
  },
  {
    key: 'Description',
    from: 'section',
    called: { android: 'full description', apple: 'description' },
    limits: { android: 4000, apple: 4000 },
    needed: ['android', 'apple'],
  },
  {
    key: 'What’s new',
    from: 'section',
    called: { android: 'release notes', apple: 'what’s new' },
    limits: { android: 500, apple: 4000 },
    needed: [],
  },
] as const satisfies readonly ListingField[];

export type ListingKey = (typeof FIELDS)[number]['key'];
export const LISTING_FIELDS: readonly (ListingField & { readonly key: ListingKey })[] = FIELDS;

export const NOTES = 'What’s new';

/** Characters as stores count them: UTF-16 code units. */
export const storeLength = (text: string): number => text.length;

/** A kind of pictures: its folder or file in the listing, and what the store asks of each. */
export interface PictureClass {
  readonly name: string;
  readonly store: StoreName;
  /** As the store's API calls it. */
  readonly type: string;
  readonly shows: string;
  /** One file, or a folder of several. */
  readonly holds: 'one' | 'several';
  readonly least: number;
  readonly most: number;
  /** Exact sizes in pixels, width first; either way round where `turns`. */
  readonly sizes?: readonly (readonly [number, number])[];
  readonly turns?: true;
  /** Shortest and longest side in pixels, where sizes are free. */
  readonly sides?: readonly [number, number];
  /** The longer side by the shorter one, at most. */
  readonly ratio?: number;
  readonly alpha: 'allowed' | 'refused';
  readonly formats: readonly ('png' | 'jpeg')[];
  /** Bytes. */
  readonly largest: number;
}

const MB = 1024 * 1024;
const shots = {
  store: 'android',
  holds: 'several',
  most: 8,
  sides: [320, 3840],
  ratio: 2,
  alpha: 'refused',
  formats: ['png', 'jpeg'],
  largest: 8 * MB,
} as const;
const appleShots = {
  store: 'apple',
  holds: 'several',
  least: 1,
  most: 10,
  turns: true,
  alpha: 'refused',
  formats: ['png', 'jpeg'],
  largest: 500 * MB,
} as const;

/**
 * Pictures of a listing by the kind of device (Android: console help, "Add preview assets to showcase your app"; Apple: App Store
 * Connect reference, "Screenshot specifications").
 */
export const PICTURE_CLASSES: readonly PictureClass[] = [
  {
    name: 'icon',
    store: 'android',
    type: 'icon',
    shows: 'the icon',
    holds: 'one',
    least: 1,
    most: 1,
    sizes: [[512, 512]],
    alpha: 'allowed',
    formats: ['png'],
    largest: MB,
  },
  {
    name: 'feature',
    store: 'android',
    type: 'featureGraphic',
    shows: 'the feature graphic',
    holds: 'one',
    least: 1,
    most: 1,
    sizes: [[1024, 500]],
    alpha: 'refused',
    formats: ['png', 'jpeg'],
    largest: 15 * MB,
  },
  { name: 'phone', type: 'phoneScreenshots', shows: 'phones', least: 2, ...shots },
  { name: 'tablet-7', type: 'sevenInchScreenshots', shows: 'small tablets', least: 0, ...shots },
  { name: 'tablet-10', type: 'tenInchScreenshots', shows: 'large tablets', least: 0, ...shots },
  {
    name: 'apple-phone',
    type: 'APP_IPHONE_67',
    shows: 'Apple’s phones',
    sizes: [
      [1320, 2868],
      [1290, 2796],
      [1260, 2736],
    ],
    ...appleShots,
  },
  {
    name: 'apple-tablet',
    type: 'APP_IPAD_PRO_3GEN_129',
    shows: 'Apple’s tablets',
    sizes: [
      [2064, 2752],
      [2048, 2732],
    ],
    ...appleShots,
  },
];
