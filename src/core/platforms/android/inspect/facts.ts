import type { BundleSettings } from '../../../formats/aab/config.js';
import type { CertificateFacts } from '../../../keys/fingerprint.js';
import type { LinkFilter } from '../../../links/intent-filter.js';
import type { LineageCapability } from '../signing/lineage.js';
import type { SchemeResult, SignatureReport } from '../signing/report.js';
import type { Download, Duplicate } from './contents.js';
import type { PackageKind } from './package-kind.js';

/** Which app a package is. */
export interface PackageIdentity {
  readonly kind: PackageKind;
  readonly file: string;
  /** Bytes. */
  readonly size: number;
  readonly id: string;
  readonly version: string | undefined;
  readonly build: number | undefined;
  readonly debuggable: boolean;
}

/** How home screens show an app. */
export interface PackageFace extends PackageIdentity {
  readonly name: string | undefined;
  /** Below its icon. */
  readonly label: string | undefined;
  /** The largest drawn icon: PNG or WebP. */
  readonly icon: Uint8Array | undefined;
  /** The icon's menu, as far as it names pages. */
  readonly shortcuts: readonly { readonly name: string; readonly url: string }[];
}

/** Everything that is known of a package. Sizes in bytes. */
export interface PackageFacts extends PackageIdentity {
  readonly label: string | undefined;
  readonly launcherLabel: string | undefined;
  readonly sdk: { readonly min: number; readonly target: number; readonly max?: number };
  readonly permissions: readonly PermissionFacts[];
  readonly features: readonly { readonly name: string; readonly required: boolean }[];
  readonly components: readonly ComponentFacts[];
  /** Filters for links of the web, over all components. */
  readonly linkFilters: readonly LinkFilter[];
  /** Hosts that the app says it belongs to (Digital Asset Links, "asset_statements"). */
  readonly belongsTo: readonly string[];
  readonly network: NetworkFacts;
  readonly icons: readonly { readonly path: string; readonly density: string; readonly size: number }[];
  readonly sizes: readonly SizeShare[];
  readonly entries: {
    readonly count: number;
    readonly largest: readonly { path: string; size: number; packed: number }[];
  };
  readonly alignment: {
    readonly resourceTable: 'aligned' | 'misaligned' | 'compressed' | 'none';
    readonly misaligned: readonly string[];
  };
  /** Files with the same content. */
  readonly duplicates: readonly Duplicate[];
  /** What kinds of devices download, by estimate. */
  readonly downloads: readonly Download[];
  /** What the store would say to the size. */
  readonly limits: readonly string[];
  /** Only of bundles. */
  readonly bundle?: {
    readonly modules: readonly { readonly name: string; readonly files: number; readonly packed: number }[];
    readonly splits: BundleSettings['splits'];
    readonly uncompressed: readonly string[];
  };
  /** Every file, for a map of sizes. */
  readonly files: readonly {
    readonly path: string;
    /** Which resource it is, by the package's own table: `mipmap/icon, 160 dpi`. */
    readonly resource?: string;
    readonly size: number;
    readonly packed: number;
    readonly crc32: number;
  }[];
  readonly signature: SignatureFacts;
}

export interface PermissionFacts {
  readonly name: string;
  readonly maxSdk?: number;
  readonly meaning: string | undefined;
  readonly granted: 'install' | 'asked' | 'special' | undefined;
  /** What the app says before the system asks, in packages of ours. */
  readonly reason?: string;
}

export interface ComponentFacts {
  readonly kind: 'activity' | 'activity-alias' | 'service' | 'receiver' | 'provider';
  readonly name: string;
  readonly exported: boolean;
  readonly launcher: boolean;
  /** Links that open this component, as `scheme://host/path` patterns. */
  readonly links: readonly {
    readonly pattern: string;
    /** Whether the package asks the device to verify it (`android:autoVerify`): that says nothing of the host. */
    readonly declared: boolean;
    /** Left out rather than opened. */
    readonly excluded?: true;
    /** API level from which the platform knows it. */
    readonly since?: number;
    /** API level from which it counts no more. */
    readonly before?: number;
  }[];
  readonly actions: readonly string[];
}

export interface NetworkFacts {
  /** Whether plain http is allowed where no exception says otherwise. */
  readonly cleartext: boolean;
  readonly exceptions: readonly {
    readonly host: string;
    readonly subdomains: boolean;
    readonly cleartext: boolean;
    readonly reason?: string;
  }[];
}

export interface SizeShare {
  readonly part:
    | 'code'
    | 'libraries'
    | 'resources'
    | 'assets'
    | 'manifest'
    | 'signature'
    | 'other'
    | 'structure';
  readonly packed: number;
  readonly unpacked: number;
  readonly files: number;
}

export interface SignatureFacts {
  readonly verifies: boolean;
  readonly verdict: SignatureReport['verdict'];
  readonly gaps: readonly string[];
  readonly schemes: readonly {
    readonly scheme: SchemeResult['scheme'];
    readonly state: SchemeResult['state'];
    readonly faults: readonly string[];
    readonly signers: readonly {
      readonly algorithms: readonly string[];
      readonly levels?: { readonly min: number; readonly max: number };
      readonly certificate: CertificateFacts | undefined;
      /** The signers before, the oldest first. */
      readonly lineage?: readonly {
        readonly certificate: CertificateFacts | undefined;
        readonly keeps: readonly LineageCapability[];
      }[];
    }[];
  }[];
}
