#!/usr/bin/env node
import { dirname } from 'node:path';
import { fileURLToPath } from 'node:url';
import { VERSION } from '../core/util/version.js';

const [first, ...rest] = process.argv.slice(2);
const [major = 0, minor = 0] = process.versions.node.split('.').map(Number);
const WRONG_USAGE = 2;

async function main(): Promise<void> {
  if (major < 20 || (major === 20 && minor < 10)) {
    // Said here, because on an older version the rest would not even be read.
    process.stderr.write(`error Jolly Hull needs Node.js 20.10 or later; this is ${process.version}.\n`);
    process.exitCode = WRONG_USAGE;
    return;
  }
  if (rest.length === 0 && (first === '--version' || first === '-V')) {
    // The one answer that needs nothing else loaded.
    process.stdout.write(`${VERSION}\n`);
    return;
  }
  const { keepCompiledCode } = await import('./code-cache.js');
  keepCompiledCode(dirname(fileURLToPath(import.meta.url)), VERSION);
  const { main: run } = await import('./main.js');
  await run(process.argv.slice(2));
}

void main();
