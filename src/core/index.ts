/**
 * The library: one function for each thing that a user asks for, as the command line calls them.
 *
 * @example Pack a signed Android package from a build script
 * ```js
 * import { packProject } from 'jolly-hull';
 *
 * const { file, sha256 } = await packProject({ project: '.', password: () => readSecret('ferry-key') });
 * ```
 *
 * @packageDocumentation
 */

export type { App } from './app/app.js';
export type { ArtResult, ArtState } from './art/make.js';
export type { ArtRow, ArtTarget } from './art/plan.js';
export type { BeginAnswers, BeginKey, Found } from './begin/values.js';
export { findBrowser } from './browser/find.js';
export type { BrowserOptions } from './browser/launch.js';
export type { PlatformAnswer, UrlAnswer } from './domains/explain-types.js';
export type { HostVerdict, PlatformVerdict } from './domains/verify.js';
export {
  ERROR_CODES,
  type ErrorCode,
  type ExitCode,
  type Fix,
  formatFix,
  formatLocation,
  HullError,
  type Location,
  type SayTask,
  type Task,
  type TaskName,
} from './errors.js';
export { bySeverity, countBySeverity, type Finding, reaches, SEVERITIES, type Severity } from './finding.js';
export type { CertificateFacts } from './keys/fingerprint.js';
export type { Change, Comparison } from './packaging/comparison.js';
export type { AndroidOptions } from './platforms/android/app/options.js';
export type { BridgeAddress } from './platforms/android/bridge/bridge.js';
export type { PackageFacts } from './platforms/android/inspect/facts.js';
export { inspectPackage } from './platforms/android/inspect/inspect.js';
export type { PackageKind } from './platforms/android/inspect/package-kind.js';
export type { IpaFacts } from './platforms/apple/inspect/facts.js';
export type { Preview } from './preview/types.js';
export type { HullConfig } from './project/config.js';
export { type Project, type ProjectSource, readProject } from './project/project.js';
export type { Site } from './site/site.js';
export { reportHtml } from './survey/report-html.js';
export { reportSarif } from './survey/report-sarif.js';
export type { Rule } from './survey/rule.js';
export { RULES } from './survey/rules/all.js';
export type { SurveyReport } from './survey/survey.js';
export {
  type BeginOptions,
  type BegunProject,
  beginProject,
  type ProjectDraft,
} from './tasks/begin-project.js';
export {
  type ChangedRollout,
  changeRollout,
  type RolloutChange,
  type RolloutOptions,
} from './tasks/change-rollout.js';
export { type CheckedKeys, type CheckKeysOptions, checkKeys } from './tasks/check-keys.js';
export {
  type CheckedRelease,
  type CheckReleaseOptions,
  checkRelease,
  type StoreCheck,
} from './tasks/check-release.js';
export { type ComparedFiles, compareFiles } from './tasks/compare-files.js';
export { type CreatedKey, type CreateKeyOptions, createKey, type Subject } from './tasks/create-key.js';
export {
  type AskedUrl,
  type ExplainedLinks,
  type ExplainLinksOptions,
  explainLinks,
} from './tasks/explain-links.js';
export { type BrandArt, type FleetArtOptions, makeFleetArt } from './tasks/fleet/art.js';
export { type FleetOptions, type ListedBrand, type ListedFleet, listFleet } from './tasks/fleet/brands.js';
export { type BrandComparison, compareFleet, type FleetCompareOptions } from './tasks/fleet/compare.js';
export {
  type BrandDomains,
  type BrandHost,
  type FleetDomainsOptions,
  fleetDomains,
} from './tasks/fleet/domains.js';
export { type BrandPackage, type FleetPackOptions, packFleet } from './tasks/fleet/pack.js';
export { type BrandRelease, type FleetReleaseOptions, releaseFleet } from './tasks/fleet/release.js';
export type { BrandRun, FleetRunOptions } from './tasks/fleet/run.js';
export {
  type BrandSurvey,
  type FleetSurveyOptions,
  type SharedFinding,
  type SurveyedFleet,
  surveyFleet,
} from './tasks/fleet/survey.js';
export type { DomainsOptions } from './tasks/gather-domains.js';
export type { HostAccess } from './tasks/host-access.js';
export { type ImportedKey, type ImportKeyOptions, importKey, type KeyChoice } from './tasks/import-key.js';
export { inspectFile } from './tasks/inspect-file.js';
export { type InstalledPackage, type InstallOptions, installPackage } from './tasks/install-package.js';
export { type ArtOptions, listArt, type MadeArt, makeArt, type PlannedImage } from './tasks/make-art.js';
export type { StoreOptions } from './tasks/open-store.js';
export { type IpaResult, type PackIpaOptions, packForApple } from './tasks/pack-ipa.js';
export {
  type PackedBundle,
  type PackedProject,
  type PackFromOptions,
  type PackOptions,
  packFromBundle,
  packProject,
  type VerifiedRecord,
  type VerifyRecordOptions,
  verifyRecord,
} from './tasks/pack-project.js';
export type { Keystore, PasswordOf } from './tasks/passwords.js';
export { type PreviewedProject, type PreviewOptions, previewProject } from './tasks/preview-project.js';
export { type ProposeListingOptions, proposeListing, type WrittenListing } from './tasks/project-listing.js';
export type { SiteReading } from './tasks/read-site.js';
export {
  type ChangedRelease,
  type ReleaseStatus,
  releaseStatus,
  type StatusOptions,
  type WaitOptions,
  waitForRelease,
} from './tasks/release-status.js';
export {
  type PendingRequest,
  type RequestCertificateOptions,
  requestCertificate,
} from './tasks/request-certificate.js';
export { type RotatedKey, type RotateKeyOptions, rotateKey } from './tasks/rotate-key.js';
export { type SendOptions, type SentRelease, sendRelease } from './tasks/send-release.js';
export {
  type SetVersionOptions,
  setVersion,
  type VersionChange,
  type VersionState,
} from './tasks/set-version.js';
export { type ShowKeyOptions, type ShownKey, showKey } from './tasks/show-key.js';
export type { SignOptions } from './tasks/sign-options.js';
export { signPackage, type VerifiedPackage, verifyPackage } from './tasks/sign-package.js';
export {
  packSourceProject,
  type RefitOptions,
  type Refitted,
  refitProject,
  type SourceProject,
  type SourceProjectOptions,
} from './tasks/source-project.js';
export { type SurveyOptions, surveyProject } from './tasks/survey-project.js';
export {
  type TriedApp,
  type TriedSteps,
  type TryOptions,
  type TryStepsOptions,
  tryApp,
  trySteps,
} from './tasks/try-app.js';
export { type VerifiedDomains, type VerifyDomainsOptions, verifyDomains } from './tasks/verify-domains.js';
export {
  pictureOfApp,
  type WatchedPicture,
  type WatchOptions,
  watchApp,
} from './tasks/watch-app.js';
export { type WriteDomainsOptions, type WrittenDomains, writeDomains } from './tasks/write-domains.js';
export {
  type LiveApp,
  type PrintedTags,
  printTags,
  type TagsOptions,
  type WriteTagsOptions,
  type WrittenTags,
  writeTags,
} from './tasks/write-tags.js';
