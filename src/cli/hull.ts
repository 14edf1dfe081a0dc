#!/usr/bin/env node
import { VERSION } from './version.js';

const [first, ...rest] = process.argv.slice(2);

// The one answer that needs nothing else loaded.
if (rest.length === 0 && (first === '--version' || first === '-V')) {
  process.stdout.write(`${VERSION}\n`);
} else {
  const { run } = await import('./program.js');
  await run(process.argv);
}
