import { HullError, type Location } from '../errors.js';

const MAX_PART = 999_999;

/** Why a version does not suit every platform, or `undefined` where it does: one to three integers with dots. */
export function versionFault(version: string): string | undefined {
  const parts = version.split('.');
  if (parts.length > 3) return 'It has more than three parts, which Apple’s store refuses.';
  for (const [index, part] of parts.entries()) {
    if (!/^(0|[1-9][0-9]*)$/.test(part))
      return `Part ${index + 1} ("${part}") is not a whole number without leading zeros.`;
    if (Number(part) > MAX_PART) return `Part ${index + 1} is larger than ${MAX_PART}.`;
  }
  return undefined;
}

/** Throws `app.bad-version` where a version does not hold. */
export function checkVersion(version: string, location: Location): void {
  const fault = versionFault(version);
  if (fault !== undefined) {
    throw new HullError('app.bad-version', `"${version}" cannot be an app version. ${fault}`, {
      location,
      fix: 'Write it as 1.4.0: one to three integers with dots.',
    });
  }
}
