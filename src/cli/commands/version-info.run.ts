import { VERSION } from '../../core/util/version.js';
import type { Io } from '../terminal/io.js';
import { emit } from '../terminal/json.js';

/** What decides the bytes of a package besides the project: for caches, and for reports of faults. */
export function run(io: Io): void {
  const { node, zlib } = process.versions;
  emit(io, 'hull', {
    version: VERSION,
    node,
    zlib,
    platform: process.platform,
    architecture: process.arch,
  });
}
