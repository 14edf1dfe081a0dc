import { liveDocument, liveFetcher } from '../domains/live-documents.js';
import { scopeExtensions } from '../domains/plan.js';
import { type PreparedDocument, prepareDocuments, prepareManifest, putDocuments } from '../domains/put.js';
import { associatedDomains } from '../links/associated-domains.js';
import {
  type DomainsOptions,
  type GatheredDomains,
  gatherDomains,
  verifierAccess,
} from './gather-domains.js';
import { accessOf } from './host-access.js';

export interface WriteDomainsOptions extends DomainsOptions {
  /** `skip` does not look at what hosts serve now, and merges only into files. */
  readonly liveDocuments?: 'skip' | undefined;
  /** Folder below which each host's documents are written, instead of those that are served. */
  readonly out?: string | undefined;
  /** `check` writes nothing. */
  readonly mode?: 'write' | 'check' | undefined;
  /** File of the key for debuggable packages, where that key is to be named too; never for release. */
  readonly debugKey?: string | undefined;
}

export interface WrittenDomains {
  readonly mode: 'write' | 'check';
  readonly documents: readonly Omit<PreparedDocument, 'text'>[];
  /** Addresses, without their scheme, whose live documents were merged, and why others were not. */
  readonly live: { readonly merged: readonly string[]; readonly missing: readonly string[] };
  /** Domains of the Apple app's entitlement, for release and while developing. */
  readonly associatedDomains: { readonly release: readonly string[]; readonly developer: readonly string[] };
  /** What the documents were made from. */
  readonly gathered: GatheredDomains;
}

/** What hosts serve now that serve no folder of the project, by host and path. */
async function liveDocuments(
  { project, plans, folderOf }: GatheredDomains,
  options: WriteDomainsOptions,
): Promise<{ readonly values: ReadonlyMap<string, unknown>; readonly missing: readonly string[] }> {
  const values = new Map<string, unknown>();
  const missing: string[] = [];
  const wanted = options.liveDocuments === 'skip' ? [] : plans.filter(({ host }) => !folderOf(host).served);
  if (wanted.length === 0) return { values, missing };
  const fetcher = liveFetcher(
    verifierAccess(
      accessOf(project, options),
      wanted.map(({ host }) => host),
    ),
  );
  try {
    for (const { host, documents } of wanted) {
      for (const { path } of documents) {
        const live = await liveDocument(fetcher, host, path);
        if (live.is === 'there') values.set(`${host}${path}`, live.value);
        else missing.push(live.because);
      }
    }
  } finally {
    fetcher.close();
  }
  return { values, missing };
}

function prepare(
  { project, app, plans, web, site, folderOf }: GatheredDomains,
  out: string | undefined,
  live: ReadonlyMap<string, unknown>,
) {
  const documents = prepareDocuments(project, plans, folderOf, (host, path) => live.get(`${host}${path}`));
  const wanted = scopeExtensions(app);
  const text = site?.manifest?.text;
  // With a folder for the documents the web folder is left alone.
  if (web === undefined || text === undefined || wanted.length === 0 || out !== undefined) return documents;
  return [...documents, prepareManifest(web.manifest, text, wanted)];
}

/**
 * Writes every host's association documents, merged into existing ones: entries of other apps are kept.
 *
 * @throws HullError `domains.*`, `config.*`, `keys.*`
 */
export async function writeDomains(options: WriteDomainsOptions): Promise<WrittenDomains> {
  const { mode = 'write' } = options;
  const gathered = await gatherDomains({ ...options, certificates: 'open' });
  const live = await liveDocuments(gathered, options);
  const documents = prepare(gathered, options.out, live.values);
  if (mode === 'write') await putDocuments(documents);
  const { app, ids } = gathered;
  const clip = ids.clip === undefined ? 'none' : 'has';
  const domainsOf = (of: 'release' | 'developer') =>
    ids.apple === undefined ? [] : associatedDomains(app.links, { clip, mode: of });
  return {
    mode,
    documents: documents.map(({ text: _text, ...rest }) => rest),
    live: { merged: [...live.values.keys()], missing: live.missing },
    associatedDomains: {
      release: domainsOf('release'),
      developer: domainsOf('developer'),
    },
    gathered,
  };
}
