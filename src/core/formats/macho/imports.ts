import { ByteReader } from '../bytes/reader.js';
import { COMMAND, type MachO } from './types.js';

const NLIST = 16;
const COMMAND_HEADER = 8;
/** `N_TYPE`, and the type of what is defined elsewhere (mach-o/nlist.h). */
const TYPE_MASK = 0x0e;
const STAB_MASK = 0xe0;
/** Symbols that are read: the largest programs have some hundred thousand. */
const MOST = 4_000_000;

/**
 * Names that a slice uses and does not define, as its symbol table has them (LC_SYMTAB).
 *
 * @param bytes of the slice alone
 * @throws HullError `macho.malformed`
 */
export function readImports(bytes: Uint8Array, program: MachO): string[] {
  const reader = new ByteReader(bytes, 'macho.malformed', 32);
  const names = new Set<string>();
  for (let i = 0; i < program.commandCount; i += 1) {
    const start = reader.at;
    const kind = reader.u32('a load command');
    const size = reader.u32('the size of a load command');
    if (kind === COMMAND.symtab && size >= COMMAND_HEADER + 16) {
      const [offset, count] = [reader.u32('an offset'), reader.u32('a count')];
      const [textOffset, textSize] = [reader.u32('an offset'), reader.u32('a size')];
      if (count > MOST) throw reader.fail(`It names ${count} symbols.`, start);
      reader.need(offset, count * NLIST, 'the symbols');
      reader.need(textOffset, textSize, 'the names of the symbols');
      const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
      for (let at = offset; at < offset + count * NLIST; at += NLIST) {
        const type = bytes[at + 4] as number;
        if ((type & STAB_MASK) !== 0 || (type & TYPE_MASK) !== 0) continue;
        const nameAt = textOffset + view.getUint32(at, true);
        const end = nameAt < textOffset + textSize ? bytes.indexOf(0, nameAt) : -1;
        if (end > nameAt && end - nameAt < 1024)
          names.add(Buffer.from(bytes.subarray(nameAt, end)).toString('latin1'));
      }
    }
    reader.at = start + size;
  }
  return [...names];
}
