import { VerifierFetcher } from '../../core/domains/fetch-documents.js';
import { gatherDomains, verifierAccess } from '../../core/tasks/gather-domains.js';
import { startVerifier } from '../../drydock/verifier.js';
import type { OptionsOf } from '../define-command.js';
import { domainsOptions } from '../options/domains.js';
import { portNumber } from '../options/numbers.js';
import { safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit } from '../terminal/json.js';
import type { declare } from './drydock-verifier.js';

/** Runs until it is stopped. */
export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<void> {
  const own = domainsOptions(io, options);
  const app = () => gatherDomains({ ...own, certificates: 'if-known' });
  const { plans } = await app();
  const hosts = plans.map(({ host }) => host);
  const source = new VerifierFetcher(verifierAccess(own, hosts));
  const verifier = await startVerifier({
    port: portNumber(options.port, '--port', 0),
    source,
    hosts,
    app,
    onEvent: (text) => io.note(safe(text)),
  });
  const address = `http://127.0.0.1:${verifier.port}`;
  if (io.json) emit(io, 'drydock verifier', { address, hosts, token: verifier.token });
  else {
    io.out(`A stand-in for a device and a vendor’s cache answers at ${io.paint.bold(address)}`);
    const post = `curl -H 'Authorization: Bearer ${verifier.token}' -X POST`;
    io.out(`  ${post} ${address}/install`);
    io.out(`  curl '${address}/opens?url=https://${hosts[0]}/'`);
    io.out(`  ${post} '${address}/clock?hours=25'`);
  }
  io.note(`${io.paint.dim('next')} hull domains verify --verifier ${address}; Ctrl-C ends it`);
  await new Promise<void>((resolve) => {
    io.signal.addEventListener('abort', () => resolve(), { once: true });
  });
  await verifier.close();
  source.close();
}
