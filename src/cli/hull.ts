#!/usr/bin/env node
import * as nodeModule from 'node:module';
import { VERSION } from './version.js';

const [first, ...rest] = process.argv.slice(2);
const [major = 0, minor = 0] = process.versions.node.split('.').map(Number);
const WRONG_USAGE = 2;

// The one answer that needs nothing else loaded.
if (major < 20 || (major === 20 && minor < 10)) {
  // Said here, because on an older version the rest would not even be read.
  process.stderr.write(`error Jolly Hull needs Node.js 20.10 or later; this is ${process.version}.\n`);
  process.exitCode = WRONG_USAGE;
} else if (rest.length === 0 && (first === '--version' || first === '-V')) {
  // The one answer that needs nothing else loaded.
  process.stdout.write(`${VERSION}\n`);
} else {
  // From Node.js 22.1 on, compiled code is kept between runs.
  (nodeModule as { enableCompileCache?: () => unknown }).enableCompileCache?.();
  // The module of the command most run is fetched while the parser is still loading.
  if (first === 'pack') import('./commands/pack-apk.js').catch(() => undefined);
  const { run } = await import('./program.js');
  await run(process.argv);
}
