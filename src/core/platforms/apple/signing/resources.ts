import type { PlistDict, PlistValue } from '../../../formats/plist/types.js';

/**
 * The sealed resources of a bundle: `_CodeSignature/CodeResources` (Security framework, "Code Signing Guide": resource
 * rules). `files` has SHA-1 for old systems, `files2` SHA-256 as well.
 */

export const RESOURCES_PATH = '_CodeSignature/CodeResources';
/** Bytes of SHA-1, which comes before SHA-256 in the digests of a file. */
export const SHA1_SIZE = 20;

const RULES: PlistDict = {
  '^.*': true,
  '^.*\\.lproj/': { optional: true, weight: 1000 },
  '^.*\\.lproj/locversion.plist$': { omit: true, weight: 1100 },
  '^Base\\.lproj/': { weight: 1010 },
  '^version.plist$': true,
};
const RULES2: PlistDict = {
  '.*\\.dSYM($|/)': { weight: 11 },
  '^(.*/)?\\.DS_Store$': { omit: true, weight: 2000 },
  '^.*': true,
  '^.*\\.lproj/': { optional: true, weight: 1000 },
  '^.*\\.lproj/locversion.plist$': { omit: true, weight: 1100 },
  '^Base\\.lproj/': { weight: 1010 },
  '^Info\\.plist$': { omit: true, weight: 20 },
  '^PkgInfo$': { omit: true, weight: 20 },
  '^embedded\\.provisionprofile$': { weight: 20 },
  '^version\\.plist$': { weight: 20 },
};

/** What the rules above say of a path. They are ours, so their patterns are too. */
export function treatmentOf(path: string, list: 'files' | 'files2'): 'sealed' | 'optional' | 'omitted' {
  const isLocalized = /^.*\.lproj\//.test(path) && !/^Base\.lproj\//.test(path);
  if (/^.*\.lproj\/locversion.plist$/.test(path)) return 'omitted';
  if (list === 'files2') {
    if (/^(.*\/)?\.DS_Store$/.test(path)) return 'omitted';
    if (path === 'Info.plist' || path === 'PkgInfo') return 'omitted';
  }
  return isLocalized ? 'optional' : 'sealed';
}

/**
 * The resources of a bundle, sealed.
 *
 * @param digests of every file but the program and the signature by its path in the bundle: SHA-1, then SHA-256
 */
export function codeResources(digests: ReadonlyMap<string, Uint8Array>): PlistDict {
  const files: Record<string, PlistValue> = {};
  const files2: Record<string, PlistValue> = {};
  const paths = [...digests.keys()].sort((one, other) =>
    Buffer.compare(Buffer.from(one), Buffer.from(other)),
  );
  for (const path of paths) {
    const both = digests.get(path) as Uint8Array;
    const [hash, hash2] = [both.subarray(0, SHA1_SIZE), both.subarray(SHA1_SIZE)];
    const [first, second] = [treatmentOf(path, 'files'), treatmentOf(path, 'files2')];
    if (first !== 'omitted') files[path] = first === 'optional' ? { hash, optional: true } : hash;
    if (second !== 'omitted')
      files2[path] = { hash, hash2, ...(second === 'optional' ? { optional: true } : {}) };
  }
  return { files, files2, rules: RULES, rules2: RULES2 };
}
