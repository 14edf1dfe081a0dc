import { HullError, type Location, task, withTasks } from '../../errors.js';
import { isObject } from '../../util/json-object.js';
import type { StoreAnswer } from '../http.js';

/** An error of the publishing API: `{ error: { code, message, errors: [{ message, domain, reason }], status } }`. */
interface ApiError {
  readonly status: number;
  readonly reason: string;
  readonly message: string;
}

function apiErrorOf(status: number, body: unknown): ApiError {
  const error = isObject(body) && isObject(body.error) ? body.error : {};
  const first = Array.isArray(error.errors) && isObject(error.errors[0]) ? error.errors[0] : {};
  return {
    status,
    reason: typeof first.reason === 'string' ? first.reason : '',
    message: typeof error.message === 'string' ? error.message : '',
  };
}

/** What is known of the call that was refused. */
export interface RefusedCall {
  readonly packageName: string;
  readonly account: string;
  readonly location: Location;
}

type Explain = (error: ApiError, call: RefusedCall) => Pick<HullError, 'message' | 'fix'> | undefined;

/** What each refusal means, the first that fits. The store's own words are always shown behind it. */
const EXPLAINED: readonly Explain[] = [
  ({ message }) =>
    /changesNotSentForReview/.test(message)
      ? {
          message: 'The store does not take these changes for review by itself.',
          fix: 'Send again without a review; then send the changes for review in the console.',
        }
      : undefined,
  ({ reason, message }) =>
    reason === 'apkUpgradeVersionConflict' ||
    /version code .*(already been used|already exists)/i.test(message)
      ? {
          message: 'The store has a package with this build already.',
          fix: withTasks`Raise the build with ${task('setVersion', 'build')}, pack again, and send that.`,
        }
      : undefined,
  ({ reason, message }) =>
    reason === 'apkSignatureMismatch' || /signed with the wrong key|wrong key/i.test(message)
      ? {
          message: 'The package is signed by another key than the ones before.',
          fix: withTasks`Sign it with the upload key that the store knows; ${task('showKey')} shows its fingerprint. If that key is lost, ask the store to reset it.`,
        }
      : undefined,
  ({ reason, message }, { packageName }) =>
    reason === 'apkPackageNameMismatch' || /package name .*(different|match)/i.test(message)
      ? {
          message: `The package is not ${packageName}.`,
          fix: 'Send the package of this project; app.id in hull.json says which app that is.',
        }
      : undefined,
  ({ status, reason }, { packageName }) =>
    status === 404 && (reason === 'applicationNotFound' || reason === '')
      ? {
          message: `The store has no app ${packageName}.`,
          fix: 'Create the app in the console once, with this app ID, and upload its first package there. An API cannot do that.',
        }
      : undefined,
  ({ reason, message }) =>
    reason === 'editExpired' || /edit has expired/i.test(message)
      ? { message: 'The release took longer than the store keeps one open.', fix: 'Send it again.' }
      : undefined,
  ({ status, reason, message }) =>
    reason === 'editConflict' || (status === 409 && /edit/i.test(message))
      ? {
          message:
            'Somebody else has changed the app in the store meanwhile. Nothing of this release was published.',
          fix: 'Look at what is there now, and send again.',
        }
      : undefined,
  ({ status, reason }, { account, packageName }) =>
    status === 403 && /permission|forbidden/i.test(reason || 'forbidden') && reason !== 'quotaExceeded'
      ? {
          message: `${account} may not do this for ${packageName}.`,
          fix: 'In the console, under users and permissions, give the service account the right to release this app. If the app belongs to another developer account, take a key of that account.',
        }
      : undefined,
  ({ status, reason }) =>
    reason === 'quotaExceeded' || status === 429
      ? {
          message: 'The store takes no more calls of this account for now.',
          fix: 'Try again later; quotas are counted by the day.',
        }
      : undefined,
  ({ status }, { account }) =>
    status === 401
      ? {
          message: `The store does not know ${account} any more.`,
          fix: 'Make a new key for the service account.',
        }
      : undefined,
  ({ reason, message }) =>
    reason === 'incompleteListing' || /store listing/i.test(message)
      ? {
          message: 'The listing is not complete.',
          fix: withTasks`See what is missing with ${task('checkRelease')}.`,
        }
      : undefined,
  ({ status }) =>
    status >= 500
      ? { message: `The store has trouble of its own and answers ${status}.`, fix: 'Try again later.' }
      : undefined,
];

/** A refusal of the store in plain words, with what to change. */
export function explainRefusal(answer: StoreAnswer, body: unknown, call: RefusedCall): HullError {
  const error = apiErrorOf(answer.status, body);
  const found = EXPLAINED.map((explain) => explain(error, call)).find((one) => one !== undefined);
  const words = error.message === '' ? '' : ` The store says: "${error.message}"`;
  const message = found?.message ?? `The store refuses this with ${answer.status}.`;
  return new HullError('store.refused', `${message}${words}`, {
    location: call.location,
    fix:
      found?.fix ??
      withTasks`Change what the store names, and send again; ${task('checkRelease')} names what else is missing. Nothing was published.`,
  });
}
