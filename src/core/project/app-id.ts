import { HullError, type Location } from '../errors.js';

/** Platforms whose identifiers must follow their own rules. */
export type IdPlatform = 'android' | 'apple' | 'both';

/** Words that cannot name a Java package, which an application ID becomes (Java Language Specification 3.9). */
const JAVA_WORDS = new Set(
  (
    'abstract assert boolean break byte case catch char class const continue default do double else enum extends ' +
    'final finally float for goto if implements import instanceof int interface long native new package private ' +
    'protected public return short static strictfp super switch synchronized this throw throws transient try void ' +
    'volatile while true false null _'
  ).split(' '),
);

/** The longest bundle identifier that the Apple store takes; Android allows more. */
const MAX_LENGTH = 155;

function segmentFault(segment: string, platform: IdPlatform): string | undefined {
  if (segment === '') return 'is empty: two dots in a row, or one at an end';
  const odd = [...segment].find((character) => !/[A-Za-z0-9_-]/.test(character));
  if (odd !== undefined) {
    return `holds ${JSON.stringify(odd)}; only the letters A to Z and a to z, digits${platform === 'android' ? ' and underscores' : ''} are allowed in it`;
  }
  if (platform !== 'apple') {
    if (!/^[A-Za-z]/.test(segment)) return 'does not start with a letter, as Android demands';
    if (segment.includes('-')) return 'holds a hyphen, which Android does not allow';
    if (JAVA_WORDS.has(segment)) return 'is a reserved word of Java, which Android’s tools do not take';
  }
  if (platform !== 'android' && segment.includes('_'))
    return 'holds an underscore, which Apple does not allow';
  return undefined;
}

/**
 * Why an app ID does not hold, as a sentence that names the segment, or `undefined` where it does.
 *
 * @param platform the rules to apply; `both` asks for an ID that suits every platform
 */
export function appIdFault(id: string, platform: IdPlatform = 'both'): string | undefined {
  if (id.length > MAX_LENGTH) return `It has ${id.length} characters; at most ${MAX_LENGTH} are allowed.`;
  const segments = id.split('.');
  for (const [index, segment] of segments.entries()) {
    const fault = segmentFault(segment, platform);
    if (fault !== undefined) return `Segment ${index + 1} ("${segment}") ${fault}.`;
  }
  if (segments.length < 2) {
    return 'It has one segment; a reverse domain has at least two, as in example.ferry.';
  }
  return undefined;
}

/** Throws `app.bad-id` where an ID does not hold. */
export function checkAppId(id: string, location: Location, platform: IdPlatform = 'both'): void {
  const fault = appIdFault(id, platform);
  if (fault === undefined) return;
  const suggestion = suggestAppId(id, platform);
  const override =
    platform === 'both' &&
    /[_-]/.test(id) &&
    appIdFault(id, id.includes('_') ? 'android' : 'apple') === undefined
      ? ` Where an app already has this ID, set ${id.includes('_') ? 'android.id' : 'apple.id'} to it and app.id to one that suits both platforms.`
      : '';
  throw new HullError('app.bad-id', `"${id}" cannot be an app ID. ${fault}`, {
    location,
    fix: `Write a domain of yours in reverse, in letters and digits${suggestion === undefined ? ', as in example.saltmarsh.ferry' : `, for example ${suggestion}`}.${override}`,
  });
}

/** A valid ID close to a text, if there is one. */
function suggestAppId(id: string, platform: IdPlatform): string | undefined {
  const segments = id
    .normalize('NFKD')
    .split('.')
    .map((segment) => segment.replaceAll(/[^A-Za-z0-9]/g, '').replace(/^[0-9]+/, ''))
    .filter((segment) => segment !== '');
  const candidate = segments.join('.').slice(0, MAX_LENGTH);
  return candidate !== id && appIdFault(candidate, platform) === undefined ? candidate : undefined;
}

/** The app ID that a host name suggests: its labels in reverse, made valid; `undefined` where nothing is left. */
export function appIdFromHost(host: string): string | undefined {
  if (/^[\d.]+$/.test(host) || host.includes(':')) return undefined;
  const labels = host
    .toLowerCase()
    .split('.')
    .filter((label) => label !== 'www')
    .reverse()
    .map((label) => label.replaceAll('-', ''));
  const id = labels.join('.');
  return appIdFault(id) === undefined ? id : undefined;
}
