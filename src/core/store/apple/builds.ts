import { basename } from 'node:path';
import { HullError, task, withTasks } from '../../errors.js';
import { fileDigest } from '../../util/files.js';
import { isObject } from '../../util/json-object.js';
import type { SentPackage, UploadedPackage } from '../types.js';
import { type AppleApi, type Resource, relatedIn, textIn } from './api.js';
import { poll } from './poll.js';
import { deliveryOf } from './reading.js';
import { sendParts, uploadOperations } from './upload.js';

/** Uniform type identifier of an .ipa (App Store Connect API, "Build Upload Files"). */
const UTI = 'com.apple.ipa';
/** ms for which a build that the store processes is looked at. */
const PATIENCE = 60 * 60_000;

const stillProcessed = (build: number) =>
  new HullError('store.processing', `The store still processes build ${build}.`, {
    fix: withTasks`Run the same again later: what was uploaded is not sent twice. ${task('releaseStatus')} shows the rest.`,
  });

const refused = (build: number, faults: readonly string[], file?: string) =>
  new HullError(
    'store.refused',
    `The store does not take build ${build}${faults.length === 0 ? '.' : `: ${faults.join('; ')}`}`,
    {
      ...(file === undefined ? {} : { location: { file } }),
      fix: 'Change what the store names, raise the build, archive and send again. The store also writes an email with the details.',
    },
  );

/**
 * Uploads a package (App Store Connect API, "Build Uploads"): reserved, sent in parts, committed with its MD5, and then judged by the store.
 *
 * @throws HullError `store.*`
 */
export async function uploadBuild(
  api: AppleApi,
  app: string,
  { file, size, build, version }: SentPackage,
  onProgress?: (sent: number, size: number) => void,
): Promise<UploadedPackage> {
  const { access } = api.options;
  const upload = await api.create(
    'buildUploads',
    { cfBundleShortVersionString: version ?? '', cfBundleVersion: String(build), platform: 'IOS' },
    { app: ['apps', app] },
  );
  const reserved = await api.create(
    'buildUploadFiles',
    { assetType: 'ASSET', fileName: basename(file), fileSize: size, uti: UTI },
    { buildUpload: ['buildUploads', upload.id] },
  );
  const operations = uploadOperations(reserved.attributes, size, api.url('/v1/buildUploadFiles'));
  await sendParts(file, operations, access, (sent) => onProgress?.(sent, size));
  const hash = await fileDigest(file, 'md5');
  await api.update('buildUploadFiles', reserved.id, {
    uploaded: true,
    sourceFileChecksums: { file: { hash, algorithm: 'MD5' } },
  });
  await poll(PATIENCE, access.signal, async () => {
    const now = await api.get(`/v1/buildUploads/${encodeURIComponent(upload.id)}`);
    const { state, faults } = deliveryOf(now?.attributes.state);
    if (state === 'FAILED') throw refused(build, faults, file);
    return state === 'COMPLETE' ? true : undefined;
  }).then((done) => {
    if (done === undefined) throw stillProcessed(build);
  });
  return { build, digest: hash };
}

/** A build by its number, and the version that it is of. */
export async function findBuild(
  api: AppleApi,
  app: string,
  number: number,
  version: string | undefined,
): Promise<Resource | undefined> {
  const { data } = await api.list('/v1/builds', {
    'filter[app]': app,
    'filter[version]': String(number),
    ...(version === undefined ? {} : { 'filter[preReleaseVersion.version]': version }),
    limit: '10',
  });
  return data.find((one) => textIn(one, 'version') === String(number));
}

/** A build that the store has processed. Throws `store.refused`, `store.processing`. */
export async function processedBuild(
  api: AppleApi,
  app: string,
  number: number,
  version: string | undefined,
  onWait?: () => void,
): Promise<Resource> {
  const found = await poll(PATIENCE, api.options.access.signal, async () => {
    const build = await findBuild(api, app, number, version);
    const state = build && textIn(build, 'processingState');
    if (state === 'FAILED' || state === 'INVALID') throw refused(number, []);
    if (state !== 'VALID') onWait?.();
    return state === 'VALID' ? build : undefined;
  });
  if (found === undefined) throw stillProcessed(number);
  return found;
}

/** Builds that the store has of one version, with the MD5 of their files where it still knows them. */
export async function uploadedBuilds(
  api: AppleApi,
  app: string,
  version: string,
): Promise<UploadedPackage[]> {
  const [builds, uploads] = await Promise.all([
    api.list('/v1/builds', { 'filter[app]': app, include: 'preReleaseVersion', limit: '200' }),
    api.list(`/v1/apps/${encodeURIComponent(app)}/buildUploads`, {
      'filter[cfBundleShortVersionString]': version,
      include: 'assetFile',
      limit: '200',
    }),
  ]);
  const found = new Map<number, UploadedPackage>();
  for (const build of builds.data) {
    const [of] = relatedIn(builds, build, 'preReleaseVersion');
    const isRefused = ['FAILED', 'INVALID'].includes(textIn(build, 'processingState') ?? '');
    if (isRefused || (of && textIn(of, 'version') !== version)) continue;
    const number = Number(textIn(build, 'version'));
    found.set(number, { build: number, digest: '' });
  }
  // What the store still processes is no build yet.
  for (const upload of uploads.data) {
    const { state } = deliveryOf(upload.attributes.state);
    if (state !== 'PROCESSING' && state !== 'COMPLETE') continue;
    const number = Number(textIn(upload, 'cfBundleVersion'));
    const [file] = relatedIn(uploads, upload, 'assetFile');
    const checksums = file?.attributes.sourceFileChecksums;
    const { file: checksum } = isObject(checksums) ? checksums : {};
    const hash = isObject(checksum) && checksum.algorithm === 'MD5' ? checksum.hash : undefined;
    found.set(number, { build: number, digest: typeof hash === 'string' ? hash.toLowerCase() : '' });
  }
  return [...found.values()].sort((one, other) => one.build - other.build);
}
