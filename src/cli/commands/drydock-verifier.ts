import { VerifierFetcher } from '../../core/domains/fetch-documents.js';
import { startVerifier } from '../../drydock/verifier.js';
import { type DomainOptions, fetcherOptions, gather } from '../domains.js';
import { safe } from '../format.js';
import { type Io, outJson } from '../io.js';
import { portNumber } from '../ports.js';

export interface DrydockVerifierOptions extends DomainOptions {
  readonly port?: string;
}

/** Runs until it is stopped. */
export async function drydockVerifier(io: Io, options: DrydockVerifierOptions): Promise<void> {
  const app = () => gather(io, options, 'if-known');
  const { plans } = await app();
  const hosts = plans.map(({ host }) => host);
  const source = new VerifierFetcher(fetcherOptions(options, hosts));
  const verifier = await startVerifier({
    port: portNumber(options.port, '--port', 0),
    source,
    hosts,
    app,
    onEvent: (text) => io.note(safe(text)),
  });
  const address = `http://127.0.0.1:${verifier.port}`;
  if (io.json) outJson(io, { address, hosts, token: verifier.token });
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
