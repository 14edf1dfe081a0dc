import { readProject } from '../../core/project/project.js';
import type { ServedRequest } from '../../drydock/web-host.js';
import type { OptionsOf } from '../define-command.js';
import { loopback } from '../options/loopback.js';
import { portNumber } from '../options/numbers.js';
import { columns, duration, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import type { declare } from './serve.js';
import { type Serving, serveProject, verifyOptions } from './serving.js';

type ServeOptions = OptionsOf<typeof declare>;

function log(io: Io, { method, host, path, status, type, took }: ServedRequest): void {
  const { paint } = io;
  const time = new Date().toTimeString().slice(0, 8);
  const shown =
    status === 'closed'
      ? paint.warn('cut')
      : status < 400
        ? paint.good(String(status))
        : paint.warn(String(status));
  const what = type === '' ? '' : paint.dim(` ${type}`);
  io.note(
    `${paint.dim(time)} ${shown} ${method} ${safe(host)}${safe(path)}${what} ${paint.dim(duration(took))}`,
  );
}

/** A terminal's own colours may be the wrong way round for a camera; where colours can be set, they are. */
async function qrCode(io: Io, url: string): Promise<string> {
  const { default: code } = await import('qrcode');
  const isColoured = io.paint.bold('x') !== 'x';
  const kind = isColoured ? ({ type: 'terminal', small: true } as const) : ({ type: 'utf8' } as const);
  return code.toString(url, { ...kind, margin: 2, errorCorrectionLevel: 'L' });
}

/** Each address with its code below it, side by side: two above each other would not fit a window. */
async function codesInARow(io: Io, urls: readonly string[]): Promise<string> {
  const codes = await Promise.all(
    urls.map(async (url) => [io.paint.name(url), ...(await qrCode(io, url)).trimEnd().split('\n')]),
  );
  const height = Math.max(...codes.map((lines) => lines.length));
  const rows = Array.from({ length: height }, (_none, row) => codes.map((lines) => lines[row] ?? ''));
  return columns(rows);
}

async function show(io: Io, serving: Serving, options: ServeOptions): Promise<void> {
  const { paint } = io;
  const { folder, plain, secure } = serving;
  const fault = options.fault ? `, with the fault ${paint.warn(options.fault)}` : '';
  io.out(`Serving ${paint.bold(safe(folder))}${fault}`);
  const urls = (secure ? [plain, secure] : [plain]).map(({ url }) => url);
  if (options.qr === false) for (const url of urls) io.out(`  ${paint.name(url)}`);
  else io.out(await codesInARow(io, urls));
  if (secure === undefined) {
    io.note(`${paint.dim('next')} hull serve --https, to verify its association; Ctrl-C ends it`);
    return;
  }
  io.out(`  certificate for ${secure.names.join(', ')}`);
  io.out(`  from an authority of this run alone, installed nowhere: ${paint.bold(safe(secure.authority))}`);
  io.out(secure.pem.trimEnd());
  if (serving.hosts.length > 0)
    io.note(`${paint.dim('next')} hull domains verify ${safe(verifyOptions(serving))}; Ctrl-C ends it`);
}

/** Runs until it is stopped. */
export async function run(io: Io, options: ServeOptions): Promise<void> {
  const serving = await serveProject(readProject(options.project ?? '.'), {
    https: options.https ?? false,
    port: portNumber(options.port, '--port', 0),
    fault: options.fault,
    store: loopback(options.store, '--store'),
    backend: loopback(options.backend, '--backend'),
    onRequest: (request) => log(io, request),
  });
  try {
    const { folder, plain, secure, hosts } = serving;
    if (io.json)
      emit(io, 'serve', {
        folder: jsonPath(io, folder),
        hosts,
        http: plain,
        https: secure ? { ...secure, authority: jsonPath(io, secure.authority) } : null,
        fault: options.fault ?? null,
      });
    else await show(io, serving, options);
    await new Promise<void>((resolve) => {
      io.signal.addEventListener('abort', () => resolve(), { once: true });
    });
  } finally {
    await serving.close();
  }
}
