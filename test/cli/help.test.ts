import { execFileSync } from 'node:child_process';
import type { Command } from 'commander';
import { describe, expect, it } from 'vitest';
import { COMMANDS, GROUPS } from '../../src/cli/commands/all.js';
import { build } from '../../src/cli/program.js';
import { HULL, hull } from '../support/hull.js';

const examplesOf = new Map(COMMANDS.map(({ words, examples }) => [words, examples]));

/** What the program says of itself. */
describe('help', () => {
  it.each([...examplesOf])('of hull %s ends with examples that it takes', async (path, examples) => {
    const { code, out } = await hull([...path.split(' '), '--help']);
    expect(code).toBe(0);
    expect(examples.length).toBeGreaterThanOrEqual(2);
    expect(out.trimEnd().endsWith(examples.map((line) => `  ${line}`).join('\n'))).toBe(true);
    const known = out.match(/--[a-z][a-z-]*/g) ?? [];
    for (const line of examples) {
      expect(line).toContain(`hull ${path}`);
      const used = (line.match(/--[a-z][a-z-]*/g) ?? []).filter(
        (option) => !['--yes', '--json'].includes(option),
      );
      for (const option of used)
        expect(known.filter((one) => one === option).length, line).toBeGreaterThan(1);
    }
  });

  it.each(Object.keys(GROUPS))('of the group hull %s ends with examples of its commands', async (group) => {
    const { code, out } = await hull([group, '--help']);
    expect(code).toBe(0);
    const shown = out.split('Examples:\n')[1]?.trimEnd().split('\n') ?? [];
    expect(shown.length).toBeGreaterThanOrEqual(2);
    expect(shown.length).toBeLessThanOrEqual(3);
    for (const line of shown) expect(line).toContain(`hull ${group} `);
  });
});

/** docs/commands.md, from the declarations. */
function reference(): string {
  const program = build({} as never, () => undefined);
  const cell = (text: string) => text.replaceAll('|', '\\|').replaceAll('<', '&lt;');
  const helper = program.createHelp();
  const leaves = (command: Command): Command[] => {
    const inner = helper.visibleCommands(command).filter((child) => child.name() !== 'help');
    return inner.length > 0 ? inner.flatMap(leaves) : [command];
  };
  const path = (command: Command): string =>
    command.parent ? `${path(command.parent)} ${command.name()}` : command.name();
  const rows = (title: string, all: readonly { term: string; text: string }[]) =>
    all.length === 0
      ? []
      : [
          `| ${title} | Purpose |`,
          '|---|---|',
          ...all.map(({ term, text }) => `| \`${term.replaceAll('|', '\\|')}\` | ${cell(text)} |`),
          '',
        ];
  const everywhere = ['-C, --project', '--json', '--quiet', '--verbose', '--no-color', '-h, --help'];
  const isCommon = (term: string) => everywhere.some((common) => term.startsWith(common));
  const options = (command: Command) =>
    helper.visibleOptions(command).map((option) => ({
      term: helper.optionTerm(option),
      text: helper.optionDescription(option),
    }));
  const commands = leaves(program);
  return [
    '# Commands',
    '',
    'Made from what the program declares. `hull <command> --help` prints the same.',
    '',
    'Every command takes these options as well:',
    '',
    ...rows(
      'Option',
      options(commands[0] as Command).filter(({ term }) => isCommon(term)),
    ),
    ...commands.flatMap((command) => [
      `## ${path(command)}`,
      '',
      `${command.description().replace(/^./, (first) => first.toUpperCase())}.`,
      '',
      '```',
      ...(examplesOf.get(path(command).replace(/^hull /, '')) ?? []),
      '```',
      '',
      ...rows(
        'Argument',
        helper.visibleArguments(command).map((argument) => ({
          term: helper.argumentTerm(argument),
          text: helper.argumentDescription(argument),
        })),
      ),
      ...rows(
        'Option',
        options(command).filter(({ term }) => !isCommon(term)),
      ),
    ]),
  ].join('\n');
}

describe('docs/commands.md', () => {
  // Written by: npx vitest run test/cli/help.test.ts -u
  it('is what the program declares', async () => {
    await expect(reference()).toMatchFileSnapshot('../../docs/commands.md');
  });
});

describe('hull completion', () => {
  const complete = (...words: string[]) =>
    execFileSync(
      'bash',
      [
        '-c',
        // biome-ignore lint/suspicious/noTemplateCurlyInString: an array of bash, not a placeholder
        'source <("$0" "$1" completion bash); shift; COMP_WORDS=(hull "$@"); COMP_CWORD=$#; _hull; echo "${COMPREPLY[*]}"',
        process.execPath,
        HULL,
        ...words,
      ],
      { encoding: 'utf8' },
    )
      .trim()
      .split(' ');

  it('offers commands, their commands, options and choices in bash', () => {
    expect(complete('do')).toEqual(['domains']);
    expect(complete('keys', '')).toEqual(
      expect.arrayContaining(['new', 'import', 'show', 'check', 'rotate']),
    );
    expect(complete('keys', 'new', '--cu')).toEqual(['--curve']);
    expect(complete('keys', 'new', '--curve', '')).toEqual(['P-256', 'P-384']);
    expect(complete('pack', 'apk', '--skip')).toEqual(['--skip-origin-check']);
  });

  it('is made for zsh and fish too, and for no other', async () => {
    const zsh = await hull(['completion', 'zsh']);
    expect(zsh.out).toMatch(/^#compdef hull/);
    expect(zsh.out).toContain("'keys rotate')");
    const fish = await hull(['completion', 'fish']);
    expect(fish.out).toMatch(
      /complete -c hull -n '__fish_seen_subcommand_from keys; and __fish_seen_subcommand_from new' -l curve -xa 'P-256 P-384'/,
    );
    expect((await hull(['completion', 'tcl'])).code).toBe(2);
  });
});
