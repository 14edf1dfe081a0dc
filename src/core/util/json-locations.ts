import { findNodeAtLocation, type Node, type ParseError, parseTree, printParseErrorCode } from 'jsonc-parser';
import { HullError, type Location } from '../errors.js';

/** JSON text with the places of its values. */
export interface LocatedJson {
  readonly file: string;
  readonly text: string;
  readonly value: unknown;
  /** Place of the value at a JSON pointer (RFC 6901); of its nearest parent where it is missing. */
  location(pointer: string): Location;
  /** Place of the key that ends a JSON pointer, rather than of its value. */
  locationOfKey(pointer: string): Location;
}

export interface JsonRules {
  readonly comments: boolean;
  /** The error to throw for text that does not parse. */
  readonly code:
    | 'catalog.malformed'
    | 'try.bad-steps'
    | 'config.syntax'
    | 'manifest.not-json'
    | 'domains.not-json'
    | 'fleet.malformed';
  readonly fix: string;
}

/** 1-based line and column of an offset. */
type Position = (offset: number) => { readonly line: number; readonly column: number };

/** Finds positions in a text whose lines are counted once, when the first is asked for. */
export function positionsIn(text: string): Position {
  let starts: number[] | undefined;
  return (offset) => {
    if (starts === undefined) {
      starts = [0];
      for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', at + 1)) starts.push(at + 1);
    }
    let [low, high] = [0, starts.length];
    while (high - low > 1) {
      const middle = (low + high) >>> 1;
      if ((starts[middle] as number) <= offset) low = middle;
      else high = middle;
    }
    return { line: low + 1, column: offset - (starts[low] as number) + 1 };
  };
}

const SYNTAX_MESSAGES: Readonly<Record<string, string>> = {
  InvalidSymbol: 'This is not valid JSON (is a string missing its quotation marks?).',
  InvalidNumberFormat: 'This is not a number.',
  PropertyNameExpected: 'Expected a key in quotation marks here.',
  ValueExpected: 'Expected a value here.',
  ColonExpected: 'A colon is missing here.',
  CommaExpected: 'A comma is missing before this.',
  CloseBraceExpected: 'A closing brace is missing.',
  CloseBracketExpected: 'A closing bracket is missing.',
  EndOfFileExpected: 'There is text after the end of the document.',
  InvalidCommentToken: 'Comments are not allowed here.',
  UnexpectedEndOfComment: 'A comment is never closed.',
  UnexpectedEndOfString: 'A string is missing its closing quotation mark.',
  InvalidCharacter: 'This character is not allowed in JSON.',
};

/** A key as a step of a JSON pointer (RFC 6901 section 3). */
export function pointerStep(key: string): string {
  return key.replaceAll('~', '~0').replaceAll('/', '~1');
}

function steps(pointer: string): string[] {
  if (pointer === '') return [];
  return pointer
    .slice(1)
    .split('/')
    .map((step) => step.replaceAll('~1', '/').replaceAll('~0', '~'));
}

/** Objects with more members than this are searched by a table of their own. */
const FEW_MEMBERS = 16;

/** Finds values by their steps; large objects are gone over once. */
function memberFinder(): (node: Node, step: string) => Node | undefined {
  const tables = new Map<Node, ReadonlyMap<string, Node>>();
  return (node, step) => {
    if (node.type === 'array') return findNodeAtLocation(node, [Number(step)]);
    const members = node.type === 'object' ? (node.children ?? []) : [];
    if (members.length <= FEW_MEMBERS) return findNodeAtLocation(node, [step]);
    let table = tables.get(node);
    if (table === undefined) {
      // The first of several members with one name is found, as by the library.
      table = new Map(
        members
          .toReversed()
          .flatMap(({ children: [key, value] = [] }): [string, Node][] =>
            key === undefined || value === undefined ? [] : [[key.value as string, value]],
          ),
      );
      tables.set(node, table);
    }
    return table.get(step);
  };
}

/** Deeper nesting than this is refused before parsing: no hull.json or manifest comes near it. */
const MAX_DEPTH = 64;

function checkDepth(text: string, fail: (message: string, offset: number) => HullError): void {
  let depth = 0;
  let inString = false;
  for (let i = 0; i < text.length; i += 1) {
    const c = text[i];
    if (inString) {
      if (c === '\\') i += 1;
      else if (c === '"' || c === '\n') inString = false;
    } else if (c === '"') inString = true;
    else if (c === '{' || c === '[') {
      depth += 1;
      if (depth > MAX_DEPTH) throw fail(`Values are nested more than ${MAX_DEPTH} deep.`, i);
    } else if (c === '}' || c === ']') depth -= 1;
  }
}

/** Parses JSON and keeps the places. Throws the rules' error with line and column. */
export function parseLocatedJson(file: string, source: string, rules: JsonRules): LocatedJson {
  const text = source.startsWith('\uFEFF') ? source.slice(1) : source;
  const position = positionsIn(text);
  const fail = (message: string, offset: number) =>
    new HullError(rules.code, message, {
      location: { file, ...position(offset) },
      fix: rules.fix,
    });
  checkDepth(text, fail);
  const errors: ParseError[] = [];
  const root = parseTree(text, errors, {
    disallowComments: !rules.comments,
    allowTrailingComma: rules.comments,
    allowEmptyContent: false,
  });
  const [first] = errors;
  if (first !== undefined || root === undefined) {
    const name = first === undefined ? 'ValueExpected' : printParseErrorCode(first.error);
    throw fail(SYNTAX_MESSAGES[name] ?? `The JSON is broken here (${name}).`, first?.offset ?? 0);
  }
  const member = memberFinder();
  const nearest = (pointer: string): { readonly node: Node; readonly exact: boolean } => {
    let node = root;
    for (const step of steps(pointer)) {
      const next = member(node, step);
      if (next === undefined) return { node, exact: false };
      node = next;
    }
    return { node, exact: true };
  };
  return {
    file,
    text,
    value: plainValue(root),
    location: (pointer) => {
      const { node } = nearest(pointer);
      return { file, pointer, ...position(node.offset) };
    },
    locationOfKey: (pointer) => {
      const { node, exact } = nearest(pointer);
      const key = exact ? node.parent?.children?.[0] : undefined;
      return { file, pointer, ...position((key ?? node).offset) };
    },
  };
}

/** Plain values; an object's keys cannot reach its prototype. */
function plainValue(node: Node): unknown {
  if (node.type === 'array') return (node.children ?? []).map(plainValue);
  if (node.type !== 'object') return node.value as unknown;
  const result: Record<string, unknown> = {};
  for (const property of node.children ?? []) {
    const [key, value] = property.children ?? [];
    if (key === undefined || value === undefined) continue;
    Object.defineProperty(result, key.value as string, {
      value: plainValue(value),
      enumerable: true,
      configurable: true,
      writable: true,
    });
  }
  return result;
}
