import type { Command, OptionValues } from '@commander-js/extra-typings';
import type { StoreOptions } from '../../core/tasks/open-store.js';
import type { Arguments } from '../define-command.js';
import { duration } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';

/** Which store, and as whom. */
export const store = <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
  command
    .option(
      '--account <file>',
      'JSON key of a service account, outside of the project (else HULL_STORE_ACCOUNT, else the stand-in that runs for this project)',
    )
    .option(
      '--api <address>',
      'another address of the store’s API: a proxy, a stand-in (else HULL_STORE_API)',
    );

export function storeOptions(
  io: Io,
  { account, api }: { readonly account?: string | undefined; readonly api?: string | undefined },
): StoreOptions {
  const named = (value: string | undefined) => (value === '' ? undefined : value);
  return {
    account: account ?? named(io.env.HULL_STORE_ACCOUNT),
    api: api ?? named(io.env.HULL_STORE_API),
    signal: io.signal,
    onRetry: (why, delay) => io.note(`${io.paint.warn('trying again')} in ${duration(delay)}: ${why}`),
  };
}

/** A line that says which store it is: nobody should take a stand-in for the real one, or the other way round. */
export function storeLine(
  io: Io,
  {
    store: address,
    account,
    isStandIn,
  }: { readonly store: string; readonly account: string; readonly isStandIn: boolean },
): string {
  return isStandIn
    ? `${io.paint.warn('stand-in')} ${address}: nothing is published`
    : `${io.paint.dim('store')} ${new URL(address).host}, as ${account}`;
}
