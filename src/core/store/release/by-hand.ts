import type { Finding } from '../../finding.js';
import type { StoreName } from '../../listing/languages.js';
import type { Project } from '../../project/project.js';

/** What is declared in a store's console, by a person: no API does it. */
interface ByHand {
  /** Key of `release.done`. */
  readonly key: string;
  readonly store: StoreName;
  readonly observed: string;
  readonly impact: string;
  /** What to enter, from the project where it says so; `undefined` where it does not concern this app. */
  readonly enter: (project: Project, facts: ByHandFacts) => string | undefined;
}

/** What is known of the app besides `hull.json`. */
export interface ByHandFacts {
  /** Categories of the web app manifest. */
  readonly categories: readonly string[];
  /** Whether pages have a field for a password. */
  readonly hasSignIn: boolean;
  /** Hosts that pages load from or send to, the app's own left out. */
  readonly hosts: readonly string[];
}

const NOTHING_ELSE = 'The store does not publish the app before that.';

/** Personal data by what `permissions` of `hull.json` give, in the words of the store's forms. */
const DATA: Readonly<Record<string, string>> = {
  geolocation: 'location (approximate and precise)',
  camera: 'photos and videos',
  microphone: 'voice or sound recordings',
  notifications: 'device or other IDs, where messages are pushed',
  'clipboard-read': 'other user-generated content',
};

function dataAnswers({ settings }: Project, { hosts, hasSignIn }: ByHandFacts): string {
  const data = Object.keys(settings.permissions).flatMap((name) => DATA[name] ?? []);
  if (hasSignIn) data.push('name, email address or user ID, for accounts');
  const collected =
    data.length === 0
      ? 'No permission of hull.json gives personal data: answer for what your server keeps.'
      : `Data that the app can get: ${data.join('; ')}. Say of each whether your server keeps it, and what for.`;
  const others =
    hosts.length === 0 ? '' : ` Pages also talk to ${hosts.slice(0, 5).join(', ')}: say what these get.`;
  return `${collected}${others} In transit it is encrypted${Object.keys(settings.web.insecure).length > 0 ? ', except to the hosts of web.insecure' : ''}.`;
}

/** Sources: Android console help, "Prepare your app for review"; App Store Connect reference, "App information". */
const BY_HAND: readonly ByHand[] = [
  {
    key: 'app_created',
    store: 'android',
    observed: 'An app is created in the console once; the API cannot.',
    impact: 'Until then the store knows no app of this ID.',
    enter: ({ settings: { app, android, release } }) =>
      `Create the app "${app.name}" in ${app.language ?? 'en'}, ${release.price === 'paid' ? 'paid' : 'free'}. Its ID, ${android.id}, comes with the first package and never changes.`,
  },
  {
    key: 'content_rating',
    store: 'android',
    observed: 'The content rating is a questionnaire of the console.',
    impact: NOTHING_ELSE,
    enter: ({ settings: { release, permissions } }) =>
      `Answer it for what is in the pages: ${release.content === 'users' ? 'users interact and publish' : 'users do not publish to each other'}; ${'geolocation' in permissions ? 'the app knows the location' : 'the app does not know the location'}.`,
  },
  {
    key: 'audience',
    store: 'android',
    observed: 'The target audience is declared in the console.',
    impact: NOTHING_ELSE,
    enter: () =>
      'Choose 18 and over, or 13 and over, unless the app is made for children: then other rules apply as well.',
  },
  {
    key: 'data_safety',
    store: 'android',
    observed: 'The data safety form is filled in by a person.',
    impact: 'The store shows it in the listing, and removes apps whose answers are wrong.',
    enter: dataAnswers,
  },
  {
    key: 'foreground_service',
    store: 'android',
    observed: 'The app keeps a service running while its pages play (android.background_audio).',
    impact: NOTHING_ELSE,
    enter: ({ settings: { android } }) =>
      android.engine === 'webview' && android.background_audio
        ? 'Under foreground service permissions, choose media playback, and show in a video that what is played goes on while another app is open.'
        : undefined,
  },
  {
    key: 'app_access',
    store: 'android',
    observed: 'Pages have a sign-in, which reviewers have to get past.',
    impact: 'Reviewers who cannot sign in reject the app.',
    enter: ({ settings: { release } }, { hasSignIn }) =>
      hasSignIn
        ? `Under app access, give an account for reviewers${release.accounts?.review === undefined ? '' : ` (${release.accounts.review})`}.`
        : undefined,
  },
  {
    key: 'ads',
    store: 'android',
    observed: 'Whether the app shows ads is declared in the console.',
    impact: NOTHING_ELSE,
    enter: () => 'Say no, unless your pages show ads.',
  },
  {
    key: 'category',
    store: 'android',
    observed: 'The category is chosen in the console.',
    impact: NOTHING_ELSE,
    enter: (_project, { categories }) =>
      categories.length === 0
        ? 'Choose one under store settings.'
        : `The web app manifest says ${categories.join(', ')}: choose the nearest one under store settings.`,
  },
  {
    key: 'privacy_policy',
    store: 'android',
    observed: 'The address of the privacy policy is entered in the console.',
    impact: NOTHING_ELSE,
    enter: ({ settings: { release } }) =>
      release.privacy === undefined ? undefined : `Enter ${release.privacy}`,
  },
  {
    key: 'price',
    store: 'android',
    observed: 'Price and countries are set in the console.',
    impact: 'An app that was free once can never cost anything to install.',
    enter: ({ settings: { release } }) =>
      `${release.price === 'paid' ? 'Set up a payments profile and the price' : 'Leave it free'}; choose the countries under production.`,
  },
  {
    key: 'apple_app_created',
    store: 'apple',
    observed: 'An app is created in App Store Connect once.',
    impact: 'Until then there is nothing to upload to.',
    enter: ({ settings: { app, apple } }) =>
      `Register the bundle ID ${apple.id}, then create the app "${app.name}" with it, language ${app.language ?? 'en'}.`,
  },
  {
    key: 'apple_age_rating',
    store: 'apple',
    observed: 'The age rating is a questionnaire.',
    impact: NOTHING_ELSE,
    enter: ({ settings: { release } }) =>
      `Answer it for what is in the pages${release.content === 'users' ? ': users publish, which has to be moderated' : ''}.`,
  },
  {
    key: 'apple_privacy',
    store: 'apple',
    observed: 'The privacy details are entered by a person.',
    impact: NOTHING_ELSE,
    enter: dataAnswers,
  },
  {
    key: 'apple_price',
    store: 'apple',
    observed: 'Price and availability are set there.',
    impact: NOTHING_ELSE,
    enter: ({ settings: { release } }) => (release.price === 'paid' ? 'Choose the price.' : 'Choose free.'),
  },
  {
    key: 'apple_review_sign_in',
    store: 'apple',
    observed: 'Pages have a sign-in, which reviewers have to get past.',
    impact: 'Reviewers who cannot sign in reject the app.',
    enter: ({ settings: { release } }, { hasSignIn }) =>
      hasSignIn
        ? `Under app review information, give an account for reviewers${release.accounts?.review === undefined ? '' : ` (${release.accounts.review})`}.`
        : undefined,
  },
];

/** Keys of `release.done`, for a store. */
export const doneKeys = (store: StoreName): string[] =>
  BY_HAND.filter((one) => one.store === store).map(({ key }) => key);

/** What is still to be done in a store's console; what `release.done` names is left out. */
export function byHandFindings(
  project: Project,
  store: StoreName,
  facts: ByHandFacts,
  today: string,
): Finding[] {
  const { done } = project.settings.release;
  return BY_HAND.flatMap(({ key, store: of, observed, impact, enter }): Finding[] => {
    const what = of === store && done[key] === undefined ? enter(project, facts) : undefined;
    if (what === undefined) return [];
    return [
      {
        code: `console.${key.replaceAll('_', '-')}`,
        severity: 'warning',
        location: project.location('/release/done'),
        observed,
        impact,
        fix: [what, ` Then note the day in hull.json: "${key}": "${today}" in release.done.`],
      },
    ];
  });
}
