import { countBySeverity, reaches } from '../../core/finding.js';
import { formatMoney } from '../../core/store/catalog/money.js';
import type { ItemChange } from '../../core/store/catalog/plan.js';
import { checkCatalog, type SentCatalog, sendCatalog } from '../../core/tasks/send-catalog.js';
import { writeShop } from '../../core/tasks/write-shop.js';
import type { OptionsOf } from '../define-command.js';
import { storeLine, storeOptions } from '../options/store.js';
import { showFindings } from '../terminal/findings.js';
import { count, cut, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonLocation, jsonPath } from '../terminal/json.js';
import { locationText } from '../terminal/say-task.js';
import type { declareCheck, declareCompare, declareModule, declareSend } from './catalog.js';

const SHOWN = 60;

/** @returns 1 where there is an error */
export async function runCheck(io: Io, options: OptionsOf<typeof declareCheck>): Promise<number> {
  const { file, items, findings } = checkCatalog({ project: options.project });
  const fails = reaches(findings, 'error');
  if (io.json) {
    emit(
      io,
      'catalog check',
      {
        file: jsonPath(io, file),
        items,
        counts: countBySeverity(findings),
        findings: jsonFindings(io, findings),
      },
      !fails,
    );
    return fails ? 1 : 0;
  }
  if (findings.length === 0)
    io.out(`${io.paint.good('Nothing to fix')} in ${safe(file)}: ${count(items, 'item')}`);
  else showFindings(io, findings, '');
  if (!fails) io.note(`${io.paint.dim('next')} hull catalog compare`);
  return fails ? 1 : 0;
}

export async function runCompare(io: Io, options: OptionsOf<typeof declareCompare>): Promise<void> {
  const compared = await sendCatalog({
    ...storeOptions(io, options),
    project: options.project,
    mode: 'look',
  });
  tell(io, 'catalog compare', compared);
  if (!io.json && compared.changes.some(({ do: what }) => what !== 'leave'))
    io.note(`${io.paint.dim('next')} hull catalog send`);
}

export async function runSend(io: Io, options: OptionsOf<typeof declareSend>): Promise<void> {
  const sent = await sendCatalog({
    ...storeOptions(io, options),
    project: options.project,
    activate: options.activate,
    confirm: async (changes) => options.yes === true || (io.interactive && ask(io, changes)),
    onChange: (change) => {
      if (!io.json) io.note(`${io.paint.good('sent')} ${safe(change.item.id)}`);
    },
  });
  tell(io, 'catalog send', sent);
  const waiting = sent.changes.some(
    (one) => one.do === 'activate' || (one.do === 'create' && one.item.active),
  );
  if (!io.json && waiting && !options.activate)
    io.note(`${io.paint.dim('next')} hull catalog send --activate lets them be bought`);
}

async function ask(io: Io, changes: readonly ItemChange[]): Promise<boolean> {
  io.note(`${io.paint.warn('for good')} ${count(changes.length, 'change')} cannot be taken back:`);
  for (const change of changes) io.note(changeText(io, change));
  const { confirm } = await import('@inquirer/prompts');
  return confirm({ message: 'Send them?', default: false });
}

function itemText({ kind, price, period, trial }: ItemChange['item']): string {
  const every = period === undefined ? '' : ` every ${period}`;
  return `${kind}, ${price ? formatMoney(price) : 'no price'}${every}${trial === undefined ? '' : `, ${trial} free`}`;
}

function changeText(io: Io, change: ItemChange): string {
  const { paint } = io;
  const id = paint.bold(safe(change.item.id));
  switch (change.do) {
    case 'create':
      return `  ${paint.good('+')} ${id}  ${safe(itemText(change.item))}`;
    case 'update':
      return [
        `  ${paint.warn('~')} ${id}`,
        ...change.fields.map(
          ({ field, before, after, location }) =>
            `      ${safe(field)}  ${cut(safe(before ?? 'nothing'), SHOWN)} ${paint.dim('→')} ${cut(safe(after), SHOWN)}  ${paint.dim(safe(locationText(location)))}`,
        ),
      ].join('\n');
    case 'activate':
      return `  ${paint.good('▸')} ${id}  can be bought`;
    case 'deactivate':
      return `  ${paint.warn('▪')} ${id}  can no longer be bought; who has it keeps it`;
    case 'leave':
      return `  ${paint.dim('=')} ${id}  in the store only; it stays as it is`;
  }
}

function tell(io: Io, command: 'catalog compare' | 'catalog send', sent: SentCatalog): void {
  if (io.json) {
    emit(io, command, {
      store: sent.store,
      isStandIn: sent.isStandIn,
      file: jsonPath(io, sent.file),
      isSent: sent.isSent,
      changes: sent.changes.map((change) => ({
        id: change.item.id,
        do: change.do,
        fields:
          change.do === 'update'
            ? change.fields.map(({ field, before, after, location }) => ({
                field,
                before: before ?? null,
                after,
                location: jsonLocation(io, location),
              }))
            : [],
      })),
    });
    return;
  }
  io.out(storeLine(io, sent));
  const differ = sent.changes.filter(({ do: what }) => what !== 'leave');
  if (differ.length === 0) io.out(`${io.paint.good('Nothing differs')} from ${safe(sent.file)}`);
  else io.out(`${sent.isSent ? 'Sent' : 'Differs'}: ${count(differ.length, 'change')}`);
  for (const change of sent.changes) io.out(changeText(io, change));
}

export async function runModule(io: Io, options: OptionsOf<typeof declareModule>): Promise<void> {
  const { files } = await writeShop({ project: options.project, out: options.out });
  if (io.json) {
    emit(io, 'catalog module', {
      files: files.map(({ file, state }) => ({ file: jsonPath(io, file), state })),
    });
    return;
  }
  for (const { file, state } of files)
    io.out(`${state === 'written' ? io.paint.good(state) : io.paint.dim(state)} ${safe(file)}`);
  io.note(`${io.paint.dim('next')} import { openShop } from './shop.js'; hull serve --store tries it`);
}
