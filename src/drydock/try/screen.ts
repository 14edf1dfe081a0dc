import {
  type AppSession,
  type DeviceSettings,
  type TryState,
  USUAL_SETTINGS,
} from '../../core/try/app-session.js';
import type { TryEvent } from '../../core/try/events.js';
import { openPackedApp, type PackedApp } from '../../core/try/packed-app.js';
import { heldScreen, planScreen, type ScreenPlan } from '../../core/try/screen-plan.js';
import { assumedSettings } from '../../core/try/settings.js';

/** An app on the home screen. */
export interface HomeApp {
  readonly id: string;
  /** Below its icon. */
  readonly label: string;
  /** PNG or WebP. */
  readonly icon: Uint8Array | undefined;
}

/** What the page of a device shows: apps on a home screen, one of which may run. */
export interface Screen {
  readonly platform: PackedApp['platform'];
  readonly apps: readonly HomeApp[];
  /** The app that is in front, or was last; `undefined` before the first is started. */
  readonly session: AppSession | undefined;
  /** What the app can be updated to. */
  readonly next: PackedApp | undefined;
  readonly state: TryState;
  readonly plan: ScreenPlan;
  /** Starts an app, or brings it to the front. */
  open(id: string): Promise<void>;
  update(): Promise<void>;
  /** Sets the device up, whether an app runs or not. */
  set(settings: Partial<DeviceSettings>): Promise<void>;
}

/** The settings of a session that differ, one after the other: each has its own way to be changed. */
export async function applySettings(session: AppSession, settings: Partial<DeviceSettings>): Promise<void> {
  const { device, turn, scheme, network, textSize, language } = settings;
  const now = session.state();
  if (device !== undefined || turn !== undefined)
    await session.setScreen(device ?? now.device, turn ?? now.turn);
  if (scheme !== undefined) await session.setScheme(scheme);
  if (network !== undefined) await session.setNetwork(network);
  if (textSize !== undefined) await session.setTextSize(textSize);
  if (language !== undefined) await session.setLanguage(language);
}

/** A screen with one app, that of a session. */
export function screenOf(session: AppSession, next: PackedApp | undefined): Screen {
  let left = next;
  return {
    get platform() {
      return session.app.platform;
    },
    get apps() {
      const { id, label, icon } = session.app;
      return [{ id, label, icon }];
    },
    session,
    get next() {
      return left;
    },
    get state() {
      return session.state();
    },
    get plan() {
      return session.plan();
    },
    open: () => session.resume(),
    update: async () => {
      const to = left;
      left = undefined;
      if (to) await session.update(to);
    },
    set: (settings) => applySettings(session, settings),
  };
}

/** What a device's screen shows while no app runs. */
export function idleScreen(
  platform: PackedApp['platform'],
  settings: DeviceSettings,
): { state: TryState; plan: ScreenPlan } {
  const screen = heldScreen(platform, settings.device, settings.turn);
  return {
    state: { ...settings, shows: 'home', url: undefined, window: undefined, runs: false },
    plan: planScreen({ platform, settings: assumedSettings('') }, screen, settings.scheme),
  };
}

/** The faces of installed packages, for a home screen; one that cannot be read is there with its name alone. */
export function homeApps(
  installed: readonly { readonly id: string; readonly name: string; readonly file: string }[],
): Promise<HomeApp[]> {
  return Promise.all(
    installed.map(async ({ id, name, file }) => {
      try {
        const app = await openPackedApp(file);
        await app.close();
        return { id, label: app.label, icon: app.icon };
      } catch {
        return { id, label: name, icon: undefined };
      }
    }),
  );
}

/** The apps of a simulated device on its screen: each runs in a browser of its own, from its package. */
export class DeviceScreen implements Screen {
  readonly platform: PackedApp['platform'];
  readonly next = undefined;
  readonly #start: (id: string, settings: DeviceSettings) => Promise<AppSession>;
  readonly #tell: (event: TryEvent) => void;
  readonly #onOpen: (id: string) => void;
  readonly #sessions = new Map<string, AppSession>();
  #apps: readonly HomeApp[] = [];
  #front: string | undefined;
  #settings: DeviceSettings;

  constructor(
    platform: PackedApp['platform'],
    start: (id: string, settings: DeviceSettings) => Promise<AppSession>,
    tell: (event: TryEvent) => void,
    onOpen: (id: string) => void = () => undefined,
    settings: Partial<DeviceSettings> = {},
  ) {
    this.platform = platform;
    this.#start = start;
    this.#tell = tell;
    this.#onOpen = onOpen;
    this.#settings = { ...USUAL_SETTINGS, ...settings };
  }

  get apps(): readonly HomeApp[] {
    return this.#apps;
  }

  /** Another app has been installed, or removed. */
  show(apps: readonly HomeApp[]): void {
    this.#apps = apps;
    this.#tell({ is: 'app' });
  }

  get session(): AppSession | undefined {
    return this.#front === undefined ? undefined : this.#sessions.get(this.#front);
  }

  get state(): TryState {
    return this.session?.state() ?? idleScreen(this.platform, this.#settings).state;
  }

  get plan(): ScreenPlan {
    return this.session?.plan() ?? idleScreen(this.platform, this.#settings).plan;
  }

  /** Passes on what the app in front tells; the others go on unseen. */
  hear(id: string, event: TryEvent): void {
    if (id === this.#front) this.#tell(event);
  }

  async open(id: string): Promise<void> {
    this.#front = id;
    this.#onOpen(id);
    let session = this.#sessions.get(id);
    if (session === undefined) {
      session = await this.#start(id, this.#settings).catch((error: unknown) => {
        this.#front = undefined;
        throw error;
      });
      this.#sessions.set(id, session);
    } else await applySettings(session, this.#settings);
    this.#tell({ is: 'app' });
    await session.resume();
  }

  has(id: string): boolean {
    return this.#sessions.has(id);
  }

  /** Puts another version of an app in its place, as an update does. */
  async replace(id: string, app: PackedApp): Promise<void> {
    const session = this.#sessions.get(id);
    if (session) await session.update(app);
    else await app.close();
  }

  /** Ends the process of an app. */
  async end(id: string): Promise<void> {
    await this.#sessions.get(id)?.endProcess();
  }

  /** The browser of an app is gone. */
  async forget(id: string): Promise<void> {
    const session = this.#sessions.get(id);
    this.#sessions.delete(id);
    await session?.close().catch(() => undefined);
    if (this.#front !== id) return;
    this.#front = undefined;
    this.#tell({ is: 'app' });
    this.#tell({ is: 'state' });
  }

  async update(): Promise<void> {}

  async set(settings: Partial<DeviceSettings>): Promise<void> {
    this.#settings = { ...this.#settings, ...settings };
    const { session } = this;
    if (session) await applySettings(session, settings);
    else this.#tell({ is: 'state' });
  }

  async close(): Promise<void> {
    for (const session of this.#sessions.values()) await session.close();
    this.#sessions.clear();
  }
}
