import { createHash, sign } from 'node:crypto';
import * as asn1 from 'asn1js';
import type { ResourceValue } from '../../../src/core/formats/string-pool/value.js';
import { integer, type Node, octets, oid, sequence, set, toDer } from '../../../src/core/keys/asn1.js';
import { createIdentity } from '../../../src/core/keys/create.js';
import type { KeystoreEntry } from '../../../src/core/keys/pkcs12.js';
import { encodeLineage, type Lineage, succeed } from '../../../src/core/platforms/android/signing/lineage.js';
import {
  ATTRIBUTE_LINEAGE,
  ATTRIBUTE_ROTATION_SINCE,
  ATTRIBUTE_STRIPPING_PROTECTION,
} from '../../../src/core/platforms/android/signing/scheme.js';
import { choose, type PickNumber } from '../random.js';
import { type BlockSigner, type JarSigner, type Recipe, sectionsOf } from './recipe.js';

/** Who signs: two of RSA, two of elliptic curves. */
export interface Cast {
  readonly a: KeystoreEntry;
  readonly b: KeystoreEntry;
  readonly c: KeystoreEntry;
  readonly e: KeystoreEntry;
  /** The key of `a` under certificates that are bad in ways of their own. */
  readonly badCertificates: ReadonlyMap<string, Uint8Array>;
}

/** A certificate whose signed part was changed before it was signed again. */
function signedAgain(who: KeystoreEntry, change: (tbs: Buffer) => Buffer): Uint8Array {
  const [own] = who.certificates;
  const root = asn1.fromBER(new Uint8Array(own as Uint8Array)).result as asn1.Sequence;
  const [tbs, algorithm] = root.valueBlock.value as Node[];
  const changed = change(Buffer.from((tbs as Node).valueBeforeDecodeView));
  const signature = sign('sha256', changed, who.privateKey);
  return toDer(
    sequence(
      asn1.fromBER(new Uint8Array(changed)).result,
      algorithm as Node,
      new asn1.BitString({ valueHex: new Uint8Array(signature) }),
    ),
  );
}

const replaced = (bytes: Buffer, from: string, to: string): Buffer => {
  const copy = Buffer.from(bytes);
  const at = copy.indexOf(from, 0, 'latin1');
  if (at >= 0) copy.write(to, at, 'latin1');
  return copy;
};

let cast: Promise<Cast> | undefined;

/** The cast of a test file; keys take a while to make. */
export function makeCast(): Promise<Cast> {
  cast ??= newCast();
  return cast;
}

async function newCast(): Promise<Cast> {
  const make = (alias: string, key: Parameters<typeof createIdentity>[0]['key']) =>
    createIdentity({ alias, key, commonName: `Saltmarsh ${alias}`, years: 30, from: new Date('2026-01-01') });
  const a = await make('a', { type: 'rsa', bits: 2048 });
  const own = Buffer.from(a.certificates[0] as Uint8Array);
  const flipped = Buffer.from(own);
  flipped[own.length - 5] = (flipped[own.length - 5] as number) ^ 1;
  const badCertificates = new Map<string, Uint8Array>([
    ['month 13', signedAgain(a, (tbs) => replaced(tbs, '260101', '261301'))],
    ['letters for a date', signedAgain(a, (tbs) => replaced(tbs, '2601010', 'ABCDEFG'))],
    ['a byte behind', Buffer.concat([own, Buffer.from([0])])],
    ['cut short', own.subarray(0, own.length - 9)],
    ['garbage', Buffer.from('not a certificate')],
    ['empty', Buffer.alloc(0)],
  ]);
  return {
    a,
    b: await make('b', { type: 'rsa', bits: 2048 }),
    c: await make('c', { type: 'ec', curve: 'P-384' }),
    e: await make('e', { type: 'ec', curve: 'P-256' }),
    badCertificates,
  };
}

const RSA_OID = '1.2.840.113549.1.1.1';
const own = (who: KeystoreEntry) => [...who.certificates];
const isRsa = (who: KeystoreEntry) => who.privateKey.asymmetricKeyType === 'rsa';

export function blockSigner(who: KeystoreEntry, more: Partial<BlockSigner> = {}): BlockSigner {
  return {
    who,
    algorithms: [isRsa(who) ? 0x0103 : 0x0201],
    certificates: own(who),
    attributes: [],
    digest: (_algorithm, digest) => digest,
    signature: (bytes) => bytes,
    ...more,
  };
}

export const NEWEST = 0x7fffffff;
const v3Signer = (who: KeystoreEntry, more: Partial<BlockSigner> = {}) =>
  blockSigner(who, { levels: { min: 28, max: NEWEST }, ...more });

export function jarSigner(who: KeystoreEntry, name: string, hash: JarSigner['hash'] = 'sha256'): JarSigner {
  return {
    who,
    name,
    ending: isRsa(who) ? 'RSA' : 'EC',
    sfEnding: 'SF',
    hash,
    signatureOid: isRsa(who) ? RSA_OID : '1.2.840.10045.2.1',
    certificates: own(who),
    sid: (sid) => sid,
    infos: (info) => [info],
    block: (bytes) => bytes,
    file: (text) => text,
    fileAfter: (text) => text,
  };
}

export const int = (value: number): ResourceValue => ({ type: 'int', value });
const text = (value: string): ResourceValue => ({ type: 'string', text: value });
const word = (value: number) => {
  const bytes = Buffer.alloc(4);
  bytes.writeUInt32LE(value);
  return bytes;
};

const filler = (size: number, seed: number) =>
  Uint8Array.from({ length: size }, (_, i) => (i * 31 + seed * 17) & 0xff);

/** A package that holds: schemes and signer as chosen. */
export function plainRecipe(
  schemes: readonly ('v1' | 'v2' | 'v3')[],
  who: KeystoreEntry,
  min: number,
  target: number,
): Recipe {
  const has = (name: 'v1' | 'v2' | 'v3') => schemes.includes(name);
  const hash = min < 18 ? 'sha1' : 'sha256';
  return {
    name: schemes.join('-'),
    id: 'example.saltmarsh.ferry',
    launcher: undefined,
    min: int(min),
    target: int(target),
    sandbox: undefined,
    moreSdk: [],
    files: new Map([
      ['classes.dex', filler(700, 1)],
      ['resources.arsc', filler(300, 2)],
      ['assets/site/index.html', filler(400, 3)],
      ['assets/site/timetable.html', filler(90, 4)],
    ]),
    jar: has('v1') ? [jarSigner(who, 'FERRY', hash)] : [],
    manifestHashes: [hash],
    manifest: (value) => value,
    after: () => undefined,
    v2: has('v2') ? [blockSigner(who)] : [],
    v3: has('v3') ? [v3Signer(who)] : [],
    pairs: (pairs) => pairs,
    fillsPages: true,
    zip: { local: {}, central: {}, before: 0, align: false },
    whole: (bytes) => bytes,
  };
}

export type Quirk = (recipe: Recipe, pick: PickNumber, cast: Cast) => void;

const editJar =
  (edit: (signer: JarSigner, pick: PickNumber, cast: Cast) => Partial<JarSigner>): Quirk =>
  (recipe, pick, cast) => {
    recipe.jar = recipe.jar.map((signer, index) =>
      index === 0 ? { ...signer, ...edit(signer, pick, cast) } : signer,
    );
  };
const editBlocks =
  (edit: (signer: BlockSigner, pick: PickNumber, cast: Cast) => Partial<BlockSigner>): Quirk =>
  (recipe, pick, cast) => {
    const list = recipe.v3.length > 0 && (recipe.v2.length === 0 || pick(2) === 0) ? 'v3' : 'v2';
    recipe[list] = recipe[list].map((signer, index) =>
      index === 0 ? { ...signer, ...edit(signer, pick, cast) } : signer,
    );
  };
/** Changes one of the sections of a manifest or signature file, the main one being the first. */
const inSection = (value: string, index: number, change: (section: string) => string) => {
  const sections = sectionsOf(value);
  const chosen = Math.min(index, sections.length - 1);
  return sections.map((section, i) => (i === chosen ? change(section) : section)).join('');
};
const attribute = (section: string, textLine: string) =>
  section.replace(/\r\n\r\n$/, `\r\n${textLine}\r\n\r\n`);
const editFile = (change: (value: string, pick: PickNumber) => string) =>
  editJar((_signer, pick) => ({ file: (value) => change(value, pick) }));
const editManifest =
  (change: (value: string, pick: PickNumber) => string): Quirk =>
  (recipe, pick) => {
    const { manifest } = recipe;
    recipe.manifest = (value) => change(manifest(value), pick);
  };

const lineageOf = (...signers: KeystoreEntry[]): Lineage => {
  let lineage: Lineage = [];
  for (let i = 1; i < signers.length; i += 1)
    lineage = succeed(lineage, signers[i - 1] as KeystoreEntry, signers[i] as KeystoreEntry);
  return lineage;
};
const lineageAttribute = (lineage: Lineage, change: (bytes: Buffer) => Buffer = (bytes) => bytes) => ({
  id: ATTRIBUTE_LINEAGE,
  value: change(Buffer.from(encodeLineage(lineage))),
});
const stripping = (value: Uint8Array) => ({ id: ATTRIBUTE_STRIPPING_PROTECTION, value });

const LEVELS = [
  0,
  1,
  20,
  24,
  27,
  28,
  29,
  30,
  31,
  32,
  33,
  35,
  36,
  100,
  NEWEST - 1,
  NEWEST,
  0x80000000,
  0xffffffff,
];

/** Everything that is done to packages, by name. A quirk may leave one that holds. */
export const QUIRKS: Readonly<Record<string, Quirk>> = {
  // the manifest
  'min: code name': (recipe, pick) => {
    recipe.min = text(
      choose(pick, [
        'A',
        'Cupcake',
        'J',
        'L',
        'M',
        'N',
        'NMR1',
        'O',
        'P',
        'Q',
        'R',
        'S',
        'Tiramisu',
        'Z',
        'q',
        '',
        '21',
        'É',
      ]),
    );
  },
  'min: of another type': (recipe, pick) => {
    recipe.min = choose<ResourceValue>(pick, [
      { type: 'reference', id: 0x7f010000 },
      { type: 'boolean', value: true },
      { type: 'hex', value: 24 },
      { type: 'float', value: 24 },
      { type: 'null' },
      int(-1),
      int(0),
    ]);
  },
  'min: none': (recipe) => {
    recipe.min = undefined;
  },
  'min: several': (recipe, pick) => {
    recipe.moreSdk = [int(choose(pick, [1, 16, 21, 24, 28, 33]))];
  },
  'target: of another type': (recipe, pick) => {
    recipe.target = choose<ResourceValue | undefined>(pick, [
      undefined,
      text('30'),
      text('R'),
      text('29'),
      { type: 'reference', id: 1 },
      { type: 'hex', value: 30 },
    ]);
  },
  'sandbox version': (recipe, pick) => {
    recipe.sandbox = choose<ResourceValue>(pick, [
      int(1),
      int(2),
      int(3),
      text('2'),
      text('x'),
      { type: 'reference', id: 1 },
    ]);
  },
  // who signs which scheme
  'other signers of v1': (recipe, pick, cast) => {
    const sets = [[cast.b], [cast.a, cast.b], [cast.b, cast.a], [cast.a, cast.b, cast.e]];
    if (recipe.jar.length > 0) {
      const hash = recipe.jar[0]?.hash;
      recipe.jar = choose(pick, sets).map((who, index) => jarSigner(who, `SIGN${index}`, hash));
    }
  },
  'other signers of v2': (recipe, pick, cast) => {
    if (recipe.v2.length > 0)
      recipe.v2 = choose(pick, [
        [cast.b],
        [cast.a, cast.b],
        [cast.a, cast.a],
        [cast.e],
        [cast.b, cast.a],
      ]).map((who) => blockSigner(who));
  },
  'other signers of v3': (recipe, pick, cast) => {
    if (recipe.v3.length > 0)
      recipe.v3 = choose(pick, [[cast.b], [cast.e], [cast.a, cast.b]]).map((who) => v3Signer(who));
  },
  'other signers of all': (recipe, pick, cast) => {
    for (const name of ['other signers of v1', 'other signers of v2', 'other signers of v3'])
      QUIRKS[name]?.(recipe, pick, cast);
  },
  'eleven signers': (recipe, _pick, cast) => {
    if (recipe.v2.length > 0) recipe.v2 = Array.from({ length: 11 }, () => blockSigner(cast.a));
  },
  // levels of v3
  'levels: any': (recipe, pick) => {
    recipe.v3 = recipe.v3.map((signer) => ({
      ...signer,
      levels: { min: choose(pick, LEVELS), max: choose(pick, LEVELS) },
    }));
  },
  'levels: two signers': (recipe, pick, cast) => {
    if (recipe.v3.length === 0) return;
    const cut = choose(pick, [28, 29, 30, 33, 35]);
    const next = cut + choose(pick, [0, 1, 1, 1, 2]);
    const isJoined = pick(2) === 0;
    recipe.v3 = [
      v3Signer(cast.a, { levels: { min: 28, max: cut } }),
      v3Signer(cast.b, {
        levels: { min: next, max: choose(pick, [NEWEST, NEWEST, 33]) },
        attributes: isJoined ? [lineageAttribute(lineageOf(cast.a, cast.b))] : [],
      }),
    ];
    if (pick(3) === 0) recipe.v3.reverse();
  },
  'levels: others outside': (recipe, pick) => {
    recipe.v3 = recipe.v3.map((signer) => ({
      ...signer,
      outerLevels: { min: choose(pick, [24, 28, 29]), max: NEWEST - pick(2) },
    }));
  },
  // attributes
  'stripping protection': (recipe, pick) => {
    const values = [
      word(3),
      word(2),
      word(31),
      word(99),
      Buffer.alloc(0),
      word(3).subarray(0, 3),
      Buffer.concat([word(3), word(0)]),
    ];
    recipe.v2 = recipe.v2.map((signer) => ({ ...signer, attributes: [stripping(choose(pick, values))] }));
  },
  'stripping protection twice': (recipe, pick) => {
    recipe.v2 = recipe.v2.map((signer) => ({
      ...signer,
      attributes: [stripping(word(choose(pick, [2, 3]))), stripping(word(choose(pick, [2, 3, 99])))],
    }));
  },
  'rotation promised': (recipe) => {
    recipe.v3 = recipe.v3.map((signer) => ({
      ...signer,
      attributes: [{ id: ATTRIBUTE_ROTATION_SINCE, value: word(33) }],
    }));
  },
  'unknown attribute': editBlocks((_signer, pick) => ({
    attributes: [{ id: 0x1234, value: Buffer.alloc(pick(9)) }],
  })),
  lineage: (recipe, pick, cast) => {
    if (recipe.v3.length === 0) return;
    const chains = [
      lineageOf(cast.a, cast.b),
      lineageOf(cast.b, cast.a),
      lineageOf(cast.a, cast.e, cast.b),
      lineageOf(cast.a, cast.e),
    ];
    const damage = choose<(bytes: Buffer) => Buffer>(pick, [
      (bytes) => bytes,
      (bytes) => bytes,
      (bytes) => bytes,
      (bytes) => {
        const copy = Buffer.from(bytes);
        copy[pick(copy.length)] = pick(256);
        return copy;
      },
      (bytes) => bytes.subarray(0, pick(bytes.length)),
    ]);
    const attributes = [lineageAttribute(choose(pick, chains), damage)];
    if (pick(6) === 0) attributes.push(lineageAttribute(choose(pick, chains)));
    recipe.v3 = [v3Signer(choose(pick, [cast.b, cast.b, cast.e, cast.a]), { attributes })];
  },
  // digests, signatures, certificates of v2 and v3
  'several algorithms': editBlocks((signer, pick) => ({
    algorithms: isRsa(signer.who)
      ? choose(pick, [
          [0x103, 0x104],
          [0x104],
          [0x103, 0x999],
          [0x999],
          [0x104, 0x103],
          [0x103, 0x103],
          [0x103, 0x201],
        ])
      : choose(pick, [[0x201, 0x202], [0x202], [0x201, 0x999]]),
  })),
  verity: (recipe, pick, cast) => {
    recipe.zip.align = pick(3) > 0;
    recipe.fillsPages = pick(3) > 0;
    editBlocks(() => ({ algorithms: choose(pick, [[0x421], [0x103, 0x421], [0x421, 0x104]]) }))(
      recipe,
      pick,
      cast,
    );
  },
  'a wrong digest': (recipe, pick, cast) => {
    recipe.zip.align = true;
    editBlocks((signer) => {
      const algorithms = choose(pick, [[0x103, 0x421], [0x103, 0x104], [0x421], signer.algorithms]);
      const wrong = choose(pick, algorithms);
      return {
        algorithms,
        digest: (algorithm, digest) =>
          algorithm === wrong ? createHash('sha256').update(digest).digest() : digest,
      };
    })(recipe, pick, cast);
  },
  'a digest cut short': editBlocks((_signer, pick) => ({
    digest: (_algorithm, digest) => digest.subarray(0, pick(40)),
  })),
  'digests of other algorithms': editBlocks((_signer, pick) => ({
    digestAlgorithms: choose(pick, [[0x104], [0x103, 0x104], [], [0x999, 0x103]]),
  })),
  'a wrong signature': editBlocks((_signer, pick) => ({
    signature: (bytes) => {
      const copy = Buffer.from(bytes);
      copy[pick(copy.length)] = (copy[pick(copy.length)] as number) ^ 1;
      return copy;
    },
  })),
  'another public key': editBlocks((_signer, _pick, cast) => ({
    publicKey: Buffer.from(cast.b.privateKey.export({ type: 'pkcs8', format: 'der' })).subarray(0, 80),
  })),
  'no certificate': editBlocks(() => ({ certificates: [] })),
  "another's certificate": editBlocks((_signer, _pick, cast) => ({ certificates: own(cast.b) })),
  'a bad certificate': editBlocks((_signer, pick, cast) => ({
    certificates: [choose(pick, [...cast.badCertificates.values()])],
  })),
  'a bad further certificate': editBlocks((signer, pick, cast) => ({
    certificates: [...signer.certificates, choose(pick, [...cast.badCertificates.values(), ...own(cast.b)])],
  })),
  // the signing block
  'a pair twice': (recipe) => {
    recipe.pairs = (pairs) => [...pairs, ...pairs.slice(0, 1)];
  },
  'pairs reversed': (recipe) => {
    recipe.pairs = (pairs) => [...pairs].reverse();
  },
  'a pair cut short': (recipe, pick) => {
    recipe.pairs = (pairs) =>
      pairs.map((pair, i) =>
        i === 0 ? { ...pair, value: pair.value.subarray(0, pick(pair.value.length)) } : pair,
      );
  },
  'bytes behind the signers': (recipe) => {
    recipe.pairs = (pairs) =>
      pairs.map((pair) => ({ ...pair, value: Buffer.concat([pair.value, Buffer.alloc(5)]) }));
  },
  'no signers in a pair': (recipe) => {
    recipe.pairs = (pairs) => pairs.map((pair, i) => (i === 0 ? { ...pair, value: Buffer.alloc(4) } : pair));
  },
  'an unknown pair': (recipe, pick) => {
    recipe.pairs = (pairs) => [...pairs, { id: 0x12340000 + pick(99), value: Buffer.alloc(20) }];
  },
  'a bit in the pairs': (recipe, pick) => {
    recipe.pairs = (pairs) =>
      pairs.map((pair) => {
        const value = Buffer.from(pair.value);
        const at = pick(value.length);
        value[at] = (value[at] as number) ^ (1 << pick(8));
        return { ...pair, value };
      });
  },
  // CMS
  'CMS: signed attributes': editJar(() => ({ attributes: (list) => list })),
  'CMS: attributes without content type': editJar(() => ({ attributes: (list) => list.slice(1) })),
  'CMS: attributes without digest': editJar(() => ({ attributes: (list) => list.slice(0, 1) })),
  'CMS: another content type': editJar(() => ({
    attributes: (list) => [
      sequence(oid('1.2.840.113549.1.9.3'), set(oid('1.2.840.113549.1.7.2'))),
      ...list.slice(1),
    ],
  })),
  'CMS: two digests': editJar((_signer, pick) => ({
    attributes: (list) => {
      const other = sequence(oid('1.2.840.113549.1.9.4'), set(octets(Buffer.alloc(32, 1))));
      return choose(pick, [
        [...list, other],
        [list[0] as Node, other, list[1] as Node],
        [...list, list[1] as Node],
      ]);
    },
  })),
  'CMS: two values of a digest': editJar((_signer, pick) => ({
    attributes: (list, file) => [
      list[0] as Node,
      sequence(
        oid('1.2.840.113549.1.9.4'),
        set(
          ...[octets(createHash('sha256').update(file).digest()), octets(Buffer.alloc(32, 1))].sort(() =>
            pick(2) === 0 ? 1 : -1,
          ),
        ),
      ),
    ],
  })),
  'CMS: a further attribute': editJar(() => ({
    attributes: (list) => [...list, sequence(oid('1.2.3.4'), set(integer(5)))],
  })),
  'CMS: another serial number': editJar(() => ({
    sid: (sid) => sequence((sid as asn1.Sequence).valueBlock.value[0] as Node, integer(77)),
  })),
  'CMS: another issuer': editJar(() => ({
    sid: (sid) => sequence(sequence(), (sid as asn1.Sequence).valueBlock.value[1] as Node),
  })),
  'CMS: key identifier': editJar(() => ({
    sid: () => new asn1.Primitive({ idBlock: { tagClass: 3, tagNumber: 0 }, valueHex: new Uint8Array(20) }),
  })),
  'CMS: signature algorithm': editJar((signer, pick) => ({
    signatureOid: choose(pick, [
      RSA_OID,
      '1.2.840.113549.1.1.4',
      '1.2.840.113549.1.1.5',
      '1.2.840.113549.1.1.10',
      '1.2.840.113549.1.1.11',
      '1.2.840.113549.1.1.13',
      '1.2.840.10045.2.1',
      '1.2.840.10045.4.3.2',
      '1.2.840.10040.4.1',
      '1.2.3.4.5',
    ]),
    ...(pick(2) === 0 ? { hash: choose(pick, ['sha1', 'sha256', 'sha384', 'sha512'] as const) } : {}),
    ...(pick(3) === 0 ? { signs: choose(pick, ['sha1', 'sha256', 'md5']) } : { hash: signer.hash }),
  })),
  'CMS: MD5': editJar(() => ({ hash: 'md5' })),
  'CMS: another hash': (recipe, pick, cast) => {
    const hash = choose(pick, ['sha1', 'sha256', 'sha384', 'sha512'] as const);
    recipe.manifestHashes = [choose(pick, ['sha1', 'sha256', 'sha512'])];
    editJar(() => ({ hash }))(recipe, pick, cast);
  },
  'CMS: signer twice': editJar(() => ({ infos: (info) => [info, info] })),
  'CMS: a broken signer beside': editJar((_signer, pick) => ({
    infos: (info) => {
      const fields = (info as asn1.Sequence).valueBlock.value as Node[];
      const broken = sequence(...fields.slice(0, -1), octets(Buffer.alloc(256, 3)));
      return pick(2) === 0 ? [info, broken] : [broken, info];
    },
  })),
  'CMS: no signer': editJar(() => ({ infos: () => [] })),
  "CMS: another's certificate": editJar((_signer, _pick, cast) => ({ certificates: own(cast.b) })),
  'CMS: no certificate': editJar(() => ({ certificates: [] })),
  'CMS: a further certificate': editJar((signer, pick, cast) => ({
    certificates:
      pick(2) === 0 ? [...signer.certificates, ...own(cast.b)] : [...own(cast.b), ...signer.certificates],
  })),
  'CMS: a bad further certificate': editJar((signer, pick, cast) => ({
    certificates: [
      ...signer.certificates,
      choose(
        pick,
        [...cast.badCertificates].filter(([name]) => /date|month/.test(name)),
      )[1],
    ],
  })),
  'CMS: a bad certificate': editJar((_signer, pick, cast) => ({
    certificates: [
      choose(
        pick,
        [...cast.badCertificates].filter(([name]) => /date|month/.test(name)),
      )[1],
    ],
  })),
  'CMS: a bit': editJar((_signer, pick) => ({
    block: (bytes) => {
      const copy = Buffer.from(bytes);
      const at = pick(copy.length);
      copy[at] = (copy[at] as number) ^ (1 << pick(8));
      return copy;
    },
  })),
  'CMS: cut short': editJar((_signer, pick) => ({ block: (bytes) => bytes.subarray(0, pick(bytes.length)) })),
  'CMS: bytes behind': editJar((_signer, pick) => ({
    block: (bytes) => Buffer.concat([bytes, Buffer.alloc(1 + pick(20), pick(2))]),
  })),
  'CMS: garbage': editJar(() => ({ block: () => Buffer.from('nothing of the kind') })),
  // names of signature files
  'names: small letters': editJar((_signer, pick) =>
    choose<Partial<JarSigner>>(pick, [
      { ending: 'rsa' },
      { sfEnding: 'sf' },
      { ending: 'rsa', sfEnding: 'sf' },
    ]),
  ),
  'names: another ending': editJar((_signer, pick) => ({
    ending: choose(pick, ['DSA', 'EC', 'RSA', 'PGP']),
  })),
  'names: in a folder': editJar(() => ({ name: 'a/FERRY' })),
  'names: no signature file': (recipe) => {
    recipe.after = (files) => files.delete('META-INF/FERRY.SF');
  },
  'names: no block': (recipe) => {
    recipe.after = (files) => {
      for (const ending of ['RSA', 'EC']) files.delete(`META-INF/FERRY.${ending}`);
    };
  },
  'names: a garbage block': (recipe, pick) => {
    recipe.after = (files) => {
      files.set(
        `META-INF/${choose(pick, ['FERRY', 'OTHER'])}.${choose(pick, ['EC', 'DSA'])}`,
        Buffer.from('garbage'),
      );
      if (pick(2) === 0) files.set('META-INF/OTHER.SF', Buffer.from(files.get('META-INF/FERRY.SF') ?? []));
    };
  },
  'names: manifest elsewhere': (recipe, pick) => {
    recipe.after = (files) => {
      const bytes = files.get('META-INF/MANIFEST.MF');
      if (!bytes) return;
      files.delete('META-INF/MANIFEST.MF');
      if (pick(2) === 0) files.set('META-INF/manifest.mf', bytes);
    };
  },
  // the signature file
  'SF: no version': editFile((value) => value.replace(/^Signature-Version: 1\.0\r\n/, '')),
  'SF: signtool': editFile((value) => value.replace('Created-By: crafted', 'Created-By: 1.0 (signtool)')),
  'SF: an entry missing': editFile((value, pick) => inSection(value, 1 + pick(4), () => '')),
  'SF: an entry twice': editFile((value, pick) =>
    inSection(value, 1 + pick(4), (section) => section + section),
  ),
  'SF: an unnamed entry': editFile((value, pick) =>
    inSection(value, 1 + pick(4), (section) => section.replace(/^Name: [^\r]*\r\n/, '')),
  ),
  'SF: an entry too many': editFile((value) => `${value}Name: not/there\r\nSHA-256-Digest: AAAA\r\n\r\n`),
  'SF: no digest of the manifest': editFile((value) =>
    value.replace(/SHA1?-?(256|384|512)?-Digest-Manifest: [^\r]*\r\n( [^\r]*\r\n)?/, ''),
  ),
  'SF: a wrong digest of the manifest': editFile((value) =>
    value.replace(/(-Digest-Manifest: )..../, '$1AAAA'),
  ),
  'SF: a wrong digest of the manifest and of an entry': editFile((value, pick) =>
    inSection(value.replace(/(-Digest-Manifest: )..../, '$1AAAA'), 1 + pick(4), (section) =>
      section.replace(/(-Digest: )..../, '$1AAAA'),
    ),
  ),
  'SF: no digest of an entry': editFile((value, pick) =>
    inSection(value.replace(/(-Digest-Manifest: )..../, '$1AAAA'), 1 + pick(4), (section) =>
      section.replace(/\r\nSHA1?[^:]*: [^\r]*(\r\n [^\r]*)?/, ''),
    ),
  ),
  'SF: a wrong digest of the main attributes': editFile((value) =>
    value.replace(/(-Main-Attributes: )..../, '$1AAAA'),
  ),
  'SF: schemes promised': editFile((value, pick) =>
    inSection(value, 0, (section) =>
      attribute(
        section,
        `X-Android-APK-Signed: ${choose(pick, ['2', '3', '2, 3', ' 2 ,3', '1', '99', 'x, 2', '', '02', '-2'])}`,
      ),
    ),
  ),
  'SF: an attribute twice': editFile((value, pick) =>
    inSection(value, pick(3), (section) =>
      attribute(
        section,
        choose(pick, [
          'SHA-256-Digest: AAAA',
          'sha-256-digest-manifest: AAAA',
          'Name: assets/other',
          'Signature-Version: 2.0',
          'X-Android-APK-Signed: 2',
        ]),
      ),
    ),
  ),
  'SF: changed after signing': editJar(() => ({ fileAfter: (value) => value.replace('crafted', 'carved!') })),
  'SF: other line ends': editFile((value, pick) => value.replaceAll('\r\n', choose(pick, ['\n', '\r']))),
  'SF: more blank lines': editFile((value, pick) => inSection(value, pick(4), (section) => `${section}\r\n`)),
  'SF: not ended': editFile((value, pick) => value.slice(0, -choose(pick, [2, 4]))),
  // the manifest of digests
  'MF: an entry twice': editManifest((value, pick) =>
    inSection(value, 1 + pick(4), (section) => section + section),
  ),
  'MF: an entry twice, one wrong': editManifest((value, pick) =>
    inSection(value, 1 + pick(4), (section) =>
      pick(2) === 0
        ? section + section.replace(/(-Digest: )..../, '$1AAAA')
        : section.replace(/(-Digest: )..../, '$1AAAA') + section,
    ),
  ),
  'MF: an unnamed entry': editManifest((value, pick) =>
    inSection(value, 1 + pick(4), (section) => section.replace(/^Name: [^\r]*\r\n/, '')),
  ),
  'MF: an entry missing': editManifest((value, pick) => inSection(value, 1 + pick(4), () => '')),
  'MF: an entry too many': editManifest(
    (value, pick) =>
      `${value}Name: ${choose(pick, ['not/there', 'assets/', 'META-INF/FERRY.SF'])}\r\nSHA-256-Digest: AAAA\r\n\r\n`,
  ),
  'MF: a wrong digest': editManifest((value, pick) =>
    inSection(value, 1 + pick(4), (section) => section.replace(/(-Digest: )..../, '$1AAAA')),
  ),
  'MF: a wrong weaker digest': (recipe, pick, cast) => {
    recipe.manifestHashes = ['sha256', 'sha1'];
    editManifest((value, p) =>
      inSection(value, 1 + p(4), (section) => section.replace(/((?:SHA1|SHA-256)-Digest: )..../, '$1AAAA')),
    )(recipe, pick, cast);
  },
  'MF: a digest twice': editManifest((value, pick) =>
    inSection(value, 1 + pick(4), (section) => {
      const wrong = choose(pick, [
        'SHA-256-Digest: AAAA',
        'SHA1-Digest: AAAA',
        'sha-256-digest: AAAA',
        'SHA-512-Digest: AAAA',
        'MD5-Digest: AAAA',
      ]);
      return pick(2) === 0 ? attribute(section, wrong) : section.replace(/\r\nSHA/, `\r\n${wrong}\r\nSHA`);
    }),
  ),
  'MF: digest algorithms named': editManifest((value, pick) =>
    inSection(value, 1 + pick(4), (section) =>
      attribute(section, `Digest-Algorithms: ${choose(pick, ['SHA-256', 'SHA1', 'MD5', 'SHA SHA1', 'X'])}`),
    ),
  ),
  'MF: no digest': editManifest((value, pick) =>
    inSection(value, 1 + pick(4), (section) => section.replace(/\r\nSHA[^:]*: [^\r]*(\r\n [^\r]*)?/, '')),
  ),
  'MF: digests under other names': editManifest((value, pick) =>
    value.replaceAll(
      /SHA1-Digest|SHA-256-Digest/g,
      choose(pick, ['SHA-1-Digest', 'SHA-Digest', 'MD5-Digest', 'sha-256-DIGEST', 'SHA256-Digest']),
    ),
  ),
  'MF: a name twice': editManifest((value, pick) =>
    inSection(value, 1 + pick(4), (section) =>
      attribute(section, choose(pick, ['Name: classes.dex', 'name: other'])),
    ),
  ),
  'MF: the digest before the name': editManifest((value, pick) =>
    inSection(value, 1 + pick(4), (section) => {
      const lines = section.slice(0, -4).split('\r\n');
      return `${lines.reverse().join('\r\n')}\r\n\r\n`;
    }),
  ),
  'MF: more blank lines': editManifest((value, pick) =>
    pick(4) === 0 ? `\r\n${value}` : inSection(value, pick(5), (section) => `${section}\r\n`),
  ),
  'MF: other line ends': editManifest((value, pick) => value.replaceAll('\r\n', choose(pick, ['\n', '\r']))),
  'MF: not ended': editManifest((value, pick) => value.slice(0, -choose(pick, [2, 4]))),
  'MF: a line that is none': editManifest((value, pick) =>
    inSection(value, pick(3), (section) =>
      attribute(section, choose(pick, ['no colon here', 'No-Space:here', ': no name', ' folded', 'Ünï: x'])),
    ),
  ),
  'MF: long names': (recipe) => {
    for (let i = 0; i < 6; i += 1)
      recipe.files.set(
        `assets/${'é'.repeat(25 + i)}-Überfahrt-${'フェリー'.repeat(5)}${i}.txt`,
        filler(60, i),
      );
  },
  // files
  'a file removed': (recipe, pick) => {
    recipe.after = (files) =>
      files.delete(choose(pick, ['classes.dex', 'resources.arsc', 'assets/site/timetable.html']));
  },
  'a file added': (recipe, pick) => {
    recipe.after = (files) =>
      files.set(
        choose(pick, [
          'assets/added.js',
          'META-INF/services/x',
          'meta-inf/x.sf',
          'META-INF/x.txt',
          'assets/empty/',
          'META-INF/SIG-X',
          'META-INF/x.rsa',
        ]),
        filler(20, 9),
      );
  },
  'a file changed': (recipe, pick) => {
    recipe.after = (files) =>
      files.set(choose(pick, ['classes.dex', 'assets/site/index.html']), filler(500, 8));
  },
  'a folder in the package': (recipe) => {
    recipe.files.set('assets/folder/', new Uint8Array());
  },
  'no file but the manifest': (recipe) => {
    recipe.files.clear();
  },
  'an empty file': (recipe) => {
    recipe.files.set('assets/empty.txt', new Uint8Array());
  },
  // the archive
  'ZIP: local checksum': (recipe, pick) => {
    recipe.zip.local[
      choose(pick, ['classes.dex', 'META-INF/MANIFEST.MF', 'META-INF/FERRY.SF', 'AndroidManifest.xml'])
    ] = { crc: 1234 };
  },
  'ZIP: local sizes': (recipe, pick) => {
    recipe.zip.local[choose(pick, ['classes.dex', 'assets/site/index.html', 'META-INF/FERRY.RSA'])] =
      pick(2) === 0 ? { size: 3 } : { packed: 3 };
  },
  'ZIP: descriptor flag': (recipe, pick) => {
    const path = choose(pick, ['classes.dex', 'assets/site/index.html']);
    const where = pick(3);
    if (where !== 0)
      recipe.zip.local[path] = { flags: 0x0808, ...(pick(2) === 0 ? { crc: 0, packed: 0, size: 0 } : {}) };
    if (where !== 1) recipe.zip.central[path] = { flags: 0x0808 };
  },
  'ZIP: checksum in the directory': (recipe, pick) => {
    const path = choose(pick, ['classes.dex', 'assets/site/index.html']);
    recipe.zip.central[path] = { crc: 99 };
    if (pick(2) === 0) recipe.zip.local[path] = { crc: 99 };
  },
  'ZIP: bytes before the first file': (recipe, pick) => {
    recipe.zip.before = 1 + pick(40);
  },
  'ZIP: a bit anywhere': (recipe, pick) => {
    recipe.whole = (bytes) => {
      const copy = Buffer.from(bytes);
      const at = pick(copy.length);
      copy[at] = (copy[at] as number) ^ (1 << pick(8));
      return copy;
    };
  },
};
