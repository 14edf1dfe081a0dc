import { HullError } from '../../errors.js';
import { Budget } from '../bytes/budget.js';

/** Paths that a version-control index holds (Git, "index-format"): versions 2, 3 and 4, with SHA-1 object names. */

const SIGNATURE = 0x44495243; // DIRC
const HEADER = 12;
/** Times, device, mode, owner, size, object name and flags of an entry. */
const FIXED = 62;
const FLAG_EXTENDED = 0x4000;
const FEW_BYTES = 1024 * 1024;

function malformed(what: string, offset: number): HullError {
  return new HullError('git-index.malformed', `The version-control index is damaged: ${what}.`, {
    location: { offset },
  });
}

/** Every path of an index, `/` between names, relative to the work tree. Throws `git-index.malformed`, `file.over-budget`. */
export function readGitIndex(bytes: Uint8Array): string[] {
  const buffer = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (buffer.length < HEADER || buffer.readUInt32BE(0) !== SIGNATURE)
    throw malformed('it begins with other bytes', 0);
  const version = buffer.readUInt32BE(4);
  if (version < 2 || version > 4) throw malformed(`it is of version ${version}`, 4);
  const count = buffer.readUInt32BE(8);
  // Each path may take all of the one before for its beginning.
  const budget = new Budget(bytes.length, { text: FEW_BYTES + 64 * bytes.length });
  const paths: string[] = [];
  let at = HEADER;
  let before = '';
  for (let index = 0; index < count; index += 1) {
    if (at + FIXED > buffer.length) throw malformed(`entry ${index + 1} of ${count} is cut short`, at);
    const isExtended = version > 2 && (buffer.readUInt16BE(at + 60) & FLAG_EXTENDED) !== 0;
    let name = at + FIXED + (isExtended ? 2 : 0);
    let kept = '';
    if (version === 4) {
      // How many letters of the path before are taken away, as a number of groups of 7 bits.
      let strip = (buffer[name] ?? 0) & 0x7f;
      while (((buffer[name] ?? 0) & 0x80) !== 0) {
        name += 1;
        strip = ((strip + 1) << 7) | ((buffer[name] ?? 0) & 0x7f);
        if (strip > buffer.length) throw malformed('a path is shortened too far', name);
      }
      name += 1;
      if (strip > before.length) throw malformed('a path is shortened too far', name);
      kept = before.slice(0, before.length - strip);
    }
    const end = buffer.indexOf(0, name);
    if (end === -1) throw malformed('a path has no end', name);
    before = kept + buffer.toString('utf8', name, end);
    budget.charge('text', before.length);
    paths.push(before);
    // Entries are padded to whole groups of 8 bytes, with one zero at least; not in version 4.
    at = version === 4 ? end + 1 : at + ((end - at + 8) & ~7);
  }
  return paths;
}
