import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { readBundleSettings } from '../../../src/core/formats/aab/config.js';
import { readProtoTable } from '../../../src/core/formats/aab/table.js';
import { readProtoXml } from '../../../src/core/formats/aab/xml.js';
import { readResourceTable } from '../../../src/core/formats/arsc/reader.js';
import { readBinaryXml } from '../../../src/core/formats/axml/reader.js';
import { bytesSource } from '../../../src/core/formats/bytes/source.js';
import { makeSuperBlob, readSuperBlob } from '../../../src/core/formats/codesign/blobs.js';
import { makeCodeDirectory, readCodeDirectory } from '../../../src/core/formats/codesign/directory.js';
import { entitlementsFromDer, entitlementsToDer } from '../../../src/core/formats/codesign/entitlements.js';
import { BLOB, SLOT } from '../../../src/core/formats/codesign/types.js';
import { readGitIndex } from '../../../src/core/formats/git-index/reader.js';
import { readIco } from '../../../src/core/formats/ico/ico.js';
import { readMachO, readSlices } from '../../../src/core/formats/macho/reader.js';
import { writeBinaryPlist } from '../../../src/core/formats/plist/binary-writer.js';
import { readPlist } from '../../../src/core/formats/plist/reader.js';
import type { PlistDict } from '../../../src/core/formats/plist/types.js';
import { writeXmlPlist } from '../../../src/core/formats/plist/xml-writer.js';
import { readEntry, readZip } from '../../../src/core/formats/zip/reader.js';
import {
  readIssued,
  requestCertification,
  requestedKey,
} from '../../../src/core/keys/certification-request.js';
import { writePkcs12 } from '../../../src/core/keys/pkcs12.js';
import { readAnyKeys } from '../../../src/core/keys/read-any.js';
import { readStrictCertificate } from '../../../src/core/keys/read-certificate.js';
import { apiLevels } from '../../../src/core/platforms/android/inspect/levels.js';
import { checkBlock } from '../../../src/core/platforms/android/signing/jar-block.js';
import { parseJarManifest } from '../../../src/core/platforms/android/signing/jar-manifest.js';
import {
  readLineageFile,
  succeed,
  writeLineageFile,
} from '../../../src/core/platforms/android/signing/lineage.js';
import { verifySignatures } from '../../../src/core/platforms/android/signing/verify.js';
import { readProfile } from '../../../src/core/platforms/apple/signing/profile.js';
import { parseLocatedJson } from '../../../src/core/util/json-locations.js';
import { testTeam } from '../apple.js';
import { makeCast, plainRecipe, QUIRKS } from '../crafted/quirks.js';
import { craft } from '../crafted/recipe.js';
import { TEXT_READERS } from '../families.js';
import { choose, generator, type PickNumber } from '../random.js';

/** Everything that reads bytes of others. */
export interface FuzzedReader {
  readonly name: string;
  readonly read: (bytes: Uint8Array) => unknown;
  /** Words that mean something to it, put into inputs. */
  readonly dictionary: readonly string[];
}

const text = (bytes: Uint8Array) => Buffer.from(bytes).toString('utf8');
const LEVELS = { min: 21, target: 36 };

async function readPackage(bytes: Uint8Array): Promise<void> {
  const source = bytesSource(bytes);
  const layout = await readZip(source);
  for (const entry of layout.entries.slice(0, 20)) {
    const content = await readEntry(source, entry, 1024 * 1024);
    if (entry.path === 'AndroidManifest.xml') apiLevels(readBinaryXml(content));
  }
  await verifySignatures(source, layout, LEVELS);
}

/** The whole program's size: what is damaged is its beginning, where the load commands are. */
const PROGRAM_BYTES = 122_800;
const PROGRAM_HEAD = 16 * 1024;

function readProgram(bytes: Uint8Array): void {
  for (const { offset, size } of readSlices(bytes, PROGRAM_BYTES)) readMachO(bytes.subarray(offset), size);
}

function readCodeSignature(bytes: Uint8Array): void {
  for (const blob of readSuperBlob(bytes)) {
    if (blob.magic === BLOB.codeDirectory) readCodeDirectory(blob.bytes);
  }
}

const LIST: PlistDict = {
  CFBundleIdentifier: 'example.saltmarsh.ferry',
  'com.apple.developer.associated-domains': ['applinks:ferry.saltmarsh.example'],
  'get-task-allow': true,
  UIDeviceFamily: [1, 2],
};

const PARTS = [
  '<style>',
  '</style>',
  '<script>',
  '{',
  '}',
  '(',
  ')',
  '[',
  ']',
  '"',
  "'",
  '\\',
  '/*',
  '*/',
  '<!--',
  '-->',
  'url(',
  '@media ',
  ':is(',
  ';',
  ':',
  ',',
  '\n',
  '\0',
  '${',
  '`',
  '=>',
  'async ',
  '<![CDATA[',
  ']]>',
  '&amp;',
];

export const READERS: readonly FuzzedReader[] = [
  {
    name: 'package',
    read: readPackage,
    dictionary: ['META-INF/', '.SF', '.RSA', 'PK\u0001\u0002', 'PK\u0005\u0006'],
  },
  { name: 'binary-xml', read: readBinaryXml, dictionary: [] },
  { name: 'resource-table', read: readResourceTable, dictionary: [] },
  { name: 'proto-xml', read: readProtoXml, dictionary: [] },
  { name: 'proto-table', read: readProtoTable, dictionary: [] },
  { name: 'bundle-settings', read: readBundleSettings, dictionary: [] },
  { name: 'git-index', read: readGitIndex, dictionary: [] },
  { name: 'ico', read: readIco, dictionary: [] },
  {
    name: 'keystore',
    read: (bytes) => readAnyKeys(bytes, { store: 'changeit', key: 'changeit' }, undefined),
    dictionary: ['-----BEGIN ', '-----END ', 'PRIVATE KEY-----', 'CERTIFICATE-----'],
  },
  { name: 'certificate', read: readStrictCertificate, dictionary: [] },
  { name: 'issued', read: readIssued, dictionary: ['-----BEGIN PKCS7-----', '-----END PKCS7-----'] },
  { name: 'request', read: requestedKey, dictionary: ['-----BEGIN CERTIFICATE REQUEST-----'] },
  {
    name: 'plist',
    read: readPlist,
    dictionary: [
      '<dict>',
      '</dict>',
      '<key>',
      '<array>',
      '<![CDATA[',
      '&#0;',
      '<!DOCTYPE plist [',
      'bplist00',
    ],
  },
  { name: 'mach-o', read: readProgram, dictionary: [] },
  { name: 'code-signature', read: readCodeSignature, dictionary: [] },
  { name: 'entitlements', read: entitlementsFromDer, dictionary: [] },
  { name: 'profile', read: (bytes) => readProfile(bytes, ''), dictionary: ['<key>', '</dict>'] },
  { name: 'lineage', read: readLineageFile, dictionary: [] },
  { name: 'jar-block', read: (bytes) => checkBlock(bytes, Buffer.from('signed')), dictionary: [] },
  {
    name: 'jar-manifest',
    read: parseJarManifest,
    dictionary: ['Name: ', '\r\n', '\r\n ', 'SHA-256-Digest: ', 'Manifest-Version: 1.0'],
  },
  {
    name: 'json',
    read: (bytes) =>
      parseLocatedJson('f', text(bytes), { comments: true, code: 'config.syntax', fix: '' }).location('/a/b'),
    dictionary: ['{', '}', '[', ']', '"__proto__":', '//', '/*', '\\u0000', '1e999', 'null,'],
  },
  ...TEXT_READERS.map(({ name, read }) => ({
    name: name.replaceAll(' ', '-'),
    read: (bytes: Uint8Array) => read(text(bytes)),
    dictionary: PARTS,
  })),
];

/** Small inputs that are kept in the repository, by reader: what once was read wrongly, and one of each kind. */
const KEPT = join(process.cwd(), 'test/fixtures/corpus');

/** Inputs to begin with, made by our own writers and kept ones. */
export async function corpus(): Promise<Map<string, Uint8Array[]>> {
  const cast = await makeCast();
  const pick = generator(7);
  const seeds = new Map<string, Uint8Array[]>();
  const add = (name: string, ...inputs: Uint8Array[]) =>
    seeds.set(name, [...(seeds.get(name) ?? []), ...inputs]);
  for (const schemes of [['v1'], ['v2'], ['v3'], ['v1', 'v2', 'v3']] as const) {
    add('package', await craft(plainRecipe(schemes, cast.e, 21, 29)));
  }
  for (const quirk of Object.values(QUIRKS)) {
    const recipe = plainRecipe(['v1', 'v2', 'v3'], cast.e, 21, 29);
    quirk(recipe, pick, cast);
    add('package', await craft(recipe));
  }
  const source = bytesSource(await craft(plainRecipe(['v1'], cast.a, 21, 29)));
  for (const entry of (await readZip(source)).entries) {
    const content = await readEntry(source, entry);
    if (entry.path === 'AndroidManifest.xml') add('binary-xml', content);
    if (entry.path.endsWith('.RSA')) add('jar-block', content);
    if (/\.(SF|MF)$/.test(entry.path)) add('jar-manifest', content);
  }
  add('keystore', await writePkcs12(cast.e, 'changeit'));
  add('certificate', ...cast.a.certificates, ...cast.badCertificates.values());
  add('issued', ...cast.a.certificates);
  add('request', Buffer.from((await requestCertification('Saltmarsh Ferry')).request));
  add('plist', writeXmlPlist(LIST), writeBinaryPlist(LIST));
  add('mach-o', readFileSync(join(process.cwd(), 'shell/apple/dist/device-arm64')).subarray(0, PROGRAM_HEAD));
  const directory = makeCodeDirectory({
    code: Buffer.alloc(9000, 7),
    identifier: 'example.saltmarsh.ferry',
    team: 'SALTMARSH1',
    flags: 0,
    executable: { base: 0n, limit: 9000n, flags: 1n },
    special: new Map([[2, Buffer.alloc(32, 1)]]),
  });
  add('code-signature', makeSuperBlob(BLOB.superBlob, [[SLOT.codeDirectory, directory]]));
  add('entitlements', entitlementsToDer(LIST));
  add('profile', await (await testTeam()).profileBytes());
  add('lineage', writeLineageFile(succeed([], cast.a, cast.e)));
  for (const { name, families } of TEXT_READERS) {
    add(name.replaceAll(' ', '-'), ...families.map(({ make }) => Buffer.from(make(8))));
  }
  for (const name of readdirSync(KEPT)) {
    const reader = name.replace(/\.[^.]*$/, '').replace(/-\d+$/, '');
    add(reader, readFileSync(join(KEPT, name)));
  }
  return seeds;
}

const WORDS = [0, 1, 2, 0x7f, 0x80, 0xff, 0x7fff, 0xffff, 0x7fffffff, 0x80000000, 0xfffffffe, 0xffffffff];

/** One input: a seed changed at a few places, or several put together. */
export function damage(
  seeds: readonly Uint8Array[],
  pick: PickNumber,
  dictionary: readonly string[],
  most: number,
): Uint8Array {
  let bytes: Buffer = Buffer.from(seeds.length === 0 ? new Uint8Array(pick(64)) : choose(pick, seeds));
  for (let times = 1 + pick(6); times > 0; times -= 1) {
    const at = pick(bytes.length + 1);
    switch (pick(8)) {
      case 0:
        if (at < bytes.length) bytes[at] = (bytes[at] as number) ^ (1 << pick(8));
        break;
      case 1:
        if (at + 4 <= bytes.length) bytes.writeUInt32LE(choose(pick, WORDS), at);
        break;
      case 2:
        bytes = bytes.subarray(0, at);
        break;
      case 3: {
        const run = bytes.subarray(at, at + 1 + pick(40));
        bytes = Buffer.concat([
          bytes.subarray(0, at),
          ...Array.from({ length: 1 + pick(60) }, () => run),
          bytes.subarray(at),
        ]);
        break;
      }
      case 4:
        if (dictionary.length > 0) {
          const word = Buffer.from(choose(pick, dictionary).repeat(1 + pick(30)));
          bytes = Buffer.concat([bytes.subarray(0, at), word, bytes.subarray(at)]);
        }
        break;
      case 5: {
        const other = seeds.length === 0 ? bytes : choose(pick, seeds);
        const from = pick(other.length + 1);
        bytes = Buffer.concat([bytes.subarray(0, at), other.subarray(from, from + pick(400))]);
        break;
      }
      case 6:
        if (at + 2 <= bytes.length) bytes.writeUInt16BE(choose(pick, WORDS) & 0xffff, at);
        break;
      default:
        bytes = Buffer.concat([bytes.subarray(0, at), Buffer.alloc(pick(20), pick(256)), bytes.subarray(at)]);
    }
  }
  return new Uint8Array(bytes.subarray(0, most));
}
