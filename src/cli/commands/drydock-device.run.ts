import { join } from 'node:path';
import type { BrowserOptions } from '../../core/browser/launch.js';
import { HullError } from '../../core/errors.js';
import { BRIDGE_PORT } from '../../core/platforms/android/bridge/port.js';
import { defaultMuxAddress, MUX_PORT } from '../../core/platforms/apple/device/mux.js';
import { rootFor } from '../../core/tasks/inspect-file.js';
import type { TryEvent } from '../../core/try/events.js';
import { startAppleDevice } from '../../drydock/apple-device/device.js';
import { TEST_DEVICE } from '../../drydock/apple-device/options.js';
import { startStandIn } from '../../drydock/device.js';
import { serveTransport } from '../../drydock/device-transport.js';
import type { DeviceScreen } from '../../drydock/try/screen.js';
import { startTryServer, type TryServer } from '../../drydock/try/server.js';
import type { OptionsOf } from '../define-command.js';
import { browserEnvironment, installedBrowser, noteUnconfined } from '../options/browser.js';
import { numberBetween, portNumber } from '../options/numbers.js';
import { safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import type { declare } from './drydock-device.js';

type Options = OptionsOf<typeof declare>;

const FOR_APPLE = ['system', 'family', 'trust', 'developerMode', 'free', 'plain'] as const;
const FOR_ANDROID = ['sdk', 'state', 'transport'] as const;

/** An option for the other platform is a mistake, not one to pass over. */
function checkOptions(options: Options): void {
  const [wrong] = (options.apple ? FOR_ANDROID : FOR_APPLE).filter((name) => options[name] !== undefined);
  if (wrong === undefined) return;
  const option = `--${wrong.replaceAll(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`)}`;
  throw new HullError('cli.usage', `${option} is for ${options.apple ? 'Android' : 'Apple'} devices.`, {
    location: { option },
    fix: options.apple ? 'Leave it out.' : 'Add --apple, or leave it out.',
  });
}

function systemVersion(text: string): string {
  if (/^\d{1,3}(?:\.\d{1,3}){0,2}$/.test(text)) return text;
  throw new HullError('cli.usage', `"${text}" is not the version of a system.`, {
    location: { option: '--system' },
    fix: 'Write it as --system 26.1',
  });
}

function udid(text: string): string {
  if (/^[0-9A-Za-z-]{8,64}$/.test(text)) return text;
  throw new HullError('cli.usage', `"${text}" is not a UDID.`, {
    location: { option: '--serial' },
    fix: `Write it as --serial ${TEST_DEVICE}`,
  });
}

/** The browser that shows apps; without one they are installed and started, and nothing is seen. */
function browserFor(io: Io): string | undefined {
  try {
    const executable = installedBrowser(io, 'screen');
    noteUnconfined(io);
    return executable;
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    io.note(
      `${io.paint.warn('note')} ${error.message} Apps are installed and started, and nothing is shown.`,
    );
    return undefined;
  }
}

/** The screen of a device: what shows its apps, and the page that shows it. */
class ScreenPage {
  readonly #io: Io;
  readonly #port: string | undefined;
  readonly browser: BrowserOptions | undefined;
  #server: TryServer | undefined;

  constructor(io: Io, options: Options) {
    this.#io = io;
    this.#port = options.screenPort;
    const executable = options.screen ? browserFor(io) : undefined;
    this.browser =
      executable === undefined ? undefined : { executable, environment: browserEnvironment(io.env) };
  }

  readonly onScreen = (event: TryEvent): void => this.#server?.tell(event);

  /** Serves the page, where there is a browser that shows apps. */
  async open(screen: DeviceScreen): Promise<void> {
    if (this.browser === undefined) return;
    this.#server = await startTryServer(
      screen,
      'Simulated device',
      portNumber(this.#port, '--screen-port', 0),
    );
  }

  get address(): string | null {
    return this.#server?.address ?? null;
  }

  get said(): string {
    return this.address === null ? '' : `\nIts screen: ${this.#io.paint.bold(this.address)}`;
  }

  async close(): Promise<void> {
    await this.#server?.close();
  }
}

async function openAndroid(io: Io, options: Options) {
  const sdk = numberBetween(options.sdk, '--sdk', [21, 99], 36);
  const dir = options.dir ?? join('.hull', 'device');
  const serial = options.serial ?? 'stand-in';
  const screen = new ScreenPage(io, options);
  const device = await startStandIn({
    browser: screen.browser,
    onScreen: screen.onScreen,
    port: portNumber(options.port, '--port', BRIDGE_PORT),
    dir,
    serial,
    sdk,
    state: options.state ?? 'device',
    onEvent: (text) => io.note(safe(text)),
  });
  await screen.open(device.screen);
  const transport =
    options.transport === undefined
      ? undefined
      : await serveTransport({
          port: portNumber(options.transport, '--transport', 0),
          device: { port: device.port, serial },
        });
  const address = `127.0.0.1:${device.port}`;
  const connects =
    transport === undefined ? '' : `\nA bridge connects to it with adb connect 127.0.0.1:${transport.port}`;
  return {
    close: async () => {
      await transport?.close();
      await screen.close();
      await device.close();
    },
    facts: {
      platform: 'android' as const,
      address,
      sdk,
      dir: jsonPath(io, dir),
      screen: screen.address,
      transport: transport?.port ?? null,
    },
    said: `A simulated device with API level ${sdk} answers at ${io.paint.bold(address)}; it keeps apps in ${safe(dir)}.${screen.said}${connects}`,
    option: device.port === BRIDGE_PORT ? '' : ` --bridge ${address}`,
  };
}

async function openApple(io: Io, options: Options) {
  const dir = options.dir ?? join('.hull', 'apple-device');
  const system = systemVersion(options.system ?? '26.1');
  const serial = udid(options.serial ?? TEST_DEVICE);
  const family = options.family ?? 'phone';
  const screen = new ScreenPage(io, options);
  const device = await startAppleDevice({
    browser: screen.browser,
    onScreen: screen.onScreen,
    port: portNumber(options.port, '--port', MUX_PORT),
    dir,
    serial,
    system,
    family,
    trust: options.trust ?? 'at-once',
    developerMode: options.developerMode ?? 'on',
    connections: options.plain ? 'plain' : 'encrypted',
    free: numberBetween(options.free, '--free', [0, 1_000_000], 4000) * 1_000_000,
    root: rootFor(options.project),
    onEvent: (text) => io.note(safe(text)),
  });
  await screen.open(device.screen);
  const address = `127.0.0.1:${device.port}`;
  const at = defaultMuxAddress();
  const isFound = 'port' in at && at.port === device.port;
  return {
    close: async () => {
      await screen.close();
      await device.close();
    },
    facts: {
      platform: 'apple' as const,
      address,
      serial,
      system,
      dir: jsonPath(io, dir),
      screen: screen.address,
    },
    said: `A simulated ${family} with system ${system} and the UDID ${serial} answers at ${io.paint.bold(address)}; it keeps apps in ${safe(dir)}.${screen.said}`,
    option: isFound ? '' : ` --usbmuxd ${address}`,
  };
}

/** Runs until it is stopped. */
export async function run(io: Io, options: Options): Promise<void> {
  checkOptions(options);
  const { close, facts, said, option } = await (options.apple ? openApple : openAndroid)(io, options);
  if (io.json) emit(io, 'drydock device', facts);
  else io.out(said);
  io.note(`${io.paint.dim('next')} hull install${option}; Ctrl-C ends it`);
  await new Promise<void>((resolve) => {
    io.signal.addEventListener('abort', () => resolve(), { once: true });
  });
  await close();
}
