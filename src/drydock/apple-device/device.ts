import { createHash, generateKeyPairSync, X509Certificate } from 'node:crypto';
import { mkdirSync } from 'node:fs';
import { TLSSocket } from 'node:tls';
import {
  dictIn,
  type PlistDict,
  type PlistValue,
  stringIn,
  stringsIn,
} from '../../core/formats/plist/types.js';
import { ByteStream } from '../../core/net/byte-stream.js';
import { encodeMuxMessage, readMuxMessage, swapPort } from '../../core/platforms/apple/device/mux.js';
import { PlistMessages } from '../../core/platforms/apple/device/plist-messages.js';
import { type DeviceServer, PATIENCE, serveDevice } from '../device-server.js';
import type { DeviceScreen } from '../try/screen.js';
import { StagedFiles } from './files.js';
import type { SimulatedDeviceOptions } from './options.js';
import { Shelf } from './shelf.js';

const DEVICE_ID = 1;
const RESULT = { ok: 0, badRequest: 1, refused: 3 } as const;
const MOST_RECORDS = 16;
/** How often a host asks before somebody has tapped, where nobody does at once. */
const ASKED = 2;
const PORTS = { lockdown: 62_078, files: 50_001, installer: 50_002 } as const;
const SERVICES: Readonly<Record<string, number | undefined>> = {
  'com.apple.afc': PORTS.files,
  'com.apple.mobile.installation_proxy': PORTS.installer,
};
const MODELS = { phone: ['iPhone', 'iPhone17,3'], tablet: ['iPad', 'iPad16,3'] } as const;

/** A host that the device trusts. PEM. */
interface Host {
  readonly id: string;
  readonly certificate: string;
  readonly root: string;
  /** Made by the host, for the device's key. */
  readonly own: string;
}

const pem = (record: PlistDict, key: string): string | undefined => {
  const value = record[key];
  const text =
    value instanceof Uint8Array
      ? Buffer.from(value).toString('utf8')
      : typeof value === 'string'
        ? value
        : undefined;
  return text !== undefined && /^-----BEGIN CERTIFICATE-----/.test(text) ? text : undefined;
};

class AppleDeviceSimulator {
  readonly #options: SimulatedDeviceOptions;
  readonly #keys = generateKeyPairSync('rsa', { modulusLength: 2048 });
  readonly #shelf: Shelf;
  readonly #files: StagedFiles;
  readonly #records = new Map<string, Uint8Array>();
  readonly #hosts = new Map<string, Host>();
  /** The host of the last session, to whose services connections are made. */
  #present: Host | undefined;
  #asked = 0;

  constructor(options: SimulatedDeviceOptions) {
    this.#options = options;
    this.#shelf = new Shelf(options);
    this.#files = new StagedFiles(options.dir, options.free);
  }

  get screen(): DeviceScreen {
    return this.#shelf.screen;
  }

  showApps(): Promise<void> {
    return this.#shelf.showApps();
  }

  clear(): Promise<void> {
    return this.#files.clear();
  }

  #values(domain: string | undefined): PlistDict {
    const { serial, system, family, developerMode } = this.#options;
    if (domain === 'com.apple.security.mac.amfi') return { DeveloperModeStatus: developerMode === 'on' };
    if (domain !== undefined) return {};
    const [kind, model] = MODELS[family];
    return {
      CPUArchitecture: 'arm64e',
      DeviceClass: kind,
      DeviceName: 'Drydock',
      DevicePublicKey: Buffer.from(this.#keys.publicKey.export({ type: 'pkcs1', format: 'pem' }) as string),
      PasswordProtected: false,
      ProductType: model,
      ProductVersion: system,
      ProtocolVersion: '2',
      UniqueDeviceID: serial,
      WiFiAddress: '02:00:00:00:00:01',
    };
  }

  /** One connection of the multiplexer: requests, until one leads to the device. */
  async serve(stream: ByteStream): Promise<void> {
    for (let read = await readMuxMessage(stream); read; read = await readMuxMessage(stream)) {
      const { message, tag } = read;
      const say = (answer: PlistDict, number = tag) => stream.write(encodeMuxMessage(answer, number));
      const result = (number: number) => say({ MessageType: 'Result', Number: number });
      switch (message.MessageType) {
        case 'ListDevices':
          await say({ DeviceList: [this.#attached()] });
          break;
        case 'Listen':
          await result(RESULT.ok);
          await say(this.#attached(), 0);
          break;
        case 'ReadBUID':
          await say({ BUID: '00000000-0000-4000-8000-000000000000' });
          break;
        case 'ReadPairRecord': {
          const record = this.#records.get(stringIn(message, 'PairRecordID') ?? '');
          await (record ? say({ PairRecordData: record }) : result(2));
          break;
        }
        case 'SavePairRecord':
          await result(this.#saveRecord(message));
          break;
        case 'DeletePairRecord':
          this.#records.delete(stringIn(message, 'PairRecordID') ?? '');
          await result(RESULT.ok);
          break;
        case 'Connect': {
          const port = swapPort(Number(message.PortNumber));
          const isOurs = message.DeviceID === DEVICE_ID && Object.values(PORTS).some((one) => one === port);
          await result(isOurs ? RESULT.ok : RESULT.refused);
          if (isOurs) return this.#connected(stream, port);
          break;
        }
        default:
          await result(RESULT.badRequest);
      }
    }
  }

  #attached(): PlistDict {
    return {
      MessageType: 'Attached',
      DeviceID: DEVICE_ID,
      Properties: {
        ConnectionSpeed: 480_000_000,
        ConnectionType: 'USB',
        DeviceID: DEVICE_ID,
        LocationID: 0,
        ProductID: 4776,
        SerialNumber: this.#options.serial,
      },
    };
  }

  #saveRecord(message: PlistDict): number {
    const id = stringIn(message, 'PairRecordID');
    const { PairRecordData: data } = message;
    if (id === undefined || !(data instanceof Uint8Array) || this.#records.size >= MOST_RECORDS)
      return RESULT.badRequest;
    this.#records.set(id, data);
    return RESULT.ok;
  }

  async #connected(stream: ByteStream, port: number): Promise<void> {
    if (port === PORTS.lockdown) return this.#lockdown(new PlistMessages(stream));
    const host = this.#present;
    // Without a session there are no services.
    if (!host) return;
    const own = this.#options.connections === 'encrypted' ? await this.#secured(stream, host) : stream;
    if (port === PORTS.files) await this.#files.serve(own, MODELS[this.#options.family][1]);
    else await this.#installer(new PlistMessages(own));
  }

  /** Goes on encrypted, with the host that holds the key of its certificate, and no other. */
  async #secured(stream: ByteStream, host: Host): Promise<ByteStream> {
    const socket = new TLSSocket(stream.release(), {
      isServer: true,
      key: this.#keys.privateKey.export({ type: 'pkcs8', format: 'pem' }) as string,
      cert: host.own,
      ca: host.root,
      requestCert: true,
      rejectUnauthorized: false,
    });
    await new Promise<void>((resolve, reject) => {
      socket.once('secure', resolve);
      socket.once('error', reject);
      socket.once('close', () => reject(new Error('the host went away')));
    });
    const theirs = socket.getPeerX509Certificate();
    // Some hosts show the pairing's authority in place of their own certificate; devices take both.
    const known = [host.certificate, host.root].map((text) => new X509Certificate(text).raw);
    if (!theirs || !known.some((raw) => raw.equals(theirs.raw))) {
      socket.destroy();
      throw new Error('another host');
    }
    return new ByteStream(socket, PATIENCE);
  }

  async #lockdown(first: PlistMessages): Promise<void> {
    let messages = first;
    let isInSession = false;
    for (let asked = await messages.next(); asked; asked = await messages.next()) {
      const request = stringIn(asked, 'Request') ?? '';
      const base = { Request: request };
      const fail = (error: string) => messages.send({ ...base, Error: error });
      switch (request) {
        case 'QueryType':
          await messages.send({ ...base, Type: 'com.apple.mobile.lockdown' });
          break;
        case 'GetValue':
          await messages.send(this.#value(asked, base));
          break;
        case 'Pair':
          await this.#pair(messages, dictIn(asked, 'PairRecord'), base);
          break;
        case 'ValidatePair':
          await messages.send(base);
          break;
        case 'StartSession': {
          const host = this.#hosts.get(stringIn(asked, 'HostID') ?? '');
          if (!host) {
            await fail('InvalidHostID');
            break;
          }
          const isSecure = this.#options.connections === 'encrypted';
          await messages.send({ ...base, SessionID: 'drydock', EnableSessionSSL: isSecure });
          if (isSecure) messages = new PlistMessages(await this.#secured(messages.stream, host));
          this.#present = host;
          isInSession = true;
          break;
        }
        case 'StopSession':
          await messages.send(base);
          return;
        case 'StartService': {
          const service = stringIn(asked, 'Service') ?? '';
          const port = Object.hasOwn(SERVICES, service) ? SERVICES[service] : undefined;
          if (!isInSession) await fail('SessionInactive');
          else if (port === undefined) await fail('InvalidService');
          else {
            const isSecure = this.#options.connections === 'encrypted';
            await messages.send({ ...base, Service: service, Port: port, EnableServiceSSL: isSecure });
          }
          break;
        }
        default:
          await fail('InvalidRequest');
      }
    }
  }

  #value(asked: PlistDict, base: PlistDict): PlistDict {
    const key = stringIn(asked, 'Key');
    const values = this.#values(stringIn(asked, 'Domain'));
    if (key === undefined) return { ...base, Value: values };
    const value: PlistValue | undefined = Object.hasOwn(values, key) ? values[key] : undefined;
    return value === undefined
      ? { ...base, Key: key, Error: 'MissingValue' }
      : { ...base, Key: key, Value: value };
  }

  async #pair(messages: PlistMessages, record: PlistDict, base: PlistDict): Promise<void> {
    const { trust, onEvent } = this.#options;
    const id = stringIn(record, 'HostID');
    const [certificate, root, own] = ['HostCertificate', 'RootCertificate', 'DeviceCertificate'].map((key) =>
      pem(record, key),
    );
    if (id === undefined || !certificate || !root || !own || this.#hosts.size >= MOST_RECORDS) {
      await messages.send({ ...base, Error: 'InvalidPairRecord' });
      return;
    }
    if (trust === 'refused') {
      onEvent?.('a computer asked to be trusted: refused');
      await messages.send({ ...base, Error: 'UserDeniedPairing' });
      return;
    }
    if (trust === 'asked' && !this.#hosts.has(id) && this.#asked < ASKED) {
      if (this.#asked === 0) onEvent?.('a computer asks to be trusted: "Trust" is tapped in a moment');
      this.#asked += 1;
      await messages.send({ ...base, Error: 'PairingDialogResponsePending' });
      return;
    }
    this.#hosts.set(id, { id, certificate, root, own });
    onEvent?.('trusts a computer');
    await messages.send({ ...base, EscrowBag: createHash('sha256').update(id).digest() });
  }

  async #installer(messages: PlistMessages): Promise<void> {
    for (let asked = await messages.next(); asked; asked = await messages.next()) {
      const options = dictIn(asked, 'ClientOptions');
      switch (asked.Command) {
        case 'Install':
        case 'Upgrade':
          await this.#install(messages, stringIn(asked, 'PackagePath') ?? '');
          break;
        case 'Lookup': {
          const wanted = stringsIn(options, 'BundleIDs');
          const apps = this.#listed().filter(({ CFBundleIdentifier: id }) => wanted.includes(id));
          await messages.send({
            LookupResult: Object.fromEntries(apps.map((app) => [app.CFBundleIdentifier, app])),
            Status: 'Complete',
          });
          break;
        }
        case 'Browse': {
          const list = this.#listed();
          await messages.send({
            CurrentAmount: list.length,
            CurrentIndex: 0,
            CurrentList: list,
            Status: 'BrowsingApplications',
          });
          await messages.send({ Status: 'Complete' });
          break;
        }
        default:
          await messages.send({ Error: 'UnknownCommand' });
      }
    }
  }

  #listed() {
    return this.#shelf.apps.map(({ id, name, version, build }) => ({
      ApplicationType: 'User',
      CFBundleDisplayName: name,
      CFBundleIdentifier: id,
      CFBundleShortVersionString: version,
      CFBundleVersion: build,
    }));
  }

  async #install(messages: PlistMessages, path: string): Promise<void> {
    const file = this.#files.find(path);
    if (file === undefined) {
      await messages.send({ Error: 'MissingPackagePath', ErrorDescription: 'There is no such file.' });
      return;
    }
    const step = (status: string, percent: number) =>
      messages.send({ Status: status, PercentComplete: percent });
    await step('CreatingStagingDirectory', 5);
    await step('ExtractingPackage', 15);
    await step('InspectingPackage', 20);
    await step('VerifyingApplication', 40);
    const refusal = await this.#shelf.take(file);
    if (refusal) {
      await messages.send({ Error: refusal.error, ErrorDescription: refusal.description });
      return;
    }
    await step('InstallingApplication', 60);
    await step('GeneratingApplicationMap', 90);
    await messages.send({ Status: 'Complete' });
  }
}

/**
 * Starts a simulated Apple device on loopback: the service for devices on USB with one device attached, that pairs, takes
 * packages as a device does, and keeps what is installed.
 *
 * @throws HullError `device.port-taken`, `device.damaged`
 */
export async function startAppleDevice(
  options: SimulatedDeviceOptions,
): Promise<DeviceServer & { readonly screen: DeviceScreen }> {
  mkdirSync(options.dir, { recursive: true });
  const device = new AppleDeviceSimulator(options);
  await device.showApps();
  const server = await serveDevice(
    options.port,
    (stream) => device.serve(stream),
    'Stop it, or choose another port here and with hull install --usbmuxd.',
  );
  return {
    port: server.port,
    screen: device.screen,
    close: async () => {
      await server.close();
      await device.screen.close();
      await device.clear();
    },
  };
}
