import type { KeystoreEntry } from '../../src/core/keys/pkcs12.js';
import { sha256Hex } from '../../src/core/platforms/apple/signing/authority.js';
import { type Profile, readProfile } from '../../src/core/platforms/apple/signing/profile.js';
import {
  type AppleAuthority,
  appleAuthority,
  type ProfileRequest,
  profileOf,
} from '../../src/drydock/apple-team.js';

/** A vendor's authority for tests, made once a file, and what it signs. */

export const TEAM = 'SALTMARSH1';
export const ID = 'example.saltmarsh.ferry';
export const NOW = new Date('2026-11-29T12:00:00Z');
const FROM = new Date('2026-01-01T00:00:00Z');
const TO = new Date('2028-01-01T00:00:00Z');

export interface TestTeam {
  readonly authority: AppleAuthority;
  readonly developer: KeystoreEntry;
  /** SHA-256 of the root, in hexadecimal. */
  readonly root: string;
  profileBytes(changes?: Partial<ProfileRequest>): Promise<Uint8Array>;
  profile(changes?: Partial<ProfileRequest>): Promise<Profile>;
}

async function makeTeam(): Promise<TestTeam> {
  const authority = await appleAuthority(FROM, TO);
  const developer = await authority.developer({ team: TEAM, name: 'Apple Development: Test (DRYDOCK001)' });
  const root = sha256Hex(authority.root);
  const profileBytes = (changes: Partial<ProfileRequest> = {}) =>
    authority.sign(
      profileOf({
        team: TEAM,
        teamName: 'Saltmarsh Ferry',
        bundleId: ID,
        kind: 'development',
        certificates: developer.certificates.slice(0, 1),
        devices: ['00008030-001A2B3C4D5E802E'],
        domains: 'any',
        created: FROM,
        expires: TO,
        ...changes,
      }),
      FROM,
    );
  return {
    authority,
    developer,
    root,
    profileBytes,
    profile: async (changes) => readProfile(await profileBytes(changes), root),
  };
}

let made: Promise<TestTeam> | undefined;

export function testTeam(): Promise<TestTeam> {
  made ??= makeTeam();
  return made;
}
