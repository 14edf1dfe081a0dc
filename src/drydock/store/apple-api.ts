import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { isObject, type JsonObject } from '../../core/util/json-object.js';
import { OWNER } from './accounts.js';
import { Assets } from './apple-assets.js';
import { APPLE_DESCRIPTION, LISTS, RELATIONS, REVIEW_DETAIL } from './apple-description.js';
import { judgeLocale, judgeVersion } from './apple-judge.js';
import { keyOf } from './apple-keys.js';
import { attributesIn, includedOf, present, relatedInRequest } from './apple-present.js';
import { idOf, idsOf, PRODUCTION, reviewedApp, Shelf, TESTING, textOf } from './apple-shelf.js';
import { RESOURCE_TYPES } from './apple-types.js';
import { Checker } from './description.js';
import type { Account, StoredResource } from './model.js';
import { AppleRefusal, appleErrorBody, isTheirs, Refusal } from './refusal.js';
import type { Uploads } from './uploads.js';
import type { World } from './world.js';

/** App Store Connect's API on loopback. */

type Query = Readonly<Record<string, string | undefined>>;
type Request = FastifyRequest<{ Params: { id: string; offset: string }; Querystring: Query }>;
type Method = 'GET' | 'POST' | 'PATCH' | 'DELETE';

const LIST_MOST = 200;
const FIRST_LOCALE = 'en-US';
/** States in which a version can be changed. */
const EDITABLE = new Set(['PREPARE_FOR_SUBMISSION', 'REJECTED', 'READY_FOR_REVIEW']);
/** Resources that belong to a version, by the relationship that says to which. */
const OF_VERSION: Readonly<Record<string, string>> = {
  appStoreVersionLocalizations: 'appStoreVersion',
  appStoreReviewDetails: 'appStoreVersion',
  appScreenshotSets: 'appStoreVersionLocalization',
  appScreenshots: 'appScreenshotSet',
};

/** The stand-in as a request reached it. */
const addressOf = ({ headers }: Request): string => `http://${headers.host}`;
const stateError = (detail: string) => new AppleRefusal(409, { code: 'STATE_ERROR', detail });
const notFound = (type: string, id: string) =>
  new AppleRefusal(404, {
    code: 'NOT_FOUND',
    detail: `There is no resource of type '${type}' with id '${id}'.`,
  });

export interface AppleApiOptions {
  readonly world: World;
  readonly uploads: Uploads;
  /** SHA-256 of the root that packages have to trust, in hexadecimal. */
  readonly root: string;
}

export class AppleApi {
  readonly shelf: Shelf;
  readonly assets: Assets;
  readonly #world: World;
  readonly #checker = new Checker('apple', APPLE_DESCRIPTION);

  constructor({ world, uploads, root }: AppleApiOptions) {
    this.#world = world;
    this.shelf = new Shelf(world.books, () => world.now());
    this.assets = new Assets({
      ...{ shelf: this.shelf, uploads, root },
      now: () => world.now(),
      note: (text) => world.note(text),
    });
  }

  /** An app as it is when somebody has made it in the console: a first version to prepare, and a group of the team's own testers. */
  createApp(bundleId: string): void {
    const { shelf } = this;
    if (shelf.all('apps').some((one) => textOf(one, 'bundleId') === bundleId)) return;
    const app = shelf.add('apps', '', {
      bundleId,
      name: bundleId,
      primaryLocale: FIRST_LOCALE,
      sku: bundleId,
    });
    const version = this.#addVersion(app.id, '1.0', 'AFTER_APPROVAL');
    shelf.add(
      'appStoreVersionLocalizations',
      app.id,
      { locale: FIRST_LOCALE },
      { appStoreVersion: version.id },
    );
    const info = shelf.add('appInfos', app.id, {}, { app: app.id, version: version.id });
    shelf.add(
      'appInfoLocalizations',
      app.id,
      { locale: FIRST_LOCALE, name: bundleId.slice(0, 30) },
      { appInfo: info.id },
    );
    this.#addGroup(app.id, { name: 'Crew', isInternalGroup: true });
  }

  #addVersion(app: string, versionString: string, releaseType: string): StoredResource {
    const createdDate = new Date(this.#world.now()).toISOString();
    const attributes = {
      platform: 'IOS',
      versionString,
      releaseType,
      createdDate,
      state: 'PREPARE_FOR_SUBMISSION',
    };
    return this.shelf.add('appStoreVersions', app, attributes, { app });
  }

  #addGroup(app: string, attributes: JsonObject): StoredResource {
    return this.shelf.add(
      'betaGroups',
      app,
      {
        isInternalGroup: false,
        hasAccessToAllBuilds: false,
        publicLinkEnabled: false,
        publicLink: null,
        ...attributes,
      },
      { app, builds: [], testers: [] },
    );
  }

  /** Adds the API's routes. @param server of its own scope */
  register(server: FastifyInstance): void {
    server.addContentTypeParser('application/octet-stream', (_request, payload, done) => done(null, payload));
    server.setErrorHandler((error, _request, reply) => {
      const known =
        error instanceof Refusal
          ? error
          : isTheirs(error)
            ? new Refusal(error.statusCode, 'PARAMETER_ERROR.INVALID', error.message)
            : new Refusal(500, 'UNEXPECTED_ERROR', `Internal error: ${(error as Error).message}`);
      if (known.retryAfter !== undefined) reply.header('retry-after', String(known.retryAfter));
      reply
        .code(known.status)
        .type('application/json')
        .header('date', new Date(this.#world.now()).toUTCString())
        .send(appleErrorBody(known));
    });
    server.addHook('preHandler', async (request) => {
      const operation = request.routeOptions.config.operation;
      if (operation === undefined || request.method === 'GET') return;
      const fault = this.#checker.request(operation, request.body);
      if (fault === undefined) return;
      const pointer = /^(\/data\/attributes\/\w+)/.exec(fault)?.[1];
      throw new AppleRefusal(pointer === undefined ? 400 : 409, {
        code: pointer === undefined ? 'PARAMETER_ERROR.INVALID' : 'ENTITY_ERROR.ATTRIBUTE.INVALID',
        detail: `The request is not as described: ${fault}`,
        ...(pointer === undefined ? {} : { pointer }),
      });
    });
    server.addHook('onSend', async (request, reply, payload) => {
      const operation = request.routeOptions.config.operation;
      if (operation === undefined || typeof payload !== 'string' || payload === '') return payload;
      const fault = this.#checker.answer(operation, reply.statusCode, JSON.parse(payload));
      if (fault === undefined) return payload;
      this.#world.note(`the stand-in’s own answer to ${operation} is not as described: ${fault}`);
      reply.code(500);
      return JSON.stringify(
        appleErrorBody(new Refusal(500, 'UNEXPECTED_ERROR', `Answer not as described: ${fault}`)),
      );
    });
    this.#addRoutes(server);
  }

  #addRoutes(server: FastifyInstance): void {
    const route = (
      method: Method,
      path: string,
      operation: string,
      handler: (request: Request, account: Account, reply: FastifyReply) => Promise<unknown> | unknown,
    ) =>
      server.route({
        method,
        url: path.replaceAll('{id}', ':id'),
        config: { operation },
        handler: async (request, reply) => {
          const own = request as Request;
          const account = await this.#account(own);
          const done = await handler(own, account, reply);
          return done === undefined ? reply.code(204).send() : done;
        },
      });
    for (const [type, { create, update, isRemovable }] of Object.entries(RESOURCE_TYPES)) {
      const one = `/v1/${type}/{id}`;
      route('GET', one, `get ${type}`, ({ params: { id } }, account) =>
        this.#document(this.#find(type, id, account)),
      );
      if (create)
        route('POST', `/v1/${type}`, `create ${type}`, async (request, account, reply) => {
          reply.code(201);
          return this.#document(await this.#create(type, request, account));
        });
      if (update)
        route('PATCH', one, `update ${type}`, async ({ params: { id }, body }, account) =>
          this.#document(await this.#update(this.#find(type, id, account), attributesIn(body))),
        );
      if (isRemovable)
        route('DELETE', one, `remove ${type}`, ({ params: { id } }, account) => {
          this.#remove(this.#find(type, id, account));
        });
    }
    for (const [path, type] of Object.entries(LISTS))
      route('GET', path, `list ${path}`, (request, account) =>
        this.#list(this.#listed(path, type, request.params.id, request.query, account), request),
      );
    route('GET', REVIEW_DETAIL, `list ${REVIEW_DETAIL}`, ({ params: { id } }, account) => {
      const version = this.#find('appStoreVersions', id, account);
      const [detail] = this.shelf.below('appStoreReviewDetails', 'appStoreVersion', version.id);
      return { data: detail ? present(this.shelf, detail) : null };
    });
    for (const [path, { methods }] of Object.entries(RELATIONS)) {
      for (const method of methods)
        route(
          method.toUpperCase() as Method,
          path,
          `${method} ${path}`,
          ({ params: { id }, body }, account) => {
            this.#relate(path, method, id, body, account);
          },
        );
    }
    server.put('/apple-parts/:id/:offset', async (request, reply) => {
      const { params, query, body } = request as Request;
      await this.assets.write(params.id, query.key, Number(params.offset), body as never);
      return reply.code(200).send();
    });
  }

  async #account({ headers, method }: Request): Promise<Account> {
    const account = await keyOf(this.#world.books, headers.authorization, this.#world.now());
    if (account === undefined)
      throw new AppleRefusal(401, {
        code: 'NOT_AUTHORIZED',
        detail:
          'Provide a properly configured and signed bearer token, and make sure that it has not expired.',
      });
    if (method !== 'GET' && account.rights !== 'release')
      throw new AppleRefusal(403, {
        code: 'FORBIDDEN_ERROR',
        detail: 'The API key in use does not allow this request.',
      });
    return account;
  }

  #isVisible(resource: StoredResource, { owner }: Account): boolean {
    return owner === OWNER && this.shelf.find(resource.id) !== undefined;
  }

  #find(type: string, id: string, account: Account): StoredResource {
    const found = this.shelf.find(id);
    if (found?.type === type && this.#isVisible(found, account)) return found;
    throw notFound(type, id);
  }

  #document(resource: StoredResource): unknown {
    return { data: present(this.shelf, resource) };
  }

  /** A page of a list, with a link to the next. */
  #list(found: readonly StoredResource[], request: Request): unknown {
    const { query, url } = request;
    const limit = Math.min(Number(query.limit ?? 50) || 50, LIST_MOST);
    const from = Number(query.cursor ?? 0) || 0;
    const shown = found.slice(from, from + limit);
    const included = includedOf(this.shelf, shown, query.include);
    const next = new URL(url, addressOf(request));
    next.searchParams.set('cursor', String(from + limit));
    return {
      data: shown.map((one) => present(this.shelf, one)),
      ...(included.length === 0 ? {} : { included }),
      links: {
        self: new URL(url, addressOf(request)).href,
        ...(from + limit < found.length ? { next: next.href } : {}),
      },
      meta: { paging: { total: found.length, limit } },
    };
  }

  #listed(path: string, type: string, id: string, query: Query, account: Account): StoredResource[] {
    const { shelf } = this;
    const own = (list: readonly StoredResource[]) => list.filter((one) => this.#isVisible(one, account));
    const app = query['filter[app]'];
    switch (path) {
      case '/v1/apps':
        return own(shelf.all('apps')).filter(
          (one) =>
            query['filter[bundleId]'] === undefined || textOf(one, 'bundleId') === query['filter[bundleId]'],
        );
      case '/v1/builds':
        return own(shelf.all('builds', app))
          .filter((one) => this.#isBuildAsked(one, query))
          .reverse();
      case '/v1/betaGroups':
      case '/v1/reviewSubmissions':
        return own(shelf.all(type, app)).filter(
          (one) =>
            query['filter[state]'] === undefined ||
            present(shelf, one).attributes.state === query['filter[state]'],
        );
      case '/v1/apps/{id}/appStoreVersions':
        return shelf.versions(this.#find('apps', id, account).id);
      case '/v1/apps/{id}/appInfos':
        return shelf.all('appInfos', this.#find('apps', id, account).id);
      case '/v1/apps/{id}/buildUploads':
        return shelf.all('buildUploads', this.#find('apps', id, account).id).filter((one) => {
          const wanted = query['filter[cfBundleShortVersionString]'];
          return wanted === undefined || textOf(one, 'cfBundleShortVersionString') === wanted;
        });
      case '/v1/betaGroups/{id}/betaTesters':
        return idsOf(this.#find('betaGroups', id, account), 'testers').flatMap(
          (one) => shelf.find(one) ?? [],
        );
      case '/v1/reviewSubmissions/{id}/items':
        return shelf.below(type, 'reviewSubmission', this.#find('reviewSubmissions', id, account).id);
      default: {
        const [, , parent = ''] = path.split('/');
        return shelf.below(type, parent.slice(0, -1), this.#find(parent, id, account).id);
      }
    }
  }

  #isBuildAsked(build: StoredResource, query: Query): boolean {
    const version = this.shelf.find(idOf(build, 'preReleaseVersion'));
    const wanted: readonly (readonly [string, (value: string) => boolean])[] = [
      ['filter[id]', (value) => build.id === value],
      ['filter[version]', (value) => textOf(build, 'version') === value],
      [
        'filter[preReleaseVersion.version]',
        (value) => version !== undefined && textOf(version, 'version') === value,
      ],
      ['filter[betaGroups]', (value) => this.shelf.groupsOf(build).some(({ id }) => id === value)],
    ];
    return wanted.every(([name, fits]) => query[name] === undefined || fits(query[name]));
  }

  /** Refuses changes of what belongs to a version that is being reviewed, or is out. */
  #checkEditable(type: string, related: Readonly<Record<string, string | readonly string[]>>): void {
    const name = OF_VERSION[type];
    if (name === undefined) return;
    const owner = this.shelf.find(String(related[name] ?? ''));
    if (owner === undefined) return;
    if (owner.type !== 'appStoreVersions') {
      this.#checkEditable(owner.type, owner.related);
      return;
    }
    this.#checkVersion(owner);
  }

  #checkVersion(version: StoredResource): void {
    const state = this.shelf.versionState(version);
    if (EDITABLE.has(state)) return;
    throw new AppleRefusal(409, {
      code: 'STATE_ERROR.ENTITY_STATE_INVALID',
      detail: `Version ${textOf(version, 'versionString')} cannot be changed in the state ${state}.`,
    });
  }

  async #create(type: string, request: Request, account: Account): Promise<StoredResource> {
    const { body } = request;
    const attributes = attributesIn(body);
    const asked = relatedInRequest(body);
    const owners = Object.values(asked).flatMap((ids) =>
      ids.map((id) => {
        const owner = this.shelf.find(id);
        if (owner && this.#isVisible(owner, account)) return owner;
        throw notFound('relationship', id);
      }),
    );
    const [owner] = owners;
    const app = owner === undefined ? '' : owner.type === 'apps' ? owner.id : owner.app;
    const related = Object.fromEntries(Object.entries(asked).map(([name, ids]) => [name, ids[0] ?? '']));
    if (typeof attributes.locale === 'string') {
      judgeLocale(attributes.locale);
      this.#checkNewLocale(type, attributes.locale, related);
    }
    this.#checkEditable(type, related);
    this.#checkNotes(attributes, app);
    switch (type) {
      case 'appStoreVersions':
        return this.#createVersion(app, attributes);
      case 'betaGroups':
        return this.#addGroup(app, attributes);
      case 'betaTesters':
        return this.#addTester(app, attributes, asked.betaGroups ?? []);
      case 'reviewSubmissionItems':
        return this.#addItem(app, related);
      case 'betaAppReviewSubmissions':
        return this.#submitTest(app, related.build ?? '');
      case 'buildUploads':
        return this.shelf.add(type, app, { ...attributes, state: { state: 'AWAITING_UPLOAD' } }, related);
      case 'appScreenshots':
      case 'buildUploadFiles': {
        const asset = this.shelf.add(type, app, attributes, related);
        return this.assets.reserve(asset, account.email, addressOf(request));
      }
      case 'appInfoLocalizations':
        this.#addLocale(app, String(attributes.locale));
        return this.shelf.add(type, app, attributes, related);
      default:
        return this.shelf.add(type, app, attributes, related);
    }
  }

  #checkNewLocale(type: string, locale: string, related: Readonly<Record<string, string>>): void {
    const [name, id] = Object.entries(related)[0] ?? ['', ''];
    if (this.shelf.below(type, name, id).some((one) => textOf(one, 'locale') === locale))
      throw new AppleRefusal(409, {
        code: 'ENTITY_ERROR.ATTRIBUTE.INVALID.DUPLICATE',
        detail: `There is a localization in ${locale} already.`,
        pointer: '/data/attributes/locale',
      });
  }

  /** What is new is said of an update, never of the first version. */
  #checkNotes(attributes: JsonObject, app: string): void {
    if (
      typeof attributes.whatsNew === 'string' &&
      app !== '' &&
      'whatsNew' in attributes &&
      !('locale' in attributes)
    ) {
      if (!this.shelf.hasPublished(app))
        throw stateError("Attribute 'whatsNew' cannot be edited at this time.");
    }
  }

  /** A language of the app is one of its version as well. */
  #addLocale(app: string, locale: string): void {
    const version = this.shelf.versions(app).find((one) => EDITABLE.has(this.shelf.versionState(one)));
    if (version === undefined) return;
    const known = this.shelf.below('appStoreVersionLocalizations', 'appStoreVersion', version.id);
    if (!known.some((one) => textOf(one, 'locale') === locale))
      this.shelf.add('appStoreVersionLocalizations', app, { locale }, { appStoreVersion: version.id });
  }

  /** A new version begins with the texts and pictures of the one before. */
  #createVersion(app: string, { versionString, releaseType = 'AFTER_APPROVAL' }: JsonObject): StoredResource {
    const { shelf } = this;
    const [last] = shelf.versions(app);
    if (last && !['READY_FOR_DISTRIBUTION', 'REPLACED_WITH_NEW_VERSION'].includes(shelf.versionState(last)))
      throw stateError('You cannot create a new version of the app in its current state.');
    const version = this.#addVersion(app, String(versionString), String(releaseType));
    for (const texts of last ? shelf.below('appStoreVersionLocalizations', 'appStoreVersion', last.id) : []) {
      const { whatsNew: _, ...attributes } = texts.attributes;
      const copied = shelf.add(texts.type, app, attributes, { appStoreVersion: version.id });
      for (const set of shelf.below('appScreenshotSets', 'appStoreVersionLocalization', texts.id)) {
        const own = shelf.add(set.type, app, set.attributes, { appStoreVersionLocalization: copied.id });
        for (const shot of shelf.below('appScreenshots', 'appScreenshotSet', set.id))
          shelf.add(shot.type, app, shot.attributes, { appScreenshotSet: own.id });
      }
    }
    for (const detail of last ? shelf.below('appStoreReviewDetails', 'appStoreVersion', last.id) : [])
      shelf.add(detail.type, app, detail.attributes, { appStoreVersion: version.id });
    const old = shelf.all('appInfos', app).at(-1);
    const info = shelf.add('appInfos', app, {}, { app, version: version.id });
    for (const texts of old ? shelf.below('appInfoLocalizations', 'appInfo', old.id) : [])
      shelf.add(texts.type, app, texts.attributes, { appInfo: info.id });
    return version;
  }

  #addTester(app: string, attributes: JsonObject, groups: readonly string[]): StoredResource {
    const { shelf } = this;
    const email = String(attributes.email).toLowerCase();
    const known = shelf.all('betaTesters', app).find((one) => textOf(one, 'email') === email);
    const tester = known ?? shelf.add('betaTesters', app, { ...attributes, email });
    for (const id of groups) {
      const group = shelf.find(id);
      if (group && !idsOf(group, 'testers').includes(tester.id))
        shelf.change(group, {}, { testers: [...idsOf(group, 'testers'), tester.id] });
    }
    return tester;
  }

  #addItem(app: string, related: Readonly<Record<string, string>>): StoredResource {
    const version = this.shelf.find(related.appStoreVersion ?? '');
    if (version === undefined) throw notFound('appStoreVersions', related.appStoreVersion ?? '');
    this.#checkVersion(version);
    judgeVersion(this.shelf, version);
    this.shelf.change(version, { state: 'READY_FOR_REVIEW' });
    return this.shelf.add('reviewSubmissionItems', app, { state: 'READY_FOR_REVIEW' }, related);
  }

  #submitTest(app: string, id: string): StoredResource {
    const build = this.shelf.find(id);
    if (build === undefined) throw notFound('builds', id);
    if (this.shelf.testingStates(build).external !== 'READY_FOR_BETA_SUBMISSION')
      throw stateError('The build was submitted for the review of external testing already.');
    this.#world.review(reviewedApp(this.shelf.bundleId(app)), TESTING, textOf(build, 'version'));
    return this.shelf.add(
      'betaAppReviewSubmissions',
      app,
      { betaReviewState: 'WAITING_FOR_REVIEW' },
      { build: id },
    );
  }

  async #update(resource: StoredResource, attributes: JsonObject): Promise<StoredResource> {
    this.#checkEditable(resource.type, resource.related);
    switch (resource.type) {
      case 'appStoreVersions':
        this.#checkVersion(resource);
        break;
      case 'appStoreVersionLocalizations':
        this.#checkNotes(attributes, resource.app);
        break;
      case 'appScreenshots':
      case 'buildUploadFiles':
        return this.assets.commit(resource, attributes);
      case 'reviewSubmissions':
        return this.#submit(resource, attributes);
      case 'appStoreVersionPhasedReleases':
        if (this.shelf.phase(resource).state === 'COMPLETE')
          throw stateError('The phased release is complete.');
        break;
      case 'apps':
        judgeLocale(String(attributes.primaryLocale));
        break;
    }
    return this.shelf.change(resource, attributes);
  }

  #submit(submission: StoredResource, { submitted }: JsonObject): StoredResource {
    if (submitted !== true || submission.attributes.submitted === true) return submission;
    const items = this.shelf.below('reviewSubmissionItems', 'reviewSubmission', submission.id);
    if (items.length === 0) throw stateError('There is nothing in this submission.');
    for (const item of items) {
      const version = this.shelf.find(idOf(item, 'appStoreVersion'));
      if (version === undefined) continue;
      judgeVersion(this.shelf, version);
      this.shelf.change(version, { state: 'SUBMITTED' });
      const app = reviewedApp(this.shelf.bundleId(version.app));
      this.#world.review(app, PRODUCTION, this.shelf.buildNumber(version));
    }
    return this.shelf.change(submission, {
      submitted: true,
      submittedDate: new Date(this.#world.now()).toISOString(),
    });
  }

  #remove(resource: StoredResource): void {
    this.#checkEditable(resource.type, resource.related);
    if (resource.type === 'appStoreVersions') {
      this.#checkVersion(resource);
      if (!this.shelf.hasPublished(resource.app)) throw stateError('The first version cannot be deleted.');
      for (const info of this.shelf.below('appInfos', 'version', resource.id)) this.shelf.remove(info.id);
    }
    if (resource.type === 'reviewSubmissionItems') {
      const version = this.shelf.find(idOf(resource, 'appStoreVersion'));
      if (version) this.shelf.change(version, { state: 'PREPARE_FOR_SUBMISSION' });
    }
    this.shelf.remove(resource.id);
  }

  #relate(path: string, method: string, id: string, body: unknown, account: Account): void {
    const data = isObject(body) ? body.data : undefined;
    const ids = (Array.isArray(data) ? data : [data]).filter(isObject).map((one) => String(one.id));
    if (path.startsWith('/v1/appStoreVersions')) {
      const version = this.#find('appStoreVersions', id, account);
      this.#checkVersion(version);
      const build = this.#find('builds', ids[0] ?? '', account);
      if (this.shelf.processingState(build) !== 'VALID') throw stateError('The build is still processed.');
      // Another build takes a rejected version out of the review that it had.
      this.shelf.change(version, { state: this.shelf.versionState(version) }, { build: build.id });
      return;
    }
    const group = this.#find('betaGroups', id, account);
    const name = path.endsWith('builds') ? 'builds' : 'testers';
    const now = idsOf(group, name);
    if (method === 'post') for (const one of ids) this.#find('builds', one, account);
    const next = method === 'post' ? [...new Set([...now, ...ids])] : now.filter((one) => !ids.includes(one));
    this.shelf.change(group, {}, { [name]: next });
    for (const one of method === 'post' ? ids : []) {
      const build = this.shelf.find(one);
      if (build)
        this.#world.note(
          `${reviewedApp(this.shelf.bundleId(group.app))}: build ${textOf(build, 'version')} goes to ${textOf(group, 'name')}`,
        );
    }
  }
}
