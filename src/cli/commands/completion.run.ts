import type { Command } from 'commander';
import type { CommonOptions, Io } from '../terminal/io.js';

type Shell = 'bash' | 'zsh' | 'fish';

/** What can be typed behind a command, taken from its declaration. */
interface Node {
  /** Words of the command, as in `keys new`; empty for the program itself. */
  readonly path: string;
  readonly words: readonly { readonly text: string; readonly description: string }[];
  readonly choices: readonly { readonly option: string; readonly values: readonly string[] }[];
}

/** The first sentence of a description, as one line without quotation marks of the shells. */
const short = (text: string) => (text.split(/[;:.] | \(|\n/)[0] ?? '').replaceAll(/['"`$\\]/g, '’').trim();

function nodes(command: Command, path: readonly string[] = []): Node[] {
  const own = command.createHelp();
  const options = own.visibleOptions(command);
  const children = own.visibleCommands(command).filter((child) => child.name() !== 'help');
  const node: Node = {
    path: path.join(' '),
    words: [
      ...children.map((child) => ({ text: child.name(), description: short(child.description()) })),
      ...options.flatMap(({ long, description }) =>
        long ? [{ text: long, description: short(description) }] : [],
      ),
    ],
    choices: options.flatMap(({ long, argChoices }) =>
      long && argChoices ? [{ option: long, values: argChoices }] : [],
    ),
  };
  return [node, ...children.flatMap((child) => nodes(child, [...path, child.name()]))];
}

const names = (node: Node) => node.words.map(({ text }) => text).join(' ');

/** The longest command that the words typed so far name, in every shell: words that are no command are skipped. */
function bash(all: readonly Node[]): string {
  const cases = all.map((node) => `    '${node.path}') words='${names(node)}' ;;`);
  const choices = all.flatMap((node) =>
    node.choices.map(({ option, values }) => `    '${node.path} ${option}') words='${values.join(' ')}' ;;`),
  );
  const known = all.map(({ path }) => `'${path}'`).join('|');
  return `# Completion of hull for bash: source <(hull completion bash)
_hull() {
  local current=\${COMP_WORDS[COMP_CWORD]} before=\${COMP_WORDS[COMP_CWORD-1]} path='' next word words=''
  for word in "\${COMP_WORDS[@]:1:COMP_CWORD-1}"; do
    next="\${path:+$path }$word"
    case "$next" in ${known}) path=$next ;; esac
  done
  case "$path $before" in
${choices.join('\n')}
  esac
  if [ -z "$words" ]; then
    case "$path" in
${cases.join('\n')}
    esac
  fi
  COMPREPLY=($(compgen -W "$words" -- "$current"))
}
complete -o default -F _hull hull jolly-hull`;
}

function zsh(all: readonly Node[]): string {
  const cases = all.map((node) => {
    const words = node.words.map(
      ({ text, description }) => `'${text}:${description.replaceAll(':', '\\:')}'`,
    );
    return `    '${node.path}') candidates=(${words.join(' ')}) ;;`;
  });
  const known = all.map(({ path }) => `'${path}'`).join('|');
  return `#compdef hull jolly-hull
# Completion of hull for zsh: source <(hull completion zsh)
_hull() {
  local command='' next word
  local -a typed candidates
  typed=("\${(@)words[2,CURRENT-1]}")
  for word in $typed; do
    next="\${command:+$command }$word"
    case "$next" in ${known}) command=$next ;; esac
  done
  case "$command" in
${cases.join('\n')}
  esac
  _describe 'hull' candidates || _files
}
compdef _hull hull jolly-hull`;
}

function fish(all: readonly Node[]): string {
  const lines = all.flatMap((node) => {
    const steps = node.path === '' ? [] : node.path.split(' ');
    const condition =
      steps.length === 0
        ? '__fish_use_subcommand'
        : steps.map((step) => `__fish_seen_subcommand_from ${step}`).join('; and ');
    return node.words.map(({ text, description }) => {
      const what = text.startsWith('--') ? `-l ${text.slice(2)}` : `-a ${text}`;
      const values = node.choices.find(({ option }) => option === text)?.values;
      const argument = values === undefined ? '' : ` -xa '${values.join(' ')}'`;
      return `complete -c hull -n '${condition}' ${what}${argument} -d '${description}'`;
    });
  });
  return `# Completion of hull for fish: hull completion fish | source\n${lines.join('\n')}`;
}

const SCRIPTS: Readonly<Record<Shell, (all: readonly Node[]) => string>> = { bash, zsh, fish };

/** Prints a script that completes commands and options, made from what the program declares. */
export async function run(io: Io, _options: CommonOptions, shell: Shell): Promise<void> {
  io.out(SCRIPTS[shell](nodes(io.program)));
}
