import { domainToASCII, domainToUnicode } from 'node:url';

/** A host name as links, certificates and association documents have it. */
export interface HostName {
  /** In ASCII, lower case (RFC 5890, A-labels); without the `*.` of a wildcard. */
  readonly name: string;
  /** Whether every host below it is meant, and not itself. */
  readonly wildcard: boolean;
  /** As people read it, where that differs. */
  readonly unicode?: string;
}

/** Why a text is no host that can be associated with an app, and what to write instead. */
export interface HostFault {
  readonly observed: string;
  readonly fix: string;
}

/** One label of a host name (RFC 1123 section 2.1). */
const LABELS =
  /^(?=.{1,253}$)[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?(?:\.[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?)+$/;
const ALONE = 'Write the name alone, in lower case: ferry.saltmarsh.example';

function fault(observed: string, fix = ALONE): HostFault {
  return { observed, fix };
}

/** Reads the host of a link. Internationalised names may be written either way. */
export function readHostName(text: string): HostName | HostFault {
  const quoted = `"${text}"`;
  if (text.includes('://')) return fault(`${quoted} is a whole address, and not a host.`);
  if (/[/?#@\s]/.test(text)) return fault(`${quoted} is not a host.`);
  const bare = text.replace(/^\[|\]$/g, '');
  if (/^[\d.]+$/.test(text) || (bare.includes(':') && URL.canParse(`http://[${bare}]/`))) {
    return fault(
      `${quoted} is an address of a machine: links are associated with names alone.`,
      'Give the name under which the site is reached: ferry.saltmarsh.example',
    );
  }
  if (text.includes(':')) {
    return fault(
      `${quoted} names a port: association documents are fetched from port 443 alone.`,
      'Leave the port out, and serve the document on port 443.',
    );
  }
  const wildcard = text.startsWith('*.');
  const name = wildcard ? text.slice(2) : text;
  if (name.includes('*')) {
    return fault(
      `${quoted} has a wildcard at a place where no platform takes one.`,
      'A wildcard stands for the whole left part: *.saltmarsh.example',
    );
  }
  if (name.endsWith('.')) return fault(`${quoted} ends with a dot, which no link has.`);
  if (name !== name.toLowerCase()) return fault(`${quoted} has capital letters.`);
  const ascii = domainToASCII(name);
  if (ascii === '') return fault(`${quoted} is not a host: its letters form no name (RFC 5891).`);
  if (!LABELS.test(ascii)) {
    return ascii.includes('.')
      ? fault(`${quoted} is not a host.`)
      : fault(
          `${quoted} has no domain: no verifier outside of your network finds it.`,
          'Give the full name: ferry.saltmarsh.example',
        );
  }
  const unicode = domainToUnicode(ascii);
  return { name: ascii, wildcard, ...(unicode === ascii ? {} : { unicode }) };
}

export function isHostFault(read: HostName | HostFault): read is HostFault {
  return 'observed' in read;
}

/** A host both ways, where there are two: `xn--fhre-loa.example (fähre.example)`. */
export function shownHost(name: string): string {
  const unicode = domainToUnicode(name);
  return unicode === '' || unicode === name ? name : `${name} (${unicode})`;
}

/** Whether a host is the one that is named or, for a wildcard, one below it. */
export function hostMatches(pattern: string, host: string): boolean {
  return pattern.startsWith('*.') ? host.endsWith(pattern.slice(1)) : host === pattern;
}

/** The host that is asked for the documents of a host of a link: a wildcard is checked at its bare domain. */
export function documentHost(pattern: string): string {
  return pattern.startsWith('*.') ? pattern.slice(2) : pattern;
}
