import { isAbsolute, relative } from 'node:path';
import {
  type Fix,
  formatFix,
  formatLocation,
  type Location,
  type Task,
  type TaskName,
} from '../../core/errors.js';

/** What is typed for each task. */
const COMMANDS: Readonly<Record<TaskName, string>> = {
  beginProject: 'hull begin',
  surveyProject: 'hull survey',
  surveyInWebKit: 'hull survey --browser webkit',
  explainRules: 'hull survey --explain all',
  makeArt: 'hull art',
  writeTags: 'hull tags --write',
  createKey: 'hull keys new',
  importKey: 'hull keys import',
  requestCertificate: 'hull keys request',
  showKey: 'hull keys show',
  checkKeys: 'hull keys check',
  rotateKey: 'hull keys rotate',
  writeDomains: 'hull domains write',
  verifyDomains: 'hull domains verify',
  explainLinks: 'hull domains explain',
  packProject: 'hull pack',
  packFromBundle: 'hull pack apk --from',
  packForInspection: 'hull pack apk --debuggable',
  packSourceProject: 'hull pack android-project',
  inspectPackage: 'hull inspect',
  setVersion: 'hull version',
  refitProject: 'hull refit',
  startDevice: 'hull drydock device',
  startAppleDevice: 'hull drydock device --apple',
  makeTeam: 'hull drydock team',
  proposeListing: 'hull release listing',
  checkRelease: 'hull release check',
  sendRelease: 'hull release send',
  releaseStatus: 'hull release status',
  checkCatalog: 'hull catalog check',
  sendCatalog: 'hull catalog send',
  startStore: 'hull drydock store',
};

/** A task as the command that does it. */
export function sayTask({ task, args }: Task): string {
  const given = task === 'packProject' && args.length === 0 ? ['apk'] : args;
  return [COMMANDS[task], ...given].join(' ');
}

/** A fix with its tasks as commands. */
export const fixText = (fix: Fix): string => formatFix(fix, sayTask);

/** The option of a value that the library names: `commonName` is `--common-name`. */
export const optionName = (name: string): string =>
  /^[a-z][a-zA-Z]*$/.test(name)
    ? `--${name.replaceAll(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`)}`
    : name;

/** A file below the working folder, from there. */
function nearby(file: string): string {
  if (!isAbsolute(file)) return file;
  const path = relative('.', file);
  return path === '' || path.startsWith('..') ? file : path;
}

/** A location in words of the command line. */
export function locationText({ file, option, ...rest }: Location): string {
  return formatLocation({
    ...rest,
    ...(file === undefined ? {} : { file: nearby(file) }),
    ...(option === undefined ? {} : { option: optionName(option) }),
  });
}
