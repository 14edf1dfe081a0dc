import { Argument, Command, CommanderError, Option } from 'commander';
import { HullError } from '../core/errors.js';
import type { Shell } from './commands/completion.js';
import { EXAMPLES } from './examples.js';
import { type CommonOptions, type Io, makeIo } from './io.js';
import { reportError } from './report-error.js';
import { VERSION } from './version.js';

/** A command's own module is loaded when it is called, so that no command waits for another's. */
type Action<O> = (io: Io, options: O & CommonOptions, ...args: never[]) => Promise<unknown>;

const stop = new AbortController();

/** What a shell shows for a program that Ctrl-C ended. */
const EXIT_INTERRUPTED = 130;
/** Milliseconds that what is under way has for cleaning up after itself. */
const GRACE = 700;

/** Runs a command, shows what goes wrong, and sets the exit code. */
function action<O>(load: () => Promise<Action<O>>) {
  return async (...given: unknown[]): Promise<void> => {
    const command = given.at(-1) as Command;
    const options = command.optsWithGlobals() as O & CommonOptions;
    // Texts, or lists of texts, as the command declares its arguments.
    const args = given.slice(0, -2) as never[];
    const io = makeIo(options, stopSignal);
    try {
      const run = await load();
      const code = await run(io, options, ...args);
      if (typeof code === 'number' && code !== 0) process.exitCode = code;
    } catch (error) {
      if (stop.signal.aborted) return;
      if (error instanceof Error && error.name === 'ExitPromptError') {
        // Ctrl-C at a question: the terminal is in raw mode then, and no signal comes.
        process.stderr.write('\nCancelled. Nothing was written.\n');
        process.exitCode = EXIT_INTERRUPTED;
        return;
      }
      process.exitCode = reportError(error, io);
    }
  };
}

let isListening = false;

/**
 * Ctrl-C: what is under way cleans up after itself, then the program ends as the signal would have ended it.
 *
 * The program listens only from the moment that somebody asks for this signal: until then there is nothing to clean up, and
 * the system ends it at once, also while a large file is being parsed and nothing could be heard.
 */
function stopSignal(): AbortSignal {
  if (!isListening) listenForStop();
  isListening = true;
  return stop.signal;
}

function listenForStop(): void {
  for (const signal of ['SIGINT', 'SIGTERM'] as const) {
    process.once(signal, () => {
      stop.abort(new HullError('cli.cancelled', 'Cancelled.'));
      process.stderr.write('\nCancelled. No partial files were left.\n');
      // Give a write under way the moment that it needs to take its temporary file away.
      const end = () => process.kill(process.pid, signal);
      setTimeout(end, GRACE).unref();
      process.once('beforeExit', end);
    });
  }
}

function common(command: Command): Command {
  return command
    .addOption(new Option('-C, --project <dir>', 'folder of hull.json').default('.', 'this folder'))
    .addOption(new Option('--json', 'one JSON document on standard output, nothing else'))
    .addOption(new Option('--quiet', 'no notes and no progress'))
    .addOption(new Option('--verbose', 'more detail, and stack traces with errors'))
    .addOption(new Option('--no-color', 'plain text (NO_COLOR does the same)'));
}

/** Options of commands that look at a folder or a host. */
function hosts(command: Command): Command {
  return common(command)
    .option('--pages <number>', 'pages to read at most (default: 200 of a host, 50000 of a folder)')
    .option('--depth <number>', 'links to follow from the start page at most (default: 8)')
    .addOption(resolveOption())
    .addOption(caOption());
}

/** @param concerns what it is about, where that is not all of the command */
const resolveOption = (concerns = '') =>
  new Option(
    '--resolve <host=address:port>',
    `${concerns}where to find a host that is not public yet; may be given again`,
  ).argParser((value: string, earlier: string[] = []) => [...earlier, value]);
const caOption = (concerns = '') =>
  new Option('--ca <file>', `${concerns}certificate authority to trust as well, PEM`);
const yesOption = () => new Option('--yes', 'ask nothing; what is missing is an error that names its option');
const passwordOption = () =>
  new Option(
    '--password-file <file>',
    'file whose first line is the keystore’s password (else HULL_KEY_PASSWORD, else a prompt)',
  );

/** The whole command line, as declared; nothing runs yet. */
export function build(): Command {
  const program = new Command('hull')
    .description('Turns a web app you already have into a signed native app. Nothing to install but Node.js.')
    .version(VERSION, '-V, --version', 'print the version')
    .helpOption('-h, --help', 'print this help')
    .helpCommand('help [command]', 'print a command’s help')
    .showHelpAfterError(false)
    .addHelpText(
      'after',
      `
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
Exit codes: 0 done, 1 a check found something, 2 wrong input, 3 something outside failed, 70 an internal error.`,
    );

  hosts(
    program
      .command('begin')
      .description('look at a web app and write hull.json, saying where each value came from')
      .argument('<folder or URL>', 'folder of built web files, or the address of a hosted app')
      .option('--id <app ID>', 'app ID: a domain of yours in reverse, such as example.saltmarsh.ferry')
      .option('--name <text>', 'full name of the app')
      .option('--short-name <text>', 'label under the icon')
      .option('--app-version <version>', 'version that users read, such as 1.4.0')
      .option('--build <number>', 'version code: an integer that only rises')
      .option('--web-url <URL>', 'where the packed folder is hosted too')
      .option('--start <path>', 'first page, such as /?from=app')
      .option('--icon <file>', 'SVG or PNG to make the icons from')
      .addOption(new Option('--engine <engine>', 'what shows the pages').choices(['webview', 'browser']))
      .addOption(yesOption()),
  ).action(action(async () => (await import('./commands/begin.js')).begin));

  hosts(
    program
      .command('survey')
      .description('say what stands between a web app and a good native app, with place, reason and remedy')
      .argument('[folder or URL]', 'what to look at (default: the project’s folder, else its address)')
      .option(
        '--browser',
        'look with a real browser too: offline, errors, sizes, cutout (HULL_BROWSER names it)',
      )
      .addOption(
        new Option('--format <format>', 'how to report')
          .choices(['text', 'json', 'sarif', 'html'])
          .default('text'),
      )
      .option('--out <file>', 'write the report into a file')
      .addOption(
        new Option('--fail-on <severity>', 'exit with 1 from this severity on')
          .choices(['blocker', 'warning', 'advice', 'never'])
          .default('blocker'),
      )
      .option('--explain <rule>', 'print a rule’s whole reasoning; all lists every rule'),
  ).action(action(async () => (await import('./commands/survey.js')).survey));

  common(
    program
      .command('art')
      .description('make every icon and start-up image for web, Android and Apple from one picture')
      .option('--source <file>', 'SVG or PNG to make them from; named in hull.json as look.icon')
      .addOption(new Option('--only <target>', 'images of one target').choices(['web', 'android', 'apple']))
      .option('--list', 'print the plan: every image with its size and what asks for it')
      .option('--check', 'write nothing; exit with 1 where the disk is not as the plan has it'),
  ).action(action(async () => (await import('./commands/art.js')).art));

  common(
    program
      .command('tags')
      .description(
        'the head tags, manifest members and styles that make pages feel native, printed or put in place',
      )
      .argument('[pages...]', 'pages or templates (default: all of the web folder)')
      .option('--write', 'put them between two marks in each page, and add to the manifest what it lacks')
      .option('--check', 'write nothing; exit with 1 where a page is not as it should be')
      .option('--remove', 'take out what was put in place')
      .option('--jsx', 'print as JSX')
      .option('--base <path>', 'path that the site is served below (default: that of web.url)')
      .addOption(
        new Option('--zoom <choice>', 'off stops zooming, which low-vision users need')
          .choices(['free', 'off'])
          .default('free'),
      ),
  ).action(action(async () => (await import('./commands/tags.js')).tags));

  hosts(
    program
      .command('preview')
      .description('one page of what users will see: icon and label, start, questions, store listing')
      .option('--out <file>', 'page to write (default: out/preview.html, beside hull.json)')
      .option('--png <file>', 'write its picture too, as a browser shows it (HULL_BROWSER names one)')
      .option('--shots', 'take screenshots for manifest and store too, into art/shots of the web folder')
      .option('--fail-on-warning', 'exit with 1 where users will not see something as it was meant'),
  ).action(action(async () => (await import('./commands/preview.js')).preview));

  const keys = program.command('keys').description('signing identities: make, import, show, check, rotate');
  common(
    keys
      .command('new')
      .description('make a signing key and its certificate in a new keystore')
      .argument('[name]', 'name of the key in hull.json', 'release')
      .option('--file <file>', 'keystore to make (default: keys/<name>.p12)')
      .option('--common-name <text>', 'name in the certificate (default: the app’s name)')
      .option('--organization <text>', 'organization in the certificate')
      .option('--country <code>', 'country in the certificate: two capital letters')
      .addOption(
        new Option('--bits <number>', 'RSA key length').choices(['2048', '3072', '4096']).default('3072'),
      )
      .addOption(
        new Option('--curve <name>', 'an elliptic-curve key instead of RSA').choices(['P-256', 'P-384']),
      )
      .option('--years <number>', 'how long the certificate is valid, 27 at least', '30')
      .addOption(passwordOption())
      .addOption(yesOption()),
  ).action(action(async () => (await import('./commands/keys-new.js')).keysNew));
  common(
    keys
      .command('show')
      .description('print subject, validity and fingerprints of a signing certificate')
      .argument('[name]', 'name of the key in hull.json (default: the one that packages are signed with)')
      .option('--file <file>', 'show a keystore file that hull.json does not name')
      .addOption(passwordOption())
      .addOption(yesOption()),
  ).action(action(async () => (await import('./commands/keys-show.js')).keysShow));

  common(
    keys
      .command('import')
      .description('import a key from a keystore of any age and kind; the original is not touched')
      .argument('<file>', 'PKCS#12, JKS, JCEKS, PEM or DER file')
      .option('--as <name>', 'name of the key in hull.json', 'release')
      .option('--alias <alias>', 'which key, where the file holds several')
      .option('--certificate <file>', 'certificates, where the file holds a key alone')
      .option(
        '--old-password-file <file>',
        'password of the file (else HULL_OLD_KEY_PASSWORD, else the prompt)',
      )
      .option('--key-password-file <file>', 'password of the key, where it has one of its own')
      .addOption(passwordOption())
      .addOption(yesOption()),
  ).action(action(async () => (await import('./commands/keys-import.js')).keysImport));
  common(
    keys
      .command('check')
      .description('say whether keys are kept as they should be; exit with 1 where one is in danger')
      .option('--sheet <file>', 'write a backup sheet to print: fingerprints and uses, no secret')
      .addOption(passwordOption())
      .addOption(yesOption()),
  ).action(action(async () => (await import('./commands/keys-check.js')).keysCheck));
  common(
    keys
      .command('rotate')
      .description(
        'rotate a signing key: the old key vouches for the new one, and devices accept its updates',
      )
      .argument('<old>', 'name of the key that signs the app today')
      .argument('<new>', 'name of the key that follows')
      .option('--since <API level>', 'from which devices the new key counts: 28, or 33 and later', '33')
      .option(
        '--keeps <list>',
        'what the old key keeps: installed-data,shared-user-id,permission,auth,rollback; or nothing',
      )
      .addOption(passwordOption())
      .addOption(yesOption()),
  ).action(action(async () => (await import('./commands/keys-rotate.js')).keysRotate));

  common(
    program
      .command('sign')
      .description(
        'sign any APK or bundle again: aligned, with older signatures replaced; the original is not touched',
      )
      .argument('<package>', 'an .apk or .aab file from anyone')
      .option('--out <file>', 'file to write (default: beside it, with -signed behind its name)')
      .option('--key <name>', 'key of hull.json to sign with')
      .option('--v1', 'make a v1 (JAR) signature too, where no device would need it')
      .option('--verify-only', 'write nothing; exit with 1 where its signatures do not hold')
      .addOption(passwordOption())
      .addOption(yesOption()),
  ).action(action(async () => (await import('./commands/sign.js')).sign));

  const pack = program.command('pack').description('make signed packages, or a source project');
  common(
    pack
      .command('apk')
      .description('make a signed Android package, read it back, and say what is in it')
      .option('--out <dir>', 'folder for the package (default: out, beside hull.json)')
      .option('--key <name>', 'key of hull.json to sign with')
      .option(
        '--record',
        'write a bill of materials (CycloneDX) beside the package: every file with its hash',
      )
      .option('--verify-record <file>', 'write no package; exit with 1 where a rebuild differs from a record')
      .option('--skip-origin-check', 'browser engine: pack although the host does not name the key yet')
      .addOption(resolveOption('browser engine: '))
      .addOption(caOption('browser engine: '))
      .option('--from <bundle>', 'make it out of an .aab file: everything in it in one package, for trying')
      .option('--debuggable', 'let web inspectors attach; stores refuse such a package')
      .addOption(passwordOption())
      .addOption(yesOption()),
  ).action(action(async () => (await import('./commands/pack-apk.js')).packApkCommand));

  common(
    pack
      .command('aab')
      .description('make the store’s bundle, signed with the upload key, and read it back')
      .option('--out <dir>', 'folder for the bundle (default: out, beside hull.json)')
      .option('--key <name>', 'key of hull.json to sign with')
      .option(
        '--record',
        'write a bill of materials (CycloneDX) beside the package: every file with its hash',
      )
      .option('--verify-record <file>', 'write no package; exit with 1 where a rebuild differs from a record')
      .option('--skip-origin-check', 'browser engine: pack although the host does not name the key yet')
      .addOption(resolveOption('browser engine: '))
      .addOption(caOption('browser engine: '))
      .addOption(passwordOption())
      .addOption(yesOption()),
  ).action(action(async () => (await import('./commands/pack-apk.js')).packAabCommand));

  common(
    pack
      .command('android-project')
      .description('the same app as a source project that the platform’s usual build opens')
      .option('--out <dir>', 'folder for the project (default: out/android-project, beside hull.json)'),
  ).action(action(async () => (await import('./commands/android-project.js')).packAndroidProject));

  common(
    program
      .command('refit')
      .description(
        'bring an exported project, or the schema beside hull.json, up to date; your own edits are kept',
      )
      .argument('[folder]', 'what hull pack android-project made (default: the project itself)')
      .option('--check', 'write nothing; exit with 1 where something would change'),
  ).action(action(async () => (await import('./commands/android-project.js')).refit));

  common(
    program
      .command('inspect')
      .description('say what is in any APK or bundle, and whether its signatures verify')
      .argument('<package>', 'an .apk or .aab file')
      .option('--verify', 'exit with 1 where the signatures do not hold')
      .option('--html <file>', 'write a page with a map of sizes'),
  ).action(action(async () => (await import('./commands/inspect.js')).inspect));

  common(
    program
      .command('compare')
      .description(
        'say whether a store and a device would take one package as an update of another, and what changed',
      )
      .argument('<old>', 'the package that users have')
      .argument('<new>', 'the package that is to follow')
      .addOption(
        new Option('--format <format>', 'how to report; markdown is for a pull request')
          .choices(['text', 'markdown', 'json'])
          .default('text'),
      ),
  ).action(action(async () => (await import('./commands/compare.js')).compare));

  common(
    program
      .command('version')
      .description('show the version, or raise it with the build; never below what is packed already')
      .argument('[part or version]', 'major, minor, patch, build, or a version such as 2.0.0')
      .option('--against <package>', 'a package that users have: the build goes above its own'),
  ).action(action(async () => (await import('./commands/version.js')).version));

  common(
    program
      .command('install')
      .description('put a package on an attached device and start it; nothing is granted')
      .argument('[package]', 'an .apk file (default: the newest of out/)')
      .option('--device <serial>', 'which device, where several are attached')
      .option(
        '--bridge <host:port>',
        'where the debug bridge listens (else ANDROID_ADB_SERVER_PORT, else 5037)',
      )
      .option('--no-start', 'leave it closed')
      .option('--log', 'follow what the app logs until Ctrl-C'),
  ).action(action(async () => (await import('./commands/install.js')).install));

  const domains = program
    .command('domains')
    .description('links that open in the app: write the association documents, verify them, explain a link');
  const ofHosts = (command: Command) =>
    common(command)
      .addOption(resolveOption())
      .addOption(caOption())
      .option('--packages <dir>', 'folder of the packages to compare with (default: out, beside hull.json)')
      .option('--key <name>', 'key of hull.json that signs')
      .addOption(passwordOption());
  common(
    domains
      .command('write')
      .description('write every host’s association documents, merged into what is there')
      .option(
        '--out <dir>',
        'write each host’s below <dir>/<host> instead of into the folders that are served',
      )
      .option('--check', 'write nothing; exit with 1 where a document is not as it should be')
      .option('--debug', 'name the key of debuggable packages too; never for release')
      .option('--serving', 'print how servers are told to serve them')
      .option('--key <name>', 'key of hull.json that signs')
      .addOption(passwordOption())
      .addOption(yesOption()),
  ).action(action(async () => (await import('./commands/domains-write.js')).domainsWrite));
  ofHosts(
    domains
      .command('verify')
      .description(
        'ask hosts as devices do, and compare with hull.json and the packages; exit with 1 where one is not verified',
      )
      .argument('[host...]', 'hosts of hull.json (default: all)')
      .option('--local', 'look into the folders instead, before they are deployed')
      .option('--verifier <address>', 'also say what a stand-in still holds (hull drydock verifier)'),
  ).action(action(async () => (await import('./commands/domains-verify.js')).domainsVerify));
  ofHosts(
    domains
      .command('explain')
      .description('show which app opens a URL on each platform, and by which rule')
      .argument('[URL...]', 'URLs; more than five are shown as a table')
      .option('--steps', 'show every step on the way')
      .option('--from <file>', 'a file with one URL a line; - for standard input')
      .option(
        '--from-site',
        'the pages of the web folder and its sitemap; of a hosted app, with --live, its pages',
      )
      .option('--live', 'go by what the hosts serve now, instead of the folders'),
  ).action(action(async () => (await import('./commands/domains-explain.js')).domainsExplain));

  common(
    program
      .command('serve')
      .description('serve the web folder and its association documents on loopback; runs until Ctrl-C')
      .option('--https', 'with TLS too, from a certificate authority of this run alone')
      .option('--port <number>', 'port (default: any that is free)')
      .option('--no-qr', 'print no QR codes')
      .addOption(
        new Option(
          '--fault <fault>',
          'do something wrong, to see how the app and hull domains verify react',
        ).choices(['offline', 'slow', '404', '500', 'redirect', 'type']),
      ),
  ).action(action(async () => (await import('./commands/serve.js')).serve));

  const drydock = program.command('drydock').description('stand-ins on loopback, to try what needs a device');
  common(
    drydock
      .command('device')
      .description('a stand-in device: takes packages as a device would, or says why not; runs until Ctrl-C')
      .option('--port <number>', 'port of the debug bridge (default: 5037; 0 for any)')
      .option('--dir <dir>', 'folder that keeps what is installed (default: .hull/device)')
      .option('--serial <text>', 'its serial number (default: stand-in)')
      .option('--sdk <number>', 'its API level (default: 36)')
      .addOption(
        new Option('--state <state>', 'as the bridge lists it').choices([
          'device',
          'unauthorized',
          'offline',
        ]),
      ),
  ).action(action(async () => (await import('./commands/drydock-device.js')).drydockDevice));

  ofHosts(
    drydock
      .command('verifier')
      .description('a stand-in for what verifies links: a device, at install; a vendor’s cache, once a day')
      .option('--port <number>', 'port (default: any that is free)'),
  ).action(action(async () => (await import('./commands/drydock-verifier.js')).drydockVerifier));

  common(
    program
      .command('demo')
      .description('do the whole job on made-up data: survey, begin, keys, pack, inspect, domains')
      .argument('[folder]', 'folder to work in, made if it is not there (default: a new temporary one)'),
  ).action(action(async () => (await import('./commands/demo.js')).demo));

  common(
    program
      .command('completion')
      .description('print a script that completes commands and options in a shell')
      .addArgument(new Argument('<shell>', 'the shell').choices(['bash', 'zsh', 'fish'])),
  ).action(
    action(async () => {
      const { completion } = await import('./commands/completion.js');
      return (io: Io, options: CommonOptions, shell: Shell) => completion(io, options, shell, program);
    }),
  );

  addExamples(program, []);
  return program;
}

function addExamples(command: Command, path: readonly string[]): void {
  const examples = EXAMPLES[path.join(' ')];
  if (examples)
    command.addHelpText('after', `\nExamples:\n${examples.map((line) => `  ${line}`).join('\n')}`);
  for (const child of command.commands) addExamples(child, [...path, child.name()]);
}

/** Parser messages in this program's own form. */
function usageError(error: CommanderError): HullError {
  const message = error.message.replace(/^error: /, '').replace(/\n/g, ' ');
  return new HullError('cli.usage', message.charAt(0).toUpperCase() + message.slice(1), {
    remedy: 'See hull --help, or hull <command> --help.',
  });
}

function overrideExits(command: Command): void {
  command.exitOverride().configureOutput({ writeErr: () => undefined });
  for (const child of command.commands) overrideExits(child);
}

/** A reader such as `head` may close the pipe before everything is said; that is its right, and no fault. */
function allowClosedPipe(): void {
  process.stdout.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code !== 'EPIPE') throw error;
    process.exit();
  });
}

export async function run(argv: string[]): Promise<void> {
  allowClosedPipe();
  const program = build();
  overrideExits(program);
  try {
    if (argv.length <= 2) {
      program.outputHelp();
      return;
    }
    await program.parseAsync(argv);
  } catch (error) {
    if (error instanceof CommanderError && error.exitCode === 0) return;
    const io = makeIo({ json: argv.includes('--json'), color: !argv.includes('--no-color') }, stopSignal);
    // A group without its command (hull keys) answers with its help.
    if (error instanceof CommanderError && error.code === 'commander.help') {
      const group = program.commands.find((command) => command.name() === argv[2]);
      process.stderr.write((group ?? program).helpInformation());
      process.exitCode = 2;
      return;
    }
    process.exitCode = reportError(error instanceof CommanderError ? usageError(error) : error, io);
  }
}
