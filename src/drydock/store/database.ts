import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname } from 'node:path';
import { temporaryBeside } from '../../core/util/files.js';
import { packagedPath } from '../../core/util/packaged.js';

export type SqlValue = string | number | null;
export type Row = Readonly<Record<string, SqlValue>>;

/** A small SQL database in one file. */
export interface Database {
  all(sql: string, ...values: readonly SqlValue[]): Row[];
  run(sql: string, ...values: readonly SqlValue[]): void;
  /** What is done inside happens as a whole, or not at all. */
  transaction<T>(work: () => T): T;
  close(): void;
}

/** The part of Node's own module (since 22.5) that is used. */
interface NodeSqlite {
  readonly DatabaseSync: new (
    file: string,
  ) => {
    exec(sql: string): void;
    prepare(sql: string): { all(...values: SqlValue[]): unknown[]; run(...values: SqlValue[]): unknown };
    close(): void;
  };
}

function nodeSqlite(): NodeSqlite | undefined {
  try {
    return createRequire(import.meta.url)('node:sqlite') as NodeSqlite;
  } catch {
    return undefined;
  }
}

function openNative({ DatabaseSync }: NodeSqlite, file: string): Database {
  const database = new DatabaseSync(file);
  database.exec('PRAGMA journal_mode = WAL; PRAGMA synchronous = NORMAL');
  return {
    all: (sql, ...values) => database.prepare(sql).all(...values) as Row[],
    run: (sql, ...values) => void database.prepare(sql).run(...values),
    transaction: (work) => {
      database.exec('BEGIN IMMEDIATE');
      try {
        const done = work();
        database.exec('COMMIT');
        return done;
      } catch (error) {
        database.exec('ROLLBACK');
        throw error;
      }
    },
    close: () => database.close(),
  };
}

/** SQLite as WebAssembly, for the versions of Node.js that have none: in memory, and written after each change. */
async function openPortable(file: string): Promise<Database> {
  const { default: initialize } = await import('sql.js');
  const wasm = readFileSync(packagedPath('dist/sql-wasm.wasm'));
  const { Database: Sql } = await initialize({ wasmBinary: Uint8Array.from(wasm).buffer });
  const database = new Sql(existsSync(file) ? readFileSync(file) : undefined);
  let depth = 0;
  const keep = () => {
    if (depth > 0) return;
    const temporary = temporaryBeside(file);
    writeFileSync(temporary, database.export());
    renameSync(temporary, file);
  };
  return {
    all: (sql, ...values) => {
      const statement = database.prepare(sql);
      try {
        statement.bind([...values]);
        const rows: Row[] = [];
        while (statement.step()) rows.push(statement.getAsObject() as Row);
        return rows;
      } finally {
        statement.free();
      }
    },
    run: (sql, ...values) => {
      database.run(sql, [...values]);
      keep();
    },
    transaction: (work) => {
      database.run('BEGIN');
      depth += 1;
      let isDone = false;
      try {
        const done = work();
        isDone = true;
        return done;
      } finally {
        depth -= 1;
        database.run(isDone ? 'COMMIT' : 'ROLLBACK');
        if (isDone) keep();
      }
    },
    close: () => database.close(),
  };
}

/** Opens a database, or makes a new one: with Node's own SQLite where there is one. */
export async function openDatabase(file: string): Promise<Database> {
  mkdirSync(dirname(file), { recursive: true });
  const native = nodeSqlite();
  return native ? openNative(native, file) : openPortable(file);
}
