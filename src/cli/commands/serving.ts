import { join } from 'node:path';
import { resolveApp } from '../../core/app/app.js';
import { artFolders } from '../../core/art/project-art.js';
import { folderOfHost } from '../../core/domains/put.js';
import { documentHost } from '../../core/links/host.js';
import type { Project } from '../../core/project/project.js';
import { replaceFile, shownPath } from '../../core/util/files.js';
import { throwAwayAuthority } from '../../drydock/authority.js';
import { type Fault, type ServedRequest, startWebHost, type WebHost } from '../../drydock/web-host.js';

/** Where the certificate of a run's authority is put; its key is nowhere. */
const AUTHORITY_FILE = '.hull/serve-ca.pem';

export interface ServingOptions {
  readonly https: boolean;
  readonly port: number;
  readonly fault: Fault | undefined;
  /** Base address of a stand-in store that pages can buy from. */
  readonly store?: string | undefined;
  /** Server that answers what is below `/api/`. */
  readonly backend?: string | undefined;
  readonly onRequest: (request: ServedRequest) => void;
}

/** A project's pages and documents on loopback. */
export interface Serving {
  readonly folder: string;
  readonly plain: { readonly url: string; readonly port: number };
  readonly secure:
    | {
        readonly url: string;
        readonly port: number;
        /** What the certificate is for. */
        readonly names: readonly string[];
        /** File of the authority's certificate. */
        readonly authority: string;
        readonly pem: string;
      }
    | undefined;
  /** Hosts that are answered for. */
  readonly hosts: readonly string[];
  close(): Promise<void>;
}

/**
 * Serves a project's web folder, and the documents of every host of its links. Of an app that is hosted elsewhere it serves what is
 * to be brought to its host: these documents, and images below `art/`.
 *
 * @throws HullError `serve.port-taken`
 */
export async function serveProject(project: Project, options: ServingOptions): Promise<Serving> {
  const app = await resolveApp(project);
  const folder = app.folder?.dir;
  const upload = artFolders(project).web;
  const shown = folder ?? upload;
  const linked = app.links.flatMap(({ host }) =>
    host.startsWith('*.') ? [host, documentHost(host)] : [host],
  );
  const named = [...new Set([...(app.hosted ? [app.base.hostname] : []), ...linked])];
  const hosts = [...new Set(named.map(documentHost))];
  const [own] = hosts;
  const shared = {
    folder,
    ...(folder !== undefined ? {} : { mounts: new Map([['art', upload]]) }),
    // It is the host: there is no other to ask.
    answers: { ...(app.answers ?? { base: app.base.pathname }), network: false },
    names: named,
    // Asked by an address of this machine, it is the app's own host.
    documentsOf: (host: string) => {
      const wanted = hosts.includes(host) ? host : own;
      return wanted === undefined ? shown : folderOfHost(project, wanted, undefined).dir;
    },
    ...(options.fault ? { fault: options.fault } : {}),
    ...(options.store === undefined
      ? {}
      : { shop: { address: options.store, app: project.settings.android.id } }),
    ...(options.backend === undefined ? {} : { backend: options.backend }),
    onRequest: options.onRequest,
  };
  const running: WebHost[] = [];
  const close = async () => void (await Promise.all(running.map((one) => one.close())));
  try {
    let secure: Serving['secure'];
    if (options.https) {
      const authority = await throwAwayAuthority('Authority of one hull serve');
      const names = [...named, 'localhost', '127.0.0.1'];
      const certificate = await authority.issue(names);
      const host = await startWebHost({ ...shared, port: options.port, certificate });
      running.push(host);
      const file = join(project.dir, AUTHORITY_FILE);
      await replaceFile(file, new TextEncoder().encode(authority.pem));
      secure = {
        url: `https://127.0.0.1:${host.port}${app.base.pathname}`,
        port: host.port,
        names,
        authority: shownPath(file),
        pem: authority.pem,
      };
    }
    const host = await startWebHost({ ...shared, port: secure ? 0 : options.port });
    running.push(host);
    const plain = { url: `http://127.0.0.1:${host.port}${app.base.pathname}`, port: host.port };
    return { folder: shownPath(shown), plain, secure, hosts, close };
  } catch (error) {
    await close();
    throw error;
  }
}

/** What is typed to verify the hosts that are served here. */
export function verifyOptions({ hosts, secure }: Serving): string {
  if (secure === undefined) return '';
  const resolve = hosts.map((host) => `--resolve ${host}=127.0.0.1:${secure.port}`);
  return [...resolve, '--ca', secure.authority].join(' ');
}
