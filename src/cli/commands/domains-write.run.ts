import { resolve } from 'node:path';
import { scopeExtensions } from '../../core/domains/plan.js';
import type { PreparedDocument } from '../../core/domains/put.js';
import { SERVING_RULES, servingAdvice } from '../../core/domains/serving.js';
import { shownHost } from '../../core/links/host.js';
import { repeatedRules } from '../../core/links/links.js';
import type { GatheredDomains } from '../../core/tasks/gather-domains.js';
import { writeDomains } from '../../core/tasks/write-domains.js';
import type { OptionsOf } from '../define-command.js';
import { debugKeyFile } from '../options/debug-key.js';
import { hostAccess } from '../options/site.js';
import { columns, count, labelled, safe, wrap } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import { passwordOf } from '../terminal/passwords.js';
import type { declare } from './domains-write.js';

const KIND_TEXT: Readonly<Record<PreparedDocument['kind'], string>> = {
  android: 'Android',
  apple: 'Apple',
  web: 'installed web app',
  manifest: 'web app manifest',
};

const STATE_TEXT: Readonly<Record<'write' | 'check', Readonly<Record<PreparedDocument['state'], string>>>> = {
  write: { new: 'wrote', changed: 'changed', same: 'same' },
  check: { new: 'missing', changed: 'differs', same: 'same' },
};

/** What a document says of the app, in a few words. */
function about(kind: PreparedDocument['kind'], { ids, signers, app }: GatheredDomains): string {
  switch (kind) {
    case 'android':
      return `${ids.android}, ${count(signers.filter(({ role }) => role !== 'debug').length, 'certificate')}`;
    case 'apple':
      return ids.apple ?? '';
    case 'web':
      return ids.web ?? '';
    default:
      return `scope_extensions: ${scopeExtensions(app)
        .map(({ origin }) => origin)
        .join(', ')}`;
  }
}

function notes(io: Io, { project, app, ids, signers, plans, folderOf }: GatheredDomains): void {
  const { paint } = io;
  const note = (word: string, text: string) => io.note(labelled(word, text, io.width));
  for (const { host } of plans) {
    const folder = folderOf(host);
    if (folder.served) continue;
    note(
      paint.dim('to do'),
      `Bring ${safe(folder.dir)}/.well-known to the root of https://${shownHost(host)}.`,
    );
  }
  if (ids.apple === undefined)
    note(paint.dim('Apple'), 'left out: set apple.team in hull.json to the team ID of ten characters.');
  if (project.settings.android.store_key === undefined) {
    note(
      paint.warn('store'),
      `Only ${signers.map(({ name }) => `"${name}"`).join(', ')} is listed. A store that signs with a key of its own needs that one too: save its certificate, name it under keys and in android.store_key.`,
    );
  }
  for (const { host, rules } of app.links) {
    for (const { rule, by } of repeatedRules(rules)) {
      note(paint.dim('links'), `${host}: ${rule.pattern} says nothing that ${by.pattern} does not say.`);
    }
  }
  for (const { name } of signers.filter(({ role }) => role === 'debug'))
    note(
      paint.warn('debug'),
      `The key "${name}" is listed for ${ids.android}.debug: take it out before release.`,
    );
}

function showServing(io: Io): void {
  io.out(`\n${io.paint.bold('What the server has to do')}`);
  for (const rule of SERVING_RULES) io.out(`  ${wrap(rule, io.width - 4, '  ')}`);
  for (const { title, text } of servingAdvice()) {
    io.out(`\n${io.paint.bold(title)}`);
    for (const line of text.split('\n')) io.out(`    ${line}`);
  }
  io.out('\nAfter the deployment, hull domains verify says whether it arrived.');
}

export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<number> {
  const { documents, live, associatedDomains, gathered } = await writeDomains({
    project: options.project,
    key: options.key,
    password: passwordOf(io, options),
    out: options.out === undefined ? undefined : resolve(options.out),
    mode: options.check ? 'check' : 'write',
    debugKey: options.debug ? debugKeyFile(io.env) : undefined,
    ...hostAccess(io, options),
    ...(options.skipLive ? { liveDocuments: 'skip' as const } : {}),
  });
  const isCheck = options.check ?? false;
  const ok = !isCheck || documents.every(({ state }) => state === 'same');
  if (io.json) {
    const document = {
      check: isCheck,
      documents: documents.map((one) => ({ ...one, file: jsonPath(io, one.file) })),
      live,
      certificates: gathered.signers,
      apps: gathered.ids,
      associatedDomains,
    };
    emit(io, 'domains write', document, ok);
    return ok ? 0 : 1;
  }
  const words = STATE_TEXT[isCheck ? 'check' : 'write'];
  const paintState = (state: PreparedDocument['state']) =>
    state === 'same'
      ? io.paint.dim(words.same)
      : isCheck
        ? io.paint.bad(words[state])
        : io.paint.good(words[state]);
  io.out(
    columns(
      documents.map(({ kind, file, state }) => [
        paintState(state),
        safe(file),
        io.paint.dim(`${KIND_TEXT[kind]}: ${safe(about(kind, gathered))}`),
      ]),
      [],
      '',
    ),
  );
  if (io.verbose && associatedDomains.release.length > 0) {
    io.out(`\n${io.paint.bold('Entitlement of the Apple app')} (com.apple.developer.associated-domains)`);
    for (const domain of associatedDomains.release) io.out(`  ${domain}`);
    io.out(io.paint.dim(`  while developing: ${associatedDomains.developer.join(', ')}`));
  }
  if (isCheck) {
    if (!ok) io.note(`${io.paint.dim('next')} hull domains write`);
    return ok ? 0 : 1;
  }
  for (const address of live.merged) {
    io.note(labelled(io.paint.dim('live'), `merged into what https://${safe(address)} serves now`, io.width));
  }
  for (const because of live.missing) {
    io.note(labelled(io.paint.dim('live'), `nothing to merge: ${safe(because)}`, io.width));
  }
  notes(io, gathered);
  if (options.serving) showServing(io);
  else
    io.note(
      `${io.paint.dim('next')} deploy, then hull domains verify; hull domains write --serving prints server settings`,
    );
  return 0;
}
