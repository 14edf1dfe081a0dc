import { beforeAll, describe, expect, it } from 'vitest';
import { entitlementsOf } from '../../../../src/core/platforms/apple/app/entitlements.js';
import { sha256Hex, VENDOR_ROOT } from '../../../../src/core/platforms/apple/signing/authority.js';
import {
  allows,
  isRegistered,
  judgeProfile,
  type ProfileUse,
} from '../../../../src/core/platforms/apple/signing/judge-profile.js';
import {
  type Profile,
  type ProfileKind,
  readProfile,
} from '../../../../src/core/platforms/apple/signing/profile.js';
import { ID, NOW, TEAM, type TestTeam, testTeam } from '../../../support/apple.js';
import { holdsAgainst, refused } from '../../../support/errors.js';

let team: TestTeam;
beforeAll(async () => {
  team = await testTeam();
});

const link = { host: 'ferry.saltmarsh.example', rules: [{ allow: true, pattern: '/*' }], credentials: false };
const HERE = { profile: {}, identity: {}, bundleId: {}, team: {}, links: {} };

function judged(profile: Profile, changes: Partial<ProfileUse> = {}): string[] {
  const kind = profile.kind === 'development' ? 'development' : 'other';
  const use: ProfileUse = {
    profile,
    bundleId: ID,
    team: TEAM,
    certificates: team.developer.certificates,
    entitlements: entitlementsOf(
      { links: [link] },
      { bundleId: ID, clip: undefined },
      { team: TEAM, prefix: TEAM, kind },
    ),
    root: team.root,
    now: NOW,
    locations: HERE,
    ...changes,
  };
  return judgeProfile(use).map(({ code, severity }) => `${severity} ${code}`);
}

describe('a provisioning profile', () => {
  it('is read, and its kind follows from what it holds', async () => {
    const profile = await team.profile();
    expect(profile).toMatchObject({
      kind: 'development',
      team: TEAM,
      appId: `${TEAM}.${ID}`,
      prefixes: [TEAM],
      fault: undefined,
      root: 'Drydock Root CA',
      platforms: ['iOS'],
    });
    expect(profile.uuid).toMatch(/^[0-9a-f]{8}-/);
    for (const kind of ['ad hoc', 'enterprise', 'store'] satisfies ProfileKind[]) {
      expect((await team.profile({ kind })).kind).toBe(kind);
    }
    const adHoc = await team.profile({ kind: 'ad hoc' });
    expect(isRegistered(adHoc, '00008030-001a2b3c4d5e802e')).toBe(true);
    expect(isRegistered(adHoc, '00008030-0000000000000000')).toBe(false);
    expect(isRegistered(await team.profile({ kind: 'enterprise' }), 'any')).toBe(true);
    expect(isRegistered(await team.profile({ kind: 'store' }), 'any')).toBe(undefined);
  });

  it('that was changed does not hold, whatever was changed', async () => {
    const bytes = await team.profileBytes();
    const text = Buffer.from(bytes).toString('latin1');
    for (const [from, to] of [
      ['00008030-001A', '00008030-001B'],
      [`${TEAM}.${ID}`, `${TEAM}.${ID.replace('ferry', 'ferrz')}`],
      ['2028', '2029'],
    ] as const) {
      const at = text.indexOf(from);
      const changed = new Uint8Array(bytes);
      changed.set(Buffer.from(to), at);
      expect(readProfile(changed, team.root).fault, from).toBe('it was changed after it was signed');
    }
    // Every byte counts: those of the structure end in an error, those of what is signed in a fault.
    for (let at = 0; at < bytes.length; at += 97) {
      const changed = new Uint8Array(bytes);
      changed[at] = (changed[at] as number) ^ 0x04;
      const end = await holdsAgainst(() => {
        const read = readProfile(changed, team.root);
        if (
          read.fault === undefined &&
          JSON.stringify(read) !== JSON.stringify(readProfile(bytes, team.root))
        ) {
          throw new Error(`byte ${at} was changed, and another profile holds`);
        }
      });
      expect(end).toBeDefined();
    }
    await refused('profile.malformed', () => readProfile(new Uint8Array([1, 2, 3]), team.root));
    await refused('profile.malformed', () => readProfile(team.authority.root, team.root));
  });

  it('leads to a root that is a parameter: a test authority is not the vendor', async () => {
    const bytes = await team.profileBytes();
    expect(readProfile(bytes, VENDOR_ROOT).fault).toContain('which devices do not trust');
    expect(readProfile(bytes, sha256Hex(new Uint8Array([1]))).fault).toContain('Drydock Root CA');
  });

  it('fits identity and app, or a finding says what does not', async () => {
    expect(judged(await team.profile())).toEqual([]);
    expect(judged(await team.profile({ bundleId: 'example.saltmarsh.*' }))).toEqual([]);
    expect(judged(await team.profile({ bundleId: '*' }))).toEqual([]);
    expect(judged(await team.profile({ bundleId: 'example.other' }))).toEqual(
      expect.arrayContaining(['error profile.app-id']),
    );
    expect(judged(await team.profile({ domains: 'none' }))).toEqual(['error profile.entitlement']);
    expect(judged(await team.profile({ expires: new Date('2026-11-01') }))).toEqual([
      'error profile.profile-expired',
    ]);
    expect(judged(await team.profile({ expires: new Date('2026-12-05') }))).toEqual([
      'warning profile.profile-expires',
    ]);
    expect(judged(await team.profile(), { team: 'OTHER00000' })).toEqual(['error profile.team']);
    expect(judged(await team.profile(), { certificates: team.developer.certificates.slice(0, 1) })).toEqual([
      'error profile.chain',
    ]);
    expect(judged(await team.profile({ kind: 'store' }))).toEqual(['error profile.kind']);
    const other = await team.authority.developer({ team: 'ZZZZZ99999', name: 'Apple Development: Other' });
    expect(judged(await team.profile(), { certificates: other.certificates })).toEqual([
      'error profile.certificate',
      'error profile.team',
    ]);
    const distribution = await team.authority.developer({
      team: TEAM,
      name: 'Apple Distribution',
      kind: 'distribution',
    });
    const certificates = distribution.certificates;
    expect(judged(await team.profile({ certificates: certificates.slice(0, 1) }), { certificates })).toEqual([
      'error profile.kind',
    ]);
    expect(
      judged(await team.profile({ kind: 'ad hoc', certificates: certificates.slice(0, 1) }), {
        certificates,
      }),
    ).toEqual([]);
    const old = await team.authority.developer({
      team: TEAM,
      name: 'Apple Development: Old',
      notBefore: new Date('2026-01-01'),
      notAfter: new Date('2026-06-01'),
    });
    expect(
      judged(await team.profile({ certificates: old.certificates.slice(0, 1) }), {
        certificates: old.certificates,
      }),
    ).toEqual(['error profile.certificate-expired']);
    expect(judged(await team.profile(), { root: VENDOR_ROOT })).toContain('error profile.chain');
    // A certificate that signs nothing of the vendor's: the authority's own.
    expect(
      judged(await team.profile(), { certificates: [team.authority.intermediate, team.authority.root] }),
    ).toContain('error profile.certificate-kind');
  });

  it('allows values by stars and arrays', () => {
    expect(allows(undefined, false)).toBe(true);
    expect(allows(undefined, true)).toBe(false);
    expect(allows('A.*', 'A.b.c')).toBe(true);
    expect(allows('A.b', 'A.b.c')).toBe(false);
    expect(allows(['A.*', 'B'], ['B', 'A.c'])).toBe(true);
    expect(allows(['A.*'], ['B'])).toBe(false);
    expect(allows('*', ['applinks:a', 'applinks:b'])).toBe(true);
    expect(allows(true, false)).toBe(true);
    expect(allows(false, true)).toBe(false);
  });
});
