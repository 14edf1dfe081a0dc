/**
 * What the Android store's publishing API takes and answers, as far as the stand-in speaks it: an OpenAPI 3.1 document, written from the
 * public documentation of version 3. Every request and every answer of the stand-in is held against it.
 */

const text = { type: 'string' } as const;
const limited = (maxLength: number) => ({ type: 'string', maxLength }) as const;
const ref = (name: string) => ({ $ref: `#/components/schemas/${name}` });
const object = (properties: object, required: readonly string[] = []) => ({
  type: 'object',
  additionalProperties: false,
  properties,
  ...(required.length === 0 ? {} : { required }),
});
const list = (items: object) => ({ type: 'array', items });
const digest = (length: number) => ({ type: 'string', pattern: `^[0-9a-f]{${length}}$` });
const currency = { type: 'string', pattern: '^[A-Z]{3}$' } as const;
const region = { type: 'string', pattern: '^[A-Z]{2}$' } as const;
const duration = { type: 'string', pattern: '^P[0-9]+[DWMY]$' } as const;
const json = (schema: object) => ({ content: { 'application/json': { schema } } });
const answer = (schema: object) => ({ 200: { description: 'done', ...json(schema) } });
const nothing = { 204: { description: 'done' } };
const binary = { content: { 'application/octet-stream': {}, 'image/png': {}, 'image/jpeg': {} } };

const APP = '/androidpublisher/v3/applications/{packageName}';
const EDIT = `${APP}/edits/{editId}`;
const UPLOAD = `/upload${EDIT}`;

interface Operation {
  readonly operationId: string;
  readonly requestBody?: object;
  readonly responses: object;
}

const operation = (operationId: string, responses: object, requestBody?: object): Operation => ({
  operationId,
  ...(requestBody ? { requestBody } : {}),
  responses,
});

export const ANDROID_DESCRIPTION = {
  openapi: '3.1.0',
  info: { title: 'The Android store’s publishing API, as the stand-in speaks it', version: '3' },
  paths: {
    '/token': {
      post: operation(
        'token',
        {
          200: {
            description: 'a token (RFC 6749, 5.1)',
            ...json(
              object(
                { access_token: text, token_type: { const: 'Bearer' }, expires_in: { type: 'integer' } },
                ['access_token', 'token_type', 'expires_in'],
              ),
            ),
          },
          400: {
            description: 'refused (RFC 6749, 5.2)',
            ...json(object({ error: text, error_description: text }, ['error'])),
          },
        },
        {
          content: {
            'application/x-www-form-urlencoded': {
              schema: object({ grant_type: text, assertion: text }, ['grant_type', 'assertion']),
            },
          },
        },
      ),
    },
    '/batch': { post: operation('batch', { 200: { description: 'multipart/mixed' } }) },
    [`${APP}/edits`]: { post: operation('edits.insert', answer(ref('AppEdit')), json({ type: 'object' })) },
    [EDIT]: {
      get: operation('edits.get', answer(ref('AppEdit'))),
      delete: operation('edits.delete', nothing),
    },
    [`${EDIT}:validate`]: { post: operation('edits.validate', answer(ref('AppEdit'))) },
    [`${EDIT}:commit`]: { post: operation('edits.commit', answer(ref('AppEdit'))) },
    [`${EDIT}/details`]: {
      get: operation('edits.details.get', answer(ref('AppDetails'))),
      patch: operation('edits.details.patch', answer(ref('AppDetails')), json(ref('AppDetails'))),
      put: operation('edits.details.update', answer(ref('AppDetails')), json(ref('AppDetails'))),
    },
    [`${EDIT}/listings`]: {
      get: operation('edits.listings.list', answer(object({ kind: text, listings: list(ref('Listing')) }))),
    },
    [`${EDIT}/listings/{language}`]: {
      get: operation('edits.listings.get', answer(ref('Listing'))),
      put: operation('edits.listings.update', answer(ref('Listing')), json(ref('Listing'))),
      delete: operation('edits.listings.delete', nothing),
    },
    [`${EDIT}/listings/{language}/{imageType}`]: {
      get: operation('edits.images.list', answer(object({ images: list(ref('Image')) }))),
      delete: operation('edits.images.deleteall', answer(object({ deleted: list(ref('Image')) }))),
    },
    [`${UPLOAD}/listings/{language}/{imageType}`]: {
      post: operation('edits.images.upload', answer(object({ image: ref('Image') }, ['image'])), binary),
    },
    [`${EDIT}/tracks`]: {
      get: operation('edits.tracks.list', answer(object({ kind: text, tracks: list(ref('Track')) }))),
    },
    [`${EDIT}/tracks/{track}`]: {
      get: operation('edits.tracks.get', answer(ref('Track'))),
      put: operation('edits.tracks.update', answer(ref('Track')), json(ref('Track'))),
      patch: operation('edits.tracks.patch', answer(ref('Track')), json(ref('Track'))),
    },
    [`${EDIT}/testers/{track}`]: {
      get: operation('edits.testers.get', answer(ref('Testers'))),
      put: operation('edits.testers.update', answer(ref('Testers')), json(ref('Testers'))),
    },
    [`${EDIT}/bundles`]: {
      get: operation('edits.bundles.list', answer(object({ kind: text, bundles: list(ref('Bundle')) }))),
    },
    [`${EDIT}/apks`]: {
      get: operation('edits.apks.list', answer(object({ kind: text, apks: list(ref('Apk')) }))),
    },
    [`${UPLOAD}/bundles`]: {
      post: operation('edits.bundles.upload', answer({ anyOf: [ref('Bundle'), object({})] }), binary),
    },
    [`${UPLOAD}/apks`]: {
      post: operation('edits.apks.upload', answer({ anyOf: [ref('Apk'), object({})] }), binary),
    },
    [`${UPLOAD}/apks/{versionCode}/deobfuscationFiles/{type}`]: {
      post: operation('edits.deobfuscationfiles.upload', answer({ type: 'object' }), binary),
    },
    '/upload/sessions/{session}': {
      put: operation('upload', {
        200: { description: 'the whole file arrived' },
        308: { description: 'so much arrived, as Range says' },
      }),
    },
    [`${APP}/inappproducts`]: {
      get: operation(
        'inappproducts.list',
        answer(object({ kind: text, inappproduct: list(ref('InAppProduct')) })),
      ),
      post: operation('inappproducts.insert', answer(ref('InAppProduct')), json(ref('InAppProduct'))),
    },
    [`${APP}/inappproducts/{sku}`]: {
      get: operation('inappproducts.get', answer(ref('InAppProduct'))),
      put: operation('inappproducts.update', answer(ref('InAppProduct')), json(ref('InAppProduct'))),
    },
    [`${APP}/subscriptions`]: {
      get: operation('subscriptions.list', answer(object({ subscriptions: list(ref('Subscription')) }))),
      post: operation('subscriptions.create', answer(ref('Subscription')), json(ref('Subscription'))),
    },
    [`${APP}/subscriptions/{productId}`]: {
      get: operation('subscriptions.get', answer(ref('Subscription'))),
      patch: operation('subscriptions.patch', answer(ref('Subscription')), json(ref('Subscription'))),
    },
    [`${APP}/subscriptions/{productId}/basePlans/{basePlanId}:activate`]: {
      post: operation('basePlans.activate', answer(ref('Subscription')), json(object({}))),
    },
    [`${APP}/subscriptions/{productId}/basePlans/{basePlanId}:deactivate`]: {
      post: operation('basePlans.deactivate', answer(ref('Subscription')), json(object({}))),
    },
    [`${APP}/subscriptions/{productId}/basePlans/{basePlanId}/offers`]: {
      get: operation('offers.list', answer(object({ subscriptionOffers: list(ref('SubscriptionOffer')) }))),
      post: operation('offers.create', answer(ref('SubscriptionOffer')), json(ref('SubscriptionOffer'))),
    },
    [`${APP}/subscriptions/{productId}/basePlans/{basePlanId}/offers/{offerId}`]: {
      patch: operation('offers.patch', answer(ref('SubscriptionOffer')), json(ref('SubscriptionOffer'))),
    },
    [`${APP}/subscriptions/{productId}/basePlans/{basePlanId}/offers/{offerId}:activate`]: {
      post: operation('offers.activate', answer(ref('SubscriptionOffer')), json(object({}))),
    },
    [`${APP}/pricing:convertRegionPrices`]: {
      post: operation(
        'pricing.convert',
        answer(
          object({
            convertedRegionPrices: {
              type: 'object',
              additionalProperties: object({ regionCode: text, price: ref('Money') }, [
                'regionCode',
                'price',
              ]),
            },
            convertedOtherRegionsPrice: object({ usdPrice: ref('Money'), eurPrice: ref('Money') }),
          }),
        ),
        json(object({ price: ref('Money') }, ['price'])),
      ),
    },
    [`${APP}/purchases/products/{productId}/tokens/{token}`]: {
      get: operation('purchases.products.get', answer(ref('ProductPurchase'))),
    },
    [`${APP}/purchases/products/{productId}/tokens/{token}:acknowledge`]: {
      post: operation('purchases.products.acknowledge', nothing, json({ type: 'object' })),
    },
    [`${APP}/purchases/products/{productId}/tokens/{token}:consume`]: {
      post: operation('purchases.products.consume', nothing, json({ type: 'object' })),
    },
    [`${APP}/purchases/subscriptionsv2/tokens/{token}`]: {
      get: operation('purchases.subscriptionsv2.get', answer(ref('SubscriptionPurchaseV2'))),
    },
    [`${APP}/purchases/subscriptions/{subscriptionId}/tokens/{token}:acknowledge`]: {
      post: operation('purchases.subscriptions.acknowledge', nothing, json({ type: 'object' })),
    },
    [`${APP}/tracks/{track}/releases`]: {
      get: operation('tracks.releases.list', answer(object({ releases: list(ref('ReleaseSummary')) }))),
    },
  },
  components: {
    schemas: {
      AppEdit: object({ id: text, expiryTimeSeconds: text }, ['id', 'expiryTimeSeconds']),
      AppDetails: object({
        defaultLanguage: text,
        contactEmail: text,
        contactWebsite: text,
        contactPhone: text,
      }),
      Listing: object({
        language: text,
        title: limited(30),
        shortDescription: limited(80),
        fullDescription: limited(4000),
        video: text,
      }),
      Image: object({ id: text, url: text, sha1: digest(40), sha256: digest(64) }, ['id', 'sha1', 'sha256']),
      Release: object(
        {
          name: limited(50),
          versionCodes: list({ type: 'string', pattern: '^[1-9][0-9]*$' }),
          status: { enum: ['draft', 'inProgress', 'halted', 'completed'] },
          userFraction: { type: 'number', exclusiveMinimum: 0, exclusiveMaximum: 1 },
          releaseNotes: list(object({ language: text, text: limited(500) }, ['language', 'text'])),
          inAppUpdatePriority: { type: 'integer', minimum: 0, maximum: 5 },
          countryTargeting: { type: 'object' },
        },
        ['status'],
      ),
      Track: object({ track: text, releases: list(ref('Release')) }),
      Testers: object({ googleGroups: list(text) }),
      Bundle: object({ versionCode: { type: 'integer' }, sha1: digest(40), sha256: digest(64) }, [
        'versionCode',
        'sha1',
        'sha256',
      ]),
      Apk: object(
        {
          versionCode: { type: 'integer' },
          binary: object({ sha1: digest(40), sha256: digest(64) }, ['sha1', 'sha256']),
        },
        ['versionCode', 'binary'],
      ),
      Price: object({ priceMicros: { type: 'string', pattern: '^[0-9]+$' }, currency }, [
        'priceMicros',
        'currency',
      ]),
      Money: object(
        {
          currencyCode: currency,
          units: { type: 'string', pattern: '^[0-9]+$' },
          nanos: { type: 'integer', minimum: 0 },
        },
        ['currencyCode'],
      ),
      InAppProduct: object(
        {
          packageName: text,
          sku: text,
          status: { enum: ['active', 'inactive'] },
          purchaseType: { enum: ['managedUser', 'subscription'] },
          defaultLanguage: text,
          defaultPrice: ref('Price'),
          prices: { type: 'object', additionalProperties: ref('Price') },
          listings: {
            type: 'object',
            additionalProperties: object({ title: limited(55), description: limited(200) }, [
              'title',
              'description',
            ]),
          },
        },
        ['sku', 'status', 'purchaseType', 'defaultPrice', 'listings'],
      ),
      Subscription: object(
        {
          packageName: text,
          productId: text,
          archived: { type: 'boolean' },
          listings: list(
            object(
              {
                languageCode: text,
                title: limited(55),
                description: limited(80),
                benefits: { ...list(limited(40)), maxItems: 4 },
              },
              ['languageCode', 'title'],
            ),
          ),
          basePlans: list(
            object(
              {
                basePlanId: text,
                state: { enum: ['DRAFT', 'ACTIVE', 'INACTIVE'] },
                autoRenewingBasePlanType: object(
                  {
                    billingPeriodDuration: duration,
                    gracePeriodDuration: duration,
                    accountHoldDuration: duration,
                  },
                  ['billingPeriodDuration'],
                ),
                regionalConfigs: list(
                  object(
                    {
                      regionCode: region,
                      newSubscriberAvailability: { type: 'boolean' },
                      price: ref('Money'),
                    },
                    ['regionCode'],
                  ),
                ),
                otherRegionsConfig: object({
                  usdPrice: ref('Money'),
                  eurPrice: ref('Money'),
                  newSubscriberAvailability: { type: 'boolean' },
                }),
              },
              ['basePlanId'],
            ),
          ),
        },
        ['productId'],
      ),
      SubscriptionOffer: object({
        packageName: text,
        productId: text,
        basePlanId: text,
        offerId: text,
        state: { enum: ['DRAFT', 'ACTIVE', 'INACTIVE'] },
        phases: list(
          object(
            {
              recurrenceCount: { type: 'integer', minimum: 1 },
              duration,
              regionalConfigs: list(
                object({ regionCode: region, price: ref('Money'), free: object({}) }, ['regionCode']),
              ),
              otherRegionsConfig: object({ free: object({}) }),
            },
            ['recurrenceCount', 'duration'],
          ),
        ),
        regionalConfigs: list(
          object({ regionCode: region, newSubscriberAvailability: { type: 'boolean' } }, ['regionCode']),
        ),
      }),
      ProductPurchase: object(
        {
          kind: text,
          purchaseTimeMillis: { type: 'string', pattern: '^[0-9]+$' },
          purchaseState: { enum: [0, 1, 2] },
          consumptionState: { enum: [0, 1] },
          acknowledgementState: { enum: [0, 1] },
          orderId: text,
        },
        ['purchaseState', 'acknowledgementState', 'consumptionState'],
      ),
      SubscriptionPurchaseV2: object(
        {
          kind: text,
          startTime: text,
          subscriptionState: {
            enum: ['PENDING', 'ACTIVE', 'PAUSED', 'IN_GRACE_PERIOD', 'ON_HOLD', 'CANCELED', 'EXPIRED'].map(
              (state) => `SUBSCRIPTION_STATE_${state}`,
            ),
          },
          acknowledgementState: {
            enum: ['ACKNOWLEDGEMENT_STATE_PENDING', 'ACKNOWLEDGEMENT_STATE_ACKNOWLEDGED'],
          },
          latestOrderId: text,
          lineItems: list(object({ productId: text, expiryTime: text }, ['productId', 'expiryTime'])),
        },
        ['subscriptionState', 'acknowledgementState', 'lineItems'],
      ),
      ReleaseSummary: object(
        {
          track: text,
          releaseName: text,
          releaseLifecycleState: {
            enum: [
              'DRAFT',
              'NOT_SENT_FOR_REVIEW',
              'IN_REVIEW',
              'APPROVED_NOT_PUBLISHED',
              'NOT_APPROVED',
              'PUBLISHED',
            ].map((state) => `RELEASE_LIFECYCLE_STATE_${state}`),
          },
          activeArtifacts: list(object({ versionCode: { type: 'integer' } }, ['versionCode'])),
        },
        ['track', 'releaseLifecycleState', 'activeArtifacts'],
      ),
      Error: object(
        {
          error: object(
            {
              code: { type: 'integer' },
              message: text,
              status: text,
              errors: list(object({ message: text, domain: text, reason: text }, ['message', 'reason'])),
            },
            ['code', 'message', 'errors'],
          ),
        },
        ['error'],
      ),
    },
  },
} as const;
