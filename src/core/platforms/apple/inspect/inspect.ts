import { HullError } from '../../../errors.js';
import type { Finding } from '../../../finding.js';
import type { FileSource } from '../../../formats/bytes/source.js';
import { readImports } from '../../../formats/macho/imports.js';
import { readSlices } from '../../../formats/macho/reader.js';
import { readPlistDict } from '../../../formats/plist/reader.js';
import {
  dictIn,
  isDict,
  newDict,
  type PlistDict,
  type PlistValue,
  stringIn,
  stringsIn,
} from '../../../formats/plist/types.js';
import { readEntry } from '../../../formats/zip/reader.js';
import type { ZipEntry, ZipLayout } from '../../../formats/zip/types.js';
import { readableFacts } from '../../../keys/fingerprint.js';
import { withPackage } from '../../../packaging/read-package.js';
import { DOMAINS_ENTITLEMENT } from '../app/entitlements.js';
import { SITE_PATH } from '../app/shell-settings.js';
import { bundleFolderOf, checkLinks } from '../package/bundle-folder.js';
import { PROFILE_PATH } from '../package/entries.js';
import { allows } from '../signing/judge-profile.js';
import { type Profile, readProfile } from '../signing/profile.js';
import { type BundleReport, verifyBundle } from '../signing/verify-bundle.js';
import { IPA_PARTS, type IpaFacts, type IpaPart, type SliceFacts } from './facts.js';
import { refusals } from './refusals.js';

const MOST_SMALL = 32 * 1024 * 1024;
/** Files that are named. */
const LARGEST = 10;
/** `UIDeviceFamily`. */
const FAMILIES: Readonly<Record<number, IpaFacts['devices'][number]>> = {
  1: 'phone',
  2: 'tablet',
  3: 'tv',
  4: 'watch',
  7: 'vision',
};

function partOf(path: string, program: string): IpaPart {
  if (path === program) return 'program';
  if (/^(?:Frameworks|PlugIns|Extensions|Watch|AppClips)\//.test(path)) return 'bundles';
  if (path.startsWith('_CodeSignature/') || path === PROFILE_PATH) return 'signature';
  if (path.startsWith(SITE_PATH)) return 'web';
  return path === 'Assets.car' || /^[^/]+\.(?:png|jpe?g)$/.test(path) ? 'pictures' : 'other';
}

function sizesOf(
  size: number,
  entries: readonly ZipEntry[],
  folder: string,
  program: string,
): IpaFacts['sizes'] {
  const rows = new Map(IPA_PARTS.map((part) => [part, { part, packed: 0, unpacked: 0, files: 0 }]));
  let named = 0;
  for (const { path, compressedSize, size: unpacked } of entries) {
    if (path.endsWith('/')) continue;
    const part = path.startsWith(folder) ? partOf(path.slice(folder.length), program) : 'other';
    const row = rows.get(part) as { packed: number; unpacked: number; files: number };
    row.packed += compressedSize;
    row.unpacked += unpacked;
    row.files += 1;
    named += compressedSize;
  }
  (rows.get('structure') as { packed: number }).packed = size - named;
  return [...rows.values()].filter(({ packed }) => packed > 0);
}

/** Whether a PNG has an alpha channel (PNG, third edition, section 11.2.1: colour types 4 and 6). */
function hasAlpha(bytes: Uint8Array): boolean {
  const isPng = bytes.length > 26 && Buffer.from(bytes.subarray(12, 16)).toString('latin1') === 'IHDR';
  return isPng && (bytes[25] === 4 || bytes[25] === 6);
}

const numbersIn = (dict: PlistDict, key: string): number[] => {
  const value = dict[key];
  return Array.isArray(value) ? value.filter((one): one is number => typeof one === 'number') : [];
};

function transportOf(info: PlistDict): IpaFacts['transport'] {
  const security = dictIn(info, 'NSAppTransportSecurity');
  const exceptions = dictIn(security, 'NSExceptionDomains');
  const isOpen = (value: PlistValue | undefined) =>
    isDict(value) &&
    (value.NSExceptionAllowsInsecureHTTPLoads ?? value.NSTemporaryExceptionAllowsInsecureHTTPLoads) === true;
  return {
    arbitrary: security.NSAllowsArbitraryLoads === true,
    hosts: Object.keys(exceptions).filter((host) => isOpen(exceptions[host])),
  };
}

function privacyOf(manifest: PlistDict): NonNullable<IpaFacts['privacy']> {
  const dicts = (key: string) => {
    const value = manifest[key];
    return Array.isArray(value) ? value.filter((one): one is PlistDict => isDict(one)) : [];
  };
  return {
    tracking: manifest.NSPrivacyTracking === true,
    domains: stringsIn(manifest, 'NSPrivacyTrackingDomains'),
    collected: dicts('NSPrivacyCollectedDataTypes').flatMap(
      (one) => stringIn(one, 'NSPrivacyCollectedDataType') ?? [],
    ),
    reasons: dicts('NSPrivacyAccessedAPITypes').map((one) => ({
      category: stringIn(one, 'NSPrivacyAccessedAPIType') ?? '?',
      reasons: stringsIn(one, 'NSPrivacyAccessedAPITypeReasons'),
    })),
  };
}

const schemesOf = (info: PlistDict): string[] => {
  const types = info.CFBundleURLTypes;
  return (Array.isArray(types) ? types : []).flatMap((one: PlistValue) =>
    isDict(one) ? stringsIn(one, 'CFBundleURLSchemes') : [],
  );
};

function signatureOf(report: BundleReport): IpaFacts['signature'] {
  const { slices } = report;
  const signed = slices.find(({ signed }) => signed === 'by somebody');
  const isUnsigned = slices.every(({ signed: how }) => how === 'not at all');
  const verifies = report.faults.length === 0 && signed !== undefined;
  return {
    verifies,
    verdict: isUnsigned
      ? 'unsigned'
      : report.faults.length > 0
        ? 'failed'
        : signed === undefined
          ? 'by nobody'
          : 'verified',
    identifier: report.identifier,
    team: report.team,
    certificates: (signed?.certificates ?? []).flatMap((der) => readableFacts(der) ?? []),
    sealedFiles: report.sealedFiles,
    faults: report.faults,
  };
}

const slicesOf = (report: BundleReport): SliceFacts[] =>
  report.slices.map(({ cpu, program, cdhash }) => ({
    cpu,
    minVersion: program.build?.minVersion,
    sdk: program.build?.sdk,
    uuid: program.uuid,
    cdhash,
    encrypted: (program.encryption?.id ?? 0) !== 0,
    libraries: program.libraries,
  }));

/** JSON of a value; bytes as base64, big numbers as text. */
const jsonOf = (value: PlistValue): string =>
  JSON.stringify(value, (_key, one: unknown) =>
    one instanceof Uint8Array
      ? Buffer.from(one).toString('base64')
      : typeof one === 'bigint'
        ? String(one)
        : one,
  );

interface Opened {
  readonly source: FileSource;
  readonly layout: ZipLayout;
  readonly folder: string;
}

async function readSmall({ source, layout, folder }: Opened, path: string): Promise<Uint8Array | undefined> {
  const entry = layout.entries.find((one) => one.path === folder + path);
  return entry && readEntry(source, entry, MOST_SMALL);
}

async function profileIn(opened: Opened, root: string, findings: Finding[]): Promise<Profile | undefined> {
  const bytes = await readSmall(opened, PROFILE_PATH);
  if (bytes === undefined) return undefined;
  try {
    return readProfile(bytes, root);
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    findings.push({
      code: 'ipa.profile',
      severity: 'error',
      location: { entry: opened.folder + PROFILE_PATH },
      observed: 'The profile in the package cannot be read.',
      impact: 'Devices refuse the app.',
      fix: 'Sign the package again with a profile of the developer account.',
    });
    return undefined;
  }
}

/** Names that any slice of the program uses, with which stores judge it. */
async function importsOf(opened: Opened, report: BundleReport): Promise<string[]> {
  const program = stringIn(report.info, 'CFBundleExecutable') ?? '';
  const entry = opened.layout.entries.find(({ path }) => path === opened.folder + program) as ZipEntry;
  const bytes = await readEntry(opened.source, entry, entry.size);
  const [slice] = readSlices(bytes);
  const [first] = report.slices;
  if (slice === undefined || first === undefined) return [];
  return readImports(bytes.subarray(slice.offset, slice.offset + slice.size), first.program);
}

/** As {@link inspectIpa}, of a package that is open. */
export async function ipaFacts(
  file: string,
  source: FileSource,
  layout: ZipLayout,
  root: string,
): Promise<IpaFacts> {
  const folder = bundleFolderOf(layout);
  const opened: Opened = { source, layout, folder };
  checkLinks(layout.entries);
  const report = await verifyBundle(source, layout.entries, folder, root);
  const { info } = report;
  const findings: Finding[] = [];
  const profile = await profileIn(opened, root, findings);
  const privacyBytes = await readSmall(opened, 'PrivacyInfo.xcprivacy');
  const icons = await Promise.all(
    layout.entries
      .filter(({ path }) => path.startsWith(folder) && /^AppIcon[^/]*\.png$/.test(path.slice(folder.length)))
      .map(async (entry) => ({
        path: entry.path.slice(folder.length),
        size: entry.size,
        hasAlpha: hasAlpha(await readEntry(source, entry, MOST_SMALL)),
      })),
  );
  const program = stringIn(info, 'CFBundleExecutable') ?? '';
  const entitlements = report.slices.find((slice) => slice.entitlements)?.entitlements ?? newDict();
  const facts = {
    kind: 'ipa',
    file,
    size: source.size,
    id: stringIn(info, 'CFBundleIdentifier') ?? '?',
    name: stringIn(info, 'CFBundleDisplayName') ?? stringIn(info, 'CFBundleName') ?? '?',
    version: stringIn(info, 'CFBundleShortVersionString'),
    build: stringIn(info, 'CFBundleVersion'),
    minVersion: stringIn(info, 'MinimumOSVersion'),
    platforms: stringsIn(info, 'CFBundleSupportedPlatforms'),
    devices: numbersIn(info, 'UIDeviceFamily').flatMap((one) => FAMILIES[one] ?? []),
    languages: [
      ...new Set([
        ...stringsIn(info, 'CFBundleLocalizations'),
        ...layout.entries.flatMap(
          ({ path }) => /^([^/]+)\.lproj\//.exec(path.slice(folder.length))?.[1] ?? [],
        ),
      ]),
    ],
    sdk: stringIn(info, 'DTSDKName'),
    slices: slicesOf(report),
    permissions: Object.keys(info)
      .filter((key) => /^NS\w+UsageDescription$/.test(key))
      .map((key) => ({ key, reason: stringIn(info, key) ?? '' })),
    domains: stringsIn(entitlements, DOMAINS_ENTITLEMENT),
    schemes: schemesOf(info),
    transport: transportOf(info),
    privacy: privacyBytes === undefined ? undefined : privacyOf(readPlistDict(privacyBytes)),
    nested: report.nested.map((one) => ({
      folder: one.folder.slice(folder.length),
      id: stringIn(one.info, 'CFBundleIdentifier') ?? '?',
      faults: one.faults.length,
    })),
    icons,
    hasCatalog: layout.entries.some(({ path }) => path === `${folder}Assets.car`),
    sizes: sizesOf(source.size, layout.entries, folder, program),
    entries: {
      count: layout.entries.length,
      largest: [...layout.entries]
        .sort((one, other) => other.compressedSize - one.compressedSize)
        .slice(0, LARGEST)
        .map(({ path, size, compressedSize }) => ({ path, size, packed: compressedSize })),
    },
    files: layout.entries
      .filter(({ path }) => path.startsWith(folder) && !path.endsWith('/'))
      .map(({ path, size, compressedSize, crc32 }) => ({
        path: path.slice(folder.length),
        size,
        packed: compressedSize,
        crc32,
      })),
    signature: signatureOf(report),
    entitlements: Object.keys(entitlements).map((key) => ({
      key,
      value: jsonOf(entitlements[key] as PlistValue),
      allowed: profile && allows(profile.entitlements[key], entitlements[key] as PlistValue),
    })),
    profile: profile && {
      name: profile.name,
      kind: profile.kind,
      team: profile.team,
      appId: profile.appId,
      expires: profile.expires?.toISOString(),
      devices: profile.devices,
      certificates: profile.certificates.length,
      fault: profile.fault,
    },
  } as const;
  const imports = await importsOf(opened, report);
  return { ...facts, findings: [...findings, ...refusals({ ...facts, findings: [] }, imports)] };
}

/**
 * Reads any package of Apple's systems, also those of stores: what it says of itself, its signature page by page and file by
 * file, its profile, and what would be refused. Nothing in it is trusted.
 *
 * @param root SHA-256 of the root that has to be trusted, in hexadecimal
 * @throws HullError `file.missing`, `zip.*`, `package.unknown`, `ipa.malformed`, `plist.malformed`, `macho.malformed`, each with
 *   the file and, where there is one, the entry
 */
export async function inspectIpa(file: string, root: string): Promise<IpaFacts> {
  return withPackage(file, (source, layout) => ipaFacts(file, source, layout, root));
}
