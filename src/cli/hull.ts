#!/usr/bin/env node
import { join } from 'node:path';
import { VERSION } from '../core/util/version.js';
import { loadProgram } from './code-cache.js';

/** Digest of the program's file, set by the build. */
declare const HULL_PROGRAM: string;

const args = process.argv.slice(2);
const [first] = args;
const [major = 0, minor = 0] = process.versions.node.split('.').map(Number);
const WRONG_USAGE = 2;

async function main(): Promise<void> {
  if (major < 20 || (major === 20 && minor < 10)) {
    // Said here, because on an older version the rest would not even be read.
    process.stderr.write(`error Jolly Hull needs Node.js 20.10 or later; this is ${process.version}.\n`);
    process.exitCode = WRONG_USAGE;
    return;
  }
  if (args.length === 1 && (first === '--version' || first === '-V')) {
    // The one answer that needs nothing else loaded.
    process.stdout.write(`${VERSION}\n`);
    return;
  }
  const file = join(__dirname, 'program.cjs');
  const program = loadProgram<typeof import('./main.js')>(file, HULL_PROGRAM, VERSION, args);
  await program.exports.main(args, program.ran);
}

void main();
