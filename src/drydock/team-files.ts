import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { HullError } from '../core/errors.js';
import { certificatePem } from '../core/keys/certificate.js';
import { writePkcs12 } from '../core/keys/pkcs12.js';
import { readAppleOptions } from '../core/platforms/apple/app/options.js';
import { editProject } from '../core/project/edit.js';
import { readProject } from '../core/project/project.js';
import { keepKeystore } from '../core/tasks/key-files.js';
import type { PasswordOf } from '../core/tasks/passwords.js';
import { writeNewFile } from '../core/util/files.js';
import { TEST_DEVICE } from './apple-device/options.js';
import { appleAuthority, profileOf } from './apple-team.js';

/** A team ID that belongs to nobody. */
const TEAM = 'SALTMARSH1';
const KEY = 'apple-test';
const FOLDER = 'keys/apple-test';
const DAY = 86_400_000;
const LIFE = 365;

export interface TeamOptions {
  readonly project: string;
  readonly password: PasswordOf;
  /** Identifiers of devices that the profile names. */
  readonly devices?: readonly string[] | undefined;
  readonly now?: Date;
}

export interface MadeTeam {
  readonly team: string;
  readonly key: string;
  /** As they are written in `hull.json`. */
  readonly keystore: string;
  readonly profile: string;
  readonly root: string;
  readonly expires: Date;
}

/**
 * Makes what packing for Apple's devices needs, below a test authority: an identity in a new keystore, a development
 * profile, the root; and names them in `hull.json`. Nothing that is there is written over.
 *
 * @throws HullError `keys.exists`, `config.*`, `app.bad-id`
 */
export async function makeTeam({
  project: dir,
  password,
  devices = [TEST_DEVICE],
  now = new Date(),
}: TeamOptions): Promise<MadeTeam> {
  const project = readProject(dir);
  const { apple, app } = project.settings;
  for (const name of ['key', 'profile', 'root'] as const) {
    if (apple[name] === undefined) continue;
    throw new HullError('keys.exists', `hull.json names apple.${name} already; nothing was made.`, {
      location: project.location(`/apple/${name}`),
      fix: 'Remove key, profile and root of "apple" first; files that they name stay.',
    });
  }
  const team = apple.team ?? TEAM;
  const { bundleId } = readAppleOptions(project);
  const files = {
    keystore: `${FOLDER}.p12`,
    profile: `${FOLDER}.mobileprovision`,
    root: `${FOLDER}-root.pem`,
  };
  for (const path of Object.values(files)) {
    if (existsSync(join(project.dir, path))) throw exists(join(project.dir, path));
  }
  const from = new Date(Math.floor(now.getTime() / DAY) * DAY);
  const to = new Date(from.getTime() + LIFE * DAY);
  const authority = await appleAuthority(from, to);
  const identity = await authority.developer({ team, name: 'Apple Development: Test (DRYDOCK001)' });
  const secret = await password({ name: KEY, path: files.keystore });
  const profile = await authority.sign(
    profileOf({
      team,
      teamName: app.name,
      bundleId,
      kind: 'development',
      certificates: identity.certificates.slice(0, 1),
      devices,
      domains: 'any',
      created: from,
      expires: to,
    }),
    from,
  );
  await keepKeystore(join(project.dir, files.keystore), await writePkcs12(identity, secret), 'guarded');
  const write = (path: string, bytes: Uint8Array) =>
    writeNewFile(join(project.dir, path), bytes, 0o644, () => exists(join(project.dir, path)));
  await write(files.profile, profile);
  await write(files.root, new TextEncoder().encode(certificatePem(authority.root)));
  await editProject(project, () => [
    { path: ['apple', 'team'], value: team },
    { path: ['apple', 'key'], value: KEY },
    { path: ['apple', 'profile'], value: files.profile },
    { path: ['apple', 'root'], value: files.root },
    { path: ['keys', KEY], value: { file: files.keystore, alias: identity.alias } },
  ]);
  return { team, key: KEY, ...files, expires: to };
}

function exists(file: string): HullError {
  return new HullError('keys.exists', 'There is a file here already; it was not touched.', {
    location: { file },
    fix: 'Remove it where it is an older test’s; or keep it, and name it in hull.json.',
  });
}
