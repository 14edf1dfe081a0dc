import type * as typed from '@commander-js/extra-typings';
import { Argument as PlainArgument, Option as PlainOption } from 'commander';

/** Commander's own classes, with the typings that remember names and choices; those come as types alone. */
export const Option = PlainOption as unknown as typeof typed.Option;
export const Argument = PlainArgument as unknown as typeof typed.Argument;
