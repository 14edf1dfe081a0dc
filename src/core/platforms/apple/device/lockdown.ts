import { setTimeout as sleep } from 'node:timers/promises';
import { HullError } from '../../../errors.js';
import { type PlistDict, type PlistValue, stringIn } from '../../../formats/plist/types.js';
import { debug } from '../../../util/debug.js';
import { breach } from './faults.js';
import {
  type AppleDevice,
  connectToDevice,
  type MuxAddress,
  readPairRecord,
  readSystemId,
  savePairRecord,
} from './mux.js';
import { keptRecord, makePairing, openRecord, type Pairing, readPairing, renewPairing } from './pairing.js';
import { PlistMessages } from './plist-messages.js';
import { secured } from './secure.js';

/** What a device waits for somebody to do on its screen. */
export type Waiting = 'unlock' | 'trust';

export interface LockdownRequest {
  readonly address: MuxAddress;
  readonly device: AppleDevice;
  /** Called once for each thing that somebody has to do on the device. */
  readonly onWaiting?: ((what: Waiting) => void) | undefined;
  /** Milliseconds that somebody may take for it; two minutes where nothing is said. */
  readonly trustWithin?: number | undefined;
  readonly signal?: AbortSignal | undefined;
}

const LOCKDOWN_PORT = 62_078;
const TRUST_WITHIN = 120_000;
const ASK_EVERY = 1000;

/** A session with a device that this computer is paired with: it starts services. */
export class Lockdown {
  readonly #request: LockdownRequest;
  #messages: PlistMessages;
  #pairing: Pairing | undefined;

  private constructor(request: LockdownRequest, messages: PlistMessages) {
    this.#request = request;
    this.#messages = messages;
  }

  /**
   * Connects to a device, pairs where this computer and it never met, and starts a session.
   *
   * @throws HullError `device.unauthorized` where nobody trusts this computer on the device, `device.*`
   */
  static async open(request: LockdownRequest): Promise<Lockdown> {
    const stream = await connectToDevice(request.address, request.device, LOCKDOWN_PORT);
    const lockdown = new Lockdown(request, new PlistMessages(stream));
    try {
      await lockdown.#start();
      return lockdown;
    } catch (error) {
      lockdown.close();
      throw error;
    }
  }

  close(): void {
    this.#messages.stream.close();
  }

  async #ask(name: string, more: PlistDict = {}): Promise<PlistDict> {
    const answer = await this.#messages.ask(
      { Label: 'hull', ProtocolVersion: '2', Request: name, ...more },
      `${name} was asked`,
    );
    debug('device: %s %s: %s', name, more.Key ?? more.Service ?? '', answer.Error ?? 'well');
    return answer;
  }

  /** A value that a device tells; `undefined` where it has none, or does not tell. Throws `device.*`. */
  async value(key: string, domain?: string): Promise<PlistValue | undefined> {
    const answer = await this.#ask('GetValue', {
      ...(domain === undefined ? {} : { Domain: domain }),
      Key: key,
    });
    return answer.Error === undefined ? answer.Value : undefined;
  }

  async text(key: string): Promise<string | undefined> {
    const value = await this.value(key);
    return typeof value === 'string' ? value : undefined;
  }

  async #start(): Promise<void> {
    const { Type: type } = await this.#ask('QueryType');
    if (type !== 'com.apple.mobile.lockdown') throw breach('another service answers in its place');
    const kept = await readPairRecord(this.#request.address, this.#request.device.serial);
    const pairing = kept && readPairing(kept);
    if (pairing && (await this.#session(pairing)) === 'started') return;
    const fresh = await this.#pair(kept ?? {}, pairing);
    if ((await this.#session(fresh)) === 'started') return;
    throw breach('it does not know the pairing that was just made');
  }

  async #session(pairing: Pairing): Promise<'started' | 'unknown'> {
    const { hostId: HostID, systemId: SystemBUID } = pairing;
    const answer = await this.#ask('StartSession', { HostID, SystemBUID });
    const fault = stringIn(answer, 'Error');
    // It was erased, or somebody reset whom it trusts.
    if (fault === 'InvalidHostID' || fault === 'InvalidPairRecord') return 'unknown';
    if (fault !== undefined) throw refusedBy('a session', fault);
    this.#pairing = pairing;
    if (answer.EnableSessionSSL === true)
      this.#messages = new PlistMessages(await secured(this.#messages.stream, pairing));
    return 'started';
  }

  async #pair(kept: PlistDict, before: Pairing | undefined): Promise<Pairing> {
    const { address, device } = this.#request;
    const key = await this.value('DevicePublicKey');
    if (!(key instanceof Uint8Array)) throw breach('it has no public key');
    const pem = Buffer.from(key).toString('utf8');
    const made = await (before
      ? renewPairing(before, pem)
      : readSystemId(address).then((systemId) => makePairing(pem, systemId))
    ).catch((error: unknown) => {
      throw error instanceof HullError ? error : breach('its public key cannot be read');
    });
    const answer = await this.#trusted(made);
    const { EscrowBag: bag } = answer;
    const wifi = await this.text('WiFiAddress');
    // What another program keeps in the record stays there.
    await savePairRecord(address, device, {
      ...kept,
      ...keptRecord(made),
      ...(bag === undefined ? {} : { EscrowBag: bag }),
      ...(wifi === undefined ? {} : { WiFiMACAddress: wifi }),
    });
    return made;
  }

  /** Asks until somebody has answered on the device. */
  async #trusted(pairing: Pairing): Promise<PlistDict> {
    const { onWaiting, trustWithin = TRUST_WITHIN, signal } = this.#request;
    const said = new Set<Waiting>();
    for (const end = Date.now() + trustWithin; ; ) {
      signal?.throwIfAborted();
      const answer = await this.#ask('Pair', {
        PairRecord: openRecord(pairing),
        PairingOptions: { ExtendedPairingErrors: true },
      });
      const fault = stringIn(answer, 'Error');
      if (fault === undefined) return answer;
      const waiting = WAITING[fault];
      if (waiting === undefined) throw notPaired(fault);
      if (Date.now() > end) throw notPaired(waiting === 'unlock' ? 'PasswordProtected' : 'nobody answered');
      if (!said.has(waiting)) {
        said.add(waiting);
        onWaiting?.(waiting);
      }
      await sleep(Math.min(ASK_EVERY, trustWithin), undefined, signal ? { signal } : {});
    }
  }

  /** Starts a service and connects to it. Throws `device.refused`, `device.*`. */
  async service(name: string): Promise<PlistMessages> {
    const answer = await this.#ask('StartService', { Service: name });
    const fault = stringIn(answer, 'Error');
    if (fault !== undefined) throw refusedBy(`the service ${name}`, fault);
    const { Port: port } = answer;
    if (typeof port !== 'number' || !Number.isInteger(port) || port < 1 || port > 65_535)
      throw breach(`a service at port ${String(port)}`);
    const stream = await connectToDevice(this.#request.address, this.#request.device, port);
    if (answer.EnableServiceSSL !== true) return new PlistMessages(stream);
    return new PlistMessages(await secured(stream, this.#pairing as Pairing));
  }
}

/** Errors that end when somebody does something on the device. */
const WAITING: Readonly<Record<string, Waiting | undefined>> = {
  PairingDialogResponsePending: 'trust',
  PasswordProtected: 'unlock',
};

const NOT_PAIRED: Readonly<Record<string, readonly [string, string] | undefined>> = {
  UserDeniedPairing: [
    'Somebody tapped "Don’t Trust" on the device.',
    'Unplug the device, plug it in again, run the command again, and tap "Trust".',
  ],
  PasswordProtected: ['The device stayed locked.', 'Unlock it, and run the command again.'],
  MCProtected: [
    'The device is managed, and its administrator does not let it trust this computer.',
    'Ask its administrator, or use another device.',
  ],
};

function notPaired(fault: string): HullError {
  const [message, fix] = NOT_PAIRED[fault] ?? [
    `The device does not trust this computer (${fault.slice(0, 80)}).`,
    'Unlock the device, run the command again, and tap "Trust" when it asks.',
  ];
  return new HullError('device.unauthorized', message, { fix });
}

function refusedBy(what: string, fault: string): HullError {
  const isLocked = fault === 'PasswordProtected';
  return new HullError(
    'device.refused',
    isLocked ? 'The device is locked.' : `The device refuses ${what} (${fault.slice(0, 80)}).`,
    {
      fix: isLocked
        ? 'Unlock it, and run the command again.'
        : 'Unlock the device, unplug it and plug it in again, and run the command again.',
    },
  );
}
