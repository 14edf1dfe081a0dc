import fc from 'fast-check';

/** Ways in which bytes go bad, applied to an original: bits flipped, words made huge, ends cut, runs swapped. */
export function mutations(given: Uint8Array): fc.Arbitrary<Uint8Array> {
  // A Buffer's slice would share its memory.
  const original = new Uint8Array(given);
  const offset = fc.nat({ max: Math.max(0, original.length - 1) });
  const flip = fc.tuple(offset, fc.integer({ min: 1, max: 255 })).map(([at, bits]) => {
    const bytes = original.slice();
    bytes[at] = (bytes[at] as number) ^ bits;
    return bytes;
  });
  const word = fc
    .tuple(offset, fc.constantFrom(0, 1, 0x7fffffff, 0x80000000, 0xfffffffe, 0xffffffff))
    .map(([at, value]) => {
      const bytes = original.slice();
      const view = new DataView(bytes.buffer);
      const aligned = Math.min(at & ~3, Math.max(0, bytes.length - 4));
      if (bytes.length >= 4) view.setUint32(aligned, value, true);
      return bytes;
    });
  const cut = offset.map((at) => original.slice(0, at));
  const swap = fc.tuple(offset, offset, fc.integer({ min: 1, max: 64 })).map(([a, b, count]) => {
    const bytes = original.slice();
    const first = original.slice(a, a + count);
    bytes.set(first.subarray(0, bytes.length - b), b);
    return bytes;
  });
  return fc.oneof(flip, word, cut, swap);
}
