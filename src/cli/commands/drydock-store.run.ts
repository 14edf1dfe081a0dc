import { join } from 'node:path';
import { HullError } from '../../core/errors.js';
import { readProject } from '../../core/project/project.js';
import { forgetStandIn, noteStandIn, runningStandIn } from '../../core/store/stand-in.js';
import { trustedRoot } from '../../core/tasks/apple-signing.js';
import { startStore } from '../../drydock/store/store.js';
import type { OptionsOf } from '../define-command.js';
import { portNumber } from '../options/numbers.js';
import { safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import type { declare } from './drydock-store.js';

const UNITS: Readonly<Record<string, number>> = { ms: 1, s: 1000, m: 60_000, h: 3_600_000 };

/** ms of a time as people write it. Throws `cli.usage`. */
function milliseconds(text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  const match = /^(\d+)(ms|s|m|h)$/.exec(text);
  if (match) return Number(match[1]) * (UNITS[match[2] ?? ''] ?? 1);
  throw new HullError('cli.usage', `"${text}" is not a time.`, {
    location: { option: '--review' },
    fix: 'Write it as --review 30s, 5m or 1h',
  });
}

/** Runs until it is stopped. */
export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<void> {
  const review = milliseconds(options.review);
  const project = readProject(options.project ?? '.');
  const { id } = project.settings.android;
  const appleId = project.settings.apple.id;
  const running = options.state === undefined ? runningStandIn(project.dir) : undefined;
  if (running) {
    throw new HullError('file.locked', `A stand-in runs for this project already, at ${running.address}.`, {
      location: { file: join(project.dir, '.hull/store') },
      fix: 'Stop it first, or give this one a state of its own with --state.',
    });
  }
  const store = await startStore({
    port: portNumber(options.port, '--port', 0),
    folder: options.state ?? join(project.dir, '.hull/store'),
    apps: [id],
    appleApps: [appleId],
    appleRoot: trustedRoot(project).root,
    review,
    reject: options.reject,
    fault: options.fault,
    notify: options.notify,
    onEvent: (text) => io.note(safe(text)),
  });
  const { address, accounts, apple } = store;
  const [android = ''] = accounts;
  const [appleKey = ''] = apple.files;
  await noteStandIn(project.dir, {
    address,
    accounts: { android, apple: appleKey },
    issuer: apple.issuer,
    pid: process.pid,
  });
  if (io.json) {
    emit(io, 'drydock store', {
      address,
      app: id,
      accounts: accounts.map((file) => jsonPath(io, file)),
      apple: {
        app: appleId,
        issuer: apple.issuer,
        otherIssuer: apple.otherIssuer,
        accounts: apple.files.map((file) => jsonPath(io, file)),
      },
      review: review ?? null,
    });
  } else {
    io.out(`A stand-in for both stores answers at ${io.paint.bold(address)}`);
    io.out(
      `  Open it in a browser: tracks, listing, review queue. It has the app ${id}${appleId === id ? '' : `, and ${appleId} for Apple`}.`,
    );
    io.out(
      review === undefined
        ? '  Releases wait until you approve or reject them there.'
        : `  A review takes ${options.review}${options.reject === undefined ? '' : ', and ends with a rejection'}.`,
    );
  }
  io.note(`${io.paint.dim('next')} hull release send --to internal; Ctrl-C ends it`);
  await new Promise<void>((resolve) => {
    io.signal.addEventListener('abort', () => resolve(), { once: true });
  });
  await forgetStandIn(project.dir);
  await store.close();
}
