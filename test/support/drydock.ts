import { spawn } from 'node:child_process';
import { HULL } from './hull.js';

/** A simulated device of the built program. */
export interface RunningDevice {
  readonly address: string;
  /** What it has told so far. */
  notes(): string;
  stop(): void;
}

/** Starts `hull drydock device` at any port that is free, and waits until it answers. */
export async function startDevice(cwd: string, ...options: readonly string[]): Promise<RunningDevice> {
  const device = spawn(process.execPath, [HULL, 'drydock', 'device', '--port', '0', '--json', ...options], {
    cwd,
  });
  let notes = '';
  device.stderr.on('data', (chunk: Buffer) => {
    notes += chunk;
  });
  const address = await new Promise<string>((resolve, reject) => {
    let text = '';
    device.stdout.on('data', (chunk: Buffer) => {
      text += chunk;
      if (text.includes('}')) resolve(JSON.parse(text).address);
    });
    device.once('exit', () => reject(new Error(text + notes)));
  });
  return { address, notes: () => notes, stop: () => device.kill('SIGINT') };
}
