/* Made from schema/hull.schema.json by npm run schemas. */

/**
 * What a web app becomes as a native app. JSON with comments; paths are relative to this file; never put a secret in it.
 */
export interface HullJson {
  $schema?: string;
  /**
   * Versions of Jolly Hull that this project is made with, as npm writes ranges: "^1.4.0". Others refuse it.
   */
  requires?: string;
  /**
   * Who the app is.
   */
  app: {
    /**
     * App ID in reverse-domain form. It can never change once the app is published.
     */
    id: string;
    /**
     * Full name, as stores show it.
     */
    name: string;
    /**
     * Label under the icon; home screens show 10 to 13 characters.
     */
    short_name?: string;
    /**
     * Names in other languages, by language tag (BCP 47).
     */
    translations?: {
      [k: string]: {
        name?: string;
        short_name?: string;
      };
    };
    /**
     * Language of the names and pages that no translation replaces (BCP 47).
     */
    language?: string;
    /**
     * The shell's own words in others than its own, by language tag (BCP 47) and key.
     */
    words?: {
      [k: string]: {
        [k: string]: string;
      };
    };
    /**
     * Version that users read: one to three integers with dots.
     */
    version: string;
    /**
     * Version code: an integer that only rises.
     */
    build: number;
  };
  /**
   * Where the pages come from. At least one of folder and url.
   */
  web: {
    /**
     * Folder of built files to pack into the app.
     */
    folder?: string;
    /**
     * Where the app is hosted. Packed pages are served under its origin, and what is not packed is asked of it.
     */
    url?: string;
    /**
     * First page, relative to the URL or the folder's root.
     */
    start?: string;
    /**
     * URL patterns (WHATWG) of the pages that stay in the app; all others open in the browser.
     */
    inside?: string[];
    /**
     * Hosts that may be asked without TLS, each with the reason.
     */
    insecure?: {
      [k: string]: string;
    };
    /**
     * Pack source maps too.
     */
    source_maps?: boolean;
    /**
     * Packed page that answers navigations which nothing else answers, as in /200.html: for apps that route by themselves. none for none.
     */
    fallback?: string;
    /**
     * Beginnings of paths that the fallback never answers.
     */
    fallback_except?: string[];
    /**
     * Header fields of packed pages' answers, by path or the beginning of one and *, as in /*.
     */
    headers?: {
      [k: string]: {
        [k: string]: string;
      };
    };
    /**
     * How the app's host is reached by this tool: for hosts that are not public yet, or want to be asked slowly.
     */
    access?: {
      /**
       * Where hosts are found: host, or host:port, to address:port.
       */
      resolve?: {
        [k: string]: string;
      };
      /**
       * File of a certificate authority to trust as well, PEM.
       */
      ca?: string;
      /**
       * Header fields for the app's own host. Nothing secret: HULL_HEADERS is for that.
       */
      headers?: {
        [k: string]: string;
      };
      /**
       * Requests a second, at most.
       */
      rate?: number;
      /**
       * Seconds to wait for one answer.
       */
      timeout?: number;
    };
    /**
     * Origins whose frames may use camera, microphone and location where a page allows it, as in https://video.saltmarsh.example.
     */
    trusted_frames?: string[];
    /**
     * Whether frames of other sites, and calls to them, have cookies in the webview engine.
     */
    third_party_cookies?: boolean;
    /**
     * Who answers when a page cannot be shown: the app's shell, or the page itself.
     */
    errors?: {
      /**
       * shell, or the path of a packed page, as in /offline.html.
       */
      offline?: string;
      /**
       * For 404 and 410.
       */
      not_found?: 'page' | 'shell';
      /**
       * For 5xx.
       */
      server?: 'page' | 'shell';
    };
  };
  /**
   * What users see before and around the pages. Members as in the web app manifest.
   */
  look?: {
    display?: 'standalone' | 'fullscreen' | 'minimal-ui';
    orientation?:
      | 'any'
      | 'natural'
      | 'portrait'
      | 'portrait-primary'
      | 'portrait-secondary'
      | 'landscape'
      | 'landscape-primary'
      | 'landscape-secondary';
    /**
     * Behind the status bar.
     */
    theme_color?: string;
    /**
     * Before the first page is drawn, and behind the icon.
     */
    background_color?: string;
    /**
     * Colours for the system's dark scheme; without them the light ones stay.
     */
    dark?: {
      /**
       * Behind the status bar.
       */
      theme_color?: string;
      /**
       * Before the first page is drawn.
       */
      background_color?: string;
    };
    /**
     * SVG or PNG of the icon.
     */
    icon?: string;
    /**
     * The window around the pages.
     */
    window?: {
      /**
       * inset: pages keep clear of bars and cutout; cover: they reach the edges, and keep clear with env(safe-area-inset-*).
       */
      edges?: 'inset' | 'cover';
      keep_screen_on?: boolean;
      /**
       * Keeps the pages out of screenshots and the list of recent apps.
       */
      secure?: boolean;
      pull_to_refresh?: boolean;
    };
    /**
     * How images are made from the icon.
     */
    art?: {
      /**
       * Folder of what is not served with the pages.
       */
      out?: string;
      /**
       * Behind the logo: a colour, linear-gradient(a, b), or a picture.
       */
      background?: string;
      /**
       * Folder that the build copies into the web folder, as in public or static: images for the web go there, and outlive the next build.
       */
      web?: string;
      /**
       * Behind the logo in dark images.
       */
      dark_background?: string;
      /**
       * Picture for adaptive icons.
       */
      foreground?: string;
      /**
       * Picture for maskable icons.
       */
      maskable?: string;
      /**
       * Picture whose shape is tinted.
       */
      monochrome?: string;
      /**
       * Picture for dark images.
       */
      dark?: string;
      /**
       * Picture for the start of the app.
       */
      splash?: string;
      /**
       * Space around what is drawn, by purpose, as a part of the side.
       */
      padding?: {
        [k: string]: number;
      };
    };
  };
  /**
   * Capabilities by their W3C names, each with the reason that users read.
   */
  permissions?: {
    [k: string]: string;
  };
  /**
   * Links that open in the app.
   */
  links?: {
    /**
     * Name of the host; *.example stands for every host below it.
     */
    host: string;
    /**
     * Paths whose links open in the app, * for any run of characters; !/admin/* leaves some out.
     */
    paths?: (
      | string
      | {
          path: string;
          /**
           * Names that the query has to have, each with its value; * for any that is not empty.
           */
          query?: {
            [k: string]: string;
          };
          /**
           * What is behind the number sign.
           */
          fragment?: string;
          /**
           * Leaves such links out.
           */
          exclude?: boolean;
          /**
           * For readers of the documents.
           */
          comment?: string;
        }
    )[];
    /**
     * Whether passwords that are kept for the host may be used in the app.
     */
    credentials?: boolean;
    /**
     * Folder that this host serves, where it is not web.folder.
     */
    folder?: string;
  }[];
  /**
   * Entries of the icon's menu, as in the web app manifest.
   *
   * @maxItems 15
   */
  shortcuts?: {
    name: string;
    short_name?: string;
    description?: string;
    url: string;
  }[];
  /**
   * What other apps may share with this one, as in the web app manifest.
   */
  share_target?: {
    action: string;
    method?: 'GET' | 'POST';
    enctype?: 'application/x-www-form-urlencoded' | 'multipart/form-data';
    params: {
      title?: string;
      text?: string;
      url?: string;
      files?: {
        name: string;
        /**
         * @minItems 1
         */
        accept: string[];
      }[];
    };
  };
  /**
   * How the survey judges.
   */
  survey?: {
    /**
     * Rules to ignore, each with the reason. Their findings are still counted.
     */
    ignore?: {
      [k: string]: string;
    };
    /**
     * What pages are held to, instead of the usual: each above it is a finding.
     */
    budgets?: {
      /**
       * First contentful paint, milliseconds. Usual: 1800.
       */
      first_paint_ms?: number;
      /**
       * Largest contentful paint, milliseconds. Usual: 2500.
       */
      largest_paint_ms?: number;
      /**
       * Layout shift, without a unit. Usual: 0.1.
       */
      layout_shift?: number;
      /**
       * Time that tasks block the page, milliseconds. Usual: 200.
       */
      blocked_ms?: number;
      /**
       * Answer of the first control, milliseconds. Usual: 200.
       */
      interaction_ms?: number;
      /**
       * What a page loads over the network, in KB of 1,000 bytes. Usual: 1600.
       */
      page_kb?: number;
      /**
       * Requests of a page. Usual: 75.
       */
      requests?: number;
      /**
       * Part of a script or style that is not used, in KB. Usual: 100.
       */
      unused_kb?: number;
      /**
       * What a picture could be lighter by, in KB. Usual: 50.
       */
      picture_kb?: number;
      /**
       * Days that files may be kept. Usual: 7.
       */
      cache_days?: number;
    };
  };
  android?: {
    /**
     * What shows the pages: a web view of the app’s own, or the user’s browser in full screen.
     */
    engine?: 'webview' | 'browser';
    /**
     * Name of the signing key under keys.
     */
    key?: string;
    /**
     * Name of the key under keys with which the store signs what users get.
     */
    store_key?: string;
    /**
     * Application ID, where it must differ from app.id.
     */
    id?: string;
    /**
     * A scheme of the app's own, whose addresses open in it: ferry in ferry://pier.html.
     */
    scheme?: string;
    /**
     * What the app is offered on.
     *
     * @minItems 1
     */
    devices?: ('phone' | 'tablet' | 'desktop')[];
    /**
     * What shows the pages where no installed browser presents them by itself: none of the app's own (a custom tab, else any browser), a custom tab, else the app's own web view; or that at once. A view of its own makes the package larger.
     */
    otherwise?: 'tab' | 'webview' | 'none';
    /**
     * What kind of app it is. Large screens turn every app but a game as they like, from API 36 on.
     */
    category?:
      'game' | 'audio' | 'video' | 'image' | 'social' | 'news' | 'maps' | 'productivity' | 'accessibility';
    /**
     * Whether what pages play goes on while the app is not on screen, with controls on the lock screen. For the webview engine: browsers do that by themselves.
     */
    background_audio?: boolean;
    /**
     * Oldest API level that the app is installed on, from 24.
     */
    min_sdk?: number;
  };
  apple?: {
    /**
     * Team ID of ten characters.
     */
    team?: string;
    /**
     * Bundle identifier, where it must differ from app.id.
     */
    id?: string;
    /**
     * Bundle identifier of the app clip, where there is one.
     */
    clip?: string;
    /**
     * Oldest version of the system that the app is installed on, as in 15.0.
     */
    min_version?: string;
    /**
     * Name of the signing identity in keys.
     */
    key?: string;
    /**
     * Provisioning profile: what the team may install, and where.
     */
    profile?: string;
    /**
     * Root certificate of a test authority in Apple's place, as hull drydock team makes one: PEM or DER. Devices trust Apple's own alone.
     */
    root?: string;
    /**
     * What the app is offered on.
     *
     * @minItems 1
     */
    devices?: ('phone' | 'tablet')[];
    /**
     * A scheme of the app's own; by default android.scheme.
     */
    scheme?: string;
    /**
     * Domains of hosted pages that may use service workers in the app; pages of other domains are then kept out of it.
     *
     * @minItems 1
     * @maxItems 10
     */
    app_bound_domains?: string[];
    /**
     * exempt: the app encrypts only what goes through the system's own TLS. own: it has encryption of its own, for which the store asks documents.
     */
    encryption?: 'exempt' | 'own';
  };
  /**
   * How the app is released: its listing, and what stores ask besides the package.
   */
  release?: {
    /**
     * Folder of the listing: texts by language, and pictures.
     */
    listing?: string;
    /**
     * Address of the privacy page, https.
     */
    privacy?: string;
    /**
     * Where users of the app reach its maker; stores show it.
     */
    contact?: {
      /**
       * Email address.
       */
      email?: string;
      /**
       * Address of a website.
       */
      website?: string;
      /**
       * Phone number with its country, as in +44 20 7946 0000.
       */
      phone?: string;
    };
    /**
     * For apps whose users have accounts.
     */
    accounts?: {
      /**
       * Address of the page where users delete their account; stores ask for it.
       */
      deletion: string;
      /**
       * How a reviewer signs in: where to ask for it, never a password.
       */
      review?: string;
    };
    /**
     * own: the app shows its maker's content. users: users publish to each other, which stores want to be moderated.
     */
    content?: 'own' | 'users';
    /**
     * Track that packages are sent to where none is named.
     */
    track?: string;
    /**
     * Groups of testers by track: email addresses of mailing groups.
     */
    testers?: {
      [k: string]: string[];
    };
    /**
     * What concerns Apple's store alone.
     */
    apple?: {
      /**
       * Issuer ID of the account's API keys, as App Store Connect shows it above them.
       */
      issuer?: string;
      /**
       * production, or the group of testers that packages are sent to where none is named.
       */
      track?: string;
      /**
       * Testers by the name of their group: email addresses.
       */
      testers?: {
        [k: string]: string[];
      };
    };
    /**
     * Whether users pay to install the app. An app that was free once stays free.
     */
    price?: 'free' | 'paid';
    /**
     * Kind of the developer account. Personal ones have to test with users before they release.
     */
    account?: 'personal' | 'organization';
    /**
     * Day on which the developer account was made, as in 2025-03-01.
     */
    account_since?: string;
    /**
     * What was declared in a store's console by hand, each with the day on which it was, as in 2026-11-29.
     */
    done?: {
      [k: string]: string;
    };
  };
  /**
   * Signing identities by name. Passwords never belong here.
   */
  keys?: {
    [k: string]: {
      [k: string]: unknown;
    } & {
      /**
       * PKCS#12 keystore.
       */
      file?: string;
      /**
       * Alias inside it; the only one where there is one.
       */
      alias?: string;
      /**
       * Certificate of a key that signs elsewhere, as a store's own does: PEM or DER.
       */
      certificate?: string;
      /**
       * Name of the key that this one succeeded (hull keys rotate).
       */
      succeeds?: string;
      /**
       * File in which every signer vouches for the next one.
       */
      lineage?: string;
      /**
       * API level from which this key counts instead of the one before: 28, or 33 and later. Default: 33.
       */
      since?: number;
    };
  };
}
