import { type Node, type Options, parse } from 'acorn';
import { full } from 'acorn-walk';
import { CAPABILITIES, type WebCapability } from './capabilities.js';
import { LineIndex, type Position } from './positions.js';
import {
  NO_SCRIPT,
  type ScriptAddress,
  type ScriptFacts,
  type ScriptImport,
  type WebCapabilityUse,
  type WorkerRegistration,
} from './script-facts.js';
import { isSignInAddress, isSignInRequest, SIGN_IN_PARAMETER } from './sign-in.js';

/** The parts of syntax nodes (ESTree) that are looked at here. */
interface AnyNode extends Node {
  readonly name?: string;
  readonly value?: unknown;
  readonly computed?: boolean;
  readonly operator?: string;
  readonly object?: AnyNode;
  readonly property?: AnyNode;
  readonly callee?: AnyNode;
  readonly arguments?: readonly AnyNode[];
  readonly expression?: AnyNode;
  readonly id?: AnyNode | null;
  readonly init?: AnyNode | null;
  readonly left?: AnyNode;
  readonly right?: AnyNode;
  readonly key?: AnyNode;
  readonly properties?: readonly AnyNode[];
  readonly quasis?: readonly { readonly value: { readonly cooked?: string | null } }[];
  readonly expressions?: readonly AnyNode[];
  readonly source?: AnyNode | null;
  readonly specifiers?: readonly { readonly local: AnyNode }[];
  readonly params?: readonly AnyNode[];
}

const OPTIONS: Options = {
  ecmaVersion: 'latest',
  allowHashBang: true,
  allowReturnOutsideFunction: true,
  allowAwaitOutsideFunction: true,
  allowImportExportEverywhere: true,
};

/** Lines that only a module can have. */
const MODULE_HINT = /(^|[;}\n])\s*(import|export)[\s{*'"]|import\.meta/;

/** The options that the bench's floor parses with too. */
export function parseScript(text: string): Node {
  const first = MODULE_HINT.test(text) ? 'module' : 'script';
  try {
    return parse(text, { ...OPTIONS, sourceType: first });
  } catch (error) {
    if (!(error instanceof SyntaxError)) throw error;
    try {
      return parse(text, { ...OPTIONS, sourceType: first === 'module' ? 'script' : 'module' });
    } catch {
      throw error;
    }
  }
}

const CALLS = new Map<string, { readonly on: string; readonly capability: WebCapability }[]>();
const CONSTRUCTORS = new Map<string, WebCapability>();
const FUNCTIONS = new Map<string, WebCapability>();
const EVENTS = new Map<string, WebCapability>();
for (const capability of CAPABILITIES) {
  for (const { on, methods } of capability.calls ?? []) {
    for (const method of methods) CALLS.set(method, [...(CALLS.get(method) ?? []), { on, capability }]);
  }
  for (const name of capability.constructors ?? []) CONSTRUCTORS.set(name, capability);
  for (const name of capability.functions ?? []) FUNCTIONS.set(name, capability);
  for (const name of capability.events ?? []) EVENTS.set(name, capability);
}

const GLOBALS = new Set(['window', 'self', 'globalThis', 'top', 'parent']);
const REQUEST_CONSTRUCTORS = new Set(['WebSocket', 'EventSource', 'Request', 'Worker', 'SharedWorker']);
const TEXT_LIMIT = 80;
/** Letters of a text in which names of classes are looked for, and of one name. */
const MAX_WORDS_TEXT = 2000;
const MAX_WORD = 64;

function unwrap(node: AnyNode | undefined): AnyNode | undefined {
  let at = node;
  while (
    at?.type === 'ChainExpression' ||
    at?.type === 'AwaitExpression' ||
    at?.type === 'ParenthesizedExpression'
  ) {
    at = at.expression ?? (at as { argument?: AnyNode }).argument;
  }
  return at;
}

/** The last name of an expression: `x` of `x`, of `a.x`, of `a['x']`. */
function finalName(given: AnyNode | undefined): string | undefined {
  const node = unwrap(given);
  if (node?.type === 'Identifier') return node.name;
  if (node?.type !== 'MemberExpression') return undefined;
  const { property } = node;
  if (property?.type === 'Identifier' && !node.computed) return property.name;
  if (property?.type === 'PrivateIdentifier') return `#${property.name}`;
  return property?.type === 'Literal' && typeof property.value === 'string' ? property.value : undefined;
}

interface Prefix {
  readonly text: string;
  readonly complete: boolean;
  readonly fromScript?: boolean;
}

/** Most pieces of a text that are looked at, from its end. */
const MAX_PIECES = 24;

/** A text that is put together of pieces, as far as they are constant; empty unless the last one names a parameter. */
function joined(node: AnyNode): string {
  const last = unwrap(node.right)?.value;
  if (typeof last !== 'string' || !/[?&]\w+=/.test(last)) return '';
  let text = last;
  let at: AnyNode | undefined = unwrap(node.left);
  for (let i = 0; at !== undefined && i < MAX_PIECES; i += 1) {
    const isSum: boolean = at.type === 'BinaryExpression' && at.operator === '+';
    const piece = isSum ? unwrap(at.right) : at;
    text = `${typeof piece?.value === 'string' ? piece.value : 'x'}${text}`;
    at = isSum ? unwrap(at.left) : undefined;
  }
  return text;
}

class Reader {
  readonly #text: string;
  readonly #lines: LineIndex;
  /** Names given to objects: alias → the names of what it was taken from. */
  readonly #aliases = new Map<string, Set<string>>();
  /** Initial values of variables that are set once. */
  readonly #values = new Map<string, AnyNode | undefined>();
  /** Names that the script itself declares, so that they are not the platform's. */
  readonly #declared = new Set<string>();
  readonly #calls: AnyNode[] = [];
  readonly #news: AnyNode[] = [];
  readonly #signIns: AnyNode[] = [];
  readonly #sources: { readonly node: AnyNode; readonly kind: 'module' | 'worker' }[] = [];
  readonly #handlers: string[] = [];
  readonly #words = new Set<string>();
  #makesStyles = false;

  constructor(text: string) {
    this.#text = text;
    this.#lines = new LineIndex(text);
  }

  visit = (node: AnyNode): void => {
    switch (node.type) {
      case 'CallExpression':
        this.#calls.push(node);
        if (/^(insertRule|replaceSync)$/.test(finalName(node.callee) ?? '')) this.#makesStyles = true;
        break;
      case 'NewExpression':
        this.#news.push(node);
        break;
      case 'VariableDeclarator':
        this.#bind(node.id ?? undefined, node.init ?? undefined);
        break;
      case 'AssignmentExpression':
        this.#assign(node);
        break;
      case 'FunctionDeclaration':
      case 'ClassDeclaration':
        if (node.id?.name !== undefined) this.#declared.add(node.id.name);
        break;
      case 'ImportDeclaration':
        for (const { local } of node.specifiers ?? []) if (local.name) this.#declared.add(local.name);
        this.#source(node);
        break;
      case 'ExportNamedDeclaration':
      case 'ExportAllDeclaration':
      case 'ImportExpression':
        this.#source(node);
        break;
      case 'Literal':
        if (typeof node.value === 'string') {
          this.#wordsOf(node.value);
          if (isSignInAddress(node.value)) this.#signIns.push(node);
        }
        break;
      case 'TemplateLiteral': {
        const text = (node.quasis ?? []).map(({ value }) => value.cooked ?? '').join('x');
        if (isSignInAddress(text)) this.#signIns.push(node);
        break;
      }
      case 'BinaryExpression':
        if (node.operator === '+' && isSignInAddress(joined(node))) this.#signIns.push(node);
        break;
      case 'ObjectExpression': {
        const { properties = [] } = node;
        const has = (name: string) => properties.some(({ key }) => (key?.name ?? key?.value) === name);
        if (isSignInRequest(has)) this.#signIns.push(node);
        break;
      }
      case 'TemplateElement':
        this.#wordsOf((node.value as { readonly cooked?: string | null }).cooked ?? '');
        break;
      case 'Property':
        // Names of classes by condition: `{ 'is-open': open }`, `{ open }`.
        if (node.key?.type === 'Identifier' && node.key.name !== undefined) this.#words.add(node.key.name);
        break;
      default:
    }
  };

  #wordsOf(text: string): void {
    if (text.length > MAX_WORDS_TEXT) return;
    for (const word of text.split(/[^\w-]+/)) {
      if (word.length > 1 && word.length <= MAX_WORD) this.#words.add(word);
    }
  }

  #source(node: AnyNode): void {
    if (node.source) this.#sources.push({ node: node.source, kind: 'module' });
  }

  #alias(name: string | undefined, from: string | undefined): void {
    if (name === undefined || from === undefined || name === from) return;
    const set = this.#aliases.get(name);
    if (set) set.add(from);
    else this.#aliases.set(name, new Set([from]));
  }

  #bind(target: AnyNode | undefined, init: AnyNode | undefined): void {
    if (target?.type === 'Identifier' && target.name !== undefined) {
      this.#alias(target.name, finalName(init));
      this.#values.set(target.name, this.#values.has(target.name) ? undefined : init);
    }
    if (target?.type !== 'ObjectPattern') return;
    for (const property of target.properties ?? []) {
      const value = property.value as AnyNode | undefined;
      const bound = value?.type === 'AssignmentPattern' ? value.left : value;
      if (property.key?.name !== undefined) this.#alias(bound?.name, property.key.name);
    }
  }

  #assign(node: AnyNode): void {
    const { left, right } = node;
    this.#alias(finalName(left), finalName(right));
    if (finalName(left) === 'adoptedStyleSheets') this.#makesStyles = true;
    if (left?.type === 'Identifier' && left.name !== undefined) this.#values.set(left.name, undefined);
    if (left?.type === 'ObjectPattern') this.#bind(left, right);
    // onfetch = …, self.onfetch = …
    const name = finalName(left);
    const owner = left?.type === 'MemberExpression' ? finalName(left.object) : 'self';
    if (name?.startsWith('on') && owner !== undefined && GLOBALS.has(owner))
      this.#handlers.push(name.slice(2));
  }

  #means(node: AnyNode | undefined, name: string): boolean {
    const own = finalName(node);
    return own !== undefined && (own === name || (this.#aliases.get(own)?.has(name) ?? false));
  }

  /** A constant text, or the beginning of one that is put together. */
  #constant(given: AnyNode | undefined, depth = 0): Prefix | undefined {
    const node = unwrap(given);
    if (node === undefined || depth > 8) return undefined;
    if (node.type === 'Literal') {
      return typeof node.value === 'string' ? { text: node.value, complete: true } : undefined;
    }
    if (node.type === 'TemplateLiteral') {
      const head = node.quasis?.[0]?.value.cooked ?? '';
      if (head !== '' || node.expressions?.length === 0) {
        return { text: head, complete: node.expressions?.length === 0 };
      }
      const first = this.#constant(node.expressions?.[0], depth + 1);
      return first && { ...first, complete: false };
    }
    if (node.type === 'BinaryExpression' && node.operator === '+') {
      const left = this.#constant(node.left, depth + 1);
      if (left === undefined || !left.complete) return left;
      const right = this.#constant(node.right, depth + 1);
      return { text: left.text + (right?.text ?? ''), complete: right?.complete ?? false };
    }
    if (node.type === 'Identifier' && node.name !== undefined) {
      return this.#constant(this.#values.get(node.name), depth + 1);
    }
    if (node.type === 'NewExpression' && finalName(node.callee) === 'URL') {
      const [path, base] = node.arguments ?? [];
      const text = this.#constant(path, depth + 1);
      if (text === undefined || base === undefined) return text;
      const isMeta = base.type === 'MemberExpression' && base.object?.type === 'MetaProperty';
      if (isMeta) return { ...text, fromScript: true };
      const root = this.#constant(base, depth + 1);
      return root?.complete && URL.canParse(text.text, root.text)
        ? { text: new URL(text.text, root.text).href, complete: text.complete }
        : undefined;
    }
    return undefined;
  }

  #spot(node: AnyNode): Position {
    return this.#lines.spot(node.start);
  }

  #shown(node: AnyNode): string {
    const text = this.#text.slice(node.start, Math.min(node.end, node.start + 200)).replaceAll(/\s+/g, ' ');
    return text.length > TEXT_LIMIT ? `${text.slice(0, TEXT_LIMIT - 1)}…` : text;
  }

  #use(node: AnyNode, names: readonly string[]): WebCapabilityUse {
    return { names, text: this.#shown(node), ...this.#spot(node) };
  }

  /** Which of camera and microphone a call of getUserMedia asks for. */
  #media(argument: AnyNode | undefined): readonly string[] {
    let node = unwrap(argument);
    if (node?.type === 'Identifier' && node.name !== undefined) node = unwrap(this.#values.get(node.name));
    if (node?.type !== 'ObjectExpression') return ['camera', 'microphone'];
    const asked = (name: string) =>
      (node.properties ?? []).some((item) => {
        const key = item.key?.name ?? item.key?.value;
        const value = item.value as AnyNode | undefined;
        return key === name && !(value?.type === 'Literal' && value.value === false) && !isFalse(value);
      });
    return [...(asked('video') ? ['camera'] : []), ...(asked('audio') ? ['microphone'] : [])];
  }

  #isGlobal(callee: AnyNode | undefined, name: string | undefined): boolean {
    const node = unwrap(callee);
    if (name === undefined) return false;
    if (node?.type === 'Identifier') return !this.#declared.has(name);
    return node?.type === 'MemberExpression' && GLOBALS.has(finalName(node.object) ?? '');
  }

  #moduleNames(list: AnyNode): ScriptImport[] {
    const items = (list as { readonly elements?: readonly (AnyNode | null)[] }).elements ?? [];
    return items.flatMap((item) => {
      const text = this.#constant(item ?? undefined);
      if (!item || !text?.complete || !/^\.{0,2}\//.test(text.text)) return [];
      const name = /\.m?js$/.test(text.text) ? text.text : `${text.text}.js`;
      return [{ kind: 'worker', text: name, complete: true, ...this.#spot(item) } as const];
    });
  }

  facts(): ScriptFacts {
    const uses: WebCapabilityUse[] = [];
    const registrations: WorkerRegistration[] = [];
    const requests: ScriptAddress[] = [];
    const imports: ScriptImport[] = [];
    const listens = new Set(this.#handlers);
    const sharedMemory: Position[] = [];
    const modules: ScriptImport[] = [];
    let navigationFallback: string | undefined;
    let readsCache = false;
    let hiddenImports = false;

    const request = (node: AnyNode, address: AnyNode | undefined) => {
      const text = this.#constant(address);
      if (!text) return;
      const fromScript = text.fromScript ? { fromScript: true } : {};
      requests.push({
        text: text.text,
        complete: text.complete,
        ...fromScript,
        ...this.#spot(address ?? node),
      });
    };
    for (const node of this.#calls) {
      const callee = unwrap(node.callee);
      const name = finalName(callee);
      if (name === undefined) continue;
      const object = callee?.type === 'MemberExpression' ? callee.object : undefined;
      const [first, second] = node.arguments ?? [];
      const isGlobal = this.#isGlobal(callee, name);
      for (const { on, capability } of object ? (CALLS.get(name) ?? []) : []) {
        if (this.#means(object, on)) uses.push(this.#use(node, [capability.name]));
      }
      if (
        name === 'getUserMedia' &&
        (!object || this.#means(object, 'mediaDevices') || this.#means(object, 'navigator'))
      ) {
        const names = this.#media(first);
        if (names.length > 0) uses.push(this.#use(node, names));
      }
      const asFunction = isGlobal ? FUNCTIONS.get(name) : undefined;
      if (asFunction) uses.push(this.#use(node, [asFunction.name]));
      if (name === 'addEventListener' && (object === undefined || GLOBALS.has(finalName(object) ?? ''))) {
        const event = this.#constant(first)?.text ?? '';
        listens.add(event);
        const onEvent = EVENTS.get(event);
        if (onEvent) uses.push(this.#use(node, [onEvent.name]));
      }
      if (name === 'register' && this.#means(object, 'serviceWorker')) {
        const url = this.#constant(first);
        const scope = (unwrap(second)?.properties ?? []).find((item) => item.key?.name === 'scope');
        registrations.push({
          url: url?.complete ? url.text : undefined,
          fromScript: url?.fromScript ?? false,
          scope: this.#constant(scope?.value as AnyNode | undefined)?.text,
          ...this.#spot(node),
        });
      }
      if (name === 'importScripts' && isGlobal) {
        for (const argument of node.arguments ?? []) {
          this.#sources.push({ node: argument, kind: 'worker' });
          if (!this.#constant(argument)?.complete) hiddenImports = true;
        }
      }
      // Modules in the older form (AMD), as bundlers of workers write them: define(['./part'], …).
      if (name === 'define' && first?.type === 'ArrayExpression') modules.push(...this.#moduleNames(first));
      if (name === 'createHandlerBoundToURL') navigationFallback ??= this.#constant(first)?.text;
      if (name === 'match' && object !== undefined) readsCache = true;
      if ((name === 'set' || name === 'append') && this.#constant(first)?.text === SIGN_IN_PARAMETER) {
        this.#signIns.push(node);
      }
      if ((name === 'fetch' && isGlobal) || name === 'sendBeacon') request(node, first);
      if (name === 'open' && object !== undefined && (node.arguments?.length ?? 0) >= 2) {
        const method = this.#constant(first)?.text ?? '';
        if (/^(get|post|put|patch|delete|head)$/i.test(method)) request(node, second);
      }
    }
    for (const node of this.#news) {
      const name = finalName(node.callee);
      if (isSharedMemory(node, name)) sharedMemory.push(this.#spot(node));
      if (name === undefined || !this.#isGlobal(node.callee, name)) continue;
      const capability = CONSTRUCTORS.get(name);
      if (capability) uses.push(this.#use(node, [capability.name]));
      if (REQUEST_CONSTRUCTORS.has(name)) request(node, node.arguments?.[0]);
    }
    // A longer text that holds a shorter one begins where it does.
    const signIns = new Map(this.#signIns.map((node) => [node.start, node]));
    for (const node of signIns.values()) uses.push(this.#use(node, ['sign-in']));
    for (const { node, kind } of this.#sources) {
      const text = this.#constant(node);
      if (text) imports.push({ kind, text: text.text, complete: text.complete, ...this.#spot(node) });
    }
    imports.push(...modules);
    const inOrder = (a: Position, b: Position) => a.line - b.line || a.column - b.column;
    return {
      uses: uses.sort(inOrder),
      registrations,
      imports,
      hiddenImports: hiddenImports && modules.length === 0,
      requests,
      sharedMemory,
      makesStyles: this.#makesStyles,
      words: this.#words,
      ...(navigationFallback === undefined ? {} : { navigationFallback }),
      listens,
      readsCache,
    };
  }
}

/** `true`, or `!0` as minifiers write it. */
function isTrue(given: AnyNode | undefined): boolean {
  const node = unwrap(given);
  const negated = (node as { argument?: AnyNode } | undefined)?.argument?.value;
  return node?.value === true || (node?.type === 'UnaryExpression' && node.operator === '!' && negated === 0);
}

/** `new WebAssembly.Memory({ …, shared: true })`: what threads of a WebAssembly program are given. */
function isSharedMemory({ callee, arguments: given }: AnyNode, name: string | undefined): boolean {
  const owner = unwrap(callee)?.object;
  if (name !== 'Memory' || finalName(owner) !== 'WebAssembly') return false;
  return (unwrap(given?.[0])?.properties ?? []).some(
    ({ key, value }) => (key?.name ?? key?.value) === 'shared' && isTrue(value as AnyNode | undefined),
  );
}

/** `!1`, as minifiers write `false`. */
function isFalse(node: AnyNode | undefined): boolean {
  return (
    node?.type === 'UnaryExpression' &&
    node.operator === '!' &&
    (node as { argument?: AnyNode }).argument?.value === 1
  );
}

/** Reads a script. One that does not parse, or is nested too deeply to, has a `fault` and no other facts. */
export function readScript(text: string): ScriptFacts {
  const fault = (spot: Position, message: string): ScriptFacts => ({
    ...NO_SCRIPT,
    fault: { ...spot, message },
  });
  try {
    const reader = new Reader(text);
    full(parseScript(text), reader.visit as (node: Node) => void);
    return reader.facts();
  } catch (error) {
    if (error instanceof SyntaxError) {
      const { loc } = error as SyntaxError & { loc?: { line: number; column: number } };
      const message = error.message.replace(/ \(\d+:\d+\)$/, '');
      return fault({ line: loc?.line ?? 1, column: (loc?.column ?? 0) + 1 }, message);
    }
    if (error instanceof RangeError) return fault({ line: 1, column: 1 }, 'Nested too deeply to be read');
    throw error;
  }
}
