import { HullError } from '../../errors.js';

/** One picture of an icon file: its side in px, 1 to 256, and its PNG. */
export interface IcoPicture {
  readonly side: number;
  readonly png: Uint8Array;
}

const HEADER = 6;
const RECORD = 16;
const TYPE_ICON = 1;
const MAX_SIDE = 256;
const PNG_MAGIC = 0x89504e47;

/** Writes an icon file: a directory of pictures, each a PNG (ICO as every current reader takes it). */
export function writeIco(pictures: readonly IcoPicture[]): Uint8Array {
  const size = HEADER + RECORD * pictures.length + pictures.reduce((sum, { png }) => sum + png.length, 0);
  const bytes = new Uint8Array(size);
  const view = new DataView(bytes.buffer);
  view.setUint16(2, TYPE_ICON, true);
  view.setUint16(4, pictures.length, true);
  let at = HEADER + RECORD * pictures.length;
  for (const [index, { side, png }] of pictures.entries()) {
    const record = HEADER + RECORD * index;
    // 0 stands for 256.
    bytes[record] = side % MAX_SIDE;
    bytes[record + 1] = side % MAX_SIDE;
    view.setUint16(record + 4, 1, true); // planes
    view.setUint16(record + 6, 32, true); // bits a pixel
    view.setUint32(record + 8, png.length, true);
    view.setUint32(record + 12, at, true);
    bytes.set(png, at);
    at += png.length;
  }
  return bytes;
}

/** Reads an icon file whose pictures are PNG. Throws `ico.malformed` with the offset. */
export function readIco(bytes: Uint8Array): IcoPicture[] {
  const fail = (message: string, offset: number) =>
    new HullError('ico.malformed', message, { location: { offset } });
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < HEADER || view.getUint16(0, true) !== 0 || view.getUint16(2, true) !== TYPE_ICON) {
    throw fail('This is not an icon file.', 0);
  }
  const count = view.getUint16(4, true);
  if (HEADER + RECORD * count > bytes.length) throw fail('The directory reaches past the end.', 4);
  return Array.from({ length: count }, (_, index) => {
    const record = HEADER + RECORD * index;
    const [size, offset] = [view.getUint32(record + 8, true), view.getUint32(record + 12, true)];
    if (offset < HEADER + RECORD * count || size < 8 || offset + size > bytes.length) {
      throw fail('A picture reaches past the end.', record);
    }
    if (view.getUint32(offset, false) !== PNG_MAGIC) throw fail('A picture is no PNG.', offset);
    return { side: bytes[record] || MAX_SIDE, png: new Uint8Array(bytes.subarray(offset, offset + size)) };
  });
}
