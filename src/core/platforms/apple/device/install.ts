import { randomBytes } from 'node:crypto';
import { HullError, task, withTasks } from '../../../errors.js';
import { compareVersions } from '../app/versions.js';
import type { IpaFacts } from '../inspect/facts.js';
import { DeviceFiles } from './afc.js';
import { type InstalledApp, Installer } from './installation.js';
import { Lockdown, type Waiting } from './lockdown.js';
import { type AppleDevice, listAppleDevices, type MuxAddress, shownAddress } from './mux.js';
import { deviceRefusal } from './refusals.js';

export interface AppleInstallRequest {
  readonly address: MuxAddress;
  /** A device's UDID, where several are attached. */
  readonly serial?: string | undefined;
  /** The package, and what is in it. */
  readonly file: string;
  readonly facts: IpaFacts;
  readonly signal?: AbortSignal | undefined;
  /** Called with bytes sent. */
  readonly onProgress?: ((done: number, total: number) => void) | undefined;
  /** Called with what the device does with the package, in its own words, and how far it is in percent. */
  readonly onInstalling?: ((doing: string, percent: number) => void) | undefined;
  /** Called when somebody has to do something on the device before anything goes on. */
  readonly onWaiting?: ((what: Waiting) => void) | undefined;
  /** Milliseconds that somebody may take for it; two minutes where nothing is said. */
  readonly trustWithin?: number | undefined;
}

/** What a device says of itself. */
export interface AppleDeviceFacts {
  /** UDID. */
  readonly serial: string;
  readonly connection: 'usb' | 'network';
  /** As its owner named it. */
  readonly name: string | undefined;
  /** As in `iPhone14,5`. */
  readonly model: string | undefined;
  /** As in `17.5`. */
  readonly version: string | undefined;
  readonly developerMode: 'on' | 'off' | 'unknown';
}

export interface AppleInstallReport {
  readonly device: AppleDeviceFacts;
  /** What the device had of this app before. */
  readonly before: InstalledApp | undefined;
  /** What somebody has to do on the device before the app opens; empty where nothing. */
  readonly onDevice: readonly string[];
}

const FOLDER = 'PublicStaging';
/** The kinds of devices, as a device names its own. */
const FAMILY: Readonly<Record<string, IpaFacts['devices'][number] | undefined>> = {
  iPhone: 'phone',
  iPod: 'phone',
  iPad: 'tablet',
};

function chooseAppleDevice(
  devices: readonly AppleDevice[],
  serial: string | undefined,
  address: MuxAddress,
): AppleDevice {
  if (serial !== undefined) {
    const found = devices.find((one) => one.serial.toLowerCase() === serial.toLowerCase());
    if (found) return found;
    throw new HullError('device.unknown', `No device ${serial} is attached.`, {
      fix:
        devices.length === 0
          ? 'Plug it in, and unlock it.'
          : `Attached: ${devices.map((one) => one.serial).join(', ')}.`,
    });
  }
  const cabled = devices.filter(({ connection }) => connection === 'usb');
  const [first, ...more] = cabled.length > 0 ? cabled : devices;
  if (!first) {
    throw new HullError('device.none', `No Apple device is attached (${shownAddress(address.at)}).`, {
      fix: 'Plug it in with a cable that carries data, unlock it, and run the command again.',
    });
  }
  if (more.length > 0) {
    throw new HullError('device.several', `${more.length + 1} devices are attached.`, {
      fix: `Name one: ${[first, ...more].map((one) => one.serial).join(', ')}.`,
    });
  }
  return first;
}

async function factsOf(lockdown: Lockdown, device: AppleDevice): Promise<AppleDeviceFacts> {
  const mode = await lockdown.value('DeveloperModeStatus', 'com.apple.security.mac.amfi');
  return {
    serial: device.serial,
    connection: device.connection,
    name: await lockdown.text('DeviceName'),
    model: await lockdown.text('ProductType'),
    version: await lockdown.text('ProductVersion'),
    developerMode: mode === true ? 'on' : mode === false ? 'off' : 'unknown',
  };
}

/** What of a package no device would take, or not this one. Nothing is sent then. */
async function checkFit(lockdown: Lockdown, { facts, file }: AppleInstallRequest, device: AppleDeviceFacts) {
  const refuse = (message: string, fix: ConstructorParameters<typeof HullError>[2] = {}) =>
    new HullError('device.refused', `${message} Nothing was sent.`, { location: { file }, ...fix });
  const { version } = device;
  if (compareVersions(version, facts.minVersion) === -1) {
    throw refuse(`The app needs system version ${facts.minVersion}; the device has ${version}.`, {
      fix: 'Update the device, or use a newer one.',
    });
  }
  const family = FAMILY[(await lockdown.text('DeviceClass')) ?? ''];
  // Tablets run apps that are for phones alone.
  if (family === 'phone' && facts.devices.length > 0 && !facts.devices.includes('phone')) {
    throw refuse('The app is for tablets, and this is a phone.', {
      fix: 'Name "phone" in apple.devices in hull.json, and pack again.',
    });
  }
  const { profile } = facts;
  const isNamed = profile?.devices?.some((one) => one.toLowerCase() === device.serial.toLowerCase());
  if (isNamed === false) {
    throw refuse(`The profile in the package does not name this device (${device.serial}).`, {
      fix: 'Add the device to the profile in the developer account, download the profile, and pack again.',
    });
  }
}

/** What a package is that no device takes, whichever it is. Throws `device.refused`, `package.unknown`. */
export function checkInstallable({ file, facts }: Pick<AppleInstallRequest, 'file' | 'facts'>): void {
  if (facts.platforms.length > 0 && !facts.platforms.includes('iPhoneOS')) {
    throw new HullError('package.unknown', 'This package is for simulators; no device installs it.', {
      location: { file },
      fix: withTasks`Make one for devices: ${task('packProject', 'ipa')}`,
    });
  }
  const { verdict, faults } = facts.signature;
  if (verdict === 'verified') return;
  throw new HullError(
    'device.refused',
    verdict === 'failed'
      ? `Its signature does not verify: ${faults[0] ?? ''} Devices refuse it; nothing was sent.`
      : 'Nobody signed this package: devices refuse it; nothing was sent.',
    {
      location: { file },
      fix: withTasks`See all of it with ${task('inspectPackage', file)}, and pack it again.`,
    },
  );
}

/** Developer mode came with this version. */
const DEVELOPER_MODE_FROM = '16.0';

/** What somebody has to do on the device before the app opens. */
function todoOnDevice(facts: IpaFacts, { developerMode, version }: AppleDeviceFacts): string[] {
  const kind = facts.profile?.kind;
  const todo: string[] = [];
  const hasMode = compareVersions(version, DEVELOPER_MODE_FROM) !== -1;
  if (kind === 'development' && hasMode && developerMode !== 'on') {
    todo.push(
      `${developerMode === 'off' ? 'Developer mode is off' : 'If developer mode is off'}: turn it on under Settings, Privacy & Security, Developer Mode; the device restarts and asks once more.`,
    );
  }
  if (kind === 'enterprise') {
    todo.push('The first time, trust the developer under Settings, General, VPN & Device Management.');
  }
  return todo;
}

/**
 * Installs a package on an attached device of Apple's: pairs where it has to, sends the package, has it installed, and looks
 * whether it is there.
 *
 * @throws HullError `device.*`, `package.unknown`
 */
export async function installOnAppleDevice(request: AppleInstallRequest): Promise<AppleInstallReport> {
  const { address, file, facts, signal } = request;
  checkInstallable(request);
  const chosen = chooseAppleDevice(await listAppleDevices(address), request.serial, address);
  const lockdown = await Lockdown.open({
    address,
    device: chosen,
    onWaiting: request.onWaiting,
    trustWithin: request.trustWithin,
    signal,
  });
  try {
    const device = await factsOf(lockdown, chosen);
    await checkFit(lockdown, request, device);
    const installing = await lockdown.service('com.apple.mobile.installation_proxy');
    try {
      const installer = new Installer(installing);
      const before = await installer.find(facts.id);
      await sendAndInstall(lockdown, installer, request);
      const after = await installer.find(facts.id);
      if (after === undefined || after.build !== facts.build) {
        throw new HullError(
          'device.refused',
          `The device says that it is done, and has ${after === undefined ? 'no such app' : `build ${after.build ?? '?'}`}.`,
          { location: { file }, fix: 'Look at the device’s screen, and run the command again.' },
        );
      }
      return { device, before, onDevice: todoOnDevice(facts, device) };
    } finally {
      installing.stream.close();
    }
  } finally {
    lockdown.close();
  }
}

async function sendAndInstall(
  lockdown: Lockdown,
  installer: Installer,
  { file, facts, signal, onProgress, onInstalling }: AppleInstallRequest,
): Promise<void> {
  const sending = await lockdown.service('com.apple.afc');
  const files = new DeviceFiles(sending.stream);
  // Another program's package may lie there under a plain name.
  const staged = `${FOLDER}/hull-${randomBytes(6).toString('hex')}.ipa`;
  try {
    const unpacked = facts.sizes.reduce((sum, one) => sum + one.unpacked, 0);
    const free = await files.freeSpace();
    if (free !== undefined && free < facts.size + unpacked) {
      throw new HullError('device.refused', 'The device has no room for the package. Nothing was sent.', {
        location: { file },
        fix: 'Free some space on it.',
      });
    }
    await files.makeFolder(FOLDER);
    try {
      await files.upload(file, staged, (done) => onProgress?.(done, facts.size), signal);
      const refusal = await installer.install(
        staged,
        {
          CFBundleIdentifier: facts.id,
          ...(facts.profile?.kind === 'development' ? { PackageType: 'Developer' } : {}),
        },
        (doing, percent) => onInstalling?.(doing, percent),
      );
      if (refusal) throw deviceRefusal(refusal, file);
    } finally {
      // A device that is gone keeps it; it empties the folder itself.
      await files.remove(staged).catch(() => undefined);
    }
  } finally {
    sending.stream.close();
  }
}
