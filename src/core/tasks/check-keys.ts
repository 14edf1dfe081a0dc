import { X509Certificate } from 'node:crypto';
import { HullError, type SayTask } from '../errors.js';
import type { Finding } from '../finding.js';
import { backupSheet, type SheetKey } from '../keys/backup-sheet.js';
import { findKeyDangers } from '../keys/check.js';
import { certificateFacts } from '../keys/fingerprint.js';
import { chooseKey } from '../keys/open.js';
import { commonNameOf } from '../platforms/apple/signing/authority.js';
import { endFindings } from '../platforms/apple/signing/judge-certificate.js';
import { readProfileFile } from '../platforms/apple/signing/profile.js';
import { openProject, type Project, type ProjectSource } from '../project/project.js';
import { writeNewFile } from '../util/files.js';
import { trustedRoot } from './apple-signing.js';
import { openKey, type PasswordOf } from './passwords.js';
import { pendingRequests } from './request-certificate.js';

export interface CheckKeysOptions {
  /** Folder of `hull.json`. */
  readonly project?: ProjectSource | undefined;
  /** Passwords that are known, so that they are found wherever they are written down. */
  readonly knownPasswords?: ((names: readonly string[]) => readonly string[]) | undefined;
  /** File for a backup sheet to print; it must not exist. */
  readonly sheet?: string | undefined;
  /** Needed for a sheet: it shows the certificates. */
  readonly password: PasswordOf;
  /** How tasks are named on the sheet. */
  readonly say?: SayTask | undefined;
}

/** A day on which something ends. */
export interface EndingDay {
  readonly what: string;
  /** ISO 8601, without the time. */
  readonly date: string;
}

export interface CheckedKeys {
  /** Names of keys whose keystores are here. */
  readonly keys: readonly string[];
  /** Days on which profile and certificates for Apple's systems end, the first first. */
  readonly ends: readonly EndingDay[];
  readonly findings: readonly Finding[];
  readonly sheet?: string;
}

/** A sheet for the safe: fingerprints and uses, no secret. Throws `disk.exists`, `keys.*`. */
async function writeSheet(file: string, names: readonly string[], options: CheckKeysOptions): Promise<void> {
  const project = openProject(options.project);
  const keys: SheetKey[] = [];
  for (const name of names) {
    const key = chooseKey(project, name);
    const identity = await openKey({ ...key, alias: key.config.alias }, options.password);
    keys.push({
      name,
      file: key.path,
      alias: identity.alias,
      certificate: certificateFacts(identity.certificates[0] as Uint8Array),
      succeeds: key.config.succeeds,
    });
  }
  const sheet = backupSheet(project, keys, new Date().toISOString().slice(0, 10), options.say);
  const exists = () =>
    new HullError('disk.exists', 'There is a file here already; it was not touched.', {
      location: { file },
      fix: 'Somebody may have written on it. Name another file.',
    });
  await writeNewFile(file, new TextEncoder().encode(sheet), 0o644, exists);
}

/** What the profile of `hull.json` says of its own end, and of that of its certificates: no password is needed for it. */
function profileEnds(project: Project, now: Date): Pick<CheckedKeys, 'ends' | 'findings'> {
  const path = project.settings.apple.profile;
  if (path === undefined) return { ends: [], findings: [] };
  const file = project.resolve(path);
  const location = { file };
  try {
    const { profile } = readProfileFile(file, trustedRoot(project).root);
    const all = [
      ...(profile.expires ? [{ what: 'The profile', name: path, end: profile.expires } as const] : []),
      ...profile.certificates.map((der) => {
        const certificate = new X509Certificate(der);
        const name = commonNameOf(certificate) ?? 'certificate';
        return { what: 'The certificate', name, end: new Date(certificate.validTo) } as const;
      }),
    ].sort((one, other) => one.end.getTime() - other.end.getTime());
    return {
      ends: all.map(({ name, end }) => ({ what: name, date: end.toISOString().slice(0, 10) })),
      findings: all.flatMap(({ what, end }) => endFindings({ what, end, location }, now)),
    };
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    const { code, message, fix } = error;
    const impact = 'Packages for devices cannot be signed with it.';
    return {
      ends: [],
      findings: [
        { code, severity: 'error', location, observed: message, impact, fix: fix ?? 'Download it again.' },
      ],
    };
  }
}

/**
 * Judges how a project's keys are kept: who can read them, whether version control has them or would take them, where
 * passwords are written down.
 *
 * @throws HullError `config.*`, and with a sheet `keys.*`, `disk.exists`
 */
export async function checkKeys(options: CheckKeysOptions): Promise<CheckedKeys> {
  const project = openProject(options.project);
  const names = Object.entries(project.settings.keys).flatMap(([name, { file }]) =>
    file === undefined ? [] : [name],
  );
  const pending = pendingRequests(project).map(({ key }) => key);
  const passwords = options.knownPasswords?.(names) ?? [];
  const dangers = findKeyDangers(project, passwords, process.platform, pending);
  const profile = profileEnds(project, new Date());
  const { sheet } = options;
  if (sheet !== undefined) await writeSheet(sheet, names, options);
  const findings = [...dangers, ...profile.findings];
  return { keys: names, ends: profile.ends, findings, ...(sheet === undefined ? {} : { sheet }) };
}
