import { existsSync } from 'node:fs';
import { join, resolve } from 'node:path';
import {
  formatFix,
  formatLocation,
  HullError,
  type PackOptions,
  packFleet,
  packProject,
  readProject,
} from '../core/index.js';
import { CONFIG_FILE } from '../core/project/config.js';

/** What ends a build: packages of the project, or of its brands. */
export interface HullPluginOptions
  extends Partial<Pick<PackOptions, 'key' | 'out' | 'password' | 'record' | 'originCheck'>> {
  /** Folder of `hull.json`; by default the root of the build. */
  readonly project?: string | undefined;
  /** What is made; by default an `apk`. */
  readonly kinds?: readonly ('apk' | 'aab')[] | undefined;
  /** Packs the brands of `fleet.json`: all, or those that are named. */
  readonly brands?: 'all' | readonly string[] | undefined;
}

/** The part of a bundler’s configuration that is read. */
export interface BuildConfiguration {
  readonly root: string;
  readonly build: { readonly outDir: string; readonly watch?: unknown; readonly ssr?: unknown };
  readonly logger: { info(message: string): void; warn(message: string): void };
}

/** A plugin for Vite, from version 5 on, by the names of its hooks; nothing of Vite itself is loaded. */
export interface HullPlugin {
  readonly name: string;
  readonly apply: 'build';
  readonly enforce: 'post';
  configResolved(config: BuildConfiguration): void;
  buildEnd(error?: Error): void;
  readonly closeBundle: {
    readonly order: 'post';
    readonly sequential: true;
    handler(this: { readonly environment?: { readonly name: string } | undefined }): Promise<void>;
  };
}

/** From the environment, as on the command line; nobody is asked while a build runs. */
function passwordFromEnvironment(): string {
  const { HULL_KEY_PASSWORD: password } = process.env;
  if (password) return password;
  throw new HullError('keys.password-missing', 'The keystore’s password is needed.', {
    fix: 'Set HULL_KEY_PASSWORD, or give the plugin a function: hull({ password: () => … }).',
  });
}

/** The error as a build shows it: what, where, how to fix it. */
function shown(error: unknown): unknown {
  if (!(error instanceof HullError)) return error;
  const { code, message, location, fix } = error;
  const lines = [
    `${code}: ${message}`,
    ...(location === undefined ? [] : [`  at ${formatLocation(location)}`]),
    ...(fix === undefined ? [] : [`  fix: ${formatFix(fix)}`]),
  ];
  return new Error(lines.join('\n'), { cause: error });
}

/** Refuses to pack another folder than the one that was just built: an old build would go out unseen. */
function checkFolder(project: string, built: string): void {
  const { settings, resolve: pathOf, location } = readProject(project);
  const { folder } = settings.web;
  if (folder === undefined || pathOf(folder) === built) return;
  throw new HullError(
    'config.bad-value',
    `The build is in ${built}, and the app is packed from ${pathOf(folder)}.`,
    {
      location: location('/web/folder'),
      fix: 'Name the folder of the build in web.folder, or set build.outDir to this one.',
    },
  );
}

/**
 * Ends `vite build` with a signed package. Nothing is packed while files are watched, nor of a build for servers.
 *
 * @example
 * // vite.config.js
 * import { hull } from 'jolly-hull/vite';
 * export default { plugins: [hull({ kinds: ['apk', 'aab'] })] };
 */
export function hull(options: HullPluginOptions = {}): HullPlugin {
  const { kinds = ['apk'], brands, password = passwordFromEnvironment, ...rest } = options;
  let config: BuildConfiguration | undefined;
  let hasFailed = false;

  const pack = async ({ root, build, logger }: BuildConfiguration): Promise<void> => {
    const project = resolve(root, options.project ?? '.');
    if (!existsSync(join(project, CONFIG_FILE))) {
      throw new HullError('config.missing', `There is no ${CONFIG_FILE} in ${project}.`, {
        location: { file: join(project, CONFIG_FILE) },
        fix: 'Make one with hull begin, or name its folder: hull({ project: … }).',
      });
    }
    checkFolder(project, resolve(root, build.outDir));
    for (const kind of kinds) {
      if (brands !== undefined) {
        const only = brands === 'all' ? undefined : brands;
        const runs = await packFleet({ ...rest, project, kind, password, only });
        for (const run of runs) {
          if (run.is === 'done') logger.info(`${run.name}: ${run.result.file}`);
          if (run.is === 'failed') throw run.error;
        }
        continue;
      }
      const { file, findings } = await packProject({ ...rest, project, kind, password });
      logger.info(file);
      for (const { observed, impact } of findings) logger.warn(`${observed} ${impact}`);
    }
  };

  return {
    name: 'jolly-hull',
    apply: 'build',
    enforce: 'post',
    configResolved(resolved) {
      config = resolved;
    },
    buildEnd(error) {
      hasFailed = error !== undefined;
    },
    closeBundle: {
      order: 'post',
      sequential: true,
      async handler() {
        const isClient = this.environment === undefined || this.environment.name === 'client';
        if (config === undefined || hasFailed || !isClient || config.build.watch || config.build.ssr) return;
        try {
          await pack(config);
        } catch (error) {
          throw shown(error);
        }
      },
    },
  };
}
