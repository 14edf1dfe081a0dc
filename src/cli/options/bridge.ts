import type { Command, OptionValues } from '@commander-js/extra-typings';
import { HullError } from '../../core/errors.js';
import type { BridgeAddress } from '../../core/platforms/android/bridge/bridge.js';
import { BRIDGE_PORT } from '../../core/platforms/android/bridge/port.js';
import type { Arguments } from '../define-command.js';
import type { Io } from '../terminal/io.js';

/** Which attached device, and where it is found. */
export const bridge = <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
  command
    .option('--device <serial>', 'which device, where several are attached')
    .option(
      '--bridge <host:port>',
      'where Android’s debug bridge listens (else ANDROID_ADB_SERVER_PORT, else 5037)',
    );

/** Where the bridge listens: the option, else the platform's own variable, else its own port. */
export function bridgeAddress(io: Io, option: string | undefined): BridgeAddress {
  const text = option ?? io.env.ANDROID_ADB_SERVER_PORT;
  if (text === undefined || text === '') return { host: '127.0.0.1', port: BRIDGE_PORT };
  const match = /^(?:([\w.-]+|\[[0-9a-fA-F:]+\]):)?(\d{1,5})$/.exec(text);
  const port = Number(match?.[2]);
  if (match && port > 0 && port < 65_536)
    return { host: (match[1] ?? '127.0.0.1').replaceAll(/[[\]]/g, ''), port };
  throw new HullError('cli.usage', `"${text}" is not the address of a bridge.`, {
    location: { option: option === undefined ? 'ANDROID_ADB_SERVER_PORT' : '--bridge' },
    fix: 'Write it as 127.0.0.1:5037',
  });
}
