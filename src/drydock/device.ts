import { createWriteStream, mkdirSync, readFileSync } from 'node:fs';
import { rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { BrowserOptions } from '../core/browser/launch.js';
import { HullError, systemErrorCode } from '../core/errors.js';
import { ByteStream } from '../core/net/byte-stream.js';
import { freePort } from '../core/net/free-port.js';
import { isAppId, isClassName } from '../core/platforms/android/bridge/names.js';
import type { PackageFacts } from '../core/platforms/android/inspect/facts.js';
import { inspectPackage } from '../core/platforms/android/inspect/inspect.js';
import type { DeviceSettings } from '../core/try/app-session.js';
import type { TryEvent } from '../core/try/events.js';
import { openPackedApp } from '../core/try/packed-app.js';
import { TrySession } from '../core/try/session.js';
import { replaceFile } from '../core/util/files.js';
import { type DeviceServer, serveDevice } from './device-server.js';
import { DeviceScreen, homeApps } from './try/screen.js';

/** A device that is not one: it speaks the debug bridge's protocol, and checks packages as a device would. */
export interface StandInOptions {
  readonly port: number;
  /** Folder that keeps what is installed. */
  readonly dir: string;
  readonly serial: string;
  /** API level. */
  readonly sdk: number;
  /** As the bridge lists it. */
  readonly state: 'device' | 'unauthorized' | 'offline';
  /** What its apps run in; without one they are started, and nothing is shown. */
  readonly browser?: BrowserOptions | undefined;
  readonly onEvent?: (text: string) => void;
  /** What its screen shows has changed. */
  readonly onScreen?: (event: TryEvent) => void;
}

/** What is installed, by app ID. */
interface Installed {
  readonly id: string;
  readonly label: string;
  readonly version: string;
  readonly build: number;
  readonly certificates: readonly string[];
  readonly launcher: string;
  readonly file: string;
  /** Whether its pages may be inspected. */
  readonly debuggable: boolean;
}

type InstalledPackages = Map<string, Installed>;

/** Version of the bridge's host protocol that is spoken. */
const PROTOCOL = 41;
const MODEL = 'Stand_in';
/** The number by which newer clients know the chosen device: 64 bits, little-endian. */
const TRANSPORT_ID = Buffer.from([1, 0, 0, 0, 0, 0, 0, 0]);
const MAX_REQUEST = 4096;
const MAX_PACKAGE = 4 * 1024 * 1024 * 1024 - 1;

const okay = Buffer.from('OKAY');
const block = (text: string) => {
  const bytes = Buffer.from(text, 'utf8');
  return Buffer.concat([Buffer.from(bytes.length.toString(16).padStart(4, '0')), bytes]);
};
const fail = (message: string) => Buffer.concat([Buffer.from('FAIL'), block(message)]);

function failure(code: string, details: string): string {
  return `Failure [${code}: ${details}]\n`;
}

function certificatesOf(facts: PackageFacts): string[] {
  return facts.signature.schemes
    .filter(({ state }) => state === 'verified')
    .flatMap(({ signers }) => signers.flatMap(({ certificate }) => certificate?.sha256 ?? []));
}

/** A name out of a package, as it may go into a line of an answer. */
const shown = (text: string) => text.replaceAll(/[^\w.$ -]/g, '·').slice(0, 80);

/** What a device says of a package, by what it has installed; `undefined` where it takes it. */
export function judgePackage(
  facts: PackageFacts,
  sdk: number,
  before: Installed | undefined,
): string | undefined {
  const certificates = certificatesOf(facts);
  if (!facts.signature.verifies || certificates.length === 0) {
    return failure(
      'INSTALL_PARSE_FAILED_NO_CERTIFICATES',
      'Failed to collect certificates: the signature does not verify',
    );
  }
  if (!isAppId(facts.id)) {
    return failure('INSTALL_PARSE_FAILED_BAD_PACKAGE_NAME', `Invalid manifest package: ${shown(facts.id)}`);
  }
  const launcher = facts.components.find((one) => one.launcher)?.name;
  if (launcher !== undefined && !isClassName(launcher)) {
    return failure('INSTALL_PARSE_FAILED_MANIFEST_MALFORMED', `Bad class name ${shown(launcher)}`);
  }
  if (facts.sdk.min > sdk) {
    return failure(
      'INSTALL_FAILED_OLDER_SDK',
      `Requires newer sdk version #${facts.sdk.min} (current version is #${sdk})`,
    );
  }
  if (facts.alignment.resourceTable === 'compressed' && facts.sdk.target >= 30) {
    return failure(
      'INSTALL_PARSE_FAILED_RESOURCES_ARSC_COMPRESSED',
      'resources.arsc must be stored and aligned from target 30 on',
    );
  }
  if (!before) return undefined;
  if (!before.certificates.some((one) => certificates.includes(one))) {
    return failure(
      'INSTALL_FAILED_UPDATE_INCOMPATIBLE',
      `Existing package ${before.id} signatures do not match newer version`,
    );
  }
  if ((facts.build ?? 0) < before.build) {
    return failure(
      'INSTALL_FAILED_VERSION_DOWNGRADE',
      `Downgrade detected: Update version code ${facts.build} is older than current ${before.build}`,
    );
  }
  return undefined;
}

/** What a device keeps between runs, checked as if somebody had written it. Throws where it is something else. */
function installedApps(kept: unknown): Installed[] {
  if (typeof kept !== 'object' || kept === null) throw new Error('not an object');
  return Object.values(kept).map((app: Partial<Installed> | null) => {
    const texts = [app?.label, app?.version, app?.launcher];
    const isWhole =
      typeof app?.id === 'string' &&
      isAppId(app.id) &&
      texts.every((text) => typeof text === 'string') &&
      typeof app.build === 'number' &&
      Array.isArray(app.certificates);
    if (!isWhole) throw new Error('an app is incomplete');
    return { ...(app as Installed), file: `${app.id}.apk`, debuggable: app.debuggable === true };
  });
}

/** Passes on what either side says until one of them ends. */
async function joinStreams(one: ByteStream, other: ByteStream): Promise<void> {
  for (const stream of [one, other]) stream.patience = undefined;
  const pass = async (from: ByteStream, to: ByteStream) => {
    for (let piece = await from.some(); piece; piece = await from.some()) await to.write(piece);
  };
  try {
    await Promise.race([pass(one, other), pass(other, one)]);
  } finally {
    one.close();
    other.close();
  }
}

const SOCKET = 'webview_devtools_remote_';

class StandInDevice {
  readonly #options: StandInOptions;
  readonly #shelf: InstalledPackages;
  /** Processes of apps that run. */
  readonly #running = new Map<string, number>();
  /** Connections to the sockets of processes: they end with them. */
  readonly #inspected = new Map<number, Set<ByteStream>>();
  /** Ports at which the pages of apps are inspected, where their packages allow it. */
  readonly #ports = new Map<string, number>();
  readonly screen: DeviceScreen;
  #nextProcess = 4100;

  constructor(options: StandInOptions) {
    this.#options = options;
    this.#shelf = this.#read();
    this.screen = new DeviceScreen(
      'android',
      (id, settings) => this.#launch(id, settings),
      (event) => options.onScreen?.(event),
      (id) => this.#processOf(id),
    );
  }

  /** Reads the faces of what is installed, for the home screen. */
  async showApps(): Promise<void> {
    if (this.#options.browser === undefined) return;
    const installed = [...this.#shelf.values()];
    this.screen.show(
      await homeApps(installed.map(({ id, label, file }) => ({ id, name: label, file: this.#file(file) }))),
    );
  }

  /** The process of an app; a new one where it did not run. */
  #processOf(id: string): number {
    const known = this.#running.get(id);
    if (known !== undefined) return known;
    const process = this.#nextProcess++;
    this.#running.set(id, process);
    return process;
  }

  /** Runs an app in a browser of its own, as a process that can be inspected where its package allows it. */
  async #launch(id: string, settings: DeviceSettings): Promise<TrySession> {
    const { browser, onEvent } = this.#options;
    const installed = this.#shelf.get(id);
    if (installed === undefined || browser === undefined) throw new Error(`${id} cannot be shown here.`);
    const app = await openPackedApp(this.#file(installed.file));
    const port = installed.debuggable ? await freePort() : undefined;
    const session = await TrySession.start(app, {
      browser,
      settings,
      inspectAt: port,
      onEvent: (event) => {
        this.screen.hear(id, event);
        if (event.is === 'ended') void this.#crash(id);
      },
    });
    if (port !== undefined) this.#ports.set(id, port);
    onEvent?.(`shows ${id}`);
    return session;
  }

  /** Ends the process of an app; what its pages have stored stays. */
  async #end(id: string): Promise<void> {
    this.#stop(id);
    await this.screen.end(id);
  }

  /** A process is no more, and those who inspect it learn that. */
  #stop(id: string): void {
    const process = this.#running.get(id);
    this.#running.delete(id);
    if (process === undefined) return;
    for (const stream of this.#inspected.get(process) ?? []) stream.close();
    this.#inspected.delete(process);
  }

  /** The browser of an app is gone, and what it stored with it. */
  async #crash(id: string): Promise<void> {
    this.#stop(id);
    this.#ports.delete(id);
    await this.screen.forget(id);
  }

  /** The port that belongs to a socket's name; `undefined` where nothing may be inspected there. */
  #portOf(socket: string): number | undefined {
    const [id] = [...this.#running].find(([, process]) => socket === `${SOCKET}${process}`) ?? [];
    return id !== undefined && this.#shelf.get(id)?.debuggable ? this.#ports.get(id) : undefined;
  }

  async close(): Promise<void> {
    await this.screen.close();
  }

  #file(name: string): string {
    return join(this.#options.dir, name);
  }

  #read(): InstalledPackages {
    try {
      const kept: unknown = JSON.parse(readFileSync(this.#file('installed.json'), 'utf8'));
      return new Map(installedApps(kept).map((app) => [app.id, app]));
    } catch (error) {
      if (systemErrorCode(error) === 'ENOENT') return new Map();
      throw new HullError('device.damaged', 'What the stand-in device has installed cannot be read.', {
        location: { file: this.#file('installed.json') },
        fix: 'Remove this file to begin with an empty device.',
        cause: error,
      });
    }
  }

  #listing(long: boolean): string {
    const { serial, state } = this.#options;
    return long
      ? `${serial.padEnd(22)} ${state} product:stand_in model:${MODEL} device:stand_in transport_id:1\n`
      : `${serial}\t${state}\n`;
  }

  /** One connection: services of the host until a device is chosen, then one of the device. */
  async serve(stream: ByteStream): Promise<void> {
    let onDevice = false;
    for (;;) {
      const digits = await stream.read(4);
      if (!digits) return;
      const length = Number.parseInt(digits.toString('latin1'), 16);
      if (!/^[0-9a-f]{4}$/i.test(digits.toString('latin1')) || length > MAX_REQUEST) {
        await stream.write(fail('malformed request'));
        return;
      }
      const name = (await stream.read(length))?.toString('utf8');
      if (name === undefined) return;
      if (onDevice) {
        await this.#onDevice(stream, name);
        return;
      }
      const answer = this.#onHost(name);
      await stream.write(answer.bytes);
      if (!answer.transport) return;
      onDevice = true;
    }
  }

  #onHost(name: string): { bytes: Buffer; transport?: boolean } {
    const { serial, state } = this.#options;
    if (name === 'host:version')
      return { bytes: Buffer.concat([okay, block(PROTOCOL.toString(16).padStart(4, '0'))]) };
    if (name === 'host:devices') return { bytes: Buffer.concat([okay, block(this.#listing(false))]) };
    if (name === 'host:devices-l') return { bytes: Buffer.concat([okay, block(this.#listing(true))]) };
    if (name === 'host:features' || name.endsWith(':features'))
      return { bytes: Buffer.concat([okay, block('cmd')]) };
    const isById = name === 'host:tport:any' || name === `host:tport:serial:${serial}`;
    if (isById || name === 'host:transport-any' || name === `host:transport:${serial}`) {
      if (state === 'unauthorized') return { bytes: fail('device unauthorized.') };
      if (state === 'offline') return { bytes: fail('device offline') };
      return { bytes: isById ? Buffer.concat([okay, TRANSPORT_ID]) : okay, transport: true };
    }
    if (name.startsWith('host:transport:')) return { bytes: fail(`device '${name.slice(15)}' not found`) };
    return { bytes: fail('unknown host service') };
  }

  async #onDevice(stream: ByteStream, name: string): Promise<void> {
    const inspected = /^localabstract:(.*)$/s.exec(name)?.[1];
    if (inspected !== undefined) {
      await this.#inspect(stream, inspected);
      return;
    }
    const match = /^(?:shell|exec):(.*)$/s.exec(name);
    if (!match) {
      await stream.write(fail('closed'));
      return;
    }
    await stream.write(okay);
    const command = match[1] ?? '';
    const install = /^cmd package '?install'?\b.*\s-S\s+(\d+)\b/.exec(command);
    if (install) await stream.write(await this.#install(stream, Number(install[1])));
    else if (/^logcat\b/.test(command)) await this.#log(stream, command);
    else await stream.write(this.#answer(command));
    stream.finish();
  }

  /** Connects to the socket at which an app's pages are inspected. */
  async #inspect(stream: ByteStream, socket: string): Promise<void> {
    const port = this.#portOf(socket);
    if (port === undefined) {
      await stream.write(fail('closed'));
      return;
    }
    const far = await ByteStream.open({ host: '127.0.0.1', port });
    await stream.write(okay);
    const process = Number(socket.slice(SOCKET.length));
    const streams = this.#inspected.get(process) ?? new Set();
    this.#inspected.set(process, streams.add(stream));
    await joinStreams(stream, far).finally(() => streams.delete(stream));
  }

  #answer(command: string): string {
    if (command === 'cat /proc/net/unix') return this.#sockets();
    const ended = /^am force-stop ([\w.]+)$/.exec(command)?.[1];
    if (ended !== undefined) {
      void this.#end(ended);
      return '';
    }

    const property = /^getprop (\S+)$/.exec(command)?.[1];
    if (property !== undefined) {
      const known: Readonly<Record<string, string>> = {
        'ro.build.version.sdk': String(this.#options.sdk),
        'ro.product.model': MODEL.replace('_', ' '),
      };
      return `${known[property] ?? ''}\n`;
    }
    const component = /^am start -n '?([\w.]+)\/([\w.$]+)'?$/.exec(command);
    if (component) return this.#start(component[1] ?? '', component[2] ?? '');
    const process = /^pidof ([\w.]+)$/.exec(command)?.[1];
    if (process !== undefined) return this.#running.has(process) ? `${this.#running.get(process)}\n` : '';
    if (/^pm list packages\b/.test(command))
      return [...this.#shelf.keys()].map((id) => `package:${id}\n`).join('');
    return `/system/bin/sh: ${command.split(' ')[0]}: not found\n`;
  }

  #start(id: string, activity: string): string {
    const app = this.#shelf.get(id);
    if (!app || app.launcher !== activity)
      return `Starting: Intent { cmp=${id}/${activity} }\nError type 3\nError: Activity class {${id}/${activity}} does not exist.\n`;
    this.#processOf(id);
    if (this.#options.browser !== undefined) {
      this.screen.open(id).catch((error: unknown) => {
        this.#running.delete(id);
        this.#options.onEvent?.(
          `cannot show ${id}: ${error instanceof Error ? error.message : String(error)}`,
        );
      });
    }
    this.#options.onEvent?.(`started ${id}`);
    return `Starting: Intent { cmp=${id}/${activity} }\n`;
  }

  /** Sockets of the system's own, as its kernel lists them (proc_net, "unix"). */
  #sockets(): string {
    const rows = [...this.#running.values()]
      .filter((process) => this.#portOf(`${SOCKET}${process}`) !== undefined)
      .map(
        (process) =>
          `0000000000000000: 00000002 00000000 00010000 0001 01 ${20_000 + process} @${SOCKET}${process}\n`,
      );
    return `Num       RefCount Protocol Flags    Type St Inode Path\n0000000000000000: 00000002 00000000 00010000 0001 01 12021 /dev/socket/zygote\n${rows.join('')}`;
  }

  async #log(stream: ByteStream, command: string): Promise<void> {
    const process = /--pid=(\d+)/.exec(command)?.[1];
    const [id] = [...this.#running].find(([, number]) => String(number) === process) ?? [];
    await stream.write(`I/ActivityTaskManager( 1200): START u0 {cmp=${id ?? 'nothing'}}\n`);
    if (id !== undefined)
      await stream.write(
        `I/hull    ( ${process}): this is a stand-in device: ${this.#options.browser ? 'hull watch tells what pages say' : 'no page is shown'}\n`,
      );
    // Follows until the other side leaves, as a device's log does.
    stream.patience = undefined;
    await stream.rest(1);
  }

  async #install(stream: ByteStream, size: number): Promise<string> {
    if (size <= 0 || size > MAX_PACKAGE) return failure('INSTALL_FAILED_INVALID_APK', `size ${size}`);
    const temporary = this.#file(`.arriving-${process.hrtime.bigint()}.apk`);
    const out = createWriteStream(temporary);
    try {
      for (let left = size; left > 0; ) {
        const piece = await stream.some(left);
        if (!piece) return failure('INSTALL_FAILED_ABORTED', 'the session ended early');
        left -= piece.length;
        if (!out.write(piece)) await new Promise<void>((resolve) => out.once('drain', resolve));
      }
      await new Promise<void>((resolve, reject) => {
        out.once('error', reject);
        out.end(resolve);
      });
      return await this.#take(temporary);
    } finally {
      out.destroy();
      await rm(temporary, { force: true });
    }
  }

  async #take(temporary: string): Promise<string> {
    let facts: PackageFacts;
    try {
      facts = await inspectPackage(temporary);
    } catch (error) {
      const why = error instanceof HullError ? error.message : String(error);
      return failure('INSTALL_PARSE_FAILED_NOT_APK', why);
    }
    const refusal = judgePackage(facts, this.#options.sdk, this.#shelf.get(facts.id));
    if (refusal !== undefined) {
      this.#options.onEvent?.(`refused ${facts.id}: ${/\[(\w+)/.exec(refusal)?.[1]}`);
      return refusal;
    }
    const file = `${facts.id}.apk`;
    await rename(temporary, this.#file(file));
    this.#shelf.set(facts.id, {
      id: facts.id,
      label: facts.launcherLabel ?? facts.id,
      version: facts.version ?? '',
      build: facts.build ?? 0,
      certificates: certificatesOf(facts),
      launcher: facts.components.find((one) => one.launcher)?.name ?? '',
      file,
      debuggable: facts.debuggable,
    });
    this.#stop(facts.id);
    await replaceFile(
      this.#file('installed.json'),
      new TextEncoder().encode(`${JSON.stringify(Object.fromEntries(this.#shelf), undefined, 2)}\n`),
    );
    if (this.screen.has(facts.id)) await this.screen.replace(facts.id, await openPackedApp(this.#file(file)));
    await this.showApps();
    this.#options.onEvent?.(`installed ${facts.id} ${facts.version ?? ''} (${facts.build ?? 0})`);
    return 'Success\n';
  }
}

/** Starts a stand-in device on loopback. Throws `device.port-taken`, `device.damaged`, `disk.*`. */
export async function startStandIn(
  options: StandInOptions,
): Promise<DeviceServer & { readonly screen: DeviceScreen }> {
  mkdirSync(options.dir, { recursive: true });
  const device = new StandInDevice(options);
  await device.showApps();
  const server = await serveDevice(
    options.port,
    (stream) => device.serve(stream),
    'Stop it (the platform’s own bridge: adb kill-server), or choose another port here and with hull install --bridge.',
  );
  return {
    port: server.port,
    screen: device.screen,
    close: async () => {
      await server.close();
      await device.close();
    },
  };
}
