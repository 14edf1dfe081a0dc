import { statSync } from 'node:fs';
import { basename } from 'node:path';
import { fromSystemError, HullError } from '../../errors.js';
import { fileDigest } from '../../util/files.js';
import type { StorePicture } from '../types.js';
import { type AppleApi, type Resource, relatedIds, relatedIn, textIn } from './api.js';
import { poll } from './poll.js';
import { deliveryOf } from './reading.js';
import { sendParts, uploadOperations } from './upload.js';

/** ms for which pictures are looked at that the store still checks. */
const PATIENCE = 60_000;

/** Pictures of one class and language. */
export interface ScreenshotSet {
  readonly id: string;
  readonly type: string;
  readonly pictures: readonly Resource[];
}

export async function screenshotSets(api: AppleApi, localization: string): Promise<ScreenshotSet[]> {
  const document = await api.list(
    `/v1/appStoreVersionLocalizations/${encodeURIComponent(localization)}/appScreenshotSets`,
    { include: 'appScreenshots', limit: '50', 'limit[appScreenshots]': '10' },
  );
  return document.data.map((set) => {
    const order = relatedIds(set, 'appScreenshots');
    const pictures = relatedIn(document, set, 'appScreenshots');
    return {
      id: set.id,
      type: textIn(set, 'screenshotDisplayType') ?? '',
      pictures: pictures.sort((one, other) => order.indexOf(one.id) - order.indexOf(other.id)),
    };
  });
}

/** A picture that the store does not have whole has no digest: it is sent again. */
export function pictureOf(picture: Resource): StorePicture {
  const { state } = deliveryOf(picture.attributes.assetDeliveryState);
  const isWhole = state === 'COMPLETE' || state === 'UPLOAD_COMPLETE';
  const digest = textIn(picture, 'sourceFileChecksum')?.toLowerCase() ?? '';
  return { id: picture.id, digest: isWhole ? digest : '' };
}

function sizeOf(file: string): number {
  try {
    return statSync(file).size;
  } catch (error) {
    throw fromSystemError(error, file);
  }
}

async function sendPicture(api: AppleApi, set: string, file: string): Promise<string> {
  const size = sizeOf(file);
  const reserved = await api.create(
    'appScreenshots',
    { fileName: basename(file), fileSize: size },
    { appScreenshotSet: ['appScreenshotSets', set] },
  );
  const operations = uploadOperations(reserved.attributes, size, api.url('/v1/appScreenshots'));
  try {
    await sendParts(file, operations, api.options.access);
    await api.update('appScreenshots', reserved.id, {
      uploaded: true,
      sourceFileChecksum: await fileDigest(file, 'md5'),
    });
  } catch (error) {
    // What was reserved and never came stays in the listing as an empty place.
    await api.remove('appScreenshots', reserved.id).catch(() => undefined);
    throw error;
  }
  return reserved.id;
}

/** Waits until the store has checked the pictures. Throws `store.refused` where it does not take one. */
async function checkPictures(
  api: AppleApi,
  localization: string,
  sent: ReadonlyMap<string, string>,
): Promise<void> {
  await poll(PATIENCE, api.options.access.signal, async () => {
    const sets = await screenshotSets(api, localization);
    const waiting = sets
      .flatMap(({ pictures }) => pictures)
      .filter((picture) => {
        const file = sent.get(picture.id);
        if (file === undefined) return false;
        const { state, faults } = deliveryOf(picture.attributes.assetDeliveryState);
        if (state !== 'FAILED') return state !== 'COMPLETE';
        throw new HullError('store.refused', `The store refuses the picture: ${faults.join('; ')}`, {
          location: { file },
          fix: 'Make it in one of the sizes that the store takes, and send again.',
        });
      });
    return waiting.length === 0 ? true : undefined;
  });
}

/**
 * Replaces the pictures of a set, in the order of the files.
 *
 * @throws HullError `store.*`, `file.*`
 */
export async function replacePictures(
  api: AppleApi,
  localization: string,
  type: string,
  files: readonly string[],
): Promise<void> {
  const known = (await screenshotSets(api, localization)).find((one) => one.type === type);
  const set =
    known?.id ??
    (
      await api.create(
        'appScreenshotSets',
        { screenshotDisplayType: type },
        { appStoreVersionLocalization: ['appStoreVersionLocalizations', localization] },
      )
    ).id;
  for (const { id } of known?.pictures ?? []) await api.remove('appScreenshots', id);
  const sent = new Map<string, string>();
  for (const file of files) sent.set(await sendPicture(api, set, file), file);
  await checkPictures(api, localization, sent);
}
