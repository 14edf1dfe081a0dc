import { readMachO } from '../../src/core/formats/macho/reader.js';

/**
 * Classes of a program and the methods that the runtime finds in them (objc-runtime-new.h: `class_t`, `class_ro_t`,
 * `method_list_t`); pointers are links of a chain, whose low 36 bits are an address (mach-o/fixup-chains.h).
 */
export function classMethods(bytes: Uint8Array): Map<string, string[]> {
  const { segments } = readMachO(bytes);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const offsetOf = (address: bigint): number => {
    const segment = segments.find((one) => address >= one.address && address < one.address + one.memorySize);
    if (segment === undefined) throw new Error(`no segment holds 0x${address.toString(16)}`);
    return segment.offset + Number(address - segment.address);
  };
  const pointer = (at: number) => view.getBigUint64(at, true) & 0xfffffffffn;
  const text = (address: bigint) => {
    const at = offsetOf(address);
    return Buffer.from(bytes.subarray(at, bytes.indexOf(0, at))).toString('latin1');
  };
  const list = segments.flatMap(({ sections }) => sections).find(({ name }) => name === '__objc_classlist');
  const classes = new Map<string, string[]>();
  for (let at = list?.offset ?? 0; at < (list?.offset ?? 0) + (list?.size ?? 0); at += 8) {
    const described = offsetOf(pointer(offsetOf(pointer(at)) + 32) & ~7n);
    const methods = pointer(described + 32);
    const names: string[] = [];
    if (methods !== 0n) {
      const start = offsetOf(methods);
      const size = view.getUint32(start, true) & 0xfffc;
      for (let i = 0; i < view.getUint32(start + 4, true); i += 1) {
        const name = pointer(start + 8 + i * size);
        names.push(text(name));
      }
    }
    classes.set(text(pointer(described + 24)), names);
  }
  return classes;
}
