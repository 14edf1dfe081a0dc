import { HullError } from '../../errors.js';
import { readMachO } from './reader.js';
import { COMMAND, CPU, type MachO } from './types.js';

/** The signature begins at a multiple of this many bytes. */
const ALIGNMENT = 16;
const COMMAND_SIZE = 16;

const roundUp = (value: number, to: number) => Math.ceil(value / to) * to;
const pageOf = (cpu: number) => (cpu === CPU.arm64 ? 0x4000 : 0x1000);

function segmentNamed(program: MachO, name: string) {
  const found = program.segments.find((segment) => segment.name === name);
  if (found === undefined) throw new HullError('macho.malformed', `It has no segment ${name}.`);
  return found;
}

/**
 * Where a signature of a program begins, so that its size can be reckoned before anything is hashed.
 *
 * @throws HullError `macho.malformed`
 */
export function signatureOffset(program: MachO): number {
  const { offset, size } = segmentNamed(program, '__LINKEDIT');
  return program.signature?.offset ?? roundUp(offset + size, ALIGNMENT);
}

/**
 * The same slice with `room` bytes for a signature at its end: LC_CODE_SIGNATURE names them, and __LINKEDIT grows over
 * them, in whole pages in memory. An older signature is dropped. The room is filled with zeros.
 *
 * @throws HullError `macho.malformed` where nothing can be put there
 */
export function withSignatureSpace(bytes: Uint8Array, room: number): Uint8Array {
  const program = readMachO(bytes);
  const linkEdit = segmentNamed(program, '__LINKEDIT');
  const contentEnd = program.signature?.offset ?? linkEdit.offset + linkEdit.size;
  if (linkEdit.offset + linkEdit.size !== bytes.length) {
    throw new HullError('macho.malformed', 'Bytes follow its last segment: nothing can be signed there.');
  }
  const start = signatureOffset(program);
  const signed = new Uint8Array(start + room);
  signed.set(bytes.subarray(0, contentEnd));
  const view = new DataView(signed.buffer);
  let command = program.signature?.command;
  if (command === undefined) {
    command = program.commandsEnd;
    const firstSection = Math.min(
      bytes.length,
      ...program.segments
        .flatMap(({ sections }) => sections.map(({ offset }) => offset))
        .filter((offset) => offset > 0),
    );
    if (command + COMMAND_SIZE > firstSection) {
      throw new HullError('macho.malformed', 'There is no room for a load command before its first section.');
    }
    view.setUint32(16, program.commandCount + 1, true);
    view.setUint32(20, command + COMMAND_SIZE - 32, true);
    view.setUint32(command, COMMAND.codeSignature, true);
    view.setUint32(command + 4, COMMAND_SIZE, true);
  }
  view.setUint32(command + 8, start, true);
  view.setUint32(command + 12, room, true);
  const size = start + room - linkEdit.offset;
  view.setBigUint64(linkEdit.command + 32, BigInt(roundUp(size, pageOf(program.cpu))), true);
  view.setBigUint64(linkEdit.command + 48, BigInt(size), true);
  return signed;
}
