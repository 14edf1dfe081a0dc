import { HullError } from '../../errors.js';
import { ByteReader } from '../bytes/reader.js';
import {
  COMMAND,
  FAT_MAGIC,
  FAT_MAGIC_64,
  MAGIC,
  type MachO,
  type Range,
  type Section,
  type Segment,
  type Slice,
} from './types.js';

const HEADER = 32;
/** Commands that are read at most: the largest apps have about 300. */
const MAX_COMMANDS = 4096;
/** Slices of one file: real ones have two or three. */
const MAX_SLICES = 32;
const SEGMENT = 72;
const SECTION = 80;

const versionText = (packed: number) =>
  `${packed >>> 16}.${(packed >>> 8) & 0xff}${(packed & 0xff) === 0 ? '' : `.${packed & 0xff}`}`;

function nameOf(reader: ByteReader): string {
  return Buffer.from(reader.take(16, 'a name')).toString('latin1').replace(/\0.*$/s, '');
}

/** A number of 64 bits that has to lie within the file. */
function fileNumber(reader: ByteReader, what: string): number {
  const value = reader.u64(what);
  if (value > BigInt(Number.MAX_SAFE_INTEGER)) throw reader.fail(`${what} is too large.`, reader.at - 8);
  return Number(value);
}

function checkRange(reader: ByteReader, offset: number, size: number, total: number, what: string): void {
  if (offset + size > total)
    throw reader.fail(`${what} ends outside the file (${offset + size} of ${total} bytes).`);
}

function readSegment(reader: ByteReader, command: number, total: number): Segment {
  const name = nameOf(reader);
  const address = reader.u64('an address');
  const memorySize = reader.u64('a size in memory');
  const offset = fileNumber(reader, 'the offset of a segment');
  const size = fileNumber(reader, 'the size of a segment');
  checkRange(reader, offset, size, total, `Segment ${name}`);
  reader.take(8, 'protections');
  const count = reader.u32('the number of sections');
  reader.u32('flags');
  if (count * SECTION > reader.remaining)
    throw reader.fail(`Segment ${name} has more sections than its command holds.`);
  const sections: Section[] = [];
  for (let i = 0; i < count; i += 1) {
    const one = reader.sub(SECTION, 'a section');
    const sectionName = nameOf(one);
    one.take(16 + 8, 'a segment name and an address');
    const sectionSize = fileNumber(one, 'the size of a section');
    const sectionOffset = one.u32('the offset of a section');
    // Sections of zeros have a size and no place in the file.
    if (sectionOffset !== 0) checkRange(reader, sectionOffset, sectionSize, total, `Section ${sectionName}`);
    sections.push({ name: sectionName, offset: sectionOffset, size: sectionOffset === 0 ? 0 : sectionSize });
  }
  return { name, command, address, memorySize, offset, size, sections };
}

function readRange(reader: ByteReader, command: number, total: number, what: string): Range {
  const [offset, size] = [reader.u32(`the offset of ${what}`), reader.u32(`the size of ${what}`)];
  checkRange(reader, offset, size, total, what);
  return { command, offset, size };
}

function readLibrary(reader: ByteReader, size: number): string {
  const at = reader.u32('the place of a name');
  if (at < 8 || at >= size) throw reader.fail('A library’s name lies outside its command.');
  const bytes = reader.bytes.subarray(at - 8);
  return Buffer.from(bytes).toString('utf8').replace(/\0.*$/s, '');
}

/** Gathers what the load commands say. */
interface Draft {
  segments: Segment[];
  libraries: string[];
  build: MachO['build'];
  uuid: string | undefined;
  signature: Range | undefined;
  encryption: MachO['encryption'];
  symbols: number;
}

function readCommand(draft: Draft, kind: number, reader: ByteReader, command: number, total: number): void {
  switch (kind) {
    case COMMAND.segment64: {
      if (reader.length < SEGMENT - 8) throw reader.fail('A segment’s command is cut short.');
      const segment = readSegment(reader, command, total);
      if (draft.segments.some(({ name }) => name === segment.name))
        throw reader.fail(`Segment ${segment.name} is repeated.`);
      draft.segments.push(segment);
      return;
    }
    case COMMAND.loadDylib:
    case COMMAND.loadWeakDylib:
    case COMMAND.reexportDylib:
      draft.libraries.push(readLibrary(reader, reader.length + 8));
      return;
    case COMMAND.buildVersion:
      draft.build = {
        platform: reader.u32('the platform'),
        minVersion: versionText(reader.u32('the oldest version')),
        sdk: versionText(reader.u32('the SDK')),
      };
      return;
    case COMMAND.uuid:
      draft.uuid = Buffer.from(reader.take(16, 'the UUID')).toString('hex');
      return;
    case COMMAND.codeSignature:
      if (draft.signature) throw reader.fail('It names two signatures.');
      draft.signature = readRange(reader, command, total, 'the signature');
      return;
    case COMMAND.encryptionInfo64: {
      const { offset, size } = readRange(reader, command, total, 'the encrypted part');
      draft.encryption = { offset, size, id: reader.u32('the kind of encryption') };
      return;
    }
    case COMMAND.symtab: {
      reader.u32('the offset of the symbols');
      draft.symbols = reader.u32('the number of symbols') * 16;
      return;
    }
    default:
  }
}

/**
 * Reads one slice: its header and load commands. What it says of the file lies within `bytes`.
 *
 * @param total size of the slice where `bytes` is only its beginning
 * @throws HullError `macho.malformed` with the offset in the slice
 */
export function readMachO(bytes: Uint8Array, total = bytes.length): MachO {
  const reader = new ByteReader(bytes, 'macho.malformed');
  if (bytes.length < HEADER || reader.u32('the magic') !== MAGIC) {
    throw new HullError('macho.malformed', 'This is not a program for 64-bit processors (Mach-O).', {
      location: { offset: 0 },
    });
  }
  const cpu = reader.u32('the processor');
  reader.u32('the kind of processor');
  const fileType = reader.u32('the kind of file');
  const commandCount = reader.u32('the number of commands');
  const commandsSize = reader.u32('the size of the commands');
  const flags = reader.u32('flags');
  reader.u32('reserved');
  if (commandCount > MAX_COMMANDS) throw reader.fail(`It has ${commandCount} load commands.`, 16);
  const commands = reader.sub(commandsSize, 'the load commands');
  const draft: Draft = {
    segments: [],
    libraries: [],
    build: undefined,
    uuid: undefined,
    signature: undefined,
    encryption: undefined,
    symbols: 0,
  };
  for (let i = 0; i < commandCount; i += 1) {
    const command = HEADER + commands.at;
    const kind = commands.u32('a load command');
    const size = commands.u32('the size of a load command');
    if (size < 8 || size % 8 !== 0) throw commands.fail('A load command has a wrong size.', commands.at - 4);
    readCommand(draft, kind, commands.sub(size - 8, 'a load command'), command, total);
  }
  if (commands.remaining > 0) throw commands.fail('Bytes follow the last load command.');
  return { cpu, fileType, flags, commandCount, commandsEnd: HEADER + commandsSize, ...draft };
}

/** Whether bytes begin like a program: one slice, or several in one file. */
export function isMachO(bytes: Uint8Array): boolean {
  if (bytes.length < 8) return false;
  const view = new DataView(bytes.buffer, bytes.byteOffset, 8);
  if (view.getUint32(0, true) === MAGIC) return true;
  // A Java class begins with the same four bytes, and then with its version, which is above any number of slices.
  const magic = view.getUint32(0);
  return (magic === FAT_MAGIC || magic === FAT_MAGIC_64) && view.getUint32(4) <= MAX_SLICES;
}

/**
 * The slices of a file (mach-o/fat.h, big-endian): a file for one kind of processor is one slice.
 *
 * @param total size of the file where `bytes` is only its beginning
 * @throws HullError `macho.malformed`
 */
export function readSlices(bytes: Uint8Array, total = bytes.length): Slice[] {
  const fail = (message: string, offset: number) =>
    new HullError('macho.malformed', message, { location: { offset } });
  if (bytes.length < 8) throw fail('This is not a program (Mach-O).', 0);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const magic = view.getUint32(0);
  if (magic !== FAT_MAGIC && magic !== FAT_MAGIC_64) {
    return [{ cpu: view.getUint32(4, true), offset: 0, size: total }];
  }
  const count = view.getUint32(4);
  const row = magic === FAT_MAGIC ? 20 : 32;
  if (count === 0 || count > MAX_SLICES || 8 + count * row > bytes.length)
    throw fail(`It names ${count} slices.`, 4);
  const slices: Slice[] = [];
  for (let at = 8; at < 8 + count * row; at += row) {
    const isShort = magic === FAT_MAGIC;
    const offset = isShort ? view.getUint32(at + 8) : Number(view.getBigUint64(at + 8));
    const size = isShort ? view.getUint32(at + 12) : Number(view.getBigUint64(at + 16));
    if (offset < 8 + count * row || offset + size > total) throw fail('A slice lies outside the file.', at);
    if (slices.some((other) => offset < other.offset + other.size && other.offset < offset + size)) {
      throw fail('Two slices overlap.', at);
    }
    slices.push({ cpu: view.getUint32(at), offset, size });
  }
  return slices;
}
