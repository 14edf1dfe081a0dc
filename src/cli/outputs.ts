import type { ArtState } from '../core/art/make.js';
import type { ArtTarget } from '../core/art/plan.js';
import type { Proposal } from '../core/begin/begin.js';
import type { LargestPaint, SlowInteraction } from '../core/browser/vitals.js';
import type { Opener } from '../core/domains/explain-types.js';
import type { AppIds, DocumentKind } from '../core/domains/plan.js';
import type { Signer } from '../core/domains/signers.js';
import type { Severity } from '../core/finding.js';
import type { CertificateFacts } from '../core/keys/fingerprint.js';
import type { Change, Comparison, SizeChange } from '../core/packaging/comparison.js';
import type { RefitState } from '../core/packaging/exported-project.js';
import type { AttachedDevice } from '../core/platforms/android/bridge/bridge.js';
import type { PackageFacts } from '../core/platforms/android/inspect/facts.js';
import type { ResignReport } from '../core/platforms/android/package/resign.js';
import type { AppleDeviceFacts } from '../core/platforms/apple/device/install.js';
import type { InstalledApp } from '../core/platforms/apple/device/installation.js';
import type { IpaFacts } from '../core/platforms/apple/inspect/facts.js';
import type { IpaReport } from '../core/platforms/apple/package/pack.js';
import type { RefusedResigning, ResignedIpa } from '../core/platforms/apple/package/resign.js';
import type { AppleCertificate } from '../core/platforms/apple/signing/judge-certificate.js';
import type { ProfileKind } from '../core/platforms/apple/signing/profile.js';
import type { ExcludedFile } from '../core/site/folder.js';
import type { FailureAnswer, PageView } from '../core/survey/browser-facts.js';
import type { TimedRequest, Visit } from '../core/survey/speed/facts.js';
import type { SpeedChange } from '../core/survey/speed/trend.js';
import type { PackedBundle, VerifiedRecord } from '../core/tasks/pack-project.js';
import type { VersionState } from '../core/tasks/set-version.js';
import type { ShownKey } from '../core/tasks/show-key.js';
import type { VerifiedPackage } from '../core/tasks/sign-package.js';
import type { SourceProject } from '../core/tasks/source-project.js';
import type { WatchFact } from '../core/watch/events.js';
import type { JsonFinding, JsonLocation } from './terminal/json.js';
import type { JsonRelease, JsonTrack } from './terminal/releases.js';

/**
 * The documents of `--json`, without their envelope. The JSON Schemas in `schema/` are made from these types.
 *
 * Files are relative to the project, with `/`; sizes are bytes; times are ISO 8601; fingerprints are `AA:BB:…`.
 */
export interface Outputs {
  begin: BeginOutput;
  survey: SurveyOutput | RulesOutput;
  art: ArtOutput | ArtPlanOutput;
  tags: TagsOutput | TaggedOutput;
  preview: PreviewOutput;
  try: TryOutput;
  'keys new': NewKeyOutput;
  'keys request': RequestOutput;
  'keys import': ImportedKeyOutput;
  'keys show': ShownKeyOutput;
  'keys check': CheckedKeysOutput;
  'keys rotate': RotatedKeyOutput;
  sign: SignedOutput | SignedIpaOutput | RefusedIpaOutput | VerifiedOutput;
  'pack apk': PackedOutput | PackedBundleOutput | RecordOutput;
  'pack aab': PackedOutput | RecordOutput;
  'pack android-project': SourceProjectOutput;
  'pack ipa': IpaOutput;
  'pack apple-project': SourceProjectOutput;
  refit: RefitOutput;
  inspect: InspectOutput | InspectedIpaOutput;
  compare: CompareOutput;
  version: VersionOutput;
  install: InstallOutput | AppleInstallOutput;
  watch: WatchOutput;
  'domains write': WrittenDomainsOutput;
  'domains verify': VerifiedDomainsOutput;
  'domains explain': ExplainedOutput;
  'release listing': ListingOutput;
  'release check': CheckedReleaseOutput;
  'release send': SentOutput;
  'release status': StatusOutput;
  'release move': ChangedRolloutOutput;
  'release rollout': ChangedRolloutOutput;
  'release halt': ChangedRolloutOutput;
  'release resume': ChangedRolloutOutput;
  'catalog check': CheckedCatalogOutput;
  'catalog compare': CatalogOutput;
  'catalog send': CatalogOutput;
  'catalog module': ModuleOutput;
  'fleet list': FleetListOutput;
  'fleet pack': FleetPackOutput;
  hull: VersionInfoOutput;
  'fleet survey': FleetSurveyOutput;
  'fleet art': FleetArtOutput;
  'fleet domains': FleetDomainsOutput;
  'fleet compare': FleetCompareOutput;
  'fleet release': FleetReleaseOutput;
  serve: ServeOutput;
  'drydock device': DeviceOutput | AppleDeviceOutput;
  'drydock verifier': VerifierOutput;
  'drydock team': TeamOutput;
  'drydock store': StoreOutput;
  demo: DemoOutput;
}

export interface BeginOutput {
  readonly file: string;
  readonly values: readonly { readonly key: string; readonly value: string; readonly origin: string }[];
  readonly permissions: Proposal['permissions'];
  readonly links: Proposal['links'];
  readonly shortcuts: readonly { readonly name: string; readonly url: string }[];
  /** Address that what is shared is sent to. */
  readonly shareTarget: string | null;
  readonly notes: readonly string[];
  /** Files of a first listing for stores. */
  readonly listing: readonly string[];
}

export interface SurveyOutput {
  readonly site: {
    readonly kind: 'folder' | 'hosted';
    readonly name: string;
    readonly base: string;
    readonly start: string;
    readonly pages: number;
    readonly scripts: number;
    readonly styles: number;
    readonly files: number | null;
    readonly manifest: string | null;
    readonly workers: readonly { readonly url: string | null; readonly scope: string | null }[];
  };
  /** The app that it was judged for. */
  readonly target: {
    readonly packed: boolean;
    readonly hosted: boolean;
    readonly engine: 'webview' | 'browser';
    readonly edges: 'inset' | 'cover';
    /** Whether it is made for Apple's systems too. */
    readonly apple: boolean;
    /** Whether there was no hull.json to say so. */
    /** Whether several brands have these pages, each on a host of its own. */
    readonly sharesPages: boolean;
    readonly assumed: boolean;
  };
  /** Name and version of the browser that looked too. */
  readonly browser: string | null;
  /** Name and version of the engine of Apple's devices, where it was looked in. */
  readonly webkit: string | null;
  readonly counts: Readonly<
    Record<'error' | 'warning' | 'suggestion' | 'ignored' | 'passed' | 'notJudged', number>
  >;
  readonly findings: readonly (JsonFinding & {
    /** Whether an earlier report (`--baseline`) has it not; true for all without one. */
    readonly isNew: boolean;
    readonly title: string;
    readonly family: string;
  })[];
  readonly capabilities: readonly {
    readonly name: string;
    readonly does: string;
    readonly uses: number;
    readonly location: JsonLocation;
    readonly declared: boolean;
    /** Whether an app has to declare it. */
    readonly declare: boolean;
  }[];
  readonly rules: readonly {
    readonly code: string;
    readonly verdict: 'found' | 'passed' | 'ignored' | 'not-judged' | 'not-concerned';
    readonly because?: string;
    readonly reason?: string;
  }[];
  readonly views?: readonly Omit<PageView, 'screenshot'>[];
  /** How fast pages came, where that was measured. Times in ms, sizes in bytes. */
  readonly speed?: {
    /** Visits that each median is of. */
    readonly runs: number;
    /** The phone and network that were simulated. */
    readonly profile: {
      readonly processor: number;
      readonly down: number;
      readonly up: number;
      readonly latency: number;
    };
    readonly pages: readonly {
      readonly url: string;
      readonly visits: readonly (Omit<Visit, 'largest' | 'slowest'> & {
        readonly largest: LargestPaint | null;
        readonly slowest: SlowInteraction | null;
      })[];
      /** Of a visit of its own. */
      readonly requests: readonly (Omit<TimedRequest, 'keptFor'> & { readonly keptFor: number | null })[];
    }[];
    /** What is faster or slower than in the earlier report (`--baseline`), beyond the noise. */
    readonly changes: readonly SpeedChange[];
  };
  readonly failures?: {
    readonly offline: FailureAnswer;
    readonly notFound: FailureAnswer;
    readonly serverError: FailureAnswer;
  };
  /** The report, where it was written into a file. */
  readonly report?: string;
}

/** What `--explain` prints. */
export interface RulesOutput {
  readonly rules: readonly {
    readonly code: string;
    readonly family: string;
    readonly title: string;
    readonly severity: JsonFinding['severity'];
    readonly needs: readonly string[];
    readonly platforms: readonly string[];
    readonly engines: readonly string[];
    readonly source: string;
    readonly why: string;
  }[];
}

interface ImageOutput {
  readonly file: string;
  readonly target: ArtTarget;
  readonly source: string;
  readonly purpose: string;
  readonly scheme: 'light' | 'dark';
  /** px; 0 for drawings. */
  readonly width: number;
  readonly height: number;
  readonly format: string;
  readonly background: string;
  /** Share of the side that is kept by every mask. */
  readonly safe: number;
  /** Who asks for it. */
  readonly asks: string;
}

export interface ArtOutput {
  readonly planned: number;
  readonly counts: Readonly<Record<ArtState, number>>;
  readonly notes: readonly string[];
  readonly images: readonly (ImageOutput & { readonly state: ArtState; readonly size: number })[];
  /** What `look.icon` was set to, where it was. */
  readonly named: string | null;
}

/** What `--list` prints. */
export interface ArtPlanOutput {
  readonly images: readonly ImageOutput[];
}

export interface TagsOutput {
  readonly head: readonly string[];
  readonly style: string;
  /** Members of the manifest; of one that is live already those that it lacks (a JSON Merge Patch, RFC 7396). */
  readonly manifest: Readonly<Record<string, unknown>>;
  /** Of an app that has no web folder; else `null`. */
  readonly live: {
    readonly manifest: 'patch' | 'new' | 'unread';
    /** Why the host could not be read. */
    readonly why: string | null;
    readonly upload: { readonly folder: string; readonly url: string };
  } | null;
}

/** What `--write`, `--check` and `--remove` print. */
export interface TaggedOutput {
  readonly files: readonly {
    readonly file: string;
    readonly state: 'written' | 'unchanged' | 'removed' | 'off';
  }[];
  /** Name and version of the browser that the written pages were opened in; `null` where none was. */
  readonly browser: string | null;
  readonly findings: readonly JsonFinding[];
  /** What a build makes the pages from, where files show that there is one. */
  readonly templates: readonly string[];
  /** Members that only the build can add to the manifest, since it makes that. */
  readonly manifestForBuild: Readonly<Record<string, unknown>> | null;
}

export interface TryOutput {
  readonly app: {
    readonly file: string;
    readonly kind: 'apk' | 'aab' | 'ipa';
    readonly id: string;
    readonly name: string;
  };
  /** Where the page is, with the token that opens it. */
  readonly address?: string;
  /** What was done, in order; empty without `--steps`. */
  readonly steps: readonly {
    readonly name: string;
    readonly result: 'passed' | 'failed' | 'skipped';
    readonly milliseconds: number;
    /** Why it failed. */
    readonly why: string | null;
    readonly location: JsonLocation | null;
  }[];
}

export interface WatchOutput {
  readonly device: AttachedDevice | null;
  /** With `--png`. */
  readonly picture: { readonly file: string; readonly page: string } | null;
  /** What was seen, in order; `at` is a time (ISO 8601). */
  readonly events: readonly (WatchFact & { readonly at: string })[];
  /** How many more there were before these. */
  readonly dropped: number;
}

interface BrandError {
  readonly code: string;
  readonly message: string;
  readonly location: JsonLocation | null;
  readonly fix: string | null;
}

/** A brand that something was done for, or why not. */
interface BrandResult {
  readonly name: string;
  /** Why a change touches it (`--changed-since`). */
  readonly because: readonly string[] | null;
  readonly milliseconds: number;
  readonly error: BrandError | null;
}

/** What became of a brand where it was not done. */
type NotDone = 'failed' | 'skipped';

/** What `hull --version --json` prints. */
export interface VersionInfoOutput {
  readonly version: string;
  /** Of Node.js. */
  readonly node: string;
  /** Of its zlib, which compresses. */
  readonly zlib: string;
  readonly platform: string;
  readonly architecture: string;
}

export interface FleetListOutput {
  readonly brands: readonly {
    readonly name: string;
    readonly groups: readonly string[];
    /** Why a change touches it (`--changed-since`). */
    readonly because: readonly string[] | null;
    /** Null where the brand cannot be read. */
    readonly app: {
      readonly id: string;
      readonly name: string;
      readonly version: string;
      readonly build: number;
      readonly url: string | null;
    } | null;
    readonly error: BrandError | null;
  }[];
  /** What brands have in common that each should have of its own. */
  readonly findings: readonly JsonFinding[];
}

export interface FleetPackOutput {
  readonly brands: readonly (BrandResult & {
    readonly result: 'packed' | 'unchanged' | NotDone;
    readonly file: string | null;
    readonly size: number | null;
    /** Of the package, in hexadecimal. */
    readonly sha256: string | null;
  })[];
}

export interface FleetSurveyOutput {
  readonly brands: readonly (BrandResult & {
    readonly result: 'surveyed' | NotDone;
    readonly counts: Readonly<Record<Severity, number>> | null;
  })[];
  /** Each finding once, with the brands that have it. */
  readonly findings: readonly (JsonFinding & { readonly brands: readonly string[] })[];
}

export interface FleetArtOutput {
  readonly brands: readonly (BrandResult & {
    readonly result: 'complete' | 'incomplete' | NotDone;
    /** Images by their state. */
    readonly counts: Readonly<Record<string, number>> | null;
    readonly notes: readonly string[];
  })[];
}

export interface FleetDomainsOutput {
  readonly brands: readonly (BrandResult & {
    readonly result: 'verified' | 'not verified' | NotDone;
    readonly hosts: readonly {
      readonly host: string;
      readonly verified: boolean;
      readonly faults: readonly string[];
    }[];
    readonly documents: readonly { readonly file: string; readonly state: 'new' | 'changed' | 'same' }[];
  })[];
}

export interface FleetCompareOutput {
  readonly brands: readonly (BrandResult & {
    readonly result: 'current' | 'out of date' | 'unknown' | 'missing' | NotDone;
    readonly file: string | null;
    /** The package that it is compared with. */
    readonly before: string | null;
    /** Whether stores and devices take it as an update. */
    readonly accepted: boolean | null;
    /** Bytes; negative where it became smaller. */
    readonly grown: number | null;
    readonly changes: readonly string[];
    readonly findings: readonly JsonFinding[];
  })[];
}

export interface FleetReleaseOutput {
  readonly brands: readonly (BrandResult & {
    readonly result: 'checked' | 'sent' | 'there' | 'planned' | NotDone;
    readonly counts: Readonly<Record<Severity, number>> | null;
    readonly notJudged: readonly string[];
    readonly sent: {
      readonly file: string;
      readonly track: string;
      readonly version: string | null;
      readonly build: number;
      readonly changes: number;
    } | null;
  })[];
  /** Each finding once, with the brands that have it. */
  readonly findings: readonly (JsonFinding & { readonly brands: readonly string[] })[];
}

export interface PreviewOutput {
  readonly files: readonly { readonly file: string; readonly size: number }[];
  readonly shots: readonly {
    readonly file: string;
    readonly state: 'written' | 'kept';
    readonly size: number;
  }[];
  readonly browser: string | null;
  /** Why the pages themselves are not shown. */
  readonly noBrowser: string | null;
  readonly labels: readonly {
    readonly on: string;
    readonly of: string;
    readonly shown: string;
    readonly isCut: boolean;
  }[];
  readonly screens: readonly {
    readonly device: string;
    readonly orientation: 'portrait' | 'landscape';
    readonly scheme: 'light' | 'dark';
    /** The app for the platform, or the web app on Apple's home screen. */
    readonly shows: 'android-app' | 'apple-app' | 'web-clip';
    readonly start: 'splash' | 'launch' | 'image' | 'white';
    /** Whether the page itself is shown. */
    readonly page: boolean;
    readonly notes: readonly string[];
  }[];
  readonly permissions: readonly {
    readonly name: string;
    readonly reason: string;
    readonly android: string;
    readonly apple: string;
  }[];
  readonly findings: readonly JsonFinding[];
}

export interface NewKeyOutput {
  readonly name: string;
  readonly file: string;
  readonly alias: string;
  readonly certificate: CertificateFacts;
}

export interface RequestOutput {
  readonly name: string;
  readonly key: string;
  readonly request: string;
}
export interface ImportedKeyOutput extends NewKeyOutput {
  readonly apple: AppleCertificate | null;
  readonly request: string | null;
  readonly from: { readonly file: string; readonly kind: string };
  readonly findings: readonly JsonFinding[];
}

export interface ShownKeyOutput {
  readonly name: string | null;
  readonly file: string;
  readonly alias: string | null;
  readonly certificate: CertificateFacts;
  readonly apple: AppleCertificate | null;
  readonly fingerprints: ShownKey['fingerprints'];
  readonly findings: readonly JsonFinding[];
  readonly lineage: readonly { readonly certificate: CertificateFacts; readonly keeps: readonly string[] }[];
}

export interface CheckedKeysOutput {
  readonly keys: readonly string[];
  readonly ends: readonly { readonly what: string; readonly date: string }[];
  readonly findings: readonly JsonFinding[];
  readonly sheet: string | null;
}

export interface RotatedKeyOutput {
  readonly file: string;
  readonly since: number;
  readonly keeps: readonly string[];
  readonly lineage: readonly CertificateFacts[];
}

export type SignedOutput = ResignReport;

/** An `.ipa` that was signed. */
export interface SignedIpaOutput extends Omit<ResignedIpa, 'findings'> {
  readonly kind: 'ipa';
  readonly findings: readonly JsonFinding[];
}

/** Why an `.ipa` was not signed. */
export interface RefusedIpaOutput extends Omit<RefusedResigning, 'findings'> {
  readonly kind: 'ipa';
  readonly findings: readonly JsonFinding[];
}

/** What `--verify-only` prints. */
export type VerifiedOutput = VerifiedPackage;

export interface PackedOutput {
  readonly file: string;
  readonly kind: 'apk' | 'aab';
  readonly size: number;
  readonly sha256: string;
  readonly certificate: string;
  readonly parts: Readonly<Record<'shell' | 'art' | 'web' | 'signature', number>>;
  readonly files: { readonly packed: number; readonly leftOut: number };
  readonly excluded: readonly ExcludedFile[];
  readonly record: string | null;
  /** The statement of origin, where a record was asked for. */
  readonly provenance: string | null;
  readonly findings: readonly JsonFinding[];
  readonly milliseconds: number;
}

/** What `--from` prints. */
export type PackedBundleOutput = PackedBundle;

/** What `--verify-record` prints. */
export type RecordOutput = VerifiedRecord;

export type SourceProjectOutput = SourceProject;

export type RefitOutput =
  | { readonly schema: 'unchanged' | 'updated' }
  | {
      readonly counts: Readonly<Record<RefitState, number>>;
      /** Files that are not as they were. */
      readonly files: readonly { readonly path: string; readonly state: RefitState }[];
    };

export interface InspectOutput extends PackageFacts {
  /** The page with a map of sizes, where one was written. */
  readonly page: string | null;
  /** Where it comes from, where that was asked for. */
  readonly provenance: {
    readonly file: string;
    readonly verified: boolean;
    readonly faults: readonly string[];
    readonly notJudged: readonly string[];
    readonly signer: { readonly subject: string; readonly sha256: string } | null;
    readonly version: string;
    readonly brand: string | null;
    readonly inputs: readonly {
      readonly name: string | null;
      readonly uri: string | null;
      readonly digest: Readonly<Record<string, string>>;
    }[];
  } | null;
}

export interface InspectedIpaOutput extends Omit<IpaFacts, 'findings'> {
  readonly findings: readonly JsonFinding[];
  /** The page with the map of sizes, where one was written. */
  readonly page: string | null;
}

interface ComparedPackage {
  readonly file: string;
  readonly id: string;
  readonly version: string | null;
  /** A text for packages of Apple's systems. */
  readonly build: number | string | null;
  readonly size: number;
}

export interface CompareOutput {
  readonly old: ComparedPackage;
  readonly new: ComparedPackage;
  readonly updates: boolean;
  readonly findings: readonly JsonFinding[];
  readonly changes: readonly Change[];
  readonly sizes: readonly SizeChange[];
  readonly files: Comparison['files'];
}

export interface VersionOutput extends VersionState {
  readonly before: VersionState | null;
  /** The package that users have, where one was named. */
  readonly against: {
    readonly file: string;
    readonly version: string | null;
    readonly build: number | null;
  } | null;
}

export interface InstallOutput {
  readonly platform: 'android';
  readonly file: string;
  readonly size: number;
  readonly id: string;
  readonly version: string | null;
  readonly build: number | null;
  readonly device: AttachedDevice;
  readonly sdk: number;
  readonly started: boolean;
}

export interface AppleInstallOutput {
  readonly platform: 'apple';
  readonly file: string;
  readonly size: number;
  readonly id: string;
  readonly version: string | null;
  readonly build: string | null;
  readonly device: AppleDeviceFacts;
  /** What the device had of this app before. */
  readonly before: InstalledApp | null;
  /** Apps on Apple devices are opened by hand. */
  readonly started: false;
  /** What somebody has to do on the device before the app opens. */
  readonly onDevice: readonly string[];
}

export interface WrittenDomainsOutput {
  readonly check: boolean;
  readonly documents: readonly {
    readonly kind: DocumentKind | 'manifest';
    readonly hosts: readonly string[];
    readonly path: string;
    readonly file: string;
    readonly state: 'new' | 'changed' | 'same';
  }[];
  /** Live documents that were merged, and why others were not. */
  readonly live: { readonly merged: readonly string[]; readonly missing: readonly string[] };
  readonly certificates: readonly Signer[];
  readonly apps: AppIds;
  readonly associatedDomains: { readonly release: readonly string[]; readonly developer: readonly string[] };
}

export interface VerifiedDomainsOutput {
  readonly verified: boolean;
  readonly local: boolean;
  readonly packages: readonly string[];
  readonly hosts: readonly {
    readonly host: string;
    readonly platforms: readonly {
      readonly platform: DocumentKind;
      readonly verified: boolean;
      readonly says: string;
      readonly findings: readonly JsonFinding[];
    }[];
    readonly findings: readonly JsonFinding[];
  }[];
}

interface ExplainedPlatform {
  readonly opens: Opener;
  readonly rule: string;
  readonly location: JsonLocation | null;
  readonly before: { readonly version: string; readonly opens: Opener } | null;
  readonly steps?: readonly {
    readonly holds: boolean;
    readonly text: string;
    readonly location: JsonLocation | null;
  }[];
}

export interface ExplainedOutput {
  readonly answers: readonly {
    readonly url: string;
    readonly android?: ExplainedPlatform;
    readonly apple?: ExplainedPlatform;
    readonly web?: ExplainedPlatform;
  }[];
}

export interface ServeOutput {
  readonly folder: string;
  readonly hosts: readonly string[];
  readonly http: { readonly url: string; readonly port: number };
  readonly https: {
    readonly url: string;
    readonly port: number;
    readonly names: readonly string[];
    /** File of the authority's certificate. */
    readonly authority: string;
    readonly pem: string;
  } | null;
  readonly fault: string | null;
}

export interface DeviceOutput {
  readonly platform: 'android';
  readonly address: string;
  readonly sdk: number;
  readonly dir: string;
  /** Where its screen is, with the token that opens it; null where there is no browser. */
  readonly screen: string | null;
  /** Port at which a bridge connects to it as to a device. */
  readonly transport: number | null;
}

export interface AppleDeviceOutput {
  readonly platform: 'apple';
  readonly address: string;
  /** UDID. */
  readonly serial: string;
  readonly system: string;
  readonly dir: string;
  readonly screen: string | null;
}

export interface VerifierOutput {
  readonly address: string;
  readonly hosts: readonly string[];
  readonly token: string;
}

export interface DemoOutput {
  readonly folder: string;
  readonly package: string;
  /** The document of each step, by its title. */
  readonly steps: Readonly<Record<string, unknown>>;
}

/** What every document begins with. */
interface Envelope<C extends string> {
  /** Rises where a member changes its meaning or goes away. */
  readonly format: 1;
  /** The words of the command. */
  readonly command: C;
  /** Whether it exits with 0. */
  readonly ok: boolean;
}

/** What a command prints instead when it fails. */
export interface ErrorDocument {
  readonly format: 1;
  readonly command: string;
  readonly ok: false;
  readonly error: {
    /** As in docs/errors.md; `internal` for a fault of the program itself. */
    readonly code: string;
    readonly message: string;
    readonly location: JsonLocation | null;
    readonly fix: string | null;
  };
}

/** Each command's whole document, with its envelope. */
export type Documents = { readonly [C in keyof Outputs]: (Envelope<C> & Outputs[C]) | ErrorDocument };

export interface IpaOutput {
  /** Missing where identity, profile and app do not fit together: the findings say why. */
  readonly packed: {
    readonly file: string;
    readonly platform: 'device' | 'simulator';
    readonly size: number;
    readonly sha256: string;
    readonly parts: IpaReport['parts'];
    readonly files: IpaReport['files'];
    /** By which systems name the program: one a slice. */
    readonly cdhashes: readonly string[];
    readonly excluded: readonly ExcludedFile[];
    readonly profile: {
      readonly name: string;
      readonly kind: ProfileKind;
      readonly team: string | null;
      readonly expires: string | null;
      /** How many it names; missing where its kind names none. */
      readonly devices: number | null;
    } | null;
    readonly milliseconds: number;
  } | null;
  readonly findings: readonly JsonFinding[];
}

export interface TeamOutput {
  readonly team: string;
  readonly key: string;
  readonly keystore: string;
  readonly profile: string;
  readonly root: string;
  readonly expires: string;
}

/** Which store, and whether it is a stand-in on this computer. */
interface StoreReached {
  /** Base address of its API. */
  readonly store: string;
  readonly isStandIn: boolean;
}

export interface SentOutput extends StoreReached {
  readonly id: string;
  readonly track: string;
  readonly file: string;
  readonly size: number;
  readonly build: number;
  readonly version: string | null;
  /** Whether anything was changed in the store. */
  readonly isSent: boolean;
  /** Whether the track had this release already. */
  readonly isReleased: boolean;
  /** Whether the store had the package already. */
  readonly wasThere: boolean;
  readonly release: JsonRelease;
  readonly before: JsonTrack | null;
  /** What differs in listing, pictures, contact and testers. */
  readonly changes: readonly {
    readonly what: string;
    readonly before: string | null;
    readonly after: string;
    readonly location: JsonLocation;
  }[];
  readonly testerLink: string | null;
}

export interface StatusOutput extends StoreReached {
  readonly id: string;
  /** The highest build that was ever uploaded; 0 for none. */
  readonly newestBuild: number;
  readonly tracks: readonly (JsonTrack & { readonly testerLink: string | null })[];
}

export interface ChangedRolloutOutput extends StoreReached {
  readonly before: JsonTrack | null;
  readonly after: JsonTrack;
  readonly testerLink: string | null;
}

export interface StoreOutput {
  readonly address: string;
  readonly app: string;
  /** Keys of service accounts: one that releases, one that may only look, one of another developer. */
  readonly accounts: readonly string[];
  readonly apple: {
    /** Bundle ID. */
    readonly app: string;
    /** Whose the first two keys are, and the third. */
    readonly issuer: string;
    readonly otherIssuer: string;
    /** Keys of App Store Connect’s API, for the same three. */
    readonly accounts: readonly string[];
  };
  /** Milliseconds that a review takes; `null` until a person decides. */
  readonly review: number | null;
}

export interface ListingOutput {
  readonly folder: string;
  /** Each file with what it was made from. */
  readonly written: readonly { readonly file: string; readonly origin: string }[];
  /** Files that were there already, and were not touched. */
  readonly kept: readonly string[];
  readonly notes: readonly string[];
}

export interface CheckedReleaseOutput {
  /** The package that was judged. */
  readonly file: string | null;
  readonly stores: readonly {
    readonly store: 'android' | 'apple';
    readonly counts: Readonly<Record<'error' | 'warning' | 'suggestion', number>>;
    /** Worst first. */
    readonly findings: readonly JsonFinding[];
    /** What could not be judged, and why. */
    readonly notJudged: readonly string[];
  }[];
}

export interface CheckedCatalogOutput {
  readonly file: string;
  readonly items: number;
  readonly counts: Readonly<Record<'error' | 'warning' | 'suggestion', number>>;
  readonly findings: readonly JsonFinding[];
}

export interface CatalogOutput extends StoreReached {
  readonly file: string;
  readonly isSent: boolean;
  readonly changes: readonly {
    readonly id: string;
    /** `leave`: in the store only. */
    readonly do: 'create' | 'update' | 'activate' | 'deactivate' | 'leave';
    readonly fields: readonly {
      readonly field: string;
      readonly before: string | null;
      readonly after: string;
      readonly location: JsonLocation;
    }[];
  }[];
}

export interface ModuleOutput {
  readonly files: readonly { readonly file: string; readonly state: 'written' | 'unchanged' }[];
}
