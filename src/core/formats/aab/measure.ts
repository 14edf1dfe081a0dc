import { HullError } from '../../errors.js';
import { Budget, MAX_NESTING } from '../bytes/budget.js';
import { fieldOf } from './schema.js';

/** Wire types of protobuf (the encoding's own documentation, "Message Structure"). */
const WIRE = { varint: 0, fixed64: 1, bytes: 2, fixed32: 5 } as const;

function damaged(offset: number): HullError {
  return new HullError('bundle.malformed', 'A protobuf message is damaged.', {
    location: { offset },
    fix: 'Build the bundle again.',
  });
}

/** Fields of a message may be as many as its bytes, and at most this many: each becomes an object in memory. */
const MOST_FIELDS = 4 * 1024 * 1024;
const FEW_FIELDS = 64 * 1024;

/**
 * Goes over the fields of a message before anything is made of them, so that a message of empty elements cannot fill the
 * memory.
 *
 * @throws HullError `file.over-budget`, `bundle.malformed`
 */
export function measureMessage(name: string, bytes: Uint8Array): void {
  const budget = new Budget(bytes.length, { items: Math.min(FEW_FIELDS + bytes.length, MOST_FIELDS) });
  let offset = 0;
  const varint = (end: number): number => {
    let value = 0;
    let scale = 1;
    for (let i = 0; i < 10; i += 1) {
      const byte = bytes[offset];
      if (offset >= end || byte === undefined) throw damaged(offset);
      offset += 1;
      value += (byte & 0x7f) * scale;
      if (byte < 0x80) return value;
      scale *= 128;
    }
    throw damaged(offset);
  };
  const message = (type: string, end: number, depth: number): void => {
    if (depth > MAX_NESTING) {
      throw new HullError('bundle.malformed', `Messages are nested more than ${MAX_NESTING} deep.`, {
        location: { offset },
        fix: 'Build the bundle again.',
      });
    }
    while (offset < end) {
      const tag = varint(end);
      budget.charge('items', 1);
      const wire = tag % 8;
      if (wire === WIRE.varint) varint(end);
      else if (wire === WIRE.fixed64) offset += 8;
      else if (wire === WIRE.fixed32) offset += 4;
      else if (wire === WIRE.bytes) {
        const size = varint(end);
        const inner = fieldOf(type, Math.floor(tag / 8));
        if (offset + size > end) throw damaged(offset);
        if (inner !== undefined) message(inner, offset + size, depth + 1);
        else offset += size;
      } else throw damaged(offset);
      if (offset > end) throw damaged(offset);
    }
  };
  message(name, bytes.length, 0);
}
