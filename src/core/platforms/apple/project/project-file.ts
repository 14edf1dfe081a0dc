import { createHash } from 'node:crypto';

/**
 * The vendor's project file (`project.pbxproj`): a property list in its oldest form, of objects that name each other by
 * identifiers of 24 hexadecimal digits. They are made from what they name, so that the same project has the same file.
 */

type Value = string | number | readonly Value[] | { readonly [key: string]: Value };

export interface SourceGroup {
  readonly name: string;
  /** Folder below that of the group around it. */
  readonly path: string;
  /** Files in it, as `[name, kind]`. */
  readonly files: readonly (readonly [name: string, kind: FileKind])[];
  readonly groups?: readonly SourceGroup[];
}

/** `lastKnownFileType`, and what becomes of such a file in the app. */
const KINDS = {
  header: ['sourcecode.c.h', undefined],
  source: ['sourcecode.c.objc', 'sources'],
  plist: ['text.plist.xml', undefined],
  entitlements: ['text.plist.entitlements', undefined],
  privacy: ['text.xml', 'resources'],
  storyboard: ['file.storyboard', 'resources'],
  catalog: ['folder.assetcatalog', 'resources'],
  folder: ['folder', 'resources'],
  document: ['net.daringfireball.markdown', undefined],
} as const;

export type FileKind = keyof typeof KINDS;

export interface ProjectDescription {
  /** Of the target and the app: letters, digits and blanks. */
  readonly name: string;
  readonly groups: readonly SourceGroup[];
  /** Languages that the app's names are in. */
  readonly languages: readonly string[];
  readonly developmentLanguage: string;
  /** Folder of `<language>.lproj/InfoPlist.strings`. */
  readonly stringsFolder: string;
  readonly team: string | undefined;
  readonly projectSettings: Readonly<Record<string, Value>>;
  readonly targetSettings: Readonly<Record<string, Value>>;
}

const idOf = (what: string) => createHash('sha256').update(what).digest('hex').slice(0, 24).toUpperCase();

/** Words that need no quotation marks. */
const PLAIN = /^[A-Za-z0-9_./]+$/;

function quoted(text: string): string {
  if (PLAIN.test(text)) return text;
  const escaped = text.replaceAll('\\', '\\\\').replaceAll('"', '\\"').replaceAll('\n', '\\n');
  return `"${escaped}"`;
}

function write(value: Value, indent: string): string {
  if (typeof value === 'string' || typeof value === 'number') return quoted(String(value));
  const inner = `${indent}\t`;
  if (Array.isArray(value)) {
    return value.length === 0
      ? '()'
      : `(\n${value.map((one) => `${inner}${write(one, inner)},\n`).join('')}${indent})`;
  }
  const rows = Object.entries(value as Readonly<Record<string, Value>>);
  return `{\n${rows.map(([key, own]) => `${inner}${quoted(key)} = ${write(own, inner)};\n`).join('')}${indent}}`;
}

/** Objects by their identifiers. */
class Objects {
  readonly all = new Map<string, { readonly [key: string]: Value }>();

  /** @param what it is, unlike anything else in the project */
  add(what: string, object: { readonly isa: string; readonly [key: string]: Value }): string {
    const id = idOf(what);
    this.all.set(id, object);
    return id;
  }
}

interface Built {
  readonly sources: string[];
  readonly resources: string[];
}

function addGroup(objects: Objects, group: SourceGroup, above: string, built: Built): string {
  const here = `${above}${group.path}/`;
  const files = group.files.map(([name, kind]) => {
    const [type, phase] = KINDS[kind];
    const file = objects.add(`file ${here}${name}`, {
      isa: 'PBXFileReference',
      lastKnownFileType: type,
      path: name,
      sourceTree: '<group>',
    });
    if (phase !== undefined) {
      built[phase].push(objects.add(`built ${here}${name}`, { isa: 'PBXBuildFile', fileRef: file }));
    }
    return file;
  });
  const groups = (group.groups ?? []).map((one) => addGroup(objects, one, here, built));
  return objects.add(`group ${here}`, {
    isa: 'PBXGroup',
    children: [...groups, ...files],
    path: group.path,
    sourceTree: '<group>',
  });
}

function addStrings(
  objects: Objects,
  { languages, stringsFolder }: ProjectDescription,
  built: Built,
): string[] {
  if (languages.length === 0) return [];
  const children = languages.map((language) =>
    objects.add(`strings ${language}`, {
      isa: 'PBXFileReference',
      lastKnownFileType: 'text.plist.strings',
      name: language,
      path: `${stringsFolder}/${language}.lproj/InfoPlist.strings`,
      sourceTree: '<group>',
    }),
  );
  const group = objects.add('strings', {
    isa: 'PBXVariantGroup',
    children,
    name: 'InfoPlist.strings',
    sourceTree: '<group>',
  });
  built.resources.push(objects.add('built strings', { isa: 'PBXBuildFile', fileRef: group }));
  return [group];
}

function addConfigurations(
  objects: Objects,
  whose: string,
  settings: Readonly<Record<'Debug' | 'Release', Readonly<Record<string, Value>>>>,
): string {
  const list = (['Debug', 'Release'] as const).map((name) =>
    objects.add(`${whose} ${name}`, { isa: 'XCBuildConfiguration', buildSettings: settings[name], name }),
  );
  return objects.add(`${whose} configurations`, {
    isa: 'XCConfigurationList',
    buildConfigurations: list,
    defaultConfigurationIsVisible: 0,
    defaultConfigurationName: 'Release',
  });
}

/** Identifier of the app's target, which its scheme names. */
export const TARGET_ID = idOf('target');

/** The project file's text. */
export function projectFileText(description: ProjectDescription): string {
  const { name, projectSettings, targetSettings, team } = description;
  const objects = new Objects();
  const built: Built = { sources: [], resources: [] };
  const groups = description.groups.map((group) => addGroup(objects, group, '', built));
  const strings = addStrings(objects, description, built);
  const product = objects.add('product', {
    isa: 'PBXFileReference',
    explicitFileType: 'wrapper.application',
    includeInIndex: 0,
    path: `${name}.app`,
    sourceTree: 'BUILT_PRODUCTS_DIR',
  });
  const products = objects.add('products', {
    isa: 'PBXGroup',
    children: [product],
    name: 'Products',
    sourceTree: '<group>',
  });
  const main = objects.add('main group', {
    isa: 'PBXGroup',
    children: [...groups, ...strings, products],
    sourceTree: '<group>',
  });
  const phase = (isa: string, files: readonly string[]) =>
    objects.add(isa, { isa, buildActionMask: 2147483647, files, runOnlyForDeploymentPostprocessing: 0 });
  const target = objects.add('target', {
    isa: 'PBXNativeTarget',
    buildConfigurationList: addConfigurations(objects, 'target', {
      Debug: targetSettings,
      Release: targetSettings,
    }),
    buildPhases: [
      phase('PBXSourcesBuildPhase', built.sources),
      phase('PBXFrameworksBuildPhase', []),
      phase('PBXResourcesBuildPhase', built.resources),
    ],
    buildRules: [],
    dependencies: [],
    name,
    productName: name,
    productReference: product,
    productType: 'com.apple.product-type.application',
  });
  const debug = { DEBUG_INFORMATION_FORMAT: 'dwarf', GCC_OPTIMIZATION_LEVEL: 0, ONLY_ACTIVE_ARCH: 'YES' };
  const release = { DEBUG_INFORMATION_FORMAT: 'dwarf-with-dsym', VALIDATE_PRODUCT: 'YES' };
  const project = objects.add('project', {
    isa: 'PBXProject',
    attributes: {
      BuildIndependentTargetsInParallel: 1,
      TargetAttributes: {
        [target]: {
          ...(team === undefined ? {} : { DevelopmentTeam: team }),
          ProvisioningStyle: 'Automatic',
        },
      },
    },
    buildConfigurationList: addConfigurations(objects, 'project', {
      Debug: { ...projectSettings, ...debug },
      Release: { ...projectSettings, ...release },
    }),
    compatibilityVersion: 'Xcode 14.0',
    developmentRegion: description.developmentLanguage,
    hasScannedForEncodings: 0,
    knownRegions: [...new Set([description.developmentLanguage, ...description.languages, 'Base'])],
    mainGroup: main,
    productRefGroup: products,
    projectDirPath: '',
    projectRoot: '',
    targets: [target],
  });
  const sorted = Object.fromEntries(
    [...objects.all].sort(([oneId, one], [otherId, other]) => {
      const [first, second] = [`${String(one.isa)} ${oneId}`, `${String(other.isa)} ${otherId}`];
      return first < second ? -1 : 1;
    }),
  );
  const whole = { archiveVersion: 1, classes: {}, objectVersion: 56, objects: sorted, rootObject: project };
  return `// !$*UTF8*$!\n${write(whole, '')}\n`;
}
