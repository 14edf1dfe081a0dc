import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import * as nodeModule from 'node:module';
import { homedir } from 'node:os';
import { basename, dirname, join, sep } from 'node:path';
import { Script } from 'node:vm';
import * as zlib from 'node:zlib';

/**
 * Keeps the engine's compiled code between runs, because compiling this program again takes longer than most of its
 * commands do. From Node.js 22.1 on, Node.js does so itself; before, the compiled form of each of this program's files
 * is kept in the user's cache folder, under a name that holds the file's own content hash.
 */

interface Loader {
  _compile(this: LoadedModule, source: string, filename: string): unknown;
}

interface LoadedModule {
  exports: unknown;
  require(id: string): unknown;
}

interface Compiled {
  readonly script: Script;
  readonly file: string;
}

type Crc32 = (bytes: Uint8Array) => number;

/** Bytes of the checksum behind the compiled code: the engine itself does not notice damage in it. */
const CHECKSUM = 4;

function read(file: string, crc32: Crc32): Buffer | undefined {
  try {
    const bytes = readFileSync(file);
    const code = bytes.subarray(0, -CHECKSUM);
    return bytes.readUInt32LE(code.length) === crc32(code) ? code : undefined;
  } catch {
    return undefined;
  }
}

/** Written whole or not at all; a cache that cannot be written costs time, nothing else. */
function keep({ script, file }: Compiled, crc32: Crc32): void {
  try {
    const temporary = `${file}.${process.pid}`;
    const code = script.createCachedData();
    const checksum = Buffer.alloc(CHECKSUM);
    checksum.writeUInt32LE(crc32(code));
    writeFileSync(temporary, Buffer.concat([code, checksum]), { mode: 0o600 });
    renameSync(temporary, file);
  } catch {
    // The next run compiles again.
  }
}

/** Where compiled code is kept: the engine's own version is in the path, for its format is the engine's. */
function cacheFolder(version: string): string {
  const base = process.env.XDG_CACHE_HOME || join(homedir(), '.cache');
  return join(base, 'jolly-hull', `${version}-${process.version}-${process.arch}`);
}

function hookLoader(ownFolder: string, folder: string, crc32: Crc32): void {
  const prototype = nodeModule.Module.prototype as unknown as Loader;
  const original = prototype._compile;
  const fresh: Compiled[] = [];
  prototype._compile = function (source, filename) {
    if (!filename.startsWith(ownFolder + sep)) return original.call(this, source, filename);
    const file = join(folder, `${basename(filename)}.bin`);
    const cachedData = read(file, crc32);
    const script = new Script(nodeModule.Module.wrap(source), {
      filename,
      ...(cachedData === undefined ? {} : { cachedData }),
    });
    if (cachedData === undefined || script.cachedDataRejected === true) fresh.push({ script, file });
    const run = script.runInThisContext() as (...args: unknown[]) => unknown;
    return run.call(
      this.exports,
      this.exports,
      (id: string) => this.require(id),
      this,
      filename,
      dirname(filename),
    );
  };
  // Kept at the end, when the functions that a command needs have been compiled too.
  process.on('exit', () => {
    if (fresh.length === 0) return;
    try {
      mkdirSync(folder, { recursive: true, mode: 0o700 });
    } catch {
      return;
    }
    for (const compiled of fresh) keep(compiled, crc32);
  });
}

/** Starts keeping compiled code for the program's files below a folder. */
export function keepCompiledCode(ownFolder: string, version: string): void {
  const { enableCompileCache } = nodeModule as { enableCompileCache?: (folder: string) => unknown };
  const { crc32 } = zlib as { crc32?: Crc32 };
  const folder = cacheFolder(version);
  if (enableCompileCache !== undefined) enableCompileCache(folder);
  else if (crc32 !== undefined) hookLoader(ownFolder, folder, crc32);
}
