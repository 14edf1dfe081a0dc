import { startHull } from './hull.js';

/** A simulated device of the built program. */
export interface RunningDevice {
  readonly address: string;
  /** What it has told so far. */
  notes(): string;
  stop(): void;
}

/** Starts `hull drydock device` at any port that is free, and waits until it answers. */
export async function startDevice(cwd: string, ...options: readonly string[]): Promise<RunningDevice> {
  const args = ['drydock', 'device', '--port', '0', ...options];
  const { document, notes, stop } = await startHull<{ address: string }>(cwd, ...args);
  return { address: document.address, notes, stop: () => void stop() };
}
