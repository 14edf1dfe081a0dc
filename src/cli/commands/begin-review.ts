import { existsSync } from 'node:fs';
import { resolve } from 'node:path';
import { BEGIN_KEYS, type BeginKey, CHOICES_OF, checkAnswer, NEEDED_KEYS } from '../../core/begin/values.js';
import { HullError, type Location } from '../../core/errors.js';
import type { ProjectDraft } from '../../core/tasks/begin-project.js';
import { cut, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';

/** What the question for an optional value says of leaving it out. */
const LEAVE_OUT = 'a single - leaves it out';

/** One line of the draft: what it is, what it says, where that is from, and how it is changed. */
interface DraftLine {
  readonly name: string;
  readonly value: string;
  readonly origin: string;
  /** `undefined` where someone thought better of it. */
  change(io: Io, draft: ProjectDraft): Promise<ProjectDraft | undefined>;
}

const contextOf = (io: Io) => ({ output: process.stderr, signal: io.signal });

/** What is wrong with a value, as it is typed. */
export function faultOf(key: BeginKey, value: string, location: Location): string | undefined {
  try {
    checkAnswer(key, value, location);
    return undefined;
  } catch (error) {
    if (error instanceof HullError) return error.message;
    throw error;
  }
}

const ANSWER = 'your answer';

/** An answer as it counts: a dash for nothing. */
const leftOut = (text: string) => (text.trim() === '-' ? '' : text.trim());

async function typed(
  io: Io,
  message: string,
  value: string,
  validate: (text: string) => string | true,
): Promise<string> {
  const { input } = await import('@inquirer/prompts');
  const text = await input(
    // The value can be changed where it is.
    {
      message,
      ...(value === '' ? {} : { default: value, prefill: 'editable' as const }),
      validate: (one) => validate(leftOut(one)),
    },
    contextOf(io),
  );
  return leftOut(text);
}

async function chosen(io: Io, message: string, value: string, choices: readonly string[]): Promise<string> {
  const { select } = await import('@inquirer/prompts');
  return select(
    { message, default: value, choices: choices.map((one) => ({ name: one, value: one })) },
    contextOf(io),
  );
}

function valueLine(io: Io, key: BeginKey, { found }: ProjectDraft): DraftLine {
  const { value = '', origin = '' } = found.get(key) ?? {};
  const isNeeded = NEEDED_KEYS.has(key);
  const ask = () => {
    const choices = CHOICES_OF[key];
    if (choices) return chosen(io, key, value, choices);
    return typed(io, isNeeded ? key : `${key} (${LEAVE_OUT})`, value, (text) => {
      if (text === '') return isNeeded ? 'There has to be one.' : true;
      if (key === 'look.icon' && !existsSync(resolve(io.projectDir, text)))
        return 'There is no such file; its path is relative to hull.json.';
      return faultOf(key, text, { option: key }) ?? true;
    });
  };
  return {
    name: key,
    value,
    origin,
    change: async (_io, draft) => {
      const text = await ask();
      if (text === value) return undefined;
      const next = new Map(draft.found);
      if (text === '') next.delete(key);
      else next.set(key, { value: text, origin: ANSWER });
      return { ...draft, found: next };
    },
  };
}

function permissionLines({ permissions }: ProjectDraft): DraftLine[] {
  return permissions.map(({ name, reason, origin }) => ({
    name: `permissions.${name}`,
    value: reason,
    origin,
    change: async (io, draft) => {
      const text = await typed(io, `Reason that users read for ${name} (${LEAVE_OUT})`, reason, () => true);
      if (text === reason) return undefined;
      return {
        ...draft,
        permissions: draft.permissions.flatMap((one) =>
          one.name !== name ? [one] : text === '' ? [] : [{ ...one, reason: text, origin: ANSWER }],
        ),
      };
    },
  }));
}

function linkLines({ links }: ProjectDraft): DraftLine[] {
  return links.map(({ host, paths, origin }) => ({
    name: 'links',
    value: `${host} ${paths.join(' ')}`,
    origin,
    change: async (io, draft) => {
      const text = await typed(
        io,
        `Paths of ${host} whose links open in the app, with spaces between (${LEAVE_OUT})`,
        paths.join(' '),
        (given) => {
          const wrong = given.split(/\s+/).find((one) => one !== '' && !/^!?\//.test(one));
          return wrong === undefined
            ? true
            : `"${wrong}" is not a path: begin it with a slash, as in /timetable/*`;
        },
      );
      const next = text.split(/\s+/).filter((one) => one !== '');
      if (next.join(' ') === paths.join(' ')) return undefined;
      return {
        ...draft,
        links: draft.links.flatMap((one) =>
          one.host !== host ? [one] : next.length === 0 ? [] : [{ ...one, paths: next, origin: ANSWER }],
        ),
      };
    },
  }));
}

function entryLines({ entries }: ProjectDraft): DraftLine[] {
  const shortcuts = entries.shortcuts.map(
    ({ name, url }): DraftLine => ({
      name: 'shortcuts',
      value: `${name} ${url}`,
      origin: entries.origin,
      change: async (io, draft) => {
        const text = await typed(
          io,
          `Name of the shortcut to ${url} (${LEAVE_OUT})`,
          name,
          (given) => given.length <= 60 || 'At most 60 characters.',
        );
        if (text === name) return undefined;
        const all = draft.entries.shortcuts.flatMap((one) =>
          one.url !== url || one.name !== name ? [one] : text === '' ? [] : [{ ...one, name: text }],
        );
        return { ...draft, entries: { ...draft.entries, shortcuts: all } };
      },
    }),
  );
  const { share } = entries;
  if (!share) return shortcuts;
  const target: DraftLine = {
    name: 'share_target',
    value: share.action,
    origin: entries.origin,
    change: async (io, draft) => {
      const { confirm } = await import('@inquirer/prompts');
      const keeps = await confirm(
        { message: `May other apps share with ${share.action}?`, default: true },
        contextOf(io),
      );
      return keeps ? undefined : { ...draft, entries: { ...draft.entries, share: undefined } };
    },
  };
  return [...shortcuts, target];
}

function linesOf(io: Io, draft: ProjectDraft): DraftLine[] {
  return [
    ...BEGIN_KEYS.filter((key) => key !== 'web.folder').map((key) => valueLine(io, key, draft)),
    ...permissionLines(draft),
    ...linkLines(draft),
    ...entryLines(draft),
  ];
}

/** Where a value is from, in words. */
export function originText(origin: string): string {
  return origin === '' || /^(default|given|your|the (pages|browser)|hosted)/.test(origin)
    ? origin
    : `from ${origin}`;
}

/** Columns that a list needs beside its text: the cursor, and a margin. */
const BESIDE = 4;

/**
 * Shows every value in a list; each can be changed in place, and each change undone, as often as wanted. A value that is not
 * changed keeps its origin.
 */
export async function reviewDraft(io: Io, given: ProjectDraft): Promise<ProjectDraft> {
  const { select, Separator } = await import('@inquirer/prompts');
  const history: ProjectDraft[] = [];
  let draft = given;
  let at: string | undefined;
  for (;;) {
    const lines = linesOf(io, draft);
    const key = Math.max(...lines.map(({ name }) => name.length));
    const room = io.width - BESIDE - key - 2;
    const choice = await select<string>(
      {
        message: 'Write hull.json with these values?',
        loop: false,
        pageSize: 18,
        ...(at === undefined ? {} : { default: at }),
        choices: [
          { name: 'Yes, write it', value: 'write' },
          ...(history.length > 0 ? [{ name: 'Undo the last change', value: 'undo' }] : []),
          { name: 'No, write nothing', value: 'stop' },
          new Separator('Or change a value:'),
          ...lines.map(({ name, value, origin }, index) => ({
            name: `${name.padEnd(key)}  ${safe(cut(value === '' ? '–' : value, room))}`,
            value: String(index),
            short: name,
            description: safe(originText(origin)),
          })),
        ],
      },
      contextOf(io),
    );
    at = undefined;
    if (choice === 'write') return draft;
    if (choice === 'stop') {
      throw new HullError('cli.cancelled', 'Nothing was written.', {
        fix: 'Run the command again when the values are known.',
      });
    }
    if (choice === 'undo') draft = history.pop() ?? draft;
    else {
      const changed = await lines[Number(choice)]?.change(io, draft);
      if (changed) history.push(draft);
      draft = changed ?? draft;
      at = 'write';
    }
  }
}
