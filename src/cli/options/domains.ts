import type { Command, OptionValues } from '@commander-js/extra-typings';
import type { DomainsOptions } from '../../core/tasks/gather-domains.js';
import type { Arguments } from '../define-command.js';
import type { CommonOptions, Io } from '../terminal/io.js';
import { knownPassword, type PasswordOptions, passwordOf } from '../terminal/passwords.js';
import { password } from './signing.js';
import { type AccessOptions, access, hostAccess } from './site.js';

/** What is compared with the hosts. */
export const comparison = <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
  password(
    access(command)
      .option('--packages <dir>', 'folder of the packages to compare with (default: out, beside hull.json)')
      .option('--key <name>', 'key of hull.json that signs'),
  );

export interface ComparisonOptions extends CommonOptions, AccessOptions, PasswordOptions {
  readonly packages?: string | undefined;
  readonly key?: string | undefined;
}

export function domainsOptions(io: Io, options: ComparisonOptions): DomainsOptions {
  return {
    ...hostAccess(io, options),
    project: options.project,
    key: options.key,
    packages: options.packages,
    password: passwordOf(io, options),
    isKnown: (name) => knownPassword(io, options, name) !== undefined,
  };
}
