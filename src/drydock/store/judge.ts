import { HullError } from '../../core/errors.js';
import { pictureFaults } from '../../core/listing/check.js';
import { PICTURE_CLASSES } from '../../core/listing/fields.js';
import { storeLanguages } from '../../core/listing/languages.js';
import { inspectPackage } from '../../core/platforms/android/inspect/inspect.js';
import type { AppState, Artifact, Release } from './model.js';
import { Refusal } from './refusal.js';

/** What the stand-in refuses, as the store does: packages, pictures, tracks, and an edit that is not whole. */

/** New apps and updates have to target this API level. */
const TARGET_SDK = 36;

const refuse = (status: number, reason: string, message: string) => new Refusal(status, reason, message);

/**
 * Judges an uploaded package with readers of our own.
 *
 * @param file where its bytes are
 * @throws Refusal
 */
export async function judgePackage(
  file: string,
  kind: Artifact['kind'],
  packageName: string,
  state: AppState,
): Promise<Pick<Artifact, 'build' | 'version' | 'certificate' | 'targetSdk'>> {
  let facts: Awaited<ReturnType<typeof inspectPackage>>;
  try {
    facts = await inspectPackage(file);
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    throw refuse(400, 'invalidPackage', `The package cannot be read: ${error.message}`);
  }
  if (facts.kind !== kind)
    throw refuse(
      400,
      'invalidPackage',
      `This is an ${facts.kind.toUpperCase()}, not an ${kind.toUpperCase()}.`,
    );
  if (facts.id !== packageName) {
    throw refuse(
      403,
      'apkPackageNameMismatch',
      `The package name ${facts.id} does not match ${packageName}.`,
    );
  }
  if (facts.debuggable)
    throw refuse(
      403,
      'apkDebuggable',
      'You uploaded a debuggable package. For security reasons it has to be signed for release.',
    );
  if (!facts.signature.verifies)
    throw refuse(403, 'apkUnsigned', 'The package is not signed, or its signature does not verify.');
  const build = facts.build ?? 0;
  if (build < 1 || build > 2_100_000_000)
    throw refuse(400, 'invalidVersionCode', `Version code ${build} is not from 1 to 2100000000.`);
  if (facts.sdk.target < TARGET_SDK) {
    throw refuse(
      403,
      'targetSdkTooLow',
      `The package targets API level ${facts.sdk.target}. It must target at least API level ${TARGET_SDK}.`,
    );
  }
  const certificates = facts.signature.schemes.flatMap(({ state: own, signers }) =>
    own === 'verified' ? signers.map(({ certificate }) => certificate?.sha256 ?? '') : [],
  );
  const certificate = certificates[0] ?? '';
  const known = state.artifacts.at(-1)?.certificate;
  if (known !== undefined && !certificates.includes(known)) {
    throw refuse(
      403,
      'apkSignatureMismatch',
      `The package is signed with the wrong key. Expected the certificate with SHA-256 ${known}, found ${certificate}.`,
    );
  }
  if (state.artifacts.some((one) => one.build === build))
    throw refuse(
      403,
      'apkUpgradeVersionConflict',
      `Version code ${build} has already been used. Try another version code.`,
    );
  if (facts.alignment.misaligned.some((path) => path.endsWith('.so')))
    throw refuse(
      403,
      'libraryAlignment',
      'The package has shared libraries that are not aligned to 16 KB pages.',
    );
  return { build, version: facts.version ?? null, certificate, targetSdk: facts.sdk.target };
}

/** Judges an uploaded picture. Throws {@link Refusal}. */
export async function judgePicture(type: string, bytes: Uint8Array): Promise<void> {
  const of = PICTURE_CLASSES.find((one) => one.store === 'android' && one.type === type);
  if (of === undefined) throw refuse(400, 'invalidImageType', `There is no image type ${type}.`);
  const [fault] = await pictureFaults(of, bytes);
  if (fault !== undefined) throw refuse(400, 'imageInvalid', `The image is refused as ${type}: ${fault}`);
}

export function judgeLanguage(language: string): void {
  if (!storeLanguages('android').includes(language))
    throw refuse(400, 'unsupportedLanguage', `The language ${language} is not supported.`);
}

/** Judges what a track would become. Throws {@link Refusal}. */
export function judgeTrack(
  track: string,
  releases: readonly Release[],
  before: readonly Release[],
  state: AppState,
): void {
  const builds = new Set(state.artifacts.map(({ build }) => build));
  const of = (status: Release['status']) => releases.filter((one) => one.status === status);
  if (of('completed').length > 1)
    throw refuse(400, 'invalidTrack', `Track ${track}: there can be at most one completed release.`);
  if (of('inProgress').length + of('halted').length > 1)
    throw refuse(400, 'invalidTrack', `Track ${track}: there can be at most one staged release.`);
  for (const { status, userFraction, versionCodes } of releases) {
    if ((status === 'inProgress' || status === 'halted') !== (userFraction !== undefined))
      throw refuse(
        400,
        'invalidTrack',
        `Track ${track}: a user fraction belongs to releases that are in progress or halted, and to no others.`,
      );
    if (versionCodes.length === 0)
      throw refuse(400, 'invalidTrack', `Track ${track}: a release has no version code.`);
    for (const code of versionCodes) {
      if (!builds.has(Number(code)))
        throw refuse(400, 'unknownVersionCode', `Version code ${code} was never uploaded.`);
    }
  }
  const newest = (some: readonly Release[]) =>
    Math.max(
      0,
      ...some
        .filter(({ status }) => status !== 'draft')
        .flatMap(({ versionCodes }) => versionCodes.map(Number)),
    );
  if (newest(releases) < newest(before)) {
    throw refuse(
      403,
      'downgrade',
      `You cannot roll out this release: users of ${track} have version code ${newest(before)}, and would not be updated to ${newest(releases)}.`,
    );
  }
}

/** What is missing before an edit can be published. Throws {@link Refusal}. */
export function judgeEdit(state: AppState): void {
  const isOut = (track: string) => (state.tracks[track] ?? []).some(({ status }) => status !== 'draft');
  const outside = Object.keys(state.tracks).filter((track) => track !== 'internal' && isOut(track));
  const language = state.details.defaultLanguage;
  if (outside.length === 0) return;
  const to = outside.join(', ');
  if (language === undefined)
    throw refuse(
      400,
      'noDefaultLanguage',
      `The app has no default language, and cannot be released to ${to}.`,
    );
  const listing = state.listings[language];
  if (!listing?.title || !listing.shortDescription || !listing.fullDescription)
    throw refuse(
      400,
      'incompleteListing',
      `The store listing in the default language ${language} is not complete; it cannot be released to ${to}.`,
    );
  for (const of of PICTURE_CLASSES.filter(({ store }) => store === 'android')) {
    const count = state.images[`${language}/${of.type}`]?.length ?? 0;
    if (count < of.least)
      throw refuse(
        400,
        'incompleteListing',
        `The store listing has ${count} images as ${of.type}; at least ${of.least} are needed for ${to}.`,
      );
  }
  if (!state.details.contactEmail)
    throw refuse(400, 'noContact', `The app has no contact email address, and cannot be released to ${to}.`);
}
