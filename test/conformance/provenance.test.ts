import { execFileSync } from 'node:child_process';
import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { hull, run } from '../support/hull.js';
import { readerTest } from '../support/readers.js';
import { ID, packed, readyProject, refusedWith, sha } from '../support/ready-project.js';

/** Statements of origin, read by programs that others wrote. */

/** Verifies an envelope with a public key, and reads its statement by the framework’s own types. */
const READER = `
import json, sys
from cryptography import x509
from securesystemslib.dsse import Envelope
from securesystemslib.signer import SSlibKey
from in_toto_attestation.v1.statement import Statement
from in_toto_attestation.predicates.provenance.v1.provenance_pb2 import Provenance
from google.protobuf.json_format import ParseDict

envelope_file, certificate_file = sys.argv[1:3]
certificate = x509.load_pem_x509_certificate(open(certificate_file, 'rb').read())
data = json.loads(open(envelope_file).read())
keyid = data['signatures'][0]['keyid']
scheme = {'RSA': 'rsa-pkcs1v15-sha256', 'EC': 'ecdsa-sha2-nistp256'}[sys.argv[3]]
key = SSlibKey.from_crypto(certificate.public_key(), keyid, scheme)
envelope = Envelope.from_dict(data)
envelope.verify([key], 1)
payload = json.loads(envelope.payload)
statement = Statement.copy_from_pb(ParseDict(payload, Statement([], '', {}).pb.__class__()))
statement.validate()
ParseDict(payload['predicate'], Provenance())
print(json.dumps({'type': envelope.payload_type, 'subject': payload['subject'], 'keyid': keyid}))
`;

interface Read {
  readonly type: string;
  readonly subject: readonly { name: string; digest: { sha256: string } }[];
  readonly keyid: string;
}

let dir: string;
const statement = () => `${packed(dir)}.intoto.jsonl`;
const drive = (...words: string[]) => hull(words, { cwd: dir });
const certificateOf = () => {
  const file = join(dir, 'certificate.pem');
  execFileSync(
    'openssl',
    ['pkcs12', '-in', 'keys/release.p12', '-nokeys', '-passin', 'env:P', '-out', file],
    {
      cwd: dir,
      env: { ...process.env, P: 'only-for-these-tests' },
      stdio: 'ignore',
    },
  );
  return file;
};

beforeAll(async () => {
  dir = await readyProject();
  const made = await drive('pack', 'apk', '--record', '--json');
  expect(made.code, made.err).toBe(0);
  expect(JSON.parse(made.out)).toMatchObject({ provenance: `out/${ID}-1.0.0-1.apk.intoto.jsonl` });
}, 60_000);

describe('a statement of origin', () => {
  readerTest(
    'python3',
    'is an envelope, a statement and a predicate to readers that others wrote',
    async () => {
      const ran = await run('python3', ['-c', READER, statement(), certificateOf(), 'RSA']);
      expect(ran.code, ran.err).toBe(0);
      const read = JSON.parse(ran.out) as Read;
      expect(read.type).toBe('application/vnd.in-toto+json');
      expect(read.subject).toEqual([{ name: `${ID}-1.0.0-1.apk`, digest: { sha256: sha(packed(dir)) } }]);
      // They refuse it too where anything in it is changed.
      const changed = JSON.parse(readFileSync(statement(), 'utf8')) as { payload: string };
      const text = Buffer.from(changed.payload, 'base64').toString().replace(ID, 'example.saltmarsh.other');
      const file = join(dir, 'changed.jsonl');
      writeFileSync(file, JSON.stringify({ ...changed, payload: Buffer.from(text).toString('base64') }));
      expect((await run('python3', ['-c', READER, file, certificateOf(), 'RSA'])).err).toMatch(/[Vv]erif/);
    },
  );

  it('is verified with the package, says what went in, and is the same each time', async () => {
    const shown = await drive('inspect', packed(dir), '--provenance', '--json');
    expect(shown.code, shown.err).toBe(0);
    const { provenance } = JSON.parse(shown.out);
    expect(provenance).toMatchObject({ verified: true, faults: [], notJudged: [], brand: null });
    const names = provenance.inputs.map(({ name, uri }: { name: string; uri: string }) => name ?? uri);
    expect(names).toEqual(expect.arrayContaining(['hull.json', 'site/icon.svg']));
    expect(names.join()).not.toContain('.p12');
    const before = readFileSync(statement(), 'utf8');
    await drive('pack', 'apk', '--record');
    expect(readFileSync(statement(), 'utf8')).toBe(before);
    const rebuilt = await drive('pack', 'apk', '--verify-record', statement());
    expect(rebuilt.out).toContain('The same');
    // Packed without a record it is the same package still; another is not what the statement is about.
    expect((await drive('pack', 'apk')).err).not.toContain('earlier package');
    const other = await readyProject({});
    await hull(['pack', 'apk', '--record'], { cwd: other });
    writeFileSync(join(other, 'site/index.html'), '<!doctype html><title>Newer</title>');
    const newer = await hull(['pack', 'apk'], { cwd: other });
    expect(newer.code, newer.err).toBe(0);
    expect(newer.err).toContain('is about an earlier package');
  }, 60_000);

  it('does not hold for another package, another key, another record, or changed words', async () => {
    const verified = async (...words: string[]) => {
      const ran = await drive('inspect', ...words, '--json');
      return { code: ran.code, faults: JSON.parse(ran.out).provenance?.faults as string[] };
    };
    const other = await readyProject({ 'site/more.html': '<!doctype html><title>More</title>' });
    await hull(['pack', 'apk', '--record'], { cwd: other });
    cpSync(packed(other), join(dir, 'other.apk'));
    expect(await verified('other.apk', '--provenance', statement())).toMatchObject({
      code: 1,
      faults: [
        'The statement is about a package with other bytes.',
        'The statement is not signed by the key that signed the package.',
      ],
    });
    const record = `${packed(dir)}.cdx.json`;
    const bom = readFileSync(record, 'utf8');
    writeFileSync(record, bom.replace('"version": 1', '"version": 2'));
    expect((await verified(packed(dir), '--provenance')).faults).toEqual([
      expect.stringContaining('is not the one that the statement names'),
    ]);
    writeFileSync(record, bom);
    const envelope = JSON.parse(readFileSync(statement(), 'utf8')) as { payload: string };
    const file = join(dir, 'forged.jsonl');
    const forged = Buffer.from(envelope.payload, 'base64').toString().replace('"hull.json"', '"evil.json"');
    writeFileSync(file, JSON.stringify({ ...envelope, payload: Buffer.from(forged).toString('base64') }));
    expect((await verified(packed(dir), '--provenance', file)).faults).toEqual([
      'The statement is not signed by the key that signed the package.',
    ]);
    writeFileSync(join(dir, 'site/index.html'), '<!doctype html><title>Changed</title>');
    const rebuilt = await drive('pack', 'apk', '--verify-record', statement());
    expect(rebuilt.code).toBe(1);
    expect(rebuilt.out).toContain('index.html');
  }, 90_000);

  it('is refused where it is none', async () => {
    for (const text of [
      '',
      '{',
      '[]',
      '{"payloadType":1}',
      '{"payloadType":"a","payload":"!","signatures":[]}',
    ]) {
      writeFileSync(join(dir, 'none.jsonl'), text);
      refusedWith(await drive('inspect', packed(dir), '--provenance', 'none.jsonl'), 'provenance.malformed');
    }
    const foreign = (statementText: unknown) => {
      const payload = Buffer.from(JSON.stringify(statementText)).toString('base64');
      const signatures = [{ keyid: '', sig: 'AAAA' }];
      writeFileSync(
        join(dir, 'none.jsonl'),
        JSON.stringify({ payloadType: 'application/vnd.in-toto+json', payload, signatures }),
      );
      return drive('inspect', packed(dir), '--provenance', 'none.jsonl');
    };
    refusedWith(await foreign({ _type: 'https://in-toto.io/Statement/v0.1' }), 'provenance.malformed');
    refusedWith(
      await foreign({
        _type: 'https://in-toto.io/Statement/v1',
        predicateType: 'https://slsa.dev/provenance/v1',
        subject: [{ name: 'a' }],
        predicate: { buildDefinition: { buildType: 'https://other.example/' } },
      }),
      'provenance.malformed',
    );
    refusedWith(await drive('inspect', packed(dir), '--provenance', 'not-there.jsonl'), 'provenance.missing');
  }, 60_000);
});
