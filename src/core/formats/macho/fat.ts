import { readMachO } from './reader.js';
import { CPU, FAT_MAGIC } from './types.js';

/** Exponents of the alignment that slices have in a file, by processor: a page of each. */
const ALIGNMENT: Readonly<Record<number, number>> = { [CPU.arm64]: 14, [CPU.x86_64]: 12 };
const HEADER = 8;
const ROW = 20;

/**
 * Slices in one file (mach-o/fat.h, big-endian); one slice stays as it is.
 *
 * @throws HullError `macho.malformed`
 */
export function joinSlices(slices: readonly Uint8Array[]): Uint8Array {
  const [only, ...others] = slices;
  if (only !== undefined && others.length === 0) return only;
  let end = HEADER + ROW * slices.length;
  const rows = slices.map((bytes) => {
    const { cpu } = readMachO(bytes);
    const exponent = ALIGNMENT[cpu] ?? 14;
    const offset = Math.ceil(end / 2 ** exponent) * 2 ** exponent;
    end = offset + bytes.length;
    return { bytes, cpu, exponent, offset };
  });
  const file = new Uint8Array(end);
  const view = new DataView(file.buffer);
  view.setUint32(0, FAT_MAGIC);
  view.setUint32(4, rows.length);
  for (const [index, { bytes, cpu, exponent, offset }] of rows.entries()) {
    const at = HEADER + ROW * index;
    // The kinds of these processors: every 64-bit ARM (0), every 64-bit Intel (3).
    const kind = cpu === CPU.x86_64 ? 3 : 0;
    for (const [place, value] of [cpu, kind, offset, bytes.length, exponent].entries()) {
      view.setUint32(at + 4 * place, value);
    }
    file.set(bytes, offset);
  }
  return file;
}
