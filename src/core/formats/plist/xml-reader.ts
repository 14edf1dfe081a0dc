import { HullError } from '../../errors.js';
import { Budget, MAX_NESTING } from '../bytes/budget.js';
import { newDict, type PlistValue } from './types.js';

/**
 * Property lists in XML. The grammar is a closed one (PropertyList-1.0.dtd: eleven elements, one attribute, no mixed
 * content), so it is read as such: declarations of entities, and whatever else XML could do, are refused.
 */

/** Characters of a tag: the longest real one is a document's own, with its version. */
const MAX_TAG = 200;
const ENTITIES: Readonly<Record<string, string>> = { amp: '&', lt: '<', gt: '>', quot: '"', apos: "'" };

interface Tag {
  readonly name: string;
  readonly is: 'open' | 'close' | 'empty';
  /** Offset of its first character. */
  readonly at: number;
}

class XmlPlistReader {
  readonly #text: string;
  readonly #budget: Budget;
  #at = 0;

  constructor(text: string, budget: Budget) {
    this.#text = text;
    this.#budget = budget;
  }

  fail(message: string, at = this.#at): HullError {
    const before = this.#text.slice(0, at).split('\n');
    return new HullError('plist.malformed', message, {
      location: { line: before.length, column: (before.at(-1)?.length ?? 0) + 1 },
    });
  }

  /** Passes white space, comments and processing instructions. */
  #skip(): void {
    for (;;) {
      while (/\s/.test(this.#text.charAt(this.#at)) || this.#text.charCodeAt(this.#at) === 0xfeff)
        this.#at += 1;
      const end = this.#text.startsWith('<!--', this.#at)
        ? '-->'
        : this.#text.startsWith('<?', this.#at)
          ? '?>'
          : '';
      if (end === '') return;
      const found = this.#text.indexOf(end, this.#at + 2);
      if (found < 0) throw this.fail('A comment or an instruction is not ended.');
      this.#at = found + end.length;
    }
  }

  /** The next tag: its name, and whether it opens, closes or does both. */
  #tag(): Tag {
    this.#skip();
    const at = this.#at;
    if (this.#text.charAt(at) !== '<') throw this.fail('Expected an element.');
    const end = this.#text.indexOf('>', at);
    if (end < 0) throw this.fail('An element is not ended.');
    const inside = this.#text.slice(at + 1, end);
    this.#at = end + 1;
    if (inside.length > MAX_TAG) throw this.fail('An element is too long.', at);
    const match = /^(\/?)([A-Za-z]+)(?:\s[^<]*?)?\s*(\/?)$/.exec(inside);
    if (match === null || (match[1] !== '' && match[3] !== ''))
      throw this.fail(`"<${inside.slice(0, 40)}>" is not an element of a property list.`, at);
    return {
      name: match[2] as string,
      is: match[1] !== '' ? 'close' : match[3] !== '' ? 'empty' : 'open',
      at,
    };
  }

  /** Text up to the closing tag of `name`. */
  #content(name: string): string {
    const parts: string[] = [];
    for (;;) {
      const next = this.#text.indexOf('<', this.#at);
      if (next < 0) throw this.fail(`<${name}> is not closed.`);
      parts.push(this.#decoded(this.#text.slice(this.#at, next), this.#at));
      this.#at = next;
      const cdata = '<![CDATA[';
      if (!this.#text.startsWith(cdata, next)) break;
      const end = this.#text.indexOf(']]>', next);
      if (end < 0) throw this.fail('A CDATA section is not ended.');
      parts.push(this.#text.slice(next + cdata.length, end));
      this.#at = end + 3;
    }
    const tag = this.#tag();
    if (tag.is !== 'close' || tag.name !== name) throw this.fail(`<${name}> is not closed.`, tag.at);
    const text = parts.join('');
    this.#budget.charge('text', text.length);
    return text;
  }

  #decoded(text: string, at: number): string {
    if (!text.includes('&')) return text;
    return text.replace(/&([^;]{0,10});?/g, (whole, name: string) => {
      const known = whole.endsWith(';') ? ENTITIES[name] : undefined;
      if (known !== undefined) return known;
      const code = /^#(?:x([0-9a-f]+)|([0-9]+))$/i.exec(name);
      const point = code ? Number.parseInt(code[1] ?? code[2] ?? '', code[1] ? 16 : 10) : -1;
      if (point > 0 && point <= 0x10ffff && whole.endsWith(';')) return String.fromCodePoint(point);
      throw this.fail(`"${whole}" is not a character of a property list.`, at);
    });
  }

  /** The whole document. */
  document(): PlistValue {
    this.#skip();
    if (this.#text.startsWith('<!DOCTYPE', this.#at)) {
      const end = this.#text.indexOf('>', this.#at);
      if (end < 0 || this.#text.slice(this.#at, end).includes('[')) {
        throw this.fail('The document type declares something of its own.');
      }
      this.#at = end + 1;
    }
    const root = this.#tag();
    if (root.name !== 'plist' || root.is !== 'open') throw this.fail('This is not a property list.', root.at);
    const value = this.#value(this.#tag(), 0);
    const close = this.#tag();
    if (close.name !== 'plist' || close.is !== 'close')
      throw this.fail('A property list has one value.', close.at);
    this.#skip();
    if (this.#at < this.#text.length) throw this.fail('Something follows the property list.');
    return value;
  }

  #value(tag: Tag, depth: number): PlistValue {
    this.#budget.charge('items', 1);
    if (depth > MAX_NESTING) throw this.fail('It is nested too deep.', tag.at);
    const { name, is, at } = tag;
    if (is === 'close') throw this.fail(`</${name}> closes nothing.`, at);
    if (name === 'true' || name === 'false') {
      if (is === 'open') this.#content(name);
      return name === 'true';
    }
    if (name === 'dict') return is === 'empty' ? newDict() : this.#dict(depth);
    if (name === 'array') return is === 'empty' ? [] : this.#array(depth);
    const text = is === 'empty' ? '' : this.#content(name);
    return this.#scalar(name, text, at);
  }

  #scalar(name: string, text: string, at: number): PlistValue {
    switch (name) {
      case 'string':
        return text;
      case 'integer': {
        const match = /^\s*([+-]?)(0[xX][0-9a-fA-F]{1,16}|[0-9]{1,20})\s*$/.exec(text);
        if (match === null) throw this.fail(`"${text.slice(0, 40)}" is not a whole number.`, at);
        const value = BigInt(match[2] as string) * (match[1] === '-' ? -1n : 1n);
        return value >= -BigInt(Number.MAX_SAFE_INTEGER) && value <= BigInt(Number.MAX_SAFE_INTEGER)
          ? Number(value)
          : value;
      }
      case 'real': {
        const value = Number(text.trim());
        if (text.trim() === '' || !Number.isFinite(value))
          throw this.fail(`"${text.slice(0, 40)}" is not a number.`, at);
        return value;
      }
      case 'date': {
        const value = new Date(text.trim());
        if (!/^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ$/.test(text.trim()) || Number.isNaN(value.getTime())) {
          throw this.fail(`"${text.slice(0, 40)}" is not a date.`, at);
        }
        return value;
      }
      case 'data': {
        const bare = text.replace(/\s+/g, '');
        if (!/^[A-Za-z0-9+/]*={0,2}$/.test(bare) || bare.length % 4 !== 0)
          throw this.fail('This is not base64.', at);
        return new Uint8Array(Buffer.from(bare, 'base64'));
      }
      default:
        throw this.fail(`<${name}> is not an element of a property list.`, at);
    }
  }

  #dict(depth: number): PlistValue {
    const dict = newDict();
    for (;;) {
      const tag = this.#tag();
      if (tag.name === 'dict' && tag.is === 'close') return dict;
      if (tag.name !== 'key' || tag.is === 'close') throw this.fail('Expected a key.', tag.at);
      const key = tag.is === 'empty' ? '' : this.#content('key');
      if (key in dict) throw this.fail(`The key "${key.slice(0, 60)}" is repeated.`, tag.at);
      dict[key] = this.#value(this.#tag(), depth + 1);
    }
  }

  #array(depth: number): PlistValue {
    const list: PlistValue[] = [];
    for (;;) {
      const tag = this.#tag();
      if (tag.name === 'array' && tag.is === 'close') return list;
      list.push(this.#value(tag, depth + 1));
    }
  }
}

/**
 * Reads a property list in XML (PropertyList-1.0.dtd).
 *
 * @throws HullError `plist.malformed` with line and column, `file.over-budget`
 */
export function readXmlPlist(bytes: Uint8Array): PlistValue {
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new HullError('plist.malformed', 'The property list is not UTF-8.');
  }
  return new XmlPlistReader(text, new Budget(bytes.length)).document();
}
