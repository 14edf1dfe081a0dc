import type { Command, OptionValues } from '@commander-js/extra-typings';
import type { StoreName } from '../../core/listing/languages.js';
import type { StoreOptions } from '../../core/tasks/open-store.js';
import type { Arguments } from '../define-command.js';
import { duration } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { Option } from './typed.js';

/** Which store, and as whom. */
export const store = <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
  command
    .option(
      '--account <file>',
      'key of the store’s account, outside of the project (else HULL_STORE_ACCOUNT or HULL_APPLE_STORE_ACCOUNT, else the stand-in that runs for this project)',
    )
    .option(
      '--api <address>',
      'another address of the store’s API: a proxy, a stand-in (else HULL_STORE_API)',
    );

/** Which of the stores. @param otherwise the one that is meant where none is named */
export const whichStore =
  (otherwise: string) =>
  <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
    command.addOption(
      new Option('--for <store>', `the store (default: ${otherwise})`).choices(['android', 'apple'] as const),
    );

export function storeOptions(
  io: Io,
  {
    account,
    api,
    for: store,
  }: {
    readonly account?: string | undefined;
    readonly api?: string | undefined;
    readonly for?: StoreName | undefined;
  },
): StoreOptions {
  const named = (value: string | undefined) => (value === '' ? undefined : value);
  return {
    store,
    account,
    accounts: {
      android: named(io.env.HULL_STORE_ACCOUNT),
      apple: named(io.env.HULL_APPLE_STORE_ACCOUNT),
    },
    api: api ?? named(io.env.HULL_STORE_API),
    signal: io.signal,
    onRetry: (why, delay) => io.note(`${io.paint.warn('trying again')} in ${duration(delay)}: ${why}`),
  };
}

/** What follows in a command that goes on with the same store. */
export const sameStore = (which: StoreName): string => (which === 'apple' ? ' --for apple' : '');

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
