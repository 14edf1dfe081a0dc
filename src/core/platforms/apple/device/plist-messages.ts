import { readPlistDict } from '../../../formats/plist/reader.js';
import type { PlistDict } from '../../../formats/plist/types.js';
import { writeXmlPlist } from '../../../formats/plist/xml-writer.js';
import type { ByteStream } from '../../../net/byte-stream.js';
import { breach, gone, heard } from './faults.js';

/** Bytes of a message: services list all apps of a device in one. */
const MOST_MESSAGE = 16 * 1024 * 1024;
const LENGTH_SIZE = 4;

/**
 * Messages of a device's services: a length of four bytes, big-endian, and a property list.
 *
 * @param stream a connection to one service
 */
export class PlistMessages {
  readonly stream: ByteStream;

  constructor(stream: ByteStream) {
    this.stream = stream;
  }

  async send(message: PlistDict): Promise<void> {
    const bytes = writeXmlPlist(message);
    const whole = Buffer.alloc(LENGTH_SIZE + bytes.length);
    whole.writeUInt32BE(bytes.length);
    whole.set(bytes, LENGTH_SIZE);
    await this.stream.write(whole);
  }

  /** The next message; `undefined` where the other side ended. Throws `device.protocol`, `plist.malformed`. */
  async next(): Promise<PlistDict | undefined> {
    const head = await this.stream.read(LENGTH_SIZE);
    if (!head) return undefined;
    const length = head.readUInt32BE();
    if (length > MOST_MESSAGE) throw breach(`a message of ${length} bytes`);
    const bytes = await this.stream.read(length);
    return bytes && readPlistDict(bytes);
  }

  /**
   * Sends a request and waits for its answer.
   *
   * @param what is under way, as in `the package was sent`
   * @throws HullError `device.gone`, `device.silent`, `device.protocol`, `plist.malformed`
   */
  async ask(message: PlistDict, what: string): Promise<PlistDict> {
    return heard(what, async () => {
      await this.send(message);
      return this.answer(what);
    });
  }

  /** The next message, where there has to be one. Throws as {@link ask}. */
  async answer(what: string): Promise<PlistDict> {
    return heard(what, async () => {
      const message = await this.next();
      if (!message) throw gone(what);
      return message;
    });
  }
}
