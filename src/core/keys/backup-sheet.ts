import { formatFix, type SayTask, task } from '../errors.js';
import type { Project } from '../project/project.js';
import type { CertificateFacts } from './fingerprint.js';

export interface SheetKey {
  readonly name: string;
  readonly file: string;
  readonly alias: string;
  readonly certificate: CertificateFacts;
  readonly succeeds: string | undefined;
}

/** Where a key is used, as the project has it. */
function uses(project: Project, name: string): string[] {
  const { android, keys } = project.settings;
  const successor = Object.entries(keys).find(([, key]) => key.succeeds === name)?.[0];
  return [
    ...(android?.key === name ? ['It signs every package and bundle that is made (android.key).'] : []),
    ...(android?.store_key === name ? ['The store signs with it what users get (android.store_key).'] : []),
    ...(successor
      ? [`"${successor}" succeeded it; older devices still go by it, so that packages need both.`]
      : []),
  ];
}

/** A sheet to print and keep apart from the computer: what a key is, what it is for, what is lost with it. No secret. */
export function backupSheet(project: Project, keys: readonly SheetKey[], day: string, say?: SayTask): string {
  const { app } = project.settings;
  const sections = keys.map(({ name, file, alias, certificate, succeeds }) => {
    const used = uses(project, name);
    return `## Key "${name}"

| | |
|---|---|
| file | ${file} |
| alias | ${alias} |
| subject | ${certificate.subject} |
| kind | ${certificate.key} |
| valid | ${certificate.notBefore.slice(0, 10)} to ${certificate.notAfter.slice(0, 10)} |
| SHA-256 | ${certificate.sha256} |
| SHA-1 | ${certificate.sha1} |
${succeeds === undefined ? '' : `| succeeds | "${succeeds}", by the lineage beside it |\n`}
${used.length === 0 ? 'It is named in hull.json and signs nothing today.' : used.join('\n')}

Copies of the file are at: ______________________________ and ______________________________

The password is known to: ______________________________ and kept at: ______________________________
`;
  });
  return `# Signing keys of ${app.name} (${app.id})

Written on ${day}. No password and no key is on this sheet: with it alone nobody can sign, and with it lost nothing is.

**What is lost with a key.** Packages that are installed can be updated only by those who have the key that signed them, or a
key that this one has vouched for. Without it, users would have to remove the app with all its data and install another one.
An upload key can be replaced by asking the store; the key that signs what users get cannot.

${sections.join('\n')}
## To restore

1. Put the file back where hull.json names it, readable by its owner alone.
2. \`${formatFix([task('showKey', '<name>')], say)}\` asks for the password; compare the SHA-256 above with what it prints.
3. \`${formatFix([task('checkKeys')], say)}\` says whether it is kept as it should be.
`;
}
