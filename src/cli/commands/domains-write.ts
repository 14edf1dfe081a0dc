import { associatedDomains, type DocumentKind, scopeExtensions } from '../../core/domains/plan.js';
import {
  type PreparedDocument,
  prepareDocuments,
  prepareManifest,
  putDocuments,
} from '../../core/domains/put.js';
import { SERVING_RULES, servingAdvice } from '../../core/domains/serving.js';
import { shownHost } from '../../core/links/host.js';
import { repeatedRules } from '../../core/links/links.js';
import { type DomainOptions, type Gathered, gather } from '../domains.js';
import { columns, safe, wrap } from '../format.js';
import { type Io, outJson } from '../io.js';

export interface DomainsWriteOptions extends DomainOptions {
  readonly check?: boolean;
  readonly debug?: boolean;
  readonly serving?: boolean;
}

const KIND_TEXT: Readonly<Record<DocumentKind | 'manifest', string>> = {
  android: 'Android',
  apple: 'Apple',
  web: 'installed web app',
  manifest: 'web app manifest',
};

const STATE_TEXT: Readonly<Record<'write' | 'check', Readonly<Record<PreparedDocument['state'], string>>>> = {
  write: { new: 'wrote', changed: 'changed', same: 'same' },
  check: { new: 'missing', changed: 'differs', same: 'same' },
};

function documentsOf({ project, app, plans, web, site, folderOf }: Gathered, options: DomainsWriteOptions) {
  const documents = prepareDocuments(project, plans, folderOf);
  const wanted = scopeExtensions(app);
  const text = site?.manifest?.text;
  // A manifest elsewhere is only told of: --out leaves the web folder alone.
  if (web === undefined || text === undefined || wanted.length === 0 || options.out !== undefined)
    return documents;
  return [...documents, prepareManifest(web.manifest, text, wanted)];
}

/** What a document says of the app, in a few words. */
function about(kind: PreparedDocument['kind'], { ids, signers, app }: Gathered): string {
  switch (kind) {
    case 'android': {
      const count = signers.filter(({ role }) => role !== 'debug').length;
      return `${ids.android}, ${count} ${count === 1 ? 'certificate' : 'certificates'}`;
    }
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

function notes(io: Io, gathered: Gathered): void {
  const { paint } = io;
  const { project, app, ids, signers, plans, folderOf } = gathered;
  const note = (word: string, text: string) => io.note(`${word} ${wrap(text, 92, '     ')}`);
  for (const { host } of plans) {
    const folder = folderOf(host);
    if (folder.served) continue;
    const dir = safe(folder.dir);
    note(paint.dim('to do'), `Bring ${dir}/.well-known to the root of https://${shownHost(host)}.`);
  }
  if (ids.apple === undefined)
    note(paint.dim('Apple'), 'left out: set apple.team in hull.json to the team ID of ten characters.');
  if (project.config.android?.store_key === undefined) {
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
  for (const rule of SERVING_RULES) io.out(`  ${wrap(rule, 94, '  ')}`);
  for (const { title, text } of servingAdvice()) {
    io.out(`\n${io.paint.bold(title)}`);
    for (const line of text.split('\n')) io.out(`    ${line}`);
  }
}

export async function domainsWrite(io: Io, options: DomainsWriteOptions): Promise<number> {
  const gathered = await gather(io, options, options.debug ? 'debug-too' : 'ask');
  const documents = documentsOf(gathered, options);
  const isCheck = options.check ?? false;
  if (!isCheck) await putDocuments(documents);
  const differing = documents.filter(({ state }) => state !== 'same');
  const code = isCheck && differing.length > 0 ? 1 : 0;
  const entitlement = {
    release: associatedDomains(gathered.app, gathered.ids),
    developer: associatedDomains(gathered.app, gathered.ids, 'developer'),
  };
  if (io.json) {
    outJson(io, {
      check: isCheck,
      documents: documents.map(({ text: _text, ...rest }) => rest),
      certificates: gathered.signers,
      apps: gathered.ids,
      associatedDomains: entitlement,
    });
    return code;
  }
  const words = STATE_TEXT[isCheck ? 'check' : 'write'];
  io.out(
    columns(
      documents.map(({ kind, file, state }) => [
        state === 'same'
          ? io.paint.dim(words.same)
          : isCheck
            ? io.paint.bad(words[state])
            : io.paint.good(words[state]),
        safe(file),
        io.paint.dim(`${KIND_TEXT[kind]}: ${safe(about(kind, gathered))}`),
      ]),
      [],
      '',
    ),
  );
  if (io.verbose && entitlement.release.length > 0) {
    io.out(`\n${io.paint.bold('Entitlement of the Apple app')} (com.apple.developer.associated-domains)`);
    for (const domain of entitlement.release) io.out(`  ${domain}`);
    io.out(io.paint.dim(`  while developing: ${entitlement.developer.join(', ')}`));
  }
  if (isCheck) {
    if (code === 1) io.note(`${io.paint.dim('next')} hull domains write`);
    return code;
  }
  notes(io, gathered);
  if (options.serving) showServing(io);
  else
    io.note(
      `${io.paint.dim('next')} deploy, then hull domains verify; hull domains write --serving tells how servers have to serve them`,
    );
  return code;
}
