import { createHash, randomBytes } from 'node:crypto';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Database, openDatabase, type Row } from './database.js';
import {
  type Account,
  type AppState,
  buildsKey,
  EMPTY_APP,
  type Review,
  type StoredApp,
  type StoredEdit,
  type StoredProduct,
  type StoredResource,
  type StoreEvent,
} from './model.js';
import type { Order } from './orders.js';

const TABLES = [
  'CREATE TABLE IF NOT EXISTS apps (id TEXT PRIMARY KEY, owner TEXT NOT NULL, revision INTEGER NOT NULL, state TEXT NOT NULL)',
  'CREATE TABLE IF NOT EXISTS edits (id TEXT PRIMARY KEY, app TEXT NOT NULL, account TEXT NOT NULL, revision INTEGER NOT NULL, expires INTEGER NOT NULL, state TEXT NOT NULL)',
  'CREATE TABLE IF NOT EXISTS accounts (email TEXT PRIMARY KEY, key_id TEXT NOT NULL, public_key TEXT NOT NULL, owner TEXT NOT NULL, rights TEXT NOT NULL)',
  'CREATE TABLE IF NOT EXISTS reviews (app TEXT NOT NULL, track TEXT NOT NULL, builds TEXT NOT NULL, state TEXT NOT NULL, since INTEGER NOT NULL, due INTEGER, reason TEXT, PRIMARY KEY (app, track, builds))',
  'CREATE TABLE IF NOT EXISTS products (app TEXT NOT NULL, id TEXT NOT NULL, kind TEXT NOT NULL, value TEXT NOT NULL, offers TEXT NOT NULL, PRIMARY KEY (app, id))',
  'CREATE TABLE IF NOT EXISTS orders (token TEXT PRIMARY KEY, app TEXT NOT NULL, value TEXT NOT NULL)',
  'CREATE TABLE IF NOT EXISTS resources (id TEXT PRIMARY KEY, type TEXT NOT NULL, app TEXT NOT NULL, value TEXT NOT NULL)',
  'CREATE TABLE IF NOT EXISTS events (at INTEGER NOT NULL, text TEXT NOT NULL)',
];
const SHOWN_EVENTS = 60;
/** ms for which an edit stays open. */
export const EDIT_LIFETIME = 60 * 60_000;

const reviewOf = ({ track, builds, state, since, due, reason }: Row): Review => ({
  track: String(track),
  builds: String(builds),
  state: state as Review['state'],
  since: Number(since),
  due: due === null ? null : Number(due),
  reason: reason === null ? null : String(reason),
});

const resourceOf = ({ id, type, app, value }: Row): StoredResource => ({
  id: String(id),
  type: String(type),
  app: String(app),
  ...JSON.parse(String(value)),
});

/** Everything that the stand-in keeps: a database, and beside it the files that were uploaded, by their digests. */
export class Books {
  readonly #database: Database;
  readonly folder: string;

  private constructor(database: Database, folder: string) {
    this.#database = database;
    this.folder = folder;
  }

  static async open(folder: string): Promise<Books> {
    mkdirSync(join(folder, 'files'), { recursive: true });
    const database = await openDatabase(join(folder, 'store.sqlite'));
    for (const table of TABLES) database.run(table);
    return new Books(database, folder);
  }

  close(): void {
    this.#database.close();
  }

  fileOf(sha256: string): string {
    return join(this.folder, 'files', sha256);
  }

  /** Keeps bytes by their digests. */
  keep(bytes: Uint8Array): { readonly sha1: string; readonly sha256: string } {
    const of = (name: string) => createHash(name).update(bytes).digest('hex');
    const digests = { sha1: of('sha1'), sha256: of('sha256') };
    writeFileSync(this.fileOf(digests.sha256), bytes);
    return digests;
  }

  read(sha256: string): Buffer {
    return readFileSync(this.fileOf(sha256));
  }

  // Apps

  apps(): StoredApp[] {
    return this.#database.all('SELECT * FROM apps ORDER BY id').map(
      ({ id, owner, revision, state }): StoredApp => ({
        id: String(id),
        owner: String(owner),
        revision: Number(revision),
        state: JSON.parse(String(state)),
      }),
    );
  }

  app(id: string): StoredApp | undefined {
    return this.apps().find((one) => one.id === id);
  }

  createApp(id: string, owner: string): void {
    this.#database.run(
      'INSERT OR IGNORE INTO apps (id, owner, revision, state) VALUES (?, ?, 1, ?)',
      id,
      owner,
      JSON.stringify(EMPTY_APP),
    );
  }

  // Accounts

  account(email: string): Account | undefined {
    const [row] = this.#database.all('SELECT * FROM accounts WHERE email = ?', email);
    return (
      row && {
        email,
        keyId: String(row.key_id),
        publicKey: String(row.public_key),
        owner: String(row.owner),
        rights: row.rights === 'release' ? 'release' : 'look',
      }
    );
  }

  accounts(): Account[] {
    return this.#database
      .all('SELECT email FROM accounts ORDER BY rowid')
      .flatMap(({ email }) => this.account(String(email)) ?? []);
  }

  addAccount({ email, keyId, publicKey, owner, rights }: Account): void {
    this.#database.run(
      'INSERT OR REPLACE INTO accounts VALUES (?, ?, ?, ?, ?)',
      email,
      keyId,
      publicKey,
      owner,
      rights,
    );
  }

  // Edits

  /** Begins an edit; one that the same account has open ends. */
  beginEdit({ id: app, revision, state }: StoredApp, account: string, now: number): StoredEdit {
    const edit: StoredEdit = {
      id: randomBytes(8).toString('hex'),
      ...{ app, account, revision, state },
      expires: now + EDIT_LIFETIME,
    };
    this.#database.transaction(() => {
      this.#database.run('DELETE FROM edits WHERE account = ? AND app = ?', account, app);
      this.#database.run(
        'INSERT INTO edits VALUES (?, ?, ?, ?, ?, ?)',
        edit.id,
        app,
        account,
        revision,
        edit.expires,
        JSON.stringify(state),
      );
    });
    return edit;
  }

  edit(id: string): StoredEdit | undefined {
    const [row] = this.#database.all('SELECT * FROM edits WHERE id = ?', id);
    return (
      row && {
        id,
        app: String(row.app),
        account: String(row.account),
        revision: Number(row.revision),
        expires: Number(row.expires),
        state: JSON.parse(String(row.state)),
      }
    );
  }

  changeEdit(id: string, state: AppState): void {
    this.#database.run('UPDATE edits SET state = ? WHERE id = ?', JSON.stringify(state), id);
  }

  endEdit(id: string): void {
    this.#database.run('DELETE FROM edits WHERE id = ?', id);
  }

  /**
   * Publishes an edit: every other open edit of the app is then of an older revision.
   *
   * @param due when reviews of new releases end by themselves; `null` where a person decides
   * @param review `not sent`: they wait for a commit that sends them
   */
  commit(edit: StoredEdit, now: number, due: number | null, review: 'in review' | 'not sent'): void {
    const before = this.app(edit.app)?.state ?? EMPTY_APP;
    this.#database.transaction(() => {
      this.#database.run(
        'UPDATE apps SET state = ?, revision = revision + 1 WHERE id = ?',
        JSON.stringify(edit.state),
        edit.app,
      );
      this.endEdit(edit.id);
      if (review === 'in review') {
        this.#database.run(
          "UPDATE reviews SET state = 'in review', since = ?, due = ? WHERE app = ? AND state = 'not sent'",
          now,
          due,
          edit.app,
        );
      }
      for (const [track, releases] of Object.entries(edit.state.tracks)) {
        const old = new Set(
          (before.tracks[track] ?? []).filter(({ status }) => status !== 'draft').map(buildsKey),
        );
        for (const release of releases) {
          if (release.status === 'draft' || old.has(buildsKey(release))) continue;
          this.#database.run(
            'INSERT OR REPLACE INTO reviews VALUES (?, ?, ?, ?, ?, ?, NULL)',
            edit.app,
            track,
            buildsKey(release),
            review,
            now,
            due,
          );
        }
      }
    });
  }

  // Reviews

  reviews(app: string): Review[] {
    return this.#database.all('SELECT * FROM reviews WHERE app = ? ORDER BY since', app).map(reviewOf);
  }

  /** Puts a release into the queue. @param due as of {@link Books.commit} */
  addReview(
    app: string,
    { track, builds, since, due }: Pick<Review, 'track' | 'builds' | 'since' | 'due'>,
  ): void {
    this.#database.run(
      "INSERT OR REPLACE INTO reviews VALUES (?, ?, ?, 'in review', ?, ?, NULL)",
      ...[app, track, builds, since, due],
    );
  }

  waiting(): (Review & { readonly app: string })[] {
    return this.#database
      .all("SELECT * FROM reviews WHERE state = 'in review' ORDER BY since")
      .map((row) => ({ app: String(row.app), ...reviewOf(row) }));
  }

  decide(app: string, { track, builds }: Pick<Review, 'track' | 'builds'>, reason: string | null): void {
    this.#database.run(
      'UPDATE reviews SET state = ?, reason = ?, due = NULL WHERE app = ? AND track = ? AND builds = ?',
      reason === null ? 'published' : 'rejected',
      reason,
      app,
      track,
      builds,
    );
  }

  // Products

  products(app: string): StoredProduct[] {
    return this.#database.all('SELECT * FROM products WHERE app = ? ORDER BY rowid', app).map(
      ({ id, kind, value, offers }): StoredProduct => ({
        id: String(id),
        kind: kind as StoredProduct['kind'],
        value: JSON.parse(String(value)),
        offers: JSON.parse(String(offers)),
      }),
    );
  }

  keepProduct(app: string, { id, kind, value, offers }: StoredProduct): void {
    this.#database.run(
      'INSERT INTO products VALUES (?, ?, ?, ?, ?) ON CONFLICT (app, id) DO UPDATE SET value = excluded.value, offers = excluded.offers',
      ...[app, id, kind, JSON.stringify(value), JSON.stringify(offers)],
    );
  }

  // Orders

  orders(app: string): Order[] {
    return this.#database
      .all('SELECT value FROM orders WHERE app = ? ORDER BY rowid', app)
      .map(({ value }): Order => JSON.parse(String(value)));
  }

  keepOrder(order: Order): void {
    this.#database.run(
      'INSERT INTO orders VALUES (?, ?, ?) ON CONFLICT (token) DO UPDATE SET value = excluded.value',
      order.token,
      order.app,
      JSON.stringify(order),
    );
  }

  // Resources of Apple's store

  resources(type: string): StoredResource[] {
    return this.#database.all('SELECT * FROM resources WHERE type = ? ORDER BY rowid', type).map(resourceOf);
  }

  resource(id: string): StoredResource | undefined {
    return this.#database.all('SELECT * FROM resources WHERE id = ?', id).map(resourceOf)[0];
  }

  keepResource({ id, type, app, attributes, related }: StoredResource): void {
    this.#database.run(
      'INSERT INTO resources VALUES (?, ?, ?, ?) ON CONFLICT (id) DO UPDATE SET value = excluded.value',
      ...[id, type, app, JSON.stringify({ attributes, related })],
    );
  }

  removeResource(id: string): void {
    this.#database.run('DELETE FROM resources WHERE id = ?', id);
  }

  // Events

  note(at: number, text: string): void {
    this.#database.run('INSERT INTO events VALUES (?, ?)', at, text);
  }

  events(): StoreEvent[] {
    return this.#database
      .all('SELECT * FROM events ORDER BY rowid DESC LIMIT ?', SHOWN_EVENTS)
      .map(({ at, text }) => ({ at: Number(at), text: String(text) }));
  }
}
