import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { type App, resolveApp } from '../app/app.js';
import { ART_CACHE } from '../art/icon-set.js';
import { findIconSource } from '../art/icon-source.js';
import { bundlePictures } from '../art/launcher-icon.js';
import { artInputs } from '../art/project-art.js';
import { type Finding, reaches } from '../finding.js';
import type { ApplePlatform } from '../platforms/apple/app/info-plist.js';
import { unexceptedHosts } from '../platforms/apple/app/info-plist.js';
import { type AppleOptions, readAppleOptions } from '../platforms/apple/app/options.js';
import { onApple } from '../platforms/apple/app/permission-table.js';
import { type IpaReport, type IpaSigning, packIpa } from '../platforms/apple/package/pack.js';
import type { Profile } from '../platforms/apple/signing/profile.js';
import { openProject, type Project, type ProjectSource } from '../project/project.js';
import type { ExcludedFile } from '../site/folder.js';
import { pointerStep } from '../util/json-locations.js';
import { packagedPath } from '../util/packaged.js';
import {
  type AppleSigning,
  type AppleSigningOptions,
  openAppleSigning,
  trustedRoot,
} from './apple-signing.js';
import { outFolder } from './out-folder.js';

export interface PackIpaOptions extends AppleSigningOptions {
  /** Folder of `hull.json`; by default the working folder. */
  readonly project?: ProjectSource | undefined;
  /** `simulator` packs for a developer's machine: signed by nobody, without a profile. */
  readonly platform?: ApplePlatform | undefined;
  /** Folder for the package; by default `out` of the project. */
  readonly out?: string | undefined;
  readonly signal?: AbortSignal | undefined;
  /** Called with files of the web folder. */
  readonly onProgress?: ((done: number, total: number) => void) | undefined;
}

/** A package, or why there is none. */
export type IpaResult = PackedIpa | RefusedIpa;

export interface PackedIpa extends IpaReport {
  readonly is: 'packed';
  readonly platform: ApplePlatform;
  readonly profile: Profile | undefined;
  readonly excluded: readonly ExcludedFile[];
  readonly findings: readonly Finding[];
  readonly app: App;
  readonly options: AppleOptions;
}

export interface RefusedIpa {
  readonly is: 'refused';
  /** With an error among them: devices would refuse the app. */
  readonly findings: readonly Finding[];
}

/** The shell's slices, which ship with this package. */
const SLICES: Readonly<Record<ApplePlatform, readonly string[]>> = {
  device: ['shell/apple/dist/device-arm64'],
  simulator: ['shell/apple/dist/simulator-arm64', 'shell/apple/dist/simulator-x86_64'],
};

/** What users of the package will not get as `hull.json` says. */
function appleFindings(project: Project, app: App, signing: AppleSigning | undefined): Finding[] {
  const found: Finding[] = [];
  const warn = (name: string, pointer: string, parts: Pick<Finding, 'observed' | 'impact' | 'fix'>) =>
    found.push({ code: `pack.${name}`, severity: 'warning', location: project.location(pointer), ...parts });
  if (signing?.isTest) {
    warn('test-authority', '/apple/root', {
      observed: 'The package is signed below a test authority.',
      impact: 'No device installs it; it shows that packing works.',
      fix: 'Remove apple.root, and use a certificate and a profile of the developer account.',
    });
  }
  if (signing?.profile.kind === 'store') {
    warn('store-profile', '/apple/profile', {
      observed: 'The profile is for the store, which takes only what Apple’s own SDK built.',
      impact: 'Devices do not install the package, and the store refuses it.',
      fix: 'For devices, use a development or ad hoc profile. For the store, archive the source project on a Mac.',
    });
  }
  if (app.share !== undefined) {
    warn('share-target', '/share_target', {
      observed:
        'Apps on Apple’s systems take what others share by an extension, which the shell has not got.',
      impact: 'The app is not offered where other apps share.',
      fix: 'Nothing needs to be done; on Android it works.',
    });
  }
  for (const host of unexceptedHosts(app)) {
    warn('insecure-address', '/web/insecure', {
      observed: `The system has no exception for plain http to ${host}: it makes them for names alone.`,
      impact: 'Nothing is loaded from there.',
      fix: 'Give the host a name; or use https.',
    });
  }
  for (const { name } of app.permissions) {
    if (onApple(name)?.asks !== 'never') continue;
    warn('not-in-web-view', `/permissions/${pointerStep(name)}`, {
      observed: `${name} is not supported on Apple’s systems.`,
      impact: 'Pages find that it is missing.',
      fix: 'Let pages offer another way there; the permission may stay for Android.',
    });
  }
  return found;
}

const NOBODY: IpaSigning = { signer: undefined, entitlements: undefined };

/** Identity, profile and app do not fit: nothing is packed. */
class Misfit extends Error {
  readonly findings: readonly Finding[];

  constructor(findings: readonly Finding[]) {
    super('identity, profile and app do not fit');
    this.findings = findings;
  }
}

/** What signs, where devices would take it. Throws {@link Misfit}. */
function signingOf({ identity, team, profile, entitlements, findings }: AppleSigning): IpaSigning {
  if (reaches(findings, 'error')) throw new Misfit(findings);
  // The time is the profile's: the same inputs give the same bytes.
  return { signer: { identity, team, time: profile.created ?? new Date() }, entitlements };
}

/**
 * Makes a signed app package for Apple's devices, or one for simulators, and reads it back before it counts. Identity and
 * profile are judged first; where they do not fit, nothing is made.
 *
 * @throws HullError `config.*`, `app.*`, `web.*`, `art.*`, `keys.*`, `apple.*`, `profile.malformed`, `ipa.readback`, `disk.*`
 */
export async function packForApple(request: PackIpaOptions): Promise<IpaResult> {
  const { platform = 'device' } = request;
  const project = openProject(request.project);
  const app = await resolveApp(project);
  const options = readAppleOptions(project);
  // The keystore is opened while the folder is read and compressed: that takes long on purpose.
  const opening = platform === 'device' ? openAppleSigning(project, app, options, request) : undefined;
  const signing = opening === undefined ? Promise.resolve(NOBODY) : opening.signing.then(signingOf);
  signing.catch(() => undefined);
  const pictures = await bundlePictures(
    artInputs(project, await findIconSource(project, app.folder)),
    join(project.dir, ART_CACHE),
  );
  const hasTablet = options.devices.includes('tablet');
  const made = packIpa({
    app,
    options,
    platform,
    slices: SLICES[platform].map((path) => readFileSync(packagedPath(path))),
    pictures: hasTablet ? pictures : new Map([...pictures].filter(([path]) => !path.includes('~ipad'))),
    signing,
    profile: opening?.profileBytes,
    root: trustedRoot(project).root,
    outDir: outFolder(project, request.out),
    signal: request.signal,
    onProgress: request.onProgress,
  });
  let report: IpaReport;
  try {
    report = await made;
  } catch (error) {
    if (error instanceof Misfit) return { is: 'refused', findings: error.findings };
    throw error;
  }
  const opened = await opening?.signing;
  return {
    is: 'packed',
    ...report,
    platform,
    profile: opened?.profile,
    excluded: app.folder?.leftOut ?? [],
    findings: [...(opened?.findings ?? []), ...appleFindings(project, app, opened)],
    app,
    options,
  };
}
