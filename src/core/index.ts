/** The public library: what the command line calls, for build scripts to call too. */

export { findIconSource } from './android/icon-source.js';
export { type ApkFacts, inspectApk } from './android/inspect.js';
export { type PackReport, type PackRequest, packApk } from './android/pack.js';
export { type App, readApp } from './app.js';
export { type IconSource, type LauncherIcon, launcherIcon } from './art/launcher-icon.js';
export { type BeginAnswers, type Proposal, proposeProject, renderConfig } from './begin.js';
export { ERROR_CODES, type ErrorCode, type ExitCode, formatPlace, HullError, type Place } from './errors.js';
export { createIdentity, type IdentityRequest } from './keys/create.js';
export { type CertificateFacts, certificateFacts, fingerprint } from './keys/fingerprint.js';
export { chooseKey, openIdentity } from './keys/open.js';
export { type KeystoreEntry, readPkcs12, writePkcs12 } from './keys/pkcs12.js';
export { appIdFault, checkAppId } from './project/app-id.js';
export type { HullConfig } from './project/config.js';
export { type Project, readProject } from './project/project.js';
export type { SigningIdentity } from './signing/sign.js';
export { type ApiLevels, type SignatureReport, verifySignatures } from './signing/verify.js';
export { type CrawlOptions, crawlSite } from './site/crawl.js';
export { listWebFolder, lookThroughFolder, type WebFile, type WebFolder } from './site/folder.js';
export { type ReadFolderOptions, readFolderSite } from './site/read-folder.js';
export type { Site } from './site/site.js';
export { type BrowserOptions, browseSite } from './survey/browser/run.js';
export { reportHtml } from './survey/report-html.js';
export { reportJson } from './survey/report-json.js';
export { reportSarif } from './survey/report-sarif.js';
export type { Finding, Rule } from './survey/rule.js';
export { RULES } from './survey/rules/all.js';
export { type SurveyReport, surveySite } from './survey/survey.js';
