import { messageType, SPLIT } from './schema.js';
import { decodeMessage } from './xml.js';

/** A bundle's settings (`BundleConfig`): how the store divides it into packages for devices. */
export interface BundleSettings {
  /** The version of the format that the bundle is written for. */
  readonly version: string;
  readonly splits: readonly { readonly by: keyof typeof SPLIT | 'other'; readonly on: boolean }[];
  /** Patterns of paths in a package that are stored and not compressed. */
  readonly uncompressed: readonly string[];
}

export function writeBundleSettings(settings: BundleSettings): Uint8Array {
  return messageType('BundleConfig')
    .encode({
      format: { version: settings.version },
      optimizations: {
        splitsConfig: {
          splitDimension: settings.splits.flatMap(({ by, on }) =>
            by === 'other' ? [] : [{ value: SPLIT[by], ...(on ? {} : { negate: true }) }],
          ),
        },
      },
      compression: { uncompressedGlob: [...settings.uncompressed] },
    })
    .finish();
}

/** Reads `BundleConfig.pb`. Throws `bundle.malformed`. */
export function readBundleSettings(bytes: Uint8Array): BundleSettings {
  const message = decodeMessage('BundleConfig', bytes) as {
    format?: { version?: string };
    optimizations?: { splitsConfig?: { splitDimension?: { value?: number; negate?: boolean }[] } };
    compression?: { uncompressedGlob?: string[] };
  };
  const names = Object.keys(SPLIT) as (keyof typeof SPLIT)[];
  return {
    version: message.format?.version ?? '',
    splits: (message.optimizations?.splitsConfig?.splitDimension ?? []).map(({ value, negate }) => ({
      by: names.find((name) => SPLIT[name] === value) ?? 'other',
      on: negate !== true,
    })),
    uncompressed: message.compression?.uncompressedGlob ?? [],
  };
}
