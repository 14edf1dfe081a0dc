import { associatedDomains, scopeExtensions } from '../domains/plan.js';
import { type PreparedDocument, prepareDocuments, prepareManifest, putDocuments } from '../domains/put.js';
import { type DomainsOptions, type GatheredDomains, gatherDomains } from './gather-domains.js';

export interface WriteDomainsOptions extends DomainsOptions {
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
  /** Domains of the Apple app's entitlement, for release and while developing. */
  readonly associatedDomains: { readonly release: readonly string[]; readonly developer: readonly string[] };
  /** What the documents were made from. */
  readonly gathered: GatheredDomains;
}

function prepare({ project, app, plans, web, site, folderOf }: GatheredDomains, out: string | undefined) {
  const documents = prepareDocuments(project, plans, folderOf);
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
  const documents = prepare(gathered, options.out);
  if (mode === 'write') await putDocuments(documents);
  const { app, ids } = gathered;
  return {
    mode,
    documents: documents.map(({ text: _text, ...rest }) => rest),
    associatedDomains: {
      release: associatedDomains(app, ids),
      developer: associatedDomains(app, ids, 'developer'),
    },
    gathered,
  };
}
