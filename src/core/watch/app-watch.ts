import { setTimeout as wait } from 'node:timers/promises';
import { type InspectedPage, listInspectedPages } from '../browser/inspection.js';
import { HullError } from '../errors.js';
import {
  type AttachedDevice,
  type BridgeAddress,
  chooseDevice,
  listDevices,
} from '../platforms/android/bridge/bridge.js';
import {
  findInspectionSockets,
  type InspectionSocket,
  openTunnel,
  type Tunnel,
} from '../platforms/android/bridge/inspection.js';
import { processesOf } from '../platforms/android/bridge/install.js';
import { debug } from '../util/debug.js';
import { parseUrl } from '../util/url-path.js';
import type { WatchEvent, WatchFact } from './events.js';
import { PageWatch } from './page-watch.js';
import type { ProjectText } from './source-maps.js';

export interface WatchRequest {
  readonly address: BridgeAddress;
  /** A device's serial number, where several are attached. */
  readonly serial: string | undefined;
  /** App IDs under which it may be installed: for release, and to be looked into. */
  readonly ids: readonly string[];
  /** Origin of the pages that a browser shows in the app's name; without one, they are those of the app's own view. */
  readonly inBrowser: string | undefined;
  readonly projectText: ProjectText;
  readonly signal: AbortSignal;
  readonly onEvent: (event: WatchEvent) => void;
}

/** ms between looks at the device, and at the list of pages. */
const LOOK = 700;
/** Looks that a running app has to open its socket in. */
const PATIENCE = 6;
const WATCHED = new Set(['page', 'service_worker']);

/** Follows the pages of one app over its restarts, until it is stopped. */
export class AppWatch {
  readonly #request: WatchRequest;
  readonly #pages = new Map<string, PageWatch>();
  /** What has been said of the app last: each state once. */
  #state: string | undefined;

  constructor(request: WatchRequest) {
    this.#request = request;
  }

  /** Pages that answer, in the order in which they were found. */
  get pages(): readonly PageWatch[] {
    return [...this.#pages.values()].filter(({ isOpen }) => isOpen);
  }

  #tell(event: WatchFact): void {
    this.#request.onEvent({ ...event, at: new Date() });
  }

  #say(state: Extract<WatchFact, { is: 'app' }>['state'], process?: number): void {
    const said = `${state} ${process ?? ''}`;
    if (this.#state === said) return;
    this.#state = said;
    this.#tell({ is: 'app', state, ...(process === undefined ? {} : { process }) });
  }

  async #pause(): Promise<void> {
    await wait(LOOK, undefined, { signal: this.#request.signal }).catch(() => undefined);
  }

  /**
   * Watches until the signal. A device that goes away later is waited for.
   *
   * @throws HullError `device.*` where there is none to begin with
   */
  async run(onDevice: (device: AttachedDevice) => void): Promise<void> {
    const { address, serial, signal } = this.#request;
    const device = chooseDevice(await listDevices(address), serial);
    onDevice(device);
    while (!signal.aborted) {
      try {
        await this.#follow(device.serial);
      } catch (error) {
        if (!(error instanceof HullError)) throw error;
        debug('watching: %s', error.message);
        this.#say('device-gone');
        await this.#pause();
      }
    }
    await this.#leave();
  }

  /** Waits for the app, and watches it until its process ends. */
  async #follow(serial: string): Promise<void> {
    const { address, signal } = this.#request;
    const socket = await this.#socketOf(serial);
    if (socket === undefined) return;
    const tunnel = await openTunnel(address, serial, socket.name);
    try {
      while (!signal.aborted && (await this.#lookAtPages(tunnel, socket))) await this.#pause();
    } finally {
      // What has come is passed on before the connections are cut.
      if (signal.aborted) await this.#leave();
      await tunnel.close();
    }
    if (signal.aborted) return;
    this.#say('ended', socket.process);
    await this.#leave();
  }

  /** The socket of the running app; `undefined` where watching ends before there is one. */
  async #socketOf(serial: string): Promise<InspectionSocket | undefined> {
    const { address, ids, inBrowser, signal } = this.#request;
    for (let looks = 0; !signal.aborted; looks += 1) {
      if (inBrowser !== undefined) {
        const socket = (await findInspectionSockets(address, serial)).find(
          ({ process }) => process === undefined,
        );
        if (socket !== undefined) return socket;
        this.#say('waiting');
      } else {
        const processes = (await Promise.all(ids.map((id) => processesOf(address, serial, id)))).flat();
        const sockets = processes.length === 0 ? [] : await findInspectionSockets(address, serial);
        const socket = sockets.find(({ process }) => process !== undefined && processes.includes(process));
        if (socket !== undefined) return socket;
        if (processes.length === 0) {
          looks = 0;
          if (this.#state === undefined || this.#state === 'device-gone ') this.#say('waiting');
        } else if (looks >= PATIENCE) this.#say('no-socket', processes[0]);
      }
      await this.#pause();
    }
    return undefined;
  }

  #isOwn({ type, url }: InspectedPage): boolean {
    const { inBrowser } = this.#request;
    return WATCHED.has(type) && (inBrowser === undefined || parseUrl(url)?.origin === inBrowser);
  }

  /** Finds pages that are new. @returns false where the socket is gone */
  async #lookAtPages({ port }: Tunnel, { process }: InspectionSocket): Promise<boolean> {
    let found: InspectedPage[];
    try {
      found = (await listInspectedPages(port)).filter((page) => this.#isOwn(page));
    } catch (error) {
      debug('the list of pages: %s', error);
      return false;
    }
    this.#say('attached', process);
    for (const [id, page] of this.#pages) if (!page.isOpen) this.#pages.delete(id);
    for (const page of found) {
      if (this.#pages.has(page.id)) continue;
      const watch = new PageWatch(page, {
        port,
        projectText: this.#request.projectText,
        onEvent: (event) => this.#tell(event),
      });
      this.#pages.set(page.id, watch);
      // A page that has gone since is found no more next time.
      await watch.open().catch((error: unknown) => debug('%s: %s', page.url, error));
    }
    return true;
  }

  async #leave(): Promise<void> {
    await Promise.all([...this.#pages.values()].map((page) => page.close()));
    this.#pages.clear();
  }
}
