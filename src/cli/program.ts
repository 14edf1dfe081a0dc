import { existsSync } from 'node:fs';
import type * as typed from '@commander-js/extra-typings';
import { Command, CommanderError } from 'commander';
import { HullError } from '../core/errors.js';
import { CONFIG_FILE } from '../core/project/config.js';
import { VERSION } from '../core/util/version.js';
import { COMMANDS, GROUPS } from './commands/all.js';
import type { CommandDefinition } from './define-command.js';
import { type CommonOptions, type Io, makeIo, type Surroundings } from './terminal/io.js';

/** What a shell shows for a program that Ctrl-C ended. */
const EXIT_INTERRUPTED = 130;

/** Commands of a group whose examples end its help. */
const GROUP_EXAMPLES = 3;

const WORKFLOW = `
Typical workflow:
  hull survey ./site                                see what stands between it and a good app
  hull begin ./site --id example.saltmarsh.ferry    describe the app in hull.json
  hull art                                          make every icon and start-up image
  hull tags --write                                 make the pages feel native
  hull preview                                      see what users will see
  hull keys new                                     make the identity it is signed with
  hull pack apk                                     make the signed package
  hull inspect out/*.apk                            see what is in it
  hull domains write                                write the documents that let links open in the app
  hull domains verify                               verify them from both sides
  hull install                                      put it on an attached device

Not ready to use your own? hull demo does all of it with made-up data.
Exit codes: 0 done, 1 a check found something, 2 wrong input, 3 something outside failed, 70 an internal error.`;

/** Loaded when something goes wrong: what wraps text takes a while to load. */
async function reportError(error: unknown, io: Io): Promise<number> {
  const report = await import('./terminal/report-error.js');
  return report.reportError(error, io);
}

/** Runs a command; shows what goes wrong. @returns the exit code */
async function runCommand(
  { words, load }: CommandDefinition,
  given: readonly unknown[],
  program: Command,
  around: Surroundings,
): Promise<number> {
  const command = given.at(-1) as Command;
  const options = command.optsWithGlobals() as CommonOptions;
  const io = makeIo(words, options, around, program);
  around.onCommand?.(words);
  try {
    const run = await load();
    const code = await run(io, options as never, ...(given.slice(0, -2) as never[]));
    return typeof code === 'number' ? code : 0;
  } catch (error) {
    if (around.isStopping()) return 0;
    if (error instanceof Error && error.name === 'ExitPromptError') {
      // Ctrl-C at a question: the terminal is in raw mode then, and no signal comes.
      io.complain('\nCancelled. Nothing was written.');
      return EXIT_INTERRUPTED;
    }
    return reportError(error, io);
  }
}

const examplesText = (lines: readonly string[]): string =>
  `\nExamples:\n${lines.map((line) => `  ${line}`).join('\n')}`;

/** The one command that these words call and that needs no other; `undefined` where they call for help, or for none that there is. */
function calledBy(args: readonly string[]): CommandDefinition | undefined {
  const [first = '', second = ''] = args;
  return COMMANDS.find(
    ({ words, readsAll }) => !readsAll && (words === first || words === `${first} ${second}`),
  );
}

/** The whole command line, as declared; nothing runs yet. @param commands all, or those that are called */
export function build(
  around: Surroundings,
  onExit: (code: number) => void,
  commands: readonly CommandDefinition[] = COMMANDS,
): Command {
  const program = new Command('hull')
    .description('Turns a web app you already have into a signed native app. Nothing to install but Node.js.')
    .version(
      VERSION,
      '-V, --version',
      'print the version; with --json, what else decides the bytes of a package',
    )
    .helpOption('-h, --help', 'print this help')
    .helpCommand('help [command]', 'print a command’s help')
    .showHelpAfterError(false)
    .addHelpText('after', WORKFLOW);
  const groups = new Map<string, Command>();
  const parentOf = (first: string): Command => {
    const known = groups.get(first);
    if (known) return known;
    const group = program.command(first).description(GROUPS[first] ?? '');
    groups.set(first, group);
    return group;
  };
  for (const definition of commands) {
    const [first = '', second] = definition.words.split(' ');
    const command = second === undefined ? program.command(first) : parentOf(first).command(second);
    command.description(definition.summary);
    definition.declare(command as unknown as typed.Command);
    command.addHelpText('after', examplesText(definition.examples));
    command.action(async (...given: unknown[]) =>
      onExit(await runCommand(definition, given, program, around)),
    );
  }
  for (const [first, group] of groups) {
    const own = COMMANDS.filter(({ words }) => words.startsWith(`${first} `)).slice(0, GROUP_EXAMPLES);
    group.addHelpText('after', examplesText(own.flatMap(({ examples }) => examples.slice(0, 1))));
  }
  return program;
}

/** Whether the version is wanted as a document: hull --version --json. */
const isVersionDocument = (args: readonly string[]): boolean =>
  args.length === 2 && args.includes('--json') && args.some((one) => one === '--version' || one === '-V');

/** Parser messages in this program's own form. */
function usageError(error: CommanderError): HullError {
  const message = error.message.replace(/^error: /, '').replace(/\n/g, ' ');
  return new HullError('cli.usage', message.charAt(0).toUpperCase() + message.slice(1), {
    fix: 'See hull --help, or hull <command> --help.',
  });
}

function prepare(command: Command, { stdout }: Surroundings): void {
  command.exitOverride().configureOutput({
    writeOut: (text) => void stdout.write(text),
    writeErr: () => undefined,
    getOutHelpWidth: () => stdout.columns ?? 100,
  });
  for (const child of command.commands) prepare(child, { stdout } as Surroundings);
}

/**
 * Runs the program.
 *
 * @param args words behind the program's name
 * @returns the exit code
 */
export async function run(args: readonly string[], around: Surroundings): Promise<number> {
  let code = 0;
  const called = calledBy(args);
  const onExit = (exit: number) => {
    code = exit;
  };
  // Declaring all of them takes longer than many of them do.
  const program = build(around, onExit, called && [called]);
  prepare(program, around);
  if (args.length === 0 && !existsSync(CONFIG_FILE)) {
    program.outputHelp();
    return 0;
  }
  try {
    if (args.length === 0) {
      const io = makeIo('', {}, around, program);
      await (await import('./commands/state.run.js')).run(io);
      return 0;
    }
    if (isVersionDocument(args)) {
      const io = makeIo('hull', { json: true }, around, program);
      (await import('./commands/version-info.run.js')).run(io);
      return 0;
    }
    await program.parseAsync([...args], { from: 'user' });
    return code;
  } catch (error) {
    if (error instanceof CommanderError && error.exitCode === 0) return 0;
    // A group without its command (hull keys) answers with its help.
    if (error instanceof CommanderError && error.code === 'commander.help') {
      const group = program.commands.find((command) => command.name() === args[0]);
      around.stderr.write((group ?? program).helpInformation());
      return 2;
    }
    const words = args.filter((word) => !word.startsWith('-')).slice(0, 2);
    const options = { json: args.includes('--json'), color: !args.includes('--no-color') };
    const io = makeIo(words.join(' '), options, around, program);
    return reportError(error instanceof CommanderError ? usageError(error) : error, io);
  }
}
