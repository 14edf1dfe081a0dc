#!/usr/bin/env node
import * as nodeModule from 'node:module';
import { VERSION } from './version.js';

const [first, ...rest] = process.argv.slice(2);

// The one answer that needs nothing else loaded.
if (rest.length === 0 && (first === '--version' || first === '-V')) {
  process.stdout.write(`${VERSION}\n`);
} else {
  // From Node.js 22.1 on, compiled code is kept between runs.
  (nodeModule as { enableCompileCache?: () => unknown }).enableCompileCache?.();
  // The module of the command most run is fetched while the parser is still loading.
  if (first === 'pack') import('./commands/pack-apk.js').catch(() => undefined);
  const { run } = await import('./program.js');
  await run(process.argv);
}
