import { HullError } from '../../core/errors.js';
import { pictureFaults } from '../../core/listing/check.js';
import { PICTURE_CLASSES } from '../../core/listing/fields.js';
import { storeLanguages } from '../../core/listing/languages.js';
import type { IpaFacts } from '../../core/platforms/apple/inspect/facts.js';
import { inspectIpa } from '../../core/platforms/apple/inspect/inspect.js';
import { judgeStoreIpa } from '../../core/store/release/judge-ipa.js';
import { idOf, type Shelf, textOf } from './apple-shelf.js';
import type { StoredResource } from './model.js';
import { type AppleFault, AppleRefusal } from './refusal.js';

/** What the stand-in for Apple's store refuses: packages, pictures, languages, and a version that is not whole. */

export interface ExpectedBuild {
  readonly bundleId: string;
  readonly version: string;
  readonly build: string;
  /** Builds that the store has of this version. */
  readonly used: readonly string[];
  /** SHA-256 of the root that has to be trusted, in hexadecimal. */
  readonly root: string;
}

const wordsOf = (parts: { readonly observed: string }): string => parts.observed;

/** Judges an uploaded package with readers of our own. @returns its facts, or why it is refused */
export async function judgeBuild(
  file: string,
  { bundleId, version, build, used, root }: ExpectedBuild,
): Promise<{ readonly facts: IpaFacts | undefined; readonly faults: readonly string[] }> {
  let facts: IpaFacts;
  try {
    facts = await inspectIpa(file, root);
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    return { facts: undefined, faults: [`The package cannot be read: ${error.message}`] };
  }
  const faults = [
    ...(facts.id === bundleId ? [] : [`The bundle identifier is ${facts.id}, not ${bundleId}.`]),
    ...(facts.version === version && facts.build === build
      ? []
      : [`The package is ${facts.version} (${facts.build}), and ${version} (${build}) was announced.`]),
    ...(used.includes(build) ? [`Build ${build} of ${version} has been used already.`] : []),
    ...(facts.hasCatalog ? [] : ['Its icons are loose pictures: an asset catalog is missing.']),
    ...judgeStoreIpa(facts).map(wordsOf),
    ...facts.findings.filter(({ severity }) => severity === 'error').map(wordsOf),
  ];
  return { facts, faults: [...new Set(faults)] };
}

/** Why a picture is refused as one of a type; empty where it is not. */
export async function judgeScreenshot(type: string, bytes: Uint8Array): Promise<readonly string[]> {
  const of = PICTURE_CLASSES.find((one) => one.store === 'apple' && one.type === type);
  return of === undefined ? [`There is no display type ${type}.`] : pictureFaults(of, bytes);
}

export function judgeLocale(locale: string): void {
  if (storeLanguages('apple').includes(locale)) return;
  throw new AppleRefusal(409, {
    code: 'ENTITY_ERROR.ATTRIBUTE.INVALID',
    detail: `The locale ${locale} is not supported.`,
    pointer: '/data/attributes/locale',
  });
}

const required = (name: string, detail: string): AppleFault => ({
  code: 'ENTITY_ERROR.ATTRIBUTE.REQUIRED',
  detail,
  pointer: `/data/attributes/${name}`,
});

/** What is missing before a version can be submitted. Throws {@link AppleRefusal}. */
export function judgeVersion(shelf: Shelf, version: StoredResource): void {
  const app = shelf.find(version.app);
  const locale = app ? textOf(app, 'primaryLocale') : '';
  const of = (list: readonly StoredResource[]) => list.find((one) => textOf(one, 'locale') === locale);
  const texts = of(shelf.below('appStoreVersionLocalizations', 'appStoreVersion', version.id));
  const infos = shelf.all('appInfos', version.app).at(-1);
  const info = infos && of(shelf.below('appInfoLocalizations', 'appInfo', infos.id));
  const detail = shelf.below('appStoreReviewDetails', 'appStoreVersion', version.id)[0];
  const faults: AppleFault[] = [];
  const need = (owner: StoredResource | undefined, name: string, what: string) => {
    if (owner === undefined || textOf(owner, name) === '')
      faults.push(required(name, `You must provide a value for ${what} (${name}).`));
  };
  if (idOf(version, 'build') === '')
    faults.push({
      code: 'ENTITY_ERROR.RELATIONSHIP.REQUIRED',
      detail: 'You must choose a build.',
      pointer: '/data/relationships/build',
    });
  need(info, 'name', `the name in ${locale}`);
  need(info, 'privacyPolicyUrl', `the address of the privacy policy in ${locale}`);
  need(texts, 'description', `the description in ${locale}`);
  need(texts, 'keywords', `keywords in ${locale}`);
  need(texts, 'supportUrl', `the address of support in ${locale}`);
  need(detail, 'contactEmail', 'the email address for review');
  if (shelf.hasPublished(version.app)) need(texts, 'whatsNew', `what is new in ${locale}`);
  const phones = texts && shelf.below('appScreenshotSets', 'appStoreVersionLocalization', texts.id);
  const shots = phones
    ?.filter((set) => textOf(set, 'screenshotDisplayType') === 'APP_IPHONE_67')
    .flatMap((set) => shelf.below('appScreenshots', 'appScreenshotSet', set.id));
  if (shots === undefined || shots.every((one) => textOf(one, 'delivered') !== 'COMPLETE'))
    faults.push(
      required('appScreenshots', `You must provide at least one screenshot for phones in ${locale}.`),
    );
  if (faults.length === 0) return;
  throw new AppleRefusal(
    409,
    {
      code: 'STATE_ERROR.ENTITY_STATE_INVALID',
      detail: 'This resource cannot be reviewed, please check the associated errors.',
    },
    { [`/v1/appStoreVersions/${version.id}`]: faults },
  );
}
