import { ResourceLookup } from '../../../formats/arsc/lookup.js';
import { readResourceTable } from '../../../formats/arsc/reader.js';
import { ANY_DENSITY } from '../../../formats/arsc/types.js';
import { readBinaryXml } from '../../../formats/axml/reader.js';
import type { XmlElement } from '../../../formats/axml/types.js';
import type { FileSource } from '../../../formats/bytes/source.js';
import { readEntry } from '../../../formats/zip/reader.js';
import type { ZipEntry, ZipLayout } from '../../../formats/zip/types.js';
import { type FilterPart, type LinkFilter, partText } from '../../../links/intent-filter.js';
import { GROUPS_SINCE } from '../../../links/levels.js';
import { withPackage } from '../../../packaging/read-package.js';
import { STORED_ALIGNMENT } from '../app/attributes.js';
import { permissionMeaning } from '../app/permissions.js';
import { SETTINGS_PATH } from '../app/shell-settings.js';
import { verifyBundle, verifySignatures } from '../signing/verify.js';
import { LIBRARY_ALIGNMENT } from './alignment.js';
import { type ContentFile, downloads, duplicates, limitFaults } from './contents.js';
import type {
  ComponentFacts,
  NetworkFacts,
  PackageFace,
  PackageFacts,
  PackageIdentity,
  PermissionFacts,
  SizeShare,
} from './facts.js';
import { apiLevels } from './levels.js';
import { readLinkFilter } from './link-filters.js';
import {
  attributeFlag,
  attributeNumber,
  attributeText,
  attributeValue,
  childrenNamed,
} from './manifest-facts.js';
import {
  BUNDLE_CONFIG,
  bundleModules,
  MANIFEST_PATH,
  missingPart,
  type PackageKind,
  packageKind,
  TABLE_PATH,
} from './package-kind.js';
import { signatureFacts } from './signature-facts.js';

/** A resource file or manifest larger than this is not read. */
const XML_LIMIT = 16 * 1024 * 1024;
const TABLE_LIMIT = 128 * 1024 * 1024;
const LARGEST = 8;
const MAX_LINKS = 500;

class Inspector {
  readonly #kind: PackageKind;
  readonly #files: readonly ContentFile[];
  readonly #source: FileSource;
  readonly #layout: ZipLayout;
  readonly #byPath: ReadonlyMap<string, ZipEntry>;
  readonly #manifest: XmlElement;
  readonly #lookup: ResourceLookup;

  private constructor(
    kind: PackageKind,
    source: FileSource,
    layout: ZipLayout,
    manifest: XmlElement,
    lookup: ResourceLookup,
  ) {
    this.#kind = kind;
    this.#source = source;
    this.#layout = layout;
    this.#files = filesOf(layout, kind);
    this.#byPath = new Map(this.#files.map(({ path, entry }) => [path, entry]));
    this.#manifest = manifest;
    this.#lookup = lookup;
  }

  static async read(source: FileSource, layout: ZipLayout): Promise<Inspector> {
    const kind = packageKind(layout);
    const read = async (path: string, limit: number) => {
      const entry = layout.entries.find((one) => one.path === path);
      return entry && readEntry(source, entry, limit);
    };
    const [manifest, table] = await Promise.all([
      read(MANIFEST_PATH[kind], XML_LIMIT),
      read(TABLE_PATH[kind], TABLE_LIMIT),
    ]);
    if (manifest === undefined) throw missingPart(MANIFEST_PATH[kind]);
    const none = { packages: [] };
    if (kind === 'apk') {
      const lookup = new ResourceLookup(table ? readResourceTable(table) : none);
      return new Inspector(kind, source, layout, readBinaryXml(manifest), lookup);
    }
    const [{ readProtoXml }, { readProtoTable }] = await Promise.all([
      import('../../../formats/aab/xml.js'),
      import('../../../formats/aab/table.js'),
    ]);
    const lookup = new ResourceLookup(table ? readProtoTable(table).table : none);
    return new Inspector(kind, source, layout, readProtoXml(manifest), lookup);
  }

  #text(element: XmlElement | undefined, name: string): string | undefined {
    return element && attributeText(element, name, this.#lookup);
  }

  /** System permission → the reason that the shell shows. */
  async #reasons(): Promise<Map<string, string>> {
    const reasons = new Map<string, string>();
    const entry = this.#byPath.get(SETTINGS_PATH);
    if (!entry) return reasons;
    try {
      const bytes = await readEntry(this.#source, entry, XML_LIMIT);
      const declared: unknown = JSON.parse(Buffer.from(bytes).toString('utf8')).permissions ?? {};
      for (const one of Object.values(declared as object)) {
        const { reason, system } = one as { reason?: unknown; system?: unknown };
        if (typeof reason !== 'string' || !Array.isArray(system)) continue;
        for (const { name } of system as { name?: unknown }[])
          if (typeof name === 'string') reasons.set(name, reason);
      }
    } catch {
      // Not settings of ours, or damaged ones: then there are no reasons to show.
    }
    return reasons;
  }

  #permissions(reasons: ReadonlyMap<string, string>): PermissionFacts[] {
    return ['uses-permission', 'uses-permission-sdk-23'].flatMap((tag) =>
      childrenNamed(this.#manifest, tag).flatMap((element) => {
        const name = this.#text(element, 'name');
        if (name === undefined) return [];
        const maxSdk = attributeNumber(element, 'maxSdkVersion', this.#lookup);
        const known = permissionMeaning(name);
        return [
          {
            name,
            ...(maxSdk === undefined ? {} : { maxSdk }),
            meaning: known?.meaning,
            granted: known?.granted,
            ...(reasons.has(name) ? { reason: reasons.get(name) as string } : {}),
          },
        ];
      }),
    );
  }

  #links(element: XmlElement): ComponentFacts['links'] {
    const filter = readLinkFilter(element, this.#lookup);
    const shown = (parts: readonly FilterPart[]) => parts.map(partText).join('');
    const paths = filter.paths.filter(({ since }) => since === undefined);
    const groups = filter.groups
      .map(({ allow, parts }) => ({ allow, text: shown(parts) }))
      .filter(({ allow, text }) => !allow || !paths.some((part) => partText(part) === text));
    const grouped = new Set(filter.groups.map(({ parts }) => shown(parts)));
    const links: ComponentFacts['links'][number][] = [];
    for (const scheme of filter.schemes) {
      for (const host of filter.hosts.length > 0 ? filter.hosts.map((one) => one.host) : ['*']) {
        const add = (text: string, more: { excluded?: true; since?: number; before?: number }) => {
          // A filter's lists multiply; a hostile one could ask for millions.
          if (links.length >= MAX_LINKS) return;
          links.push({ pattern: `${scheme}://${host}${text}`, declared: filter.autoVerify, ...more });
        };
        if (paths.length === 0 && groups.length === 0) add('', {});
        for (const part of paths) {
          const text = partText(part);
          add(text, part.before === undefined || grouped.has(text) ? {} : { before: part.before });
        }
        for (const { allow, text } of groups) {
          add(text, { ...(allow ? {} : { excluded: true }), since: GROUPS_SINCE });
        }
      }
    }
    return links;
  }

  #linkFilters(application: XmlElement | undefined): LinkFilter[] {
    return ['activity', 'activity-alias']
      .flatMap((kind) => childrenNamed(application, kind))
      .flatMap((element) => childrenNamed(element, 'intent-filter'))
      .map((filter) => readLinkFilter(filter, this.#lookup))
      .filter(({ schemes }) => schemes.includes('https') || schemes.includes('http'));
  }

  #components(application: XmlElement | undefined): ComponentFacts[] {
    const kinds = ['activity', 'activity-alias', 'service', 'receiver', 'provider'] as const;
    return kinds.flatMap((kind) =>
      childrenNamed(application, kind).map((element) => {
        const filters = childrenNamed(element, 'intent-filter');
        const names = (tag: string) =>
          filters.flatMap((filter) =>
            childrenNamed(filter, tag).flatMap((item) => this.#text(item, 'name') ?? []),
          );
        const actions = names('action');
        return {
          kind,
          name: this.#text(element, 'name') ?? '?',
          exported: attributeFlag(element, 'exported', filters.length > 0, this.#lookup),
          launcher:
            actions.includes('android.intent.action.MAIN') &&
            names('category').includes('android.intent.category.LAUNCHER'),
          links: filters.flatMap((filter) => this.#links(filter)),
          actions: [...new Set(actions)],
        };
      }),
    );
  }

  /** A resource file's XML by the ID that the manifest gives. */
  async #xmlResource(
    application: XmlElement | undefined,
    attribute: string,
  ): Promise<XmlElement | undefined> {
    const path = this.#text(application, attribute);
    const entry = path === undefined ? undefined : this.#byPath.get(path);
    if (entry === undefined) return undefined;
    const bytes = await readEntry(this.#source, entry, XML_LIMIT);
    return this.#kind === 'apk'
      ? readBinaryXml(bytes)
      : (await import('../../../formats/aab/xml.js')).readProtoXml(bytes);
  }

  async #bundle(): Promise<Pick<PackageFacts, 'bundle'>> {
    if (this.#kind === 'apk') return {};
    const { readBundleSettings } = await import('../../../formats/aab/config.js');
    const entry = this.#layout.entries.find(({ path }) => path === BUNDLE_CONFIG);
    const settings = entry && readBundleSettings(await readEntry(this.#source, entry, XML_LIMIT));
    const modules = bundleModules(this.#layout).map((name) => {
      const own = this.#layout.entries.filter((item) => item.path.startsWith(`${name}/`));
      return { name, files: own.length, packed: own.reduce((sum, item) => sum + item.compressedSize, 0) };
    });
    return {
      bundle: { modules, splits: settings?.splits ?? [], uncompressed: settings?.uncompressed ?? [] },
    };
  }

  async #network(application: XmlElement | undefined, targetSdk: number): Promise<NetworkFacts> {
    // Without a configuration plain http is refused from target 28 on, unless the manifest allows it.
    const usual =
      application === undefined
        ? targetSdk < 28
        : attributeFlag(application, 'usesCleartextTraffic', targetSdk < 28, this.#lookup);
    const config = await this.#xmlResource(application, 'networkSecurityConfig');
    if (config === undefined) return { cleartext: usual, exceptions: [] };
    const allows = (element: XmlElement | undefined, fallback: boolean) =>
      element === undefined
        ? fallback
        : attributeFlag(element, 'cleartextTrafficPermitted', fallback, this.#lookup);
    const cleartext = allows(childrenNamed(config, 'base-config')[0], targetSdk < 28);
    const exceptions = childrenNamed(config, 'domain-config').flatMap((rule) =>
      childrenNamed(rule, 'domain').map((domain) => ({
        host: domain.text?.trim() ?? '?',
        subdomains: attributeFlag(domain, 'includeSubdomains', false, this.#lookup),
        cleartext: allows(rule, cleartext),
        ...(rule.comment === undefined ? {} : { reason: rule.comment }),
      })),
    );
    return { cleartext, exceptions };
  }

  #belongsTo(application: XmlElement | undefined): string[] {
    const named = childrenNamed(application, 'meta-data').find(
      (element) => this.#text(element, 'name') === 'asset_statements',
    );
    const text = this.#text(named, 'resource') ?? this.#text(named, 'value');
    try {
      const list: unknown = JSON.parse(text ?? '[]');
      return (Array.isArray(list) ? list : []).flatMap((one: { target?: { site?: unknown } } | null) =>
        typeof one?.target?.site === 'string' ? one.target.site : [],
      );
    } catch {
      return []; // a text that says nothing, or points elsewhere
    }
  }

  #icons(application: XmlElement | undefined): PackageFacts['icons'] {
    const value = application && attributeValue(application, 'icon');
    if (value?.type !== 'reference') return [];
    return this.#lookup.values(value.id).flatMap(({ config, value: found }) => {
      if (found.type !== 'string') return [];
      const density =
        config.density === ANY_DENSITY
          ? 'any'
          : config.density === undefined
            ? 'default'
            : `${config.density} dpi`;
      return [{ path: found.text, density, size: this.#byPath.get(found.text)?.size ?? 0 }];
    });
  }

  #sizes(blockSize: number): SizeShare[] {
    const shares = new Map<SizeShare['part'], { packed: number; unpacked: number; files: number }>();
    for (const { path, entry } of this.#files) {
      const part = partOf(path);
      const share = shares.get(part) ?? { packed: 0, unpacked: 0, files: 0 };
      share.packed += entry.compressedSize;
      share.unpacked += entry.size;
      share.files += 1;
      shares.set(part, share);
    }
    if (blockSize > 0) {
      const share = shares.get('signature') ?? { packed: 0, unpacked: 0, files: 0 };
      shares.set('signature', {
        ...share,
        packed: share.packed + blockSize,
        unpacked: share.unpacked + blockSize,
      });
    }
    const accounted = [...shares.values()].reduce((sum, share) => sum + share.packed, 0);
    const structure = this.#source.size - accounted;
    return [
      ...[...shares].map(([part, share]) => ({ part, ...share })).sort((a, b) => b.packed - a.packed),
      { part: 'structure' as const, packed: structure, unpacked: structure, files: 0 },
    ];
  }

  #alignment(): PackageFacts['alignment'] {
    const table = this.#byPath.get('resources.arsc');
    if (this.#kind === 'aab') return { resourceTable: 'none', misaligned: [] };
    const misaligned = this.#layout.entries
      .filter((entry) => entry.method === 'store')
      .filter(
        (entry) =>
          entry.dataOffset % (entry.path.endsWith('.so') ? LIBRARY_ALIGNMENT : STORED_ALIGNMENT) !== 0,
      )
      .map((entry) => entry.path);
    const resourceTable =
      table === undefined
        ? 'none'
        : table.method === 'deflate'
          ? 'compressed'
          : misaligned.includes(table.path)
            ? 'misaligned'
            : 'aligned';
    return { resourceTable, misaligned };
  }

  identity(file: string): PackageIdentity {
    const application = childrenNamed(this.#manifest, 'application')[0];
    return {
      kind: this.#kind,
      file,
      size: this.#source.size,
      id: this.#text(this.#manifest, 'package') ?? '?',
      version: this.#text(this.#manifest, 'versionName'),
      build: attributeNumber(this.#manifest, 'versionCode', this.#lookup),
      debuggable: application !== undefined && attributeFlag(application, 'debuggable', false, this.#lookup),
    };
  }

  /** What home screens show. */
  async face(file: string): Promise<PackageFace> {
    const application = childrenNamed(this.#manifest, 'application')[0];
    const drawn = this.#icons(application).filter(({ path }) => /\.(?:png|webp)$/.test(path));
    const icon = drawn.sort((one, other) => other.size - one.size)[0];
    const entry = icon && this.#byPath.get(icon.path);
    const launcher = childrenNamed(application, 'activity').find((element) =>
      childrenNamed(element, 'intent-filter').some((filter) =>
        childrenNamed(filter, 'category').some(
          (one) => this.#text(one, 'name') === 'android.intent.category.LAUNCHER',
        ),
      ),
    );
    const name = this.#text(application, 'label');
    return {
      ...this.identity(file),
      name,
      label: this.#text(launcher, 'label') ?? name,
      icon: entry && (await readEntry(this.#source, entry, XML_LIMIT)),
      shortcuts: await this.#shortcuts(launcher),
    };
  }

  /** Static shortcuts (ShortcutManager, `android.app.shortcuts`). */
  async #shortcuts(launcher: XmlElement | undefined): Promise<PackageFace['shortcuts']> {
    const named = childrenNamed(launcher, 'meta-data').find(
      (element) => this.#text(element, 'name') === 'android.app.shortcuts',
    );
    const file = await this.#xmlResource(named, 'resource');
    return childrenNamed(file, 'shortcut').flatMap((shortcut) => {
      const name = this.#text(shortcut, 'shortcutShortLabel');
      const url = this.#text(childrenNamed(shortcut, 'intent').at(-1), 'data');
      return name === undefined || url === undefined ? [] : [{ name, url }];
    });
  }

  async facts(file: string): Promise<PackageFacts> {
    const application = childrenNamed(this.#manifest, 'application')[0];
    const usesSdk = childrenNamed(this.#manifest, 'uses-sdk')[0];
    const level = (name: string) => (usesSdk ? attributeNumber(usesSdk, name, this.#lookup) : undefined);
    const levels = this.#kind === 'apk' ? apiLevels(this.#manifest) : undefined;
    const min = level('minSdkVersion') ?? levels?.min ?? 1;
    const target = level('targetSdkVersion') ?? levels?.target ?? min;
    const max = level('maxSdkVersion');
    const components = this.#components(application);
    const launcher = components.find((component) => component.launcher);
    const launcherElement = [
      ...childrenNamed(application, 'activity'),
      ...childrenNamed(application, 'activity-alias'),
    ].find((element) => this.#text(element, 'name') === launcher?.name);
    const label = this.#text(application, 'label');
    const report = levels
      ? await verifySignatures(this.#source, this.#layout, levels)
      : await verifyBundle(this.#source, this.#layout);
    const delivered = this.#files.filter(({ path }) => isDelivered(path, this.#kind));
    const list = downloads(delivered);
    const resources = this.#lookup.files();
    const bySize = [...this.#layout.entries].sort((a, b) => b.compressedSize - a.compressedSize);
    return {
      ...this.identity(file),
      label,
      launcherLabel: this.#text(launcherElement, 'label') ?? label,
      sdk: { min, target, ...(max === undefined ? {} : { max }) },
      permissions: this.#permissions(await this.#reasons()),
      features: childrenNamed(this.#manifest, 'uses-feature').flatMap((element) => {
        const name = this.#text(element, 'name');
        return name === undefined
          ? []
          : [{ name, required: attributeFlag(element, 'required', true, this.#lookup) }];
      }),
      components,
      linkFilters: this.#linkFilters(application),
      belongsTo: this.#belongsTo(application),
      network: await this.#network(application, target),
      icons: this.#icons(application),
      sizes: this.#sizes(report.blockSize),
      entries: {
        count: this.#layout.entries.length,
        largest: bySize
          .slice(0, LARGEST)
          .map((entry) => ({ path: entry.path, size: entry.size, packed: entry.compressedSize })),
      },
      alignment: this.#alignment(),
      duplicates: duplicates(this.#files),
      downloads: this.#kind === 'aab' ? list : [{ device: 'every device', bytes: this.#source.size }],
      limits: limitFaults(this.#kind, this.#source.size, list),
      ...(await this.#bundle()),
      files: this.#files.map(({ path, entry }) => {
        const resource = resources.get(path);
        const { size, compressedSize: packed, crc32 } = entry;
        return { path, ...(resource === undefined ? {} : { resource }), size, packed, crc32 };
      }),
      signature: signatureFacts(report),
    };
  }
}

/** Which app a package is, and how home screens show it: nothing of its contents is read. */
export async function packageFace(file: string, source: FileSource, layout: ZipLayout): Promise<PackageFace> {
  return (await Inspector.read(source, layout)).face(file);
}

/** The files of a package; those of a bundle's base module under the paths that they have on a device. */
function filesOf(layout: ZipLayout, kind: PackageKind): ContentFile[] {
  return layout.entries.map((entry) => {
    const path = kind === 'aab' ? entry.path.replace(/^base\/(?:(?:dex|root|manifest)\/)?/, '') : entry.path;
    return { path, entry };
  });
}

/** Whether a device gets a file at all: not what only the store reads. */
function isDelivered(path: string, kind: PackageKind): boolean {
  return kind === 'apk' || !/^(META-INF|BUNDLE-METADATA)\/|^BundleConfig\.pb$/.test(path);
}

function partOf(path: string): SizeShare['part'] {
  if (path === MANIFEST_PATH.apk) return 'manifest';
  if (/^classes\d*\.dex$/.test(path)) return 'code';
  if (path.startsWith('lib/')) return 'libraries';
  if (path.startsWith('res/') || path === 'resources.arsc' || path === 'resources.pb') return 'resources';
  if (path.startsWith('assets/')) return 'assets';
  if (/^META-INF\/([^/]+\.(RSA|DSA|EC|SF)|MANIFEST\.MF)$/.test(path)) return 'signature';
  return 'other';
}

/**
 * Reads any APK or bundle: its own manifest and resources, its structure and its signatures. Nothing in it is trusted.
 *
 * @throws HullError `file.missing`, `zip.*`, `package.unknown`, `axml.malformed`, `resources.malformed`,
 *   `string-pool.malformed`, `signing.malformed`, each with the file and, where there is one, the offset
 */
export async function inspectPackage(file: string): Promise<PackageFacts> {
  return withPackage(file, (source, layout) => packageFacts(file, source, layout));
}

/** As {@link inspectPackage}, of a package that is open. */
export async function packageFacts(
  file: string,
  source: FileSource,
  layout: ZipLayout,
): Promise<PackageFacts> {
  return (await Inspector.read(source, layout)).facts(file);
}

/**
 * Which app a package is, from its manifest alone: nothing else of it is read.
 *
 * @throws HullError as {@link inspectPackage}
 */
export function packageIdentity(file: string): Promise<PackageIdentity> {
  return withPackage(file, async (source, layout) => (await Inspector.read(source, layout)).identity(file));
}
