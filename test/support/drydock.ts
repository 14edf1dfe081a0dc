import { startHull } from './hull.js';

/** A simulated device of the built program. */
export interface RunningDevice {
  readonly address: string;
  /** Of the page with its screen. */
  readonly screen: string;
  /** Port at which a bridge connects to it. */
  readonly transport: number;
  /** What it has told so far. */
  notes(): string;
  stop(): void;
}

/** The option of a device whose screen is looked at; without it no browser is started. */
const SHOWS = '--screen-port';

/** Starts `hull drydock device` at any port that is free, and waits until it answers. */
export async function startDevice(cwd: string, ...options: readonly string[]): Promise<RunningDevice> {
  const shown = options.includes(SHOWS) ? [] : ['--no-screen'];
  const args = ['drydock', 'device', '--port', '0', ...shown, ...options];
  const { document, notes, stop } = await startHull<{
    address: string;
    screen: string | null;
    transport: number | null;
  }>(cwd, ...args);
  return {
    address: document.address,
    screen: document.screen ?? '',
    transport: document.transport ?? 0,
    notes,
    stop: () => void stop(),
  };
}
