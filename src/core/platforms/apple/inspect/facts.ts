import type { Finding } from '../../../finding.js';
import type { CertificateFacts } from '../../../keys/fingerprint.js';
import type { ProfileKind } from '../signing/profile.js';

/** Everything that is known of an app package of Apple's systems. Sizes in bytes. */
export interface IpaFacts {
  readonly kind: 'ipa';
  readonly file: string;
  readonly size: number;
  readonly id: string;
  readonly name: string;
  readonly version: string | undefined;
  readonly build: string | undefined;
  readonly minVersion: string | undefined;
  readonly platforms: readonly string[];
  readonly devices: readonly ('phone' | 'tablet' | 'tv' | 'watch' | 'vision')[];
  readonly languages: readonly string[];
  /** The vendor's SDK and tools that built it, as it says; `undefined` for packages that others' tools made. */
  readonly sdk: string | undefined;
  readonly slices: readonly SliceFacts[];
  /** What the system asks users, with the texts that they read. */
  readonly permissions: readonly { readonly key: string; readonly reason: string }[];
  /** Associated domains, as the entitlement has them. */
  readonly domains: readonly string[];
  readonly schemes: readonly string[];
  readonly transport: {
    /** Whether plain http is allowed everywhere. */
    readonly arbitrary: boolean;
    /** Hosts to which it is allowed. */
    readonly hosts: readonly string[];
  };
  readonly privacy:
    | {
        readonly tracking: boolean;
        readonly domains: readonly string[];
        readonly collected: readonly string[];
        readonly reasons: readonly { readonly category: string; readonly reasons: readonly string[] }[];
      }
    | undefined;
  /** Bundles inside of it: frameworks, extensions, apps for watches. */
  readonly nested: readonly { readonly folder: string; readonly id: string; readonly faults: number }[];
  readonly icons: readonly { readonly path: string; readonly size: number; readonly hasAlpha: boolean }[];
  readonly hasCatalog: boolean;
  readonly sizes: readonly {
    readonly part: IpaPart;
    readonly packed: number;
    readonly unpacked: number;
    readonly files: number;
  }[];
  readonly entries: {
    readonly count: number;
    readonly largest: readonly { readonly path: string; readonly size: number; readonly packed: number }[];
  };
  /** Every file of the app, by its path in the bundle. */
  readonly files: readonly {
    readonly path: string;
    readonly size: number;
    readonly packed: number;
    readonly crc32: number;
  }[];
  readonly signature: {
    readonly verifies: boolean;
    readonly verdict: 'verified' | 'failed' | 'by nobody' | 'unsigned';
    readonly identifier: string | undefined;
    readonly team: string | undefined;
    readonly certificates: readonly CertificateFacts[];
    /** Files whose hashes hold. */
    readonly sealedFiles: number;
    readonly faults: readonly string[];
  };
  readonly entitlements: readonly {
    readonly key: string;
    /** JSON. */
    readonly value: string;
    /** Whether the profile allows it; `undefined` without a profile. */
    readonly allowed: boolean | undefined;
  }[];
  readonly profile:
    | {
        readonly name: string;
        readonly kind: ProfileKind;
        readonly team: string | undefined;
        readonly appId: string;
        readonly expires: string | undefined;
        readonly devices: readonly string[] | undefined;
        readonly certificates: number;
        readonly fault: string | undefined;
      }
    | undefined;
  /** What a device or a store would refuse, and what users would meet. */
  readonly findings: readonly Finding[];
}

export interface SliceFacts {
  readonly cpu: string;
  readonly minVersion: string | undefined;
  readonly sdk: string | undefined;
  readonly uuid: string | undefined;
  /** By which systems name the program: hexadecimal. */
  readonly cdhash: string | undefined;
  /** Encrypted by the store: its pages cannot be verified. */
  readonly encrypted: boolean;
  readonly libraries: readonly string[];
}

export const IPA_PARTS = [
  'program',
  'bundles',
  'pictures',
  'web',
  'signature',
  'other',
  'structure',
] as const;
export type IpaPart = (typeof IPA_PARTS)[number];
