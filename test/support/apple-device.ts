import { afterAll } from 'vitest';
import type { MuxAddress } from '../../src/core/platforms/apple/device/mux.js';
import { startAppleDevice } from '../../src/drydock/apple-device/device.js';
import { type SimulatedDeviceOptions, TEST_DEVICE } from '../../src/drydock/apple-device/options.js';
import { NOW, testTeam } from './apple.js';
import { temporaryFolder } from './temporary.js';

const closing: (() => Promise<void>)[] = [];
afterAll(async () => {
  for (const close of closing) await close();
});

export interface TestDevice {
  readonly address: MuxAddress;
  readonly port: number;
  readonly dir: string;
  readonly events: readonly string[];
}

/** A simulated device that trusts the test team's authority; it ends with the tests of its file. */
export async function testDevice(changes: Partial<SimulatedDeviceOptions> = {}): Promise<TestDevice> {
  const events: string[] = [];
  const dir = changes.dir ?? temporaryFolder();
  const { root } = await testTeam();
  const { port, close } = await startAppleDevice({
    port: 0,
    dir,
    serial: TEST_DEVICE,
    system: '18.2',
    family: 'phone',
    trust: 'at-once',
    developerMode: 'on',
    connections: 'encrypted',
    free: 1_000_000_000,
    root,
    onEvent: (text) => events.push(text),
    now: () => NOW,
    ...changes,
  });
  closing.push(close);
  return { address: { at: { host: '127.0.0.1', port }, patience: 10_000 }, port, dir, events };
}
