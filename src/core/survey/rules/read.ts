import type { ReadFault } from '../../site/site.js';
import { locationIn, pathBelow, type Site, unitLocation } from '../../site/site.js';
import { isSameOwner, parseUrl } from '../../util/url-path.js';
import { type Rule, type RuleFinding, rule } from '../rule.js';

function* faultsOf(site: Site, kind: ReadFault['kind'], impact: string, fix: string): Generator<RuleFinding> {
  for (const fault of site.faults) {
    if (fault.kind === kind) yield { location: fault.location, observed: fault.message, impact, fix };
  }
}

/** Parse errors of the HTML Standard in words. */
const MARKUP: Readonly<Record<string, string>> = {
  'missing-doctype': 'no <!doctype html> at the beginning',
  'eof-in-tag': 'the file ends inside a tag',
  'eof-in-comment': 'a comment is never closed',
  'eof-in-script-html-comment-like-text': 'a script is never closed',
  'eof-before-tag-name': 'the file ends inside a tag',
  'eof-in-element-that-can-contain-only-text': 'an element is never closed',
  'duplicate-attribute': 'an attribute appears twice in one tag',
  'unexpected-null-character': 'a character of value 0',
  'non-void-html-element-start-tag-with-trailing-solidus':
    'an element that closes itself (/>) and may not: it stays open',
  'unexpected-character-in-attribute-name': 'a quotation mark or < in the name of an attribute',
  'missing-whitespace-between-attributes': 'two attributes without a space between',
  'unexpected-character-in-unquoted-attribute-value': 'a quotation mark in a value that has none around it',
  'closing-of-element-with-open-child-elements': 'an element is closed while one inside it is open',
};

/** Titles that servers give their own error pages. */
const ERROR_TITLE =
  /^\W*(error\W*)?(40[0-9]|50[0-9])\b|^(page )?not found\b|^(internal server error|bad gateway|service unavailable|gateway time-?out|forbidden|access denied)\b/i;

const REFUSAL_FIXES: Readonly<Record<string, string>> = {
  'status 401': 'Give the header field or the name and password that the host asks for.',
  'status 403': 'Let this machine in, or give the header field by which the host knows its own people.',
  'status 429': 'Read fewer pages, run again later, or let the host’s limit pass this machine.',
};

/** Bytes of HTML from which on a page is very large. */
const LARGE_PAGE = 2 * 1024 * 1024;

export const READ_RULES: readonly Rule[] = [
  rule({
    id: 'read.markup',
    title: 'The markup is broken',
    severity: 'suggestion',
    source: 'HTML Standard, "parse errors"',
    why: 'Browsers repair broken markup by rules of their own, so the page differs from its source; without a doctype they lay it out as browsers did in the last century.',
    *check({ site }) {
      for (const page of site.pages) {
        const [first, ...more] = page.facts.faults;
        if (!first) continue;
        yield {
          location: locationIn(site.kind, page.name, { line: first.line, column: first.column }),
          observed: MARKUP[first.code] ?? first.code,
          impact: 'Browsers guess what was meant, and lay the page out by the guess.',
          fix: first.code === 'missing-doctype' ? '<!doctype html>' : 'Fix the markup here.',
          ...(more.length > 0 ? { more: more.length } : {}),
        };
      }
    },
  }),
  rule({
    id: 'read.script',
    title: 'A script cannot be parsed',
    severity: 'error',
    source: 'ECMA-262, static semantics: early errors',
    why: 'A script that does not parse does not run at all, not even the part before the error.',
    *check({ site }) {
      const workers = new Set(site.workers.map(({ script }) => script));
      for (const unit of site.scripts) {
        const { fault } = unit.facts;
        if (!fault || workers.has(unit)) continue; // a worker's own is reported by offline.worker-script
        yield {
          location: unitLocation(site, unit, fault),
          observed: fault.message,
          impact: 'The whole script does not run.',
          fix: 'Fix the script here.',
        };
      }
    },
  }),
  rule({
    id: 'read.style',
    title: 'A style sheet cannot be parsed',
    severity: 'warning',
    source: 'CSS Syntax 3, "error handling"',
    why: 'Browsers skip what they cannot parse, and often the rule after it as well.',
    *check({ site }) {
      for (const unit of site.styles) {
        const [first, ...more] = unit.facts.faults;
        if (!first) continue;
        yield {
          location: unitLocation(site, unit, first),
          observed: first.message,
          impact: 'This rule, and perhaps the next, has no effect.',
          fix: 'Fix the style sheet here.',
          ...(more.length > 0 ? { more: more.length } : {}),
        };
      }
    },
  }),
  rule({
    id: 'read.binary',
    title: 'A file is not what its name says',
    severity: 'error',
    source: 'WHATWG MIME Sniffing',
    why: 'A picture or an archive that is named as a page, script or style is sent as text, and shown as rows of odd characters or not at all.',
    *check({ site }) {
      yield* faultsOf(
        site,
        'binary-page',
        'Users see rows of odd characters, or nothing.',
        'Give the file its right ending, or put the right file there.',
      );
    },
  }),
  rule({
    id: 'read.refused',
    title: 'The host refused pages',
    severity: 'warning',
    needs: ['hosted'],
    source: 'RFC 6585, section 4 (429); RFC 9110, sections 15.5 and 15.6',
    why: 'A host that limits requests, asks for a sign-in or fails shows the survey nothing of those pages: what is said of the app holds for the others alone.',
    *check({ site }) {
      const groups = new Map<string, ReadFault[]>();
      for (const fault of site.faults) {
        if (fault.kind === 'refused')
          groups.set(fault.message, [...(groups.get(fault.message) ?? []), fault]);
      }
      for (const [message, faults] of groups) {
        const [first] = faults;
        if (!first) continue;
        yield {
          location: first.location,
          observed: `${faults.length} page${faults.length === 1 ? '' : 's'} refused with ${message}`,
          impact: 'Nothing in this report is about them.',
          fix: REFUSAL_FIXES[message] ?? 'Look into the server’s log for why it fails, and run again.',
          ...(faults.length > 1 ? { more: faults.length - 1 } : {}),
        };
      }
    },
  }),
  rule({
    id: 'read.elsewhere',
    title: 'Pages lead to another host',
    severity: 'warning',
    needs: ['hosted'],
    source: 'RFC 9110, section 15.4: redirects',
    why: 'Where a page leads to another host, to sign in as a rule, what is behind it was not seen, and what was seen may be that other host. In the app the other host’s page opens outside, unless web.inside names it; and providers of sign-in often refuse to be shown in an app’s own view.',
    *check({ site }) {
      const asked = parseUrl(site.name);
      if (asked && site.kind === 'hosted' && !isSameOwner(asked.hostname, site.start.hostname)) {
        yield {
          location: { url: asked.href },
          severity: 'error',
          observed: `The address leads to ${site.start.origin}, and this report is about that host`,
          impact: 'Nothing was seen of the app itself.',
          fix: 'Give the address of a page that needs no sign-in; or send what signs you in as a header field.',
        };
      }
      const groups = new Map<string, ReadFault[]>();
      for (const fault of site.faults) {
        if (fault.kind === 'elsewhere')
          groups.set(fault.message, [...(groups.get(fault.message) ?? []), fault]);
      }
      for (const [origin, [first, ...more]] of groups) {
        if (!first) continue;
        yield {
          location: first.location,
          observed: `It leads to ${origin}`,
          impact: 'What is behind it was not judged, and in the app it opens outside.',
          fix: `Where the app has to show it, add "${origin}/*" to web.inside; to have it judged, send what signs you in as a header field.`,
          ...(more.length > 0 ? { more: more.length } : {}),
        };
      }
    },
  }),
  rule({
    id: 'read.language',
    title: 'The host shows other pages in other languages',
    severity: 'suggestion',
    needs: ['hosted'],
    source: 'RFC 9110, section 12.5.4: Accept-Language',
    why: 'The survey reads the pages of one language. Where a host goes by the language that is asked for, users of others see pages that nobody has looked at.',
    *check({ site }) {
      const { otherLanguage } = site.probes;
      if (!otherLanguage) return;
      yield {
        location: { url: site.start.href },
        observed: `Asked for in "${otherLanguage.asked}", the start page answers with ${otherLanguage.got}`,
        impact: 'Pages of other languages were not judged.',
        fix: 'Survey those too, with the header field Accept-Language.',
      };
    },
  }),
  rule({
    id: 'read.large-page',
    title: 'A page is very large',
    severity: 'warning',
    source:
      'Measured: a phone’s processor reads some MiB of HTML a second, and holds many times as much of it in memory',
    why: 'A page of several MiB takes seconds before anything of it can be used, each time that it is opened, and low-memory phones close the app.',
    *check({ site }) {
      for (const page of site.pages) {
        const path = site.folder ? pathBelow(site.base, new URL(page.url)) : undefined;
        const file = site.folder?.files.find((one) => one.path === path || one.path === `${path}index.html`);
        const size = file?.size ?? site.responses.get(page.url)?.size ?? 0;
        if (size < LARGE_PAGE) continue;
        yield {
          location: locationIn(site.kind, page.name),
          observed: `${(size / 1024 / 1024).toFixed(1)} MiB of HTML`,
          impact: 'Users wait for seconds before they see or tap anything.',
          fix: 'Show a part, and load the rest as it is scrolled to or asked for.',
        };
      }
    },
  }),
  rule({
    id: 'read.error-page',
    title: 'An error page is served with status 200',
    severity: 'warning',
    needs: ['hosted'],
    source: 'RFC 9110, section 15.3.1: status 200 means that the request has succeeded',
    why: 'A server that sends its error page with status 200 looks healthy to every monitor. Workers keep that page, and the app shows it without a network too.',
    *check({ site }) {
      for (const { facts, name } of site.pages) {
        const { title } = facts.head;
        if (title === undefined || !ERROR_TITLE.test(title)) continue;
        yield {
          location: locationIn(site.kind, name, facts.headPosition),
          observed: `status 200, “${title}”`,
          impact: 'Users see an error, and the worker keeps it.',
          fix: 'Answer with the status that it is: 404, 403 or 503.',
        };
      }
    },
  }),
  rule({
    id: 'read.unreadable',
    title: 'Files or addresses could not be read',
    severity: 'warning',
    source: 'RFC 9110, section 15; file permissions',
    why: 'What cannot be read now cannot be packed, and what a host does not answer today it may not answer for users either.',
    *check({ site }) {
      yield* faultsOf(
        site,
        'unreadable',
        'It was not judged, and users may not get it either.',
        'Make it readable, and survey again.',
      );
      yield* faultsOf(
        site,
        'too-large',
        'It was not judged; users wait for it.',
        'Check what is sent there; compress it, or load it in parts.',
      );
      const refused = new Set(
        site.faults.flatMap(({ kind, location }) => (kind === 'refused' ? location.url : [])),
      );
      for (const response of site.responses.values()) {
        const isSaid = refused.has(response.url) || site.probes.notFound?.url === response.url;
        if (response.status < 500 || isSaid) continue;
        yield {
          location: { url: response.url },
          observed: `status ${response.status}`,
          impact: 'Users see an error page there.',
          fix: 'Look into the server’s log for this address.',
        };
      }
    },
  }),
  rule({
    id: 'read.slow',
    title: 'The host answers slowly',
    severity: 'warning',
    needs: ['hosted'],
    source: 'Stores’ quality guidelines: an app responds within seconds',
    why: 'Users who wait for more than a few seconds take the app for broken. Phones are on weaker networks than this machine.',
    *check({ site }) {
      yield* faultsOf(
        site,
        'slow',
        'Users take the app for broken before it appears.',
        'Answer from a cache near the users; send the page before what is slow to compute.',
      );
    },
  }),
  rule({
    id: 'read.limit',
    title: 'The survey did not see the whole app',
    severity: 'suggestion',
    source: 'Limits of this survey',
    why: 'Crawling stops at limits, so that an endless site does not mean an endless survey. What lies behind them was not judged, and nothing here speaks for it.',
    *check({ site }) {
      for (const { what, location, message } of site.limits) {
        yield {
          location,
          observed: message,
          impact: 'The rest was not judged.',
          fix:
            what === 'pages'
              ? 'Raise the limit of pages.'
              : what === 'depth'
                ? 'Follow links deeper.'
                : 'Survey a part of the app by its own address.',
        };
      }
    },
  }),
];
