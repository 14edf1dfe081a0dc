import type { BrowserOptions } from '../../core/browser/launch.js';
import type { TryEvent } from '../../core/try/events.js';

/** The UDID of a device that belongs to nobody: that of the simulated one, and the one that test profiles name. */
export const TEST_DEVICE = '00008030-0000000000000001';

/** What a simulated device is like. */
export interface SimulatedDeviceOptions {
  /** 0 for any that is free. */
  readonly port: number;
  /** Folder that keeps what is installed. */
  readonly dir: string;
  /** UDID. */
  readonly serial: string;
  /** Version of its system, as in `26.1`. */
  readonly system: string;
  readonly family: 'phone' | 'tablet';
  /** What its user answers when a computer asks to be trusted: at once, after a while, or no. */
  readonly trust: 'at-once' | 'asked' | 'refused';
  readonly developerMode: 'on' | 'off';
  /** Whether connections are encrypted once a session has started, as those of devices are. */
  readonly connections: 'encrypted' | 'plain';
  /** Bytes that are free. */
  readonly free: number;
  /** SHA-256 of the root that it trusts, in hexadecimal. */
  readonly root: string;
  readonly onEvent?: (text: string) => void;
  /** What its apps run in; without one its screen shows none. */
  readonly browser?: BrowserOptions | undefined;
  /** What its screen shows has changed. */
  readonly onScreen?: (event: TryEvent) => void;
  /** Today, by its own clock. */
  readonly now?: () => Date;
}
