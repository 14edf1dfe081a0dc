import { HullError, type Location, task, withTasks } from '../../errors.js';
import { isObject } from '../../util/json-object.js';
import type { StoreAnswer } from '../http.js';

/** An error of the API (JSON:API 1.0, "Error objects"): `{ errors: [{ status, code, title, detail, source }] }`. */
interface ApiError {
  readonly code: string;
  readonly title: string;
  readonly detail: string;
  /** What is refused, as a JSON pointer into the request; or empty. */
  readonly pointer: string;
}

function errorsIn(body: unknown): ApiError[] {
  const list = isObject(body) && Array.isArray(body.errors) ? body.errors.filter(isObject) : [];
  const text = (value: unknown) => (typeof value === 'string' ? value : '');
  return list.flatMap((error): ApiError[] => {
    const { code, title, detail, source, meta } = error;
    const own: ApiError = {
      code: text(code),
      title: text(title),
      detail: text(detail),
      pointer: text(isObject(source) ? source.pointer : undefined),
    };
    // What a submission lacks is named in errors of their own, by what they concern.
    const associated = isObject(meta) && isObject(meta.associatedErrors) ? meta.associatedErrors : {};
    const causes = Object.values(associated).flatMap((errors) => errorsIn({ errors }));
    return causes.length > 0 ? causes : [own];
  });
}

/** What is known of the call that was refused. */
export interface RefusedCall {
  readonly bundleId: string;
  readonly account: string;
  readonly location: Location;
}

type Explain = (
  status: number,
  error: ApiError,
  call: RefusedCall,
) => Pick<HullError, 'message' | 'fix'> | undefined;

/** What each refusal means, the first that fits. The store's own words are always shown behind it. */
const EXPLAINED: readonly Explain[] = [
  (status, { code }, { account }) =>
    status === 403 && code !== 'FORBIDDEN.REQUIRED_AGREEMENTS_MISSING_OR_EXPIRED'
      ? {
          message: `The key ${account} may not do this.`,
          fix: 'In App Store Connect, under users and access, integrations, make a key whose role may release apps (App Manager or Admin).',
        }
      : undefined,
  (status, { code }) =>
    status === 403 && code === 'FORBIDDEN.REQUIRED_AGREEMENTS_MISSING_OR_EXPIRED'
      ? {
          message: 'An agreement with the store is missing or has expired.',
          fix: 'The account’s holder accepts it in App Store Connect, under business.',
        }
      : undefined,
  (_status, { code, pointer, detail }) =>
    /DUPLICATE/.test(code) && /bundleVersion|cfBundleVersion/i.test(`${pointer} ${detail}`)
      ? {
          message: 'The store has a package with this build already.',
          fix: withTasks`Raise the build with ${task('setVersion', 'build')}, archive again, and send that.`,
        }
      : undefined,
  (status, { code }) =>
    status === 409 && /STATE_ERROR/.test(code)
      ? {
          message: 'The version is in a state in which this cannot be changed.',
          fix: withTasks`Look at it with ${task('releaseStatus')}. A version that is in review is taken out of it in App Store Connect; then send again.`,
        }
      : undefined,
  (status, { code, pointer, detail }) =>
    status === 409 &&
    /ENTITY_ERROR/.test(code) &&
    /required|missing|must (?:be|have)/i.test(`${code} ${detail}`)
      ? {
          message: `Something is missing${pointer === '' ? '' : ` (${pointer.split('/').at(-1)})`}.`,
          fix: withTasks`See what else is missing with ${task('checkRelease')}; what only a person can enter is entered in App Store Connect. Nothing was submitted: what was sent waits in the version that is being prepared.`,
        }
      : undefined,
  (status) =>
    status === 429
      ? {
          message: 'The store takes no more calls of this key for now.',
          fix: 'Try again later; calls are counted by the hour.',
        }
      : undefined,
  (status) =>
    status >= 500
      ? { message: `The store has trouble of its own and answers ${status}.`, fix: 'Try again later.' }
      : undefined,
];

/** A refusal of the store in plain words, with what to change. */
export function explainRefusal({ status }: StoreAnswer, body: unknown, call: RefusedCall): HullError {
  const errors = errorsIn(body);
  const first = errors[0] ?? { code: '', title: '', detail: '', pointer: '' };
  const found = EXPLAINED.map((explain) => explain(status, first, call)).find((one) => one !== undefined);
  const words = errors
    .map(({ title, detail }) => detail || title)
    .filter((text) => text !== '')
    .map((text) => `"${text}"`);
  const message = found?.message ?? `The store refuses this with ${status}.`;
  return new HullError(
    'store.refused',
    `${message}${words.length === 0 ? '' : ` The store says: ${[...new Set(words)].join('; ')}`}`,
    {
      location: call.location,
      fix:
        found?.fix ??
        withTasks`Change what the store names, and send again; ${task('checkRelease')} names what else is missing. Nothing was submitted.`,
    },
  );
}

/** What a refused token means: where the clocks differ, that. */
export function explainToken({ headers }: StoreAnswer, account: string, file: string): HullError {
  const theirs = headers.date === undefined ? Number.NaN : Date.parse(headers.date);
  const skew = Math.round((Date.now() - theirs) / 1000);
  if (Math.abs(skew) > 60) {
    return new HullError(
      'store.clock',
      `The store refuses the key: this computer’s clock is ${Math.abs(skew)} seconds ${skew > 0 ? 'ahead of' : 'behind'} the store’s.`,
      { location: { file }, fix: 'Set the clock, best by network time, and try again.' },
    );
  }
  return new HullError('store.account-refused', `The store does not know the key ${account}.`, {
    location: { file },
    fix: 'Check that release.apple.issuer is the issuer ID above the keys in App Store Connect, and that the key was not revoked there.',
  });
}
