import { HullError, type Location } from '../errors.js';

/** A URL pattern as one regular expression a component, in the part of the syntax that Java and JavaScript share. */
export interface CompiledPattern {
  readonly protocol: string;
  readonly hostname: string;
  readonly port: string;
  readonly pathname: string;
  readonly search: string;
}

/** Components in which `*` stays within one part, and what ends that part (URL Pattern Standard, "options"). */
const SEGMENT: Readonly<Record<keyof CompiledPattern, string>> = {
  protocol: '[^/]',
  hostname: '[^.]',
  port: '[^/]',
  pathname: '[^/]',
  search: '[^/]',
};

const escapeLiteral = (text: string) => text.replaceAll(/[\\^$.*+?()[\]{}|]/g, '\\$&');

/**
 * Translates one component's pattern string (URL Pattern Standard, section 2, "pattern strings"): literals, `*`,
 * `:name`, `{…}` with `?`, `*` or `+`. Custom regular expressions are refused, because the device's dialect is
 * another than the browser's.
 */
function translate(pattern: string, component: keyof CompiledPattern): string {
  let out = '';
  let i = 0;
  const inner = (depth: number): void => {
    while (i < pattern.length) {
      const c = pattern[i] as string;
      if (c === '}' && depth > 0) return;
      if (c === '(') throw new SyntaxError('a regular expression in parentheses is not supported');
      if (c === '\\') {
        out += escapeLiteral(pattern[i + 1] ?? '');
        i += 2;
      } else if (c === '*') {
        out += '.*';
        i += 1;
      } else if (c === '{') {
        if (depth > 0) throw new SyntaxError('groups cannot be nested');
        out += '(?:';
        i += 1;
        inner(depth + 1);
        if (pattern[i] !== '}') throw new SyntaxError('a group is never closed');
        i += 1;
        out += `)${modifier()}`;
      } else if (c === ':' && /[\p{ID_Start}_$]/u.test(pattern[i + 1] ?? '')) {
        i += 1;
        while (/[\p{ID_Continue}$]/u.test(pattern[i] ?? '')) i += 1;
        if (pattern[i] === '(') throw new SyntaxError('a regular expression in parentheses is not supported');
        const optional = modifier();
        const named = `${SEGMENT[component]}+`;
        // A name takes the slash before it along when it is optional or repeated (the standard's "prefix").
        if (optional !== '' && component === 'pathname' && out.endsWith('/')) {
          out = `${out.slice(0, -1)}(?:/${named})${optional}`;
        } else out += optional === '' ? named : `(?:${named})${optional}`;
      } else {
        out += escapeLiteral(c);
        i += 1;
      }
    }
  };
  const modifier = (): string => {
    const c = pattern[i];
    if (c !== '?' && c !== '*' && c !== '+') return '';
    i += 1;
    return c;
  };
  inner(0);
  return out;
}

/** The pattern of everything below a base address: `<base>*`, without a parser's help. */
export function patternBelow(base: URL): CompiledPattern {
  return {
    protocol: base.protocol.slice(0, -1),
    hostname: escapeLiteral(base.hostname),
    port: base.port,
    pathname: `${escapeLiteral(base.pathname)}.*`,
    search: '.*',
  };
}

/**
 * Compiles a URL pattern of `web.inside` (URL Pattern Standard). A pattern that names no query takes any.
 *
 * @throws HullError `config.bad-pattern`
 */
export async function compileUrlPattern(text: string, location: Location): Promise<CompiledPattern> {
  // Loaded here, because most projects name no pattern of their own.
  const { URLPattern } = await import('urlpattern-polyfill/urlpattern');
  try {
    const pattern = new URLPattern(text);
    return {
      protocol: translate(pattern.protocol, 'protocol'),
      hostname: translate(pattern.hostname, 'hostname'),
      port: translate(pattern.port, 'port'),
      pathname: translate(pattern.pathname, 'pathname'),
      search: pattern.search === '' ? '.*' : translate(pattern.search, 'search'),
    };
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error);
    throw new HullError(
      'config.bad-pattern',
      `"${text}" is not a URL pattern that can be used here: ${why}.`,
      {
        location,
        fix: 'Write a whole address with * for any run of characters, as in https://ferry.saltmarsh.example/*',
      },
    );
  }
}

/** Whether a URL matches, as the shell decides it on the device. */
export function patternMatches(pattern: CompiledPattern, url: URL): boolean {
  const test = (source: string, value: string) => new RegExp(`^(?:${source})$`, 'u').test(value);
  return (
    test(pattern.protocol, url.protocol.slice(0, -1)) &&
    test(pattern.hostname, url.hostname) &&
    test(pattern.port, url.port) &&
    test(pattern.pathname, url.pathname) &&
    test(pattern.search, url.search.slice(1))
  );
}
