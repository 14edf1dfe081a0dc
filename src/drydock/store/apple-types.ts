/**
 * Resources of App Store Connect's API, as far as the stand-in has them: their attributes, how they are related, and what can be set
 * (App Store Connect API, the page of each type). Every request and every answer is held against it.
 */

type Schema = object;

export interface ResourceType {
  /** What answers have. */
  readonly attributes: Readonly<Record<string, Schema>>;
  /** Relationships in answers, and the type that each leads to. */
  readonly related: Readonly<Record<string, { readonly type: string; readonly many?: true }>>;
  readonly create?: {
    readonly attributes: readonly string[];
    readonly required: readonly string[];
    /** Relationships that it has to come with, by type; `[]` behind the type where it is a list. */
    readonly related: Readonly<Record<string, string>>;
  };
  readonly update?: readonly string[];
  readonly isRemovable?: true;
}

const text: Schema = { type: 'string' };
const limited = (maxLength: number): Schema => ({ type: ['string', 'null'], maxLength });
const optional: Schema = { type: ['string', 'null'] };
const flag: Schema = { type: ['boolean', 'null'] };
const integer: Schema = { type: 'integer' };
const time: Schema = { type: 'string', pattern: '^\\d{4}-\\d{2}-\\d{2}T' };
const email: Schema = { type: 'string', pattern: '^[^\\s@]+@[^\\s@]+\\.[^\\s@]+$' };
const address: Schema = { type: ['string', 'null'], pattern: '^https?://' };
const operations: Schema = {
  type: 'array',
  items: {
    type: 'object',
    additionalProperties: false,
    required: ['method', 'url', 'offset', 'length', 'requestHeaders'],
    properties: {
      method: { enum: ['PUT', 'POST'] },
      url: text,
      offset: integer,
      length: integer,
      requestHeaders: {
        type: 'array',
        items: { type: 'object', required: ['name', 'value'], properties: { name: text, value: text } },
      },
    },
  },
};
const delivery = (states: readonly string[]): Schema => ({
  type: 'object',
  required: ['state'],
  properties: {
    state: { enum: states },
    errors: { type: 'array', items: { type: 'object', properties: { code: text, description: text } } },
  },
});

export const RESOURCE_TYPES: Readonly<Record<string, ResourceType>> = {
  apps: {
    attributes: { bundleId: text, name: text, primaryLocale: text, sku: text },
    related: {},
    update: ['primaryLocale'],
  },
  appInfos: { attributes: { state: text }, related: { app: { type: 'apps' } } },
  appInfoLocalizations: {
    attributes: { locale: text, name: limited(30), subtitle: limited(30), privacyPolicyUrl: address },
    related: { appInfo: { type: 'appInfos' } },
    create: {
      attributes: ['locale', 'name', 'subtitle', 'privacyPolicyUrl'],
      required: ['locale', 'name'],
      related: { appInfo: 'appInfos' },
    },
    update: ['name', 'subtitle', 'privacyPolicyUrl'],
    isRemovable: true,
  },
  appStoreVersions: {
    attributes: {
      platform: { const: 'IOS' },
      versionString: { type: 'string', pattern: '^\\d+(\\.\\d+){0,2}$' },
      appVersionState: text,
      releaseType: { enum: ['MANUAL', 'AFTER_APPROVAL', 'SCHEDULED'] },
      createdDate: time,
    },
    related: {
      app: { type: 'apps' },
      build: { type: 'builds' },
      appStoreVersionPhasedRelease: { type: 'appStoreVersionPhasedReleases' },
    },
    create: {
      attributes: ['platform', 'versionString', 'releaseType'],
      required: ['platform', 'versionString'],
      related: { app: 'apps' },
    },
    update: ['versionString', 'releaseType'],
    isRemovable: true,
  },
  appStoreVersionLocalizations: {
    attributes: {
      locale: text,
      description: limited(4000),
      keywords: limited(100),
      promotionalText: limited(170),
      whatsNew: limited(4000),
      supportUrl: address,
      marketingUrl: address,
    },
    related: { appStoreVersion: { type: 'appStoreVersions' } },
    create: {
      attributes: [
        'locale',
        'description',
        'keywords',
        'promotionalText',
        'whatsNew',
        'supportUrl',
        'marketingUrl',
      ],
      required: ['locale'],
      related: { appStoreVersion: 'appStoreVersions' },
    },
    update: ['description', 'keywords', 'promotionalText', 'whatsNew', 'supportUrl', 'marketingUrl'],
    isRemovable: true,
  },
  appStoreVersionPhasedReleases: {
    attributes: {
      phasedReleaseState: { enum: ['INACTIVE', 'ACTIVE', 'PAUSED', 'COMPLETE'] },
      currentDayNumber: { type: ['integer', 'null'] },
    },
    related: { appStoreVersion: { type: 'appStoreVersions' } },
    create: {
      attributes: ['phasedReleaseState'],
      required: [],
      related: { appStoreVersion: 'appStoreVersions' },
    },
    update: ['phasedReleaseState'],
    isRemovable: true,
  },
  appStoreReviewDetails: {
    attributes: {
      contactFirstName: optional,
      contactLastName: optional,
      contactPhone: { type: ['string', 'null'], pattern: '^\\+[\\d\\s()-]{5,30}$' },
      contactEmail: email,
      notes: limited(4000),
    },
    related: { appStoreVersion: { type: 'appStoreVersions' } },
    create: {
      attributes: ['contactFirstName', 'contactLastName', 'contactPhone', 'contactEmail', 'notes'],
      required: [],
      related: { appStoreVersion: 'appStoreVersions' },
    },
    update: ['contactFirstName', 'contactLastName', 'contactPhone', 'contactEmail', 'notes'],
  },
  appScreenshotSets: {
    attributes: { screenshotDisplayType: { enum: ['APP_IPHONE_67', 'APP_IPAD_PRO_3GEN_129'] } },
    related: {
      appStoreVersionLocalization: { type: 'appStoreVersionLocalizations' },
      appScreenshots: { type: 'appScreenshots', many: true },
    },
    create: {
      attributes: ['screenshotDisplayType'],
      required: ['screenshotDisplayType'],
      related: { appStoreVersionLocalization: 'appStoreVersionLocalizations' },
    },
    isRemovable: true,
  },
  appScreenshots: {
    attributes: {
      fileName: text,
      fileSize: { type: 'integer', minimum: 1 },
      sourceFileChecksum: { type: ['string', 'null'], pattern: '^[0-9a-f]{32}$' },
      uploaded: flag,
      uploadOperations: operations,
      assetDeliveryState: delivery(['AWAITING_UPLOAD', 'UPLOAD_COMPLETE', 'COMPLETE', 'FAILED']),
    },
    related: { appScreenshotSet: { type: 'appScreenshotSets' } },
    create: {
      attributes: ['fileName', 'fileSize'],
      required: ['fileName', 'fileSize'],
      related: { appScreenshotSet: 'appScreenshotSets' },
    },
    update: ['uploaded', 'sourceFileChecksum'],
    isRemovable: true,
  },
  buildUploads: {
    attributes: {
      cfBundleShortVersionString: text,
      cfBundleVersion: text,
      platform: { const: 'IOS' },
      state: delivery(['AWAITING_UPLOAD', 'PROCESSING', 'FAILED', 'COMPLETE']),
    },
    related: { assetFile: { type: 'buildUploadFiles' } },
    create: {
      attributes: ['cfBundleShortVersionString', 'cfBundleVersion', 'platform'],
      required: ['cfBundleShortVersionString', 'cfBundleVersion', 'platform'],
      related: { app: 'apps' },
    },
  },
  buildUploadFiles: {
    attributes: {
      assetType: { const: 'ASSET' },
      fileName: text,
      fileSize: { type: 'integer', minimum: 1 },
      uti: { const: 'com.apple.ipa' },
      uploaded: flag,
      uploadOperations: operations,
      sourceFileChecksums: {
        type: 'object',
        properties: {
          file: {
            type: 'object',
            required: ['hash', 'algorithm'],
            properties: { hash: { type: 'string', pattern: '^[0-9a-f]{32}$' }, algorithm: { const: 'MD5' } },
          },
        },
      },
      assetDeliveryState: delivery(['AWAITING_UPLOAD', 'UPLOAD_COMPLETE', 'COMPLETE', 'FAILED']),
    },
    related: {},
    create: {
      attributes: ['assetType', 'fileName', 'fileSize', 'uti'],
      required: ['assetType', 'fileName', 'fileSize', 'uti'],
      related: { buildUpload: 'buildUploads' },
    },
    update: ['uploaded', 'sourceFileChecksums'],
  },
  builds: {
    attributes: {
      version: text,
      uploadedDate: time,
      expired: { type: 'boolean' },
      minOsVersion: optional,
      processingState: { enum: ['PROCESSING', 'FAILED', 'INVALID', 'VALID'] },
    },
    related: {
      app: { type: 'apps' },
      preReleaseVersion: { type: 'preReleaseVersions' },
      buildBetaDetail: { type: 'buildBetaDetails' },
      betaBuildLocalizations: { type: 'betaBuildLocalizations', many: true },
    },
  },
  preReleaseVersions: { attributes: { version: text, platform: { const: 'IOS' } }, related: {} },
  buildBetaDetails: { attributes: { internalBuildState: text, externalBuildState: text }, related: {} },
  betaBuildLocalizations: {
    attributes: { locale: text, whatsNew: limited(4000) },
    related: { build: { type: 'builds' } },
    create: { attributes: ['locale', 'whatsNew'], required: ['locale'], related: { build: 'builds' } },
    update: ['whatsNew'],
  },
  betaGroups: {
    attributes: {
      name: text,
      isInternalGroup: { type: 'boolean' },
      hasAccessToAllBuilds: flag,
      publicLinkEnabled: flag,
      publicLink: optional,
    },
    related: { app: { type: 'apps' } },
    create: {
      attributes: ['name', 'isInternalGroup', 'publicLinkEnabled'],
      required: ['name'],
      related: { app: 'apps' },
    },
    update: ['name', 'publicLinkEnabled'],
  },
  betaTesters: {
    attributes: { email, firstName: optional, lastName: optional },
    related: {},
    create: {
      attributes: ['email', 'firstName', 'lastName'],
      required: ['email'],
      related: { betaGroups: 'betaGroups[]' },
    },
  },
  betaAppReviewSubmissions: {
    attributes: { betaReviewState: text },
    related: {},
    create: { attributes: [], required: [], related: { build: 'builds' } },
  },
  reviewSubmissions: {
    attributes: { platform: { const: 'IOS' }, state: text, submitted: flag, submittedDate: optional },
    related: {},
    create: { attributes: ['platform'], required: ['platform'], related: { app: 'apps' } },
    update: ['submitted'],
  },
  reviewSubmissionItems: {
    attributes: { state: text },
    related: { appStoreVersion: { type: 'appStoreVersions' } },
    create: {
      attributes: [],
      required: [],
      related: { reviewSubmission: 'reviewSubmissions', appStoreVersion: 'appStoreVersions' },
    },
    isRemovable: true,
  },
};
