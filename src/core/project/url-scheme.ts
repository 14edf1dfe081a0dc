import { HullError, type Location } from '../errors.js';

/** Schemes that belong to the web, the system or other apps. */
const RESERVED = new Set(
  'http https file content intent javascript data blob about filesystem view-source ws wss ftp mailto tel sms smsto mms mmsto geo market android-app android.resource package callto urn jar chrome hull itms-apps facetime shortcuts app-settings prefs webcal maps'.split(
    ' ',
  ),
);

/**
 * Why a scheme cannot be an app's own (RFC 3986 section 3.1); `undefined` where it can. Systems compare schemes by case, so
 * it has to be in lower case.
 */
export function schemeFault(scheme: string, location: Location): HullError | undefined {
  if (!/^[a-z][a-z0-9+.-]{1,60}$/.test(scheme)) {
    return new HullError('config.bad-value', `"${scheme}" is not a scheme.`, {
      location,
      fix: 'Use lower-case letters, digits and hyphens, beginning with a letter: saltmarsh-ferry',
    });
  }
  if (RESERVED.has(scheme)) {
    return new HullError('config.bad-value', `The scheme "${scheme}" belongs to others.`, {
      location,
      fix: 'Choose one that only this app uses, best with its name in it: saltmarsh-ferry',
    });
  }
  return undefined;
}
