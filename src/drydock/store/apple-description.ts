import { RESOURCE_TYPES, type ResourceType } from './apple-types.js';
import type { Description } from './description.js';

/**
 * What App Store Connect's API takes and answers, as far as the stand-in speaks it: an OpenAPI 3.1 document, written from the public
 * documentation (JSON:API 1.0 bodies).
 */

const ref = (name: string) => ({ $ref: `#/components/schemas/${name}` });
const json = (schema: object) => ({ content: { 'application/json': { schema } } });
const object = (properties: object, required: readonly string[]) => ({
  type: 'object',
  additionalProperties: false,
  properties,
  required,
});
const identifier = (type: string) =>
  object({ type: { const: type }, id: { type: 'string' } }, ['type', 'id']);

function resourceSchema(type: string, { attributes, related }: ResourceType): object {
  const relationships = Object.fromEntries(
    Object.entries(related).map(([name, { type: to, many }]) => [
      name,
      object(
        {
          data: many
            ? { type: 'array', items: identifier(to) }
            : { anyOf: [identifier(to), { type: 'null' }] },
        },
        [],
      ),
    ]),
  );
  return object(
    {
      type: { const: type },
      id: { type: 'string' },
      attributes: { type: 'object', additionalProperties: false, properties: attributes },
      relationships: { type: 'object', additionalProperties: false, properties: relationships },
    },
    ['type', 'id'],
  );
}

const pick = (attributes: ResourceType['attributes'], names: readonly string[]) =>
  Object.fromEntries(names.map((name) => [name, attributes[name] ?? {}]));

function createSchema(type: string, { attributes, create }: ResourceType): object {
  const { attributes: names = [], required = [], related = {} } = create ?? {};
  const relationships = Object.fromEntries(
    Object.entries(related).map(([name, to]) => [
      name,
      object(
        {
          data: to.endsWith('[]')
            ? { type: 'array', minItems: 1, items: identifier(to.slice(0, -2)) }
            : identifier(to),
        },
        ['data'],
      ),
    ]),
  );
  return object(
    {
      data: object(
        {
          type: { const: type },
          attributes: { ...object(pick(attributes, names), required) },
          relationships: object(relationships, Object.keys(related)),
        },
        ['type', 'relationships', ...(required.length > 0 ? ['attributes'] : [])],
      ),
    },
    ['data'],
  );
}

const updateSchema = (type: string, { attributes, update = [] }: ResourceType): object =>
  object(
    {
      data: object(
        {
          type: { const: type },
          id: { type: 'string' },
          attributes: object(pick(attributes, update), []),
        },
        ['type', 'id'],
      ),
    },
    ['data'],
  );

const included = { type: 'array', items: ref('Any') };
const single = (type: string) => object({ data: ref(type), included, links: {} }, ['data']);
const list = (type: string) =>
  object({ data: { type: 'array', items: ref(type) }, included, links: { type: 'object' }, meta: {} }, [
    'data',
  ]);
const answer = (status: number, schema: object) => ({ [status]: { description: 'done', ...json(schema) } });
const nothing = { 204: { description: 'done' } };

/** Lists of the API: the path, and the type of what is in it. */
export const LISTS = {
  '/v1/apps': 'apps',
  '/v1/builds': 'builds',
  '/v1/betaGroups': 'betaGroups',
  '/v1/reviewSubmissions': 'reviewSubmissions',
  '/v1/apps/{id}/appStoreVersions': 'appStoreVersions',
  '/v1/apps/{id}/appInfos': 'appInfos',
  '/v1/apps/{id}/buildUploads': 'buildUploads',
  '/v1/appInfos/{id}/appInfoLocalizations': 'appInfoLocalizations',
  '/v1/appStoreVersions/{id}/appStoreVersionLocalizations': 'appStoreVersionLocalizations',
  '/v1/appStoreVersionLocalizations/{id}/appScreenshotSets': 'appScreenshotSets',
  '/v1/builds/{id}/betaBuildLocalizations': 'betaBuildLocalizations',
  '/v1/betaGroups/{id}/betaTesters': 'betaTesters',
  '/v1/reviewSubmissions/{id}/items': 'reviewSubmissionItems',
} as const;
/** Changes of relationships: the path, the type, and how many. */
export const RELATIONS = {
  '/v1/appStoreVersions/{id}/relationships/build': { type: 'builds', methods: ['patch'] },
  '/v1/betaGroups/{id}/relationships/builds': { type: 'builds', methods: ['post', 'delete'] },
  '/v1/betaGroups/{id}/relationships/betaTesters': { type: 'betaTesters', methods: ['delete'] },
} as const;
export const REVIEW_DETAIL = '/v1/appStoreVersions/{id}/appStoreReviewDetail';

interface Operation {
  readonly operationId: string;
  readonly requestBody?: object;
  readonly responses: object;
}

function pathsOf(): Record<string, Record<string, Operation>> {
  const paths: Record<string, Record<string, Operation>> = {};
  const add = (path: string, method: string, operation: Operation) => {
    paths[path] = { ...paths[path], [method]: operation };
  };
  for (const [type, description] of Object.entries(RESOURCE_TYPES)) {
    const one = `/v1/${type}/{id}`;
    add(one, 'get', { operationId: `get ${type}`, responses: answer(200, single(type)) });
    if (description.create)
      add(`/v1/${type}`, 'post', {
        operationId: `create ${type}`,
        requestBody: json(createSchema(type, description)),
        responses: answer(201, single(type)),
      });
    if (description.update)
      add(one, 'patch', {
        operationId: `update ${type}`,
        requestBody: json(updateSchema(type, description)),
        responses: answer(200, single(type)),
      });
    if (description.isRemovable) add(one, 'delete', { operationId: `remove ${type}`, responses: nothing });
  }
  for (const [path, type] of Object.entries(LISTS))
    add(path, 'get', { operationId: `list ${path}`, responses: answer(200, list(type)) });
  add(REVIEW_DETAIL, 'get', {
    operationId: `list ${REVIEW_DETAIL}`,
    responses: answer(
      200,
      object({ data: { anyOf: [ref('appStoreReviewDetails'), { type: 'null' }] }, links: {} }, ['data']),
    ),
  });
  for (const [path, { type, methods }] of Object.entries(RELATIONS)) {
    for (const method of methods)
      add(path, method, {
        operationId: `${method} ${path}`,
        requestBody: json(
          object(
            { data: method === 'patch' ? identifier(type) : { type: 'array', items: identifier(type) } },
            ['data'],
          ),
        ),
        responses: nothing,
      });
  }
  return paths;
}

const errorObject = {
  type: 'object',
  required: ['status', 'code', 'title'],
  properties: {
    id: { type: 'string' },
    status: { type: 'string' },
    code: { type: 'string' },
    title: { type: 'string' },
    detail: { type: 'string' },
    source: { type: 'object', properties: { pointer: { type: 'string' } } },
    meta: { type: 'object' },
  },
};

export const APPLE_DESCRIPTION: Description & Readonly<Record<string, unknown>> = {
  openapi: '3.1.0',
  info: { title: 'App Store Connect’s API, as the stand-in speaks it', version: '1' },
  paths: pathsOf(),
  components: {
    schemas: {
      ...Object.fromEntries(
        Object.entries(RESOURCE_TYPES).map(([type, description]) => [
          type,
          resourceSchema(type, description),
        ]),
      ),
      Any: { anyOf: Object.keys(RESOURCE_TYPES).map(ref) },
      Error: object({ errors: { type: 'array', minItems: 1, items: errorObject } }, ['errors']),
    },
  },
};
