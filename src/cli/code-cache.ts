import {
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  statSync,
  unlinkSync,
  writeFileSync,
} from 'node:fs';
import { createRequire, Module } from 'node:module';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';
import { setFlagsFromString } from 'node:v8';
import { Script } from 'node:vm';
import * as zlib from 'node:zlib';

/**
 * Keeps the engine's compiled code between runs, because compiling this program again takes longer than most of its
 * commands do. What a command has compiled is kept for that command, in the user's cache folder: another needs other functions.
 */

type Crc32 = (bytes: Uint8Array) => number;

/** Bytes of the checksum behind the compiled code: the engine itself does not notice damage in it. */
const CHECKSUM = 4;
/** ms that compiled code is kept after it was made. */
const KEPT = 30 * 24 * 3600 * 1000;

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
function keep(script: Script, file: string, crc32: Crc32): void {
  try {
    mkdirSync(dirname(file), { recursive: true, mode: 0o700 });
    const temporary = `${file}.${process.pid}`;
    const code = script.createCachedData();
    const checksum = Buffer.alloc(CHECKSUM);
    checksum.writeUInt32LE(crc32(code));
    writeFileSync(temporary, Buffer.concat([code, checksum]), { mode: 0o600 });
    renameSync(temporary, file);
    removeOld(dirname(file));
  } catch {
    // The next run compiles again.
  }
}

/** Takes away what no build has used for long. */
function removeOld(folder: string): void {
  for (const name of readdirSync(folder)) {
    const file = join(folder, name);
    if (Date.now() - statSync(file).mtimeMs > KEPT) unlinkSync(file);
  }
}

/** Where compiled code is kept: the engine's own version is in the path, for its format is the engine's. */
function cacheFolder(version: string): string {
  const base = process.env.XDG_CACHE_HOME || join(homedir(), '.cache');
  return join(base, 'jolly-hull', `${version}-${process.version}-${process.arch}`);
}

export interface LoadedProgram<T> {
  readonly exports: T;
  /** Notes which command runs: what it compiles is kept under its name. @param words as they are typed: `keys new` */
  readonly ran: (words: string) => void;
}

/** Names under which the code of a command may be kept, from what was typed; those of others are never taken for it. */
function namesOf(args: readonly string[]): string[] {
  const words = args.filter((word) => /^[a-z][a-z-]*$/.test(word)).slice(0, 2);
  return words.map((_word, index) => words.slice(0, index + 1).join('-')).reverse();
}

/**
 * Loads the program with what an earlier run of the same command has compiled of it.
 *
 * @param file a CommonJS module, all of it ASCII
 * @param digest of its contents: the engine compares no more than their length
 * @param args words behind the program's name
 */
export function loadProgram<T>(
  file: string,
  digest: string,
  version: string,
  args: readonly string[],
): LoadedProgram<T> {
  const { crc32 } = zlib as { crc32?: Crc32 };
  const fileOf = (name: string) => join(cacheFolder(version), `${digest}-${name}.bin`);
  let cachedData: Buffer | undefined;
  if (crc32) for (const name of namesOf(args)) cachedData ??= read(fileOf(name), crc32);
  // Else a run that takes long forgets what it compiled at its start, and what is kept of it is half. Set whenever code is loaded,
  // for code that was compiled with other flags is refused.
  setFlagsFromString('--no-flush-bytecode');
  const script = new Script(Module.wrap(readFileSync(file, 'latin1')), {
    filename: file,
    ...(cachedData === undefined ? {} : { cachedData }),
  });
  const module = { exports: {} as T };
  const run = script.runInThisContext() as (...given: unknown[]) => void;
  run.call(module.exports, module.exports, createRequire(file), module, file, dirname(file));
  let ran: string | undefined;
  const isFresh = cachedData === undefined || script.cachedDataRejected === true;
  // Kept at the end, when the functions that the command needs have been compiled too.
  process.on('exit', (code) => {
    if (crc32 && isFresh && ran !== undefined && code <= 1) keep(script, fileOf(ran), crc32);
  });
  return {
    exports: module.exports,
    ran: (words) => {
      ran = words.replaceAll(' ', '-');
    },
  };
}
