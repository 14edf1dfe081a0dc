import { readFileSync } from 'node:fs';
import { rename } from 'node:fs/promises';
import { join } from 'node:path';
import { HullError, systemErrorCode } from '../../core/errors.js';
import { withPackage } from '../../core/packaging/read-package.js';
import type { DeviceRefusal } from '../../core/platforms/apple/device/installation.js';
import type { DeviceSettings } from '../../core/try/app-session.js';
import { openPackedApp } from '../../core/try/packed-app.js';
import { TrySession } from '../../core/try/session.js';
import { replaceFile } from '../../core/util/files.js';
import { DeviceScreen, homeApps } from '../try/screen.js';
import { type AcceptedApp, judgeIpa } from './judge.js';
import type { SimulatedDeviceOptions } from './options.js';

const LIST = 'installed.json';

/** What a device keeps between runs, checked as if somebody had written it. Throws where it is something else. */
function readApps(kept: unknown): AcceptedApp[] {
  if (!Array.isArray(kept)) throw new Error('not a list');
  return kept.map((app: Partial<AcceptedApp> | null) => {
    const texts = [app?.id, app?.name, app?.version, app?.build, app?.team];
    if (!texts.every((text) => typeof text === 'string')) throw new Error('an app is incomplete');
    return app as AcceptedApp;
  });
}

/** The apps of a simulated device: packages in a folder, and a list of them. */
export class Shelf {
  readonly #device: SimulatedDeviceOptions;
  readonly #apps: Map<string, AcceptedApp>;
  readonly screen: DeviceScreen;

  /** Throws HullError `device.damaged`. */
  constructor(device: SimulatedDeviceOptions) {
    this.#device = device;
    this.#apps = new Map(this.#read().map((app) => [app.id, app]));
    this.screen = new DeviceScreen(
      'apple',
      (id, settings) => this.#launch(id, settings),
      (event) => device.onScreen?.(event),
      undefined,
      { device: device.family },
    );
  }

  #read(): AcceptedApp[] {
    const file = join(this.#device.dir, LIST);
    try {
      return readApps(JSON.parse(readFileSync(file, 'utf8')));
    } catch (error) {
      if (systemErrorCode(error) === 'ENOENT') return [];
      throw new HullError('device.damaged', 'What the simulated device has installed cannot be read.', {
        location: { file },
        fix: 'Remove this file to begin with an empty device.',
        cause: error,
      });
    }
  }

  #file(id: string): string {
    return join(this.#device.dir, `${id}.ipa`);
  }

  /** Reads the faces of what is installed, for the home screen. */
  async showApps(): Promise<void> {
    if (this.#device.browser === undefined) return;
    this.screen.show(await homeApps(this.apps.map(({ id, name }) => ({ id, name, file: this.#file(id) }))));
  }

  async #launch(id: string, settings: DeviceSettings): Promise<TrySession> {
    const { browser, developerMode, onEvent } = this.#device;
    const app = this.#apps.get(id);
    if (app === undefined || browser === undefined) throw new Error(`${id} cannot be shown here.`);
    if (app.needsDeveloperMode && developerMode === 'off')
      throw new Error(`${app.name} does not open: it is in development, and developer mode is off.`);
    const session = await TrySession.start(await openPackedApp(this.#file(id)), {
      browser,
      settings,
      onEvent: (event) => {
        this.screen.hear(id, event);
        if (event.is === 'ended') void this.screen.forget(id);
      },
    });
    onEvent?.(`shows ${id}`);
    return session;
  }

  get apps(): readonly AcceptedApp[] {
    return [...this.#apps.values()];
  }

  /** Takes a package that has arrived, or says why not. */
  async take(file: string): Promise<DeviceRefusal | undefined> {
    const { onEvent, dir, developerMode } = this.#device;
    let app: AcceptedApp;
    try {
      const verdict = await withPackage(file, (source, layout) =>
        judgeIpa(source, layout, this.#device, (id) => this.#apps.get(id)?.team),
      );
      if (verdict.is === 'refused') {
        onEvent?.(`refused a package: ${verdict.refusal.error}: ${verdict.refusal.description}`);
        return verdict.refusal;
      }
      app = verdict.app;
    } catch (error) {
      if (!(error instanceof HullError)) throw error;
      onEvent?.(`refused a package: ${error.message}`);
      return { error: 'PackageExtractionFailed', description: error.message };
    }
    await rename(file, this.#file(app.id));
    this.#apps.set(app.id, app);
    await replaceFile(
      join(dir, LIST),
      new TextEncoder().encode(`${JSON.stringify(this.apps, undefined, 2)}\n`),
    );
    if (this.screen.has(app.id)) await this.screen.replace(app.id, await openPackedApp(this.#file(app.id)));
    await this.showApps();
    const closed = app.needsDeveloperMode && developerMode === 'off';
    onEvent?.(
      `installed ${app.id} ${app.version} (${app.build})${closed ? '; it does not open before developer mode is on' : ''}`,
    );
    return undefined;
  }
}
