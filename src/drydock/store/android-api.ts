import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import type { Tokens } from './accounts.js';
import { ANDROID_DESCRIPTION } from './android-description.js';
import { Checker, type Description } from './description.js';
import { judgeEdit, judgeLanguage, judgePackage, judgePicture, judgeTrack } from './judge.js';
import type {
  Account,
  AppState,
  Artifact,
  ListingTexts,
  Release,
  Review,
  StoredApp,
  StoredEdit,
} from './model.js';
import { buildsKey } from './model.js';
import { addProducts } from './products.js';
import { errorBody, isTheirs, Refusal } from './refusal.js';
import { addPurchases, addShop } from './shop.js';
import type { Arrived, Uploads } from './uploads.js';
import type { World } from './world.js';

/** The Android store's publishing API on loopback. */

const APP = '/androidpublisher/v3/applications/:app';
const EDIT = `${APP}/edits/:edit`;
const BATCH_MOST = 1000;

interface Params {
  readonly app: string;
  readonly edit: string;
  readonly language: string;
  readonly type: string;
  readonly track: string;
  readonly build: string;
  readonly session: string;
}

type Request = FastifyRequest<{
  Params: Params;
  Querystring: { uploadType?: string; changesNotSentForReview?: string };
}>;
/** Answers a request within an edit: a new state of it, an answer, or both. */
interface EditAnswer {
  readonly state?: AppState;
  readonly body?: unknown;
}

declare module 'fastify' {
  interface FastifyContextConfig {
    readonly operation?: string;
  }
}

const artifactBody = ({ build, sha1, sha256, kind }: Artifact) =>
  kind === 'aab' ? { versionCode: build, sha1, sha256 } : { versionCode: build, binary: { sha1, sha256 } };

const LIFECYCLE: Readonly<Record<Review['state'], string>> = {
  'not sent': 'NOT_SENT_FOR_REVIEW',
  'in review': 'IN_REVIEW',
  published: 'PUBLISHED',
  rejected: 'NOT_APPROVED',
};

const imageKey = ({ language, type }: Params) => `${language}/${type}`;

export class AndroidApi {
  readonly #world: World;
  readonly #tokens: Tokens;
  readonly #uploads: Uploads;
  /** Pictures that were judged, by type and digest. */
  readonly #pictures = new Set<string>();
  readonly #checker = new Checker('android', ANDROID_DESCRIPTION as unknown as Description);

  constructor(world: World, tokens: Tokens, uploads: Uploads) {
    this.#world = world;
    this.#tokens = tokens;
    this.#uploads = uploads;
  }

  /** Adds the API's routes. @param server of its own scope */
  register(server: FastifyInstance): void {
    server.addContentTypeParser(
      ['application/octet-stream', 'image/png', 'image/jpeg'],
      (_request, payload, done) => done(null, payload),
    );
    server.addContentTypeParser('multipart/mixed', { parseAs: 'string' }, (_request, body, done) =>
      done(null, body),
    );
    server.addContentTypeParser(
      'application/x-www-form-urlencoded',
      { parseAs: 'string' },
      (_request, body, done) => done(null, Object.fromEntries(new URLSearchParams(body as string))),
    );
    server.setErrorHandler((error, _request, reply) => {
      const known =
        error instanceof Refusal
          ? error
          : isTheirs(error)
            ? new Refusal(error.statusCode, 'badRequest', error.message)
            : new Refusal(500, 'internalError', `Internal error: ${(error as Error).message}`);
      if (known.retryAfter !== undefined) reply.header('retry-after', String(known.retryAfter));
      reply.code(known.status).type('application/json').send(errorBody(known));
    });
    server.setNotFoundHandler((_request, reply) => {
      reply.code(404).send(errorBody(new Refusal(404, 'notFound', 'There is no such method.')));
    });
    server.addHook('preHandler', async (request) => {
      const operation = request.routeOptions.config.operation;
      const isJson = !/^(multipart|application\/octet|image)/.test(request.headers['content-type'] ?? '');
      const fault = operation && isJson && this.#checker.request(operation, request.body);
      if (fault) throw new Refusal(400, 'badRequest', `Invalid request: ${fault}`);
    });
    server.addHook('onSend', async (request, reply, payload) => {
      const operation = request.routeOptions.config.operation;
      const isJson = String(reply.getHeader('content-type') ?? '').startsWith('application/json');
      if (operation === undefined || !isJson || typeof payload !== 'string' || payload === '') return payload;
      const fault = this.#checker.answer(operation, reply.statusCode, JSON.parse(payload));
      if (fault === undefined) return payload;
      this.#world.note(`the stand-in’s own answer to ${operation} is not as described: ${fault}`);
      reply.code(500);
      return JSON.stringify(
        errorBody(new Refusal(500, 'internalError', `Answer not as described: ${fault}`)),
      );
    });
    this.#addRoutes(server);
  }

  #addRoutes(server: FastifyInstance): void {
    const route = (
      method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE',
      url: string,
      operation: string,
      handler: (request: Request, reply: FastifyReply) => Promise<unknown>,
    ) =>
      server.route({
        method,
        url,
        config: { operation },
        handler: (request, reply) => handler(request as Request, reply),
      });
    const inEdit = (
      method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE',
      path: string,
      operation: string,
      answer: (edit: StoredEdit, request: Request) => EditAnswer | Promise<EditAnswer>,
    ) =>
      route(method, `${EDIT}${path}`, operation, async (request, reply) => {
        const edit = this.#edit(request, method === 'GET' ? 'look' : 'release');
        const { state, body } = await answer(edit, request);
        if (state) this.#world.books.changeEdit(edit.id, state);
        if (body === undefined) return reply.code(204).send();
        return body;
      });

    route('POST', '/token', 'token', async (request, reply) => {
      const audience = `http://${request.headers.host}/token`;
      const { status, body } = await this.#tokens.grant(request.body as Record<string, string>, audience);
      if (status !== 200) this.#world.note(`a token is refused: ${body.error_description}`);
      return reply.code(status).header('date', new Date(this.#world.now()).toUTCString()).send(body);
    });
    route('POST', '/batch', 'batch', (request, reply) => this.#batch(server, request, reply));
    route('POST', `${APP}/edits`, 'edits.insert', async (request) => {
      const { account, app } = this.#app(request, 'look');
      return this.#editBody(this.#world.books.beginEdit(app, account.email, this.#world.now()));
    });
    inEdit('GET', '', 'edits.get', (edit) => ({ body: this.#editBody(edit) }));
    route('DELETE', EDIT, 'edits.delete', async (request, reply) => {
      this.#world.books.endEdit(this.#edit(request, 'look').id);
      return reply.code(204).send();
    });
    inEdit('POST', '/validate', 'edits.validate', (edit) => {
      judgeEdit(edit.state);
      return { body: this.#editBody(edit) };
    });
    route('POST', `${EDIT}/commit`, 'edits.commit', async (request) => {
      const edit = this.#edit(request, 'release');
      judgeEdit(edit.state);
      const { changesNotSentForReview: held } = request.query;
      this.#world.commit(edit, held === 'true' ? 'not sent' : 'in review');
      return this.#editBody(edit);
    });
    this.#addTexts(inEdit);
    this.#addImages(inEdit, server);
    this.#addTracks(inEdit, route);
    this.#addArtifacts(inEdit, server);
    addProducts(route, {
      books: this.#world.books,
      note: (text) => this.#world.note(text),
      appOf: (request, rights) => this.#app(request as Request, rights).app.id,
    });
    addPurchases(route, {
      orders: this.#world.orders,
      appOf: (request, rights) => this.#app(request, rights).app.id,
    });
    addShop(server, this.#world);
    server.put('/upload/sessions/:session', { config: { operation: 'upload' } }, (request, reply) =>
      this.#continue(request as Request, reply),
    );
  }

  #addTexts(inEdit: InEdit): void {
    inEdit('GET', '/details', 'edits.details.get', ({ state }) => ({ body: state.details }));
    const setDetails = ({ state }: StoredEdit, request: Request) => {
      const given = request.body as AppState['details'];
      if (given.defaultLanguage !== undefined) judgeLanguage(given.defaultLanguage);
      const details = request.method === 'PUT' ? given : { ...state.details, ...given };
      return { state: { ...state, details }, body: details };
    };
    inEdit('PATCH', '/details', 'edits.details.patch', setDetails);
    inEdit('PUT', '/details', 'edits.details.update', setDetails);
    inEdit('GET', '/listings', 'edits.listings.list', ({ state }) => ({
      body: {
        kind: 'androidpublisher#listingsListResponse',
        listings: Object.entries(state.listings).map(([language, texts]) => ({ language, ...texts })),
      },
    }));
    inEdit('GET', '/listings/:language', 'edits.listings.get', ({ state }, { params: { language } }) => {
      const texts = state.listings[language];
      if (!texts) throw new Refusal(404, 'notFound', `There is no listing in ${language}.`);
      return { body: { language, ...texts } };
    });
    inEdit('PUT', '/listings/:language', 'edits.listings.update', ({ state }, request) => {
      const { language } = request.params;
      judgeLanguage(language);
      const { language: _named, ...texts } = request.body as ListingTexts & { language?: string };
      return {
        state: { ...state, listings: { ...state.listings, [language]: texts } },
        body: { language, ...texts },
      };
    });
    inEdit(
      'DELETE',
      '/listings/:language',
      'edits.listings.delete',
      ({ state }, { params: { language } }) => {
        const { [language]: _gone, ...listings } = state.listings;
        return { state: { ...state, listings } };
      },
    );
  }

  #addImages(inEdit: InEdit, server: FastifyInstance): void {
    const path = '/listings/:language/:type';
    inEdit('GET', path, 'edits.images.list', ({ state }, { params }) => ({
      body: { images: state.images[imageKey(params)] ?? [] },
    }));
    inEdit('DELETE', path, 'edits.images.deleteall', ({ state }, { params }) => {
      const { [imageKey(params)]: deleted = [], ...images } = state.images;
      return { state: { ...state, images }, body: { deleted } };
    });
    server.post(`/upload${EDIT}${path}`, { config: { operation: 'edits.images.upload' } }, async (plain) => {
      const request = plain as Request;
      const { params } = request;
      this.#edit(request, 'release');
      judgeLanguage(params.language);
      return this.#uploads.keep(request.raw, async ({ sha1, sha256 }) => {
        const judged = `${params.type} ${sha256}`;
        if (!this.#pictures.has(judged)) await judgePicture(params.type, this.#world.books.read(sha256));
        this.#pictures.add(judged);
        const { state, id } = this.#edit(request, 'release');
        const image = { id: `${Object.keys(state.images).length}-${sha256.slice(0, 12)}`, sha1, sha256 };
        const key = imageKey(params);
        const now =
          params.type === 'icon' || params.type === 'featureGraphic' ? [] : (state.images[key] ?? []);
        if (now.length >= 8)
          throw new Refusal(400, 'tooManyImages', `There can be at most 8 images as ${params.type}.`);
        this.#world.books.changeEdit(id, { ...state, images: { ...state.images, [key]: [...now, image] } });
        return { image };
      });
    });
  }

  #addTracks(inEdit: InEdit, route: Route): void {
    const shown = (track: string, releases: readonly Release[]) => ({ track, releases });
    inEdit('GET', '/tracks', 'edits.tracks.list', ({ state }) => ({
      body: {
        kind: 'androidpublisher#tracksListResponse',
        tracks: Object.entries(state.tracks).map(([track, releases]) => shown(track, releases)),
      },
    }));
    inEdit('GET', '/tracks/:track', 'edits.tracks.get', ({ state }, { params: { track } }) => {
      const releases = state.tracks[track];
      if (!releases) throw new Refusal(404, 'trackNotFound', `There is no track ${track}.`);
      return { body: shown(track, releases) };
    });
    const setTrack = ({ app, state }: StoredEdit, { params: { track }, body }: Request) => {
      const releases = (body as { releases?: readonly Release[] }).releases ?? [];
      judgeTrack(track, releases, this.#world.books.app(app)?.state.tracks[track] ?? [], state);
      for (const { releaseNotes = [] } of releases)
        for (const { language } of releaseNotes) judgeLanguage(language);
      return {
        state: { ...state, tracks: { ...state.tracks, [track]: releases } },
        body: shown(track, releases),
      };
    };
    inEdit('PUT', '/tracks/:track', 'edits.tracks.update', setTrack);
    inEdit('PATCH', '/tracks/:track', 'edits.tracks.patch', setTrack);
    inEdit('GET', '/testers/:track', 'edits.testers.get', ({ state }, { params: { track } }) => ({
      body: { googleGroups: state.testers[track] ?? [] },
    }));
    inEdit('PUT', '/testers/:track', 'edits.testers.update', ({ state }, { params: { track }, body }) => {
      const { googleGroups = [] } = body as { googleGroups?: readonly string[] };
      return {
        state: { ...state, testers: { ...state.testers, [track]: googleGroups } },
        body: { googleGroups },
      };
    });
    route('GET', `${APP}/tracks/:track/releases`, 'tracks.releases.list', async (request) => {
      const { app } = this.#app(request, 'look');
      const { track } = request.params;
      const reviews = this.#world.books.reviews(app.id).filter((one) => one.track === track);
      return {
        releases: (app.state.tracks[track] ?? []).map((release) => {
          const review = reviews.find(({ builds }) => builds === buildsKey(release));
          const state = release.status === 'draft' ? 'DRAFT' : LIFECYCLE[review?.state ?? 'published'];
          return {
            track,
            ...(release.name === undefined ? {} : { releaseName: release.name }),
            releaseLifecycleState: `RELEASE_LIFECYCLE_STATE_${state}`,
            activeArtifacts: release.versionCodes.map((code) => ({ versionCode: Number(code) })),
          };
        }),
      };
    });
  }

  #addArtifacts(inEdit: InEdit, server: FastifyInstance): void {
    const listed =
      (kind: Artifact['kind'], name: string) =>
      ({ state }: StoredEdit) => ({
        body: {
          kind: `androidpublisher#${name}ListResponse`,
          [name]: state.artifacts.filter((one) => one.kind === kind).map(artifactBody),
        },
      });
    inEdit('GET', '/bundles', 'edits.bundles.list', listed('aab', 'bundles'));
    inEdit('GET', '/apks', 'edits.apks.list', listed('apk', 'apks'));
    const upload = (
      path: string,
      operation: string,
      finish: (request: Request) => (arrived: Arrived) => Promise<unknown>,
    ) =>
      server.post(`/upload${EDIT}${path}`, { config: { operation } }, async (plain, reply) => {
        const request = plain as Request;
        const { account } = this.#edit(request, 'release');
        if (request.query.uploadType !== 'resumable') return this.#uploads.keep(request.raw, finish(request));
        const size = Number(request.headers['x-upload-content-length']);
        const session = this.#uploads.begin(
          account,
          Number.isFinite(size) ? size : undefined,
          finish(request),
        );
        return reply
          .header('location', `http://${request.headers.host}/upload/sessions/${session.id}`)
          .send({});
      });
    const take = (kind: Artifact['kind']) => (request: Request) => async (arrived: Arrived) => {
      const edit = this.#edit(request, 'release');
      const judged = await judgePackage(arrived.file, kind, edit.app, edit.state);
      const { size, sha1, sha256 } = arrived;
      const artifact: Artifact = { ...judged, kind, size, sha1, sha256, at: this.#world.now() };
      this.#world.books.changeEdit(edit.id, {
        ...edit.state,
        artifacts: [...edit.state.artifacts, artifact],
      });
      this.#world.note(`${edit.app}: build ${artifact.build} arrived`);
      return artifactBody(artifact);
    };
    upload('/bundles', 'edits.bundles.upload', take('aab'));
    upload('/apks', 'edits.apks.upload', take('apk'));
    upload(
      '/apks/:build/deobfuscationFiles/:type',
      'edits.deobfuscationfiles.upload',
      (request) =>
        async ({ sha256 }) => {
          const edit = this.#edit(request, 'release');
          const { build, type } = request.params;
          if (!edit.state.artifacts.some((one) => one.build === Number(build)))
            throw new Refusal(404, 'unknownVersionCode', `Version code ${build} was never uploaded.`);
          this.#world.books.changeEdit(edit.id, {
            ...edit.state,
            crashMaps: { ...edit.state.crashMaps, [build]: sha256 },
          });
          return { deobfuscationFile: { symbolType: type } };
        },
    );
  }

  async #continue(request: Request, reply: FastifyReply): Promise<unknown> {
    const session = this.#uploads.session(request.params.session);
    const range = /^bytes (?:(\d+)-(\d+)|\*)\/(\d+)$/.exec(request.headers['content-range'] ?? '');
    if (!range) throw new Refusal(400, 'badRange', 'A part of an upload says which bytes it is.');
    if (session.size !== undefined && Number(range[3]) !== session.size)
      throw new Refusal(400, 'badRange', `The session is for ${session.size} bytes.`);
    if (range[1] !== undefined) await this.#uploads.write(session, request.raw, Number(range[1]));
    const answer = await this.#uploads.answerOf(session);
    if (answer) return reply.code(answer.status).send(answer.body);
    if (session.received > 0) reply.header('range', `bytes=0-${session.received - 1}`);
    return reply.code(308).send();
  }

  /** Readings in one request, each answered as it would be by itself. */
  async #batch(server: FastifyInstance, request: Request, reply: FastifyReply): Promise<unknown> {
    const boundary = /boundary="?([^";]+)"?/.exec(request.headers['content-type'] ?? '')?.[1];
    const parts = String(request.body).split(`--${boundary}`).slice(1, -1);
    if (boundary === undefined || parts.length === 0 || parts.length > BATCH_MOST)
      throw new Refusal(400, 'badRequest', `A batch has 1 to ${BATCH_MOST} parts.`);
    const answers: string[] = [];
    for (const part of parts) {
      const match = /content-id:\s*<([^>]+)>[\s\S]*?\r\n\r\n(GET) (\S+) HTTP\/1\.1/i.exec(part);
      if (!match) throw new Refusal(400, 'badRequest', 'A part of the batch is not a GET request.');
      const [, id, , url = '/'] = match;
      const { host = '', authorization = '' } = request.headers;
      const answer = await server.inject({ method: 'GET', url, headers: { host, authorization } });
      answers.push(
        `--${boundary}\r\ncontent-type: application/http\r\ncontent-id: <response-${id}>\r\n\r\nHTTP/1.1 ${answer.statusCode} ${answer.statusMessage}\r\ncontent-type: application/json\r\n\r\n${answer.body}\r\n`,
      );
    }
    return reply.type(`multipart/mixed; boundary=${boundary}`).send(`${answers.join('')}--${boundary}--\r\n`);
  }

  #editBody({ id, expires }: StoredEdit) {
    return { id, expiryTimeSeconds: String(Math.floor(expires / 1000)) };
  }

  /** The app of a request, and the account that asks, if it may. */
  #app(request: Request, rights: Account['rights']): { readonly account: Account; readonly app: StoredApp } {
    const account = this.#tokens.accountOf(request.headers.authorization);
    if (account === undefined)
      throw new Refusal(401, 'authError', 'Request had invalid authentication credentials.');
    const app = this.#world.books.app(request.params.app);
    if (app === undefined)
      throw new Refusal(404, 'applicationNotFound', `No application was found for ${request.params.app}.`);
    if (app.owner !== account.owner || (rights === 'release' && account.rights !== 'release'))
      throw new Refusal(403, 'permissionDenied', 'The caller does not have permission.');
    return { account, app };
  }

  /** The edit of a request, where it is still open and nobody has published another one since it began. */
  #edit(request: Request, rights: Account['rights']): StoredEdit {
    const { account, app } = this.#app(request, rights);
    const edit = this.#world.books.edit(request.params.edit);
    if (edit === undefined || edit.app !== app.id || edit.account !== account.email)
      throw new Refusal(404, 'editNotFound', 'This edit does not exist, has been committed or deleted.');
    if (edit.expires < this.#world.now()) throw new Refusal(400, 'editExpired', 'This edit has expired.');
    if (edit.revision !== app.revision)
      throw new Refusal(
        409,
        'editConflict',
        'This edit is out of date: another edit was committed since it was opened.',
      );
    return edit;
  }
}

export type Route = (
  method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE',
  url: string,
  operation: string,
  handler: (request: Request, reply: FastifyReply) => Promise<unknown>,
) => unknown;
type InEdit = (
  method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE',
  path: string,
  operation: string,
  answer: (edit: StoredEdit, request: Request) => EditAnswer | Promise<EditAnswer>,
) => unknown;
