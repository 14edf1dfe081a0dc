import type { App } from '../app/app.js';
import type { ArtInputs } from '../art/icon-set.js';
import type { BrowserOptions } from '../browser/launch.js';
import type { WebKitOptions } from '../browser/webkit/session.js';
import type { Finding } from '../finding.js';
import type { LanguageListing } from '../listing/read.js';
import type { Rgba } from '../project/color.js';
import type { Engine } from '../project/config.js';
import type { Project } from '../project/project.js';
import type { Site } from '../site/site.js';
import type { CutLabel } from './label.js';
import type { ScreenLayout, Shows } from './layout.js';
import type { MaskLoss, PreviewPictures } from './pictures.js';
import type { HomeScreen } from './screens.js';
import type { Scheme } from './shots.js';

export interface PreviewRequest {
  readonly project: Project;
  readonly app: App;
  readonly site: Site;
  readonly inputs: ArtInputs;
  /** Folder for drawn images. */
  readonly cacheDir?: string;
  /** The browser that shows the start page, or why there is none. */
  readonly browser: BrowserOptions | { readonly missing: string };
  /** Shows Apple's screens in their own engine. */
  readonly webkit?: WebKitOptions | undefined;
  /** What stores show in the app's own language, where the project has a listing. */
  readonly listing?: LanguageListing | undefined;
}

/** What is on the screen before the first page is drawn. */
export type StartPicture =
  | { readonly is: 'splash' }
  /** Apple's shell: a logo on the app's background. */
  | { readonly is: 'launch' }
  | { readonly is: 'image'; readonly url: string; readonly data: string }
  /** No image fits: the screen stays white. */
  | { readonly is: 'white'; readonly why: string };

/** The start of the app on one screen, in one colour scheme. */
export interface StartScene {
  readonly shows: Shows;
  readonly layout: ScreenLayout;
  readonly scheme: Scheme;
  readonly start: StartPicture;
  /** JPEG of the start page. */
  readonly shot?: Uint8Array;
  /** Why there is none. */
  readonly noShot?: string;
  /** Whether the app turns with the device; else it stays as it is. */
  readonly turns: boolean;
  readonly notes: readonly string[];
}

/** How a permission is asked for. */
/**
 * Dialogs of Android: the app's `reason` and the `system`'s question, the `app`'s own question, and the browser's in the
 * name of the `site`.
 */
export type AndroidDialog = 'reason' | 'system' | 'app' | 'site';

export interface PreviewQuestion {
  readonly name: string;
  readonly reason: string;
  readonly android: {
    readonly by: string;
    /** One after the other. */
    readonly shows: readonly AndroidDialog[];
    readonly allow: string;
  };
  readonly apple: { readonly by: string; readonly allow: string; readonly usage?: string };
  /** What store reviewers want to know of it. */
  readonly review?: string;
}

export interface StoreListing {
  readonly platform: 'android' | 'apple';
  /** As the listing's head has it. */
  readonly name: string;
  /** As a list of search results has it. */
  readonly inList: CutLabel;
  /** `undefined` where the listing has a text of its own. */
  readonly short: string | undefined;
}

export interface Preview {
  readonly name: string;
  /** Where the pages come from. */
  readonly host: string;
  readonly engine: Engine;
  readonly version: string;
  readonly background: Rgba;
  readonly backgroundColor: Rgba;
  readonly themeColor: Rgba;
  readonly pictures: PreviewPictures;
  /** What Apple's home screen shows for the web app: its touch icon, or the planned one. */
  readonly touchIcon: string;
  readonly losses: readonly MaskLoss[];
  readonly labels: readonly { readonly screen: HomeScreen; readonly label: CutLabel; readonly of: string }[];
  readonly scenes: readonly StartScene[];
  readonly questions: readonly PreviewQuestion[];
  readonly listings: readonly StoreListing[];
  /** What users will not see as it was meant; the family of each code is the part of the page that it is about. */
  readonly findings: readonly Finding[];
  /** Name and version of the browsers that showed the pages. */
  readonly browser?: string;
  readonly noBrowser?: string;
}
