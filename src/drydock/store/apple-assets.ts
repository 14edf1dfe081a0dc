import { randomBytes } from 'node:crypto';
import { readFileSync } from 'node:fs';
import type { IncomingMessage } from 'node:http';
import { fileDigest } from '../../core/util/files.js';
import { isObject, type JsonObject } from '../../core/util/json-object.js';
import { judgeBuild, judgeScreenshot } from './apple-judge.js';
import { idOf, reviewedApp, type Shelf, textOf } from './apple-shelf.js';
import type { StoredResource } from './model.js';
import { AppleRefusal, Refusal } from './refusal.js';
import type { Arrived, Session, Uploads } from './uploads.js';

/** Assets: reserved, sent in parts as upload operations say, committed with their MD5, and judged. */

const LEAST_PART = 64 * 1024;
const PARTS = 12;
/** ms that a build is processed after it was judged. */
const PROCESSING = 400;

interface Reserved {
  readonly session: Session;
  /** In the addresses of its parts: those who know them may send. */
  readonly secret: string;
}

export interface AssetsOptions {
  readonly shelf: Shelf;
  readonly uploads: Uploads;
  readonly now: () => number;
  readonly note: (text: string) => void;
  /** SHA-256 of the root that packages have to trust, in hexadecimal. */
  readonly root: string;
}

export class Assets {
  readonly #options: AssetsOptions;
  readonly #reserved = new Map<string, Reserved>();
  /** Judgements that are under way. */
  #judging: Promise<void> = Promise.resolve();

  constructor(options: AssetsOptions) {
    this.#options = options;
  }

  /** How an asset is to be sent. @param address of the stand-in */
  reserve(asset: StoredResource, account: string, address: string): StoredResource {
    const { shelf, uploads } = this.#options;
    const size = Number(asset.attributes.fileSize);
    const session = uploads.begin(account, size, async (arrived) => arrived);
    const secret = randomBytes(18).toString('base64url');
    this.#reserved.set(asset.id, { session, secret });
    const part = Math.max(LEAST_PART, Math.ceil(size / PARTS));
    const uploadOperations = Array.from({ length: Math.ceil(size / part) }, (_, index) => ({
      method: 'PUT',
      url: `${address}/apple-parts/${asset.id}/${index * part}?key=${secret}`,
      offset: index * part,
      length: Math.min(part, size - index * part),
      requestHeaders: [{ name: 'Content-Type', value: 'application/octet-stream' }],
    }));
    return shelf.change(asset, { uploadOperations, delivered: 'AWAITING_UPLOAD' });
  }

  /** Takes a part, of which some may have come before. */
  async write(id: string, key: string | undefined, offset: number, stream: IncomingMessage): Promise<void> {
    const reserved = this.#reserved.get(id);
    if (reserved === undefined || reserved.secret !== key)
      throw new Refusal(403, 'FORBIDDEN', 'This upload is not known, or has ended.');
    await this.#options.uploads.write(reserved.session, stream, offset);
  }

  /** An asset is said to be whole. Throws {@link AppleRefusal} where it is not. */
  async commit(asset: StoredResource, attributes: JsonObject): Promise<StoredResource> {
    const { shelf, uploads } = this.#options;
    // A commit whose answer was lost on its way comes again.
    if (attributes.uploaded !== true || textOf(asset, 'delivered') !== 'AWAITING_UPLOAD') return asset;
    const reserved = this.#reserved.get(asset.id);
    const answer = reserved && (await uploads.answerOf(reserved.session));
    if (reserved === undefined || answer === undefined) {
      const { size = 0, received = 0 } = reserved?.session ?? {};
      throw new AppleRefusal(409, {
        code: 'STATE_ERROR.ASSET_INCOMPLETE',
        detail: `The asset has ${received} of ${size} bytes.`,
      });
    }
    this.#reserved.delete(asset.id);
    const arrived = answer.body as Arrived;
    const committed = shelf.change(asset, {
      ...attributes,
      sha256: arrived.sha256,
      delivered: 'UPLOAD_COMPLETE',
    });
    const checksums = attributes.sourceFileChecksums;
    const { file } = isObject(checksums) ? checksums : {};
    const md5 = attributes.sourceFileChecksum ?? (isObject(file) ? file.hash : undefined);
    const judge = async () => {
      if (md5 !== (await fileDigest(arrived.file, 'md5')))
        this.#fail(committed, ['The checksum is that of another file.']);
      else if (asset.type === 'appScreenshots') await this.#judgePicture(committed, arrived.file);
      else await this.#judgeBuild(committed, arrived.file);
    };
    if (asset.type === 'buildUploadFiles') this.#setUpload(committed, { state: 'PROCESSING' });
    this.#judging = this.#judging.then(judge).catch((error) => this.#fail(committed, [String(error)]));
    return committed;
  }

  /** Resolves when everything that was committed is judged. */
  idle(): Promise<void> {
    return this.#judging;
  }

  #fail(asset: StoredResource, faults: readonly string[]): void {
    const { shelf, note } = this.#options;
    shelf.change(asset, { delivered: 'FAILED', faults: [...faults] });
    if (asset.type === 'buildUploadFiles')
      this.#setUpload(asset, {
        state: 'FAILED',
        errors: faults.map((description) => ({ code: 'INVALID', description })),
      });
    note(
      `${reviewedApp(shelf.bundleId(asset.app))}: ${textOf(asset, 'fileName')} is refused: ${faults.join(' ')}`,
    );
  }

  #setUpload(asset: StoredResource, state: JsonObject): void {
    const { shelf } = this.#options;
    const upload = shelf.find(idOf(asset, 'buildUpload'));
    if (upload) shelf.change(upload, { state });
  }

  async #judgePicture(asset: StoredResource, file: string): Promise<void> {
    const { shelf } = this.#options;
    const set = shelf.find(idOf(asset, 'appScreenshotSet'));
    const faults = await judgeScreenshot(set ? textOf(set, 'screenshotDisplayType') : '', readFileSync(file));
    if (faults.length > 0) this.#fail(asset, faults);
    else shelf.change(asset, { delivered: 'COMPLETE' });
  }

  async #judgeBuild(asset: StoredResource, file: string): Promise<void> {
    const { shelf, root, now, note } = this.#options;
    const { app } = asset;
    const upload = shelf.find(idOf(asset, 'buildUpload'));
    if (upload === undefined) return;
    const version = textOf(upload, 'cfBundleShortVersionString');
    const build = textOf(upload, 'cfBundleVersion');
    const known = shelf.all('preReleaseVersions', app).find((one) => textOf(one, 'version') === version);
    const used = known === undefined ? [] : shelf.below('builds', 'preReleaseVersion', known.id);
    const { facts, faults } = await judgeBuild(file, {
      ...{ bundleId: shelf.bundleId(app), version, build, root },
      used: used.map((one) => textOf(one, 'version')),
    });
    if (faults.length > 0) {
      this.#fail(asset, faults);
      return;
    }
    const of = known ?? shelf.add('preReleaseVersions', app, { version, platform: 'IOS' });
    const made = shelf.add(
      'builds',
      app,
      {
        version: build,
        uploadedDate: new Date(now()).toISOString(),
        expired: false,
        minOsVersion: facts?.minVersion ?? null,
        readyAt: now() + PROCESSING,
      },
      { app, preReleaseVersion: of.id },
    );
    shelf.add('buildBetaDetails', app, {}, { build: made.id });
    shelf.change(asset, { delivered: 'COMPLETE' });
    this.#setUpload(asset, { state: 'COMPLETE' });
    note(`${reviewedApp(shelf.bundleId(app))}: build ${build} of ${version} has arrived`);
  }
}
