import { formatLocation } from '../../errors.js';
import { isolates } from '../../net/response.js';
import { headersOf } from '../../site/answer.js';
import type { ReferenceKind } from '../../site/page-facts.js';
import { locationIn, resolveReference, type Site, unitLocation } from '../../site/site.js';
import { parseUrl } from '../../util/url-path.js';
import { type Rule, type RuleFinding, rule, type SurveyContext } from '../rule.js';
import { requestsOf } from '../seen.js';

const MIXED =
  'W3C Mixed Content, section 5; Android: cleartextTrafficPermitted; Apple: NSAppTransportSecurity';
const ACTIVE: ReadonlySet<ReferenceKind> = new Set([
  'script',
  'module',
  'style',
  'frame',
  'preload',
  'manifest',
]);
const PASSIVE: ReadonlySet<ReferenceKind> = new Set([
  'image',
  'media',
  'icon',
  'touch-icon',
  'startup-image',
]);

/** Hosts that `web.insecure` names with a reason. */
function excepted({ project }: SurveyContext): ReadonlySet<string> {
  const keys = Object.keys(project?.settings.web.insecure ?? {});
  return new Set(
    keys.map((key) => (key.includes('://') ? (parseUrl(key)?.hostname ?? key) : key.toLowerCase())),
  );
}

const isPlain = (url: URL) => url.protocol === 'http:' || url.protocol === 'ws:';
/** This machine itself: a secure context without TLS (W3C Secure Contexts, section 3.1). */
const isLoopback = ({ hostname }: URL) => /^(localhost|127(\.\d+){3}|\[::1\])$|\.localhost$/.test(hostname);

/** Whether a site is, or will be, served over TLS: everything but an address that says otherwise. */
const isSecureSite = (site: Site) => site.base.protocol === 'https:';

function* insecureReferences({ site }: SurveyContext, kinds: ReadonlySet<ReferenceKind>) {
  const seen = new Set<string>();
  for (const page of site.pages) {
    for (const reference of page.facts.references) {
      if (!kinds.has(reference.kind) || !/^(http|ws):/i.test(reference.text.trim())) continue;
      const url = resolveReference(page, reference);
      if (!url || seen.has(`${reference.kind} ${url.href}`)) continue;
      seen.add(`${reference.kind} ${url.href}`);
      yield { url, kind: reference.kind, location: locationIn(site.kind, page.name, spot(reference)) };
    }
  }
}

const spot = ({ line, column }: { line: number; column: number }) => ({ line, column });

/** The same address with TLS. */
const secured = (url: URL) => url.href.replace(/^http:/, 'https:').replace(/^ws:/, 'wss:');

function* insecureStyles({ site }: SurveyContext, kinds: readonly string[]): Generator<RuleFinding> {
  for (const unit of site.styles) {
    for (const address of unit.facts.addresses) {
      const url = kinds.includes(address.kind) ? parseUrl(address.text, new URL(unit.url)) : undefined;
      if (!url || !isPlain(url) || !/^http:/i.test(address.text)) continue;
      yield {
        location: unitLocation(site, unit, address),
        observed: address.text,
        impact: `Phones refuse this ${address.kind === 'import' ? 'style sheet' : address.kind}: the page looks broken where it is missing.`,
        fix: `url("${secured(url)}")`,
      };
    }
  }
}

/** What a site asks for without TLS: by its scripts, as it ran, and, where it has no TLS itself, by its pages. */
function* insecureRequests(
  context: SurveyContext,
): Generator<{ url: URL; location: RuleFinding['location']; observed: string }> {
  const { site } = context;
  for (const unit of site.scripts) {
    for (const request of unit.facts.requests) {
      const url = /^(http|ws):\/\//i.test(request.text) ? parseUrl(request.text) : undefined;
      if (url)
        yield {
          url,
          location: unitLocation(site, unit, request),
          observed: `${request.text}${request.complete ? '' : '…'}`,
        };
    }
  }
  for (const { url: text, page } of requestsOf(context)) {
    const url = parseUrl(text);
    const location = locationIn(site.kind, nameOf(site, page));
    if (url && isPlain(url)) yield { url, location, observed: `${text}, asked for as the page ran` };
  }
  if (isSecureSite(site)) return;
  for (const { url, kind, location } of insecureReferences(context, new Set([...ACTIVE, ...PASSIVE]))) {
    yield { url, location, observed: `${kind} ${url.href}` };
  }
}

/** That a script puts an address without TLS together as it runs, so that its host is in no file. */
function unknownHosts({ site }: SurveyContext): string | undefined {
  for (const unit of site.scripts) {
    const request = unit.facts.requests.find(
      ({ text, complete }) => !complete && /^(http|ws):\/\/$/i.test(text),
    );
    if (request)
      return `${request.text}… in ${formatLocation(unitLocation(site, unit, request))} gets its host as the app runs`;
  }
  return undefined;
}

export const SECURE_RULES: readonly Rule[] = [
  rule({
    id: 'secure.https',
    title: 'The app is not served over https',
    severity: 'error',
    source:
      'W3C Secure Contexts, section 3; Android network security configuration; Apple App Transport Security',
    why: 'Phones refuse plain http unless an app declares an exception with a reason. Service workers, location, camera, notifications and sharing work on https only; without it the app is a web page in a frame, and stores ask why.',
    *check(context) {
      const { site } = context;
      const allowed = excepted(context);
      const urls = [{ url: site.base, location: { url: site.start.href } as RuleFinding['location'] }];
      const { project } = context;
      const named = project?.settings.web.url === undefined ? undefined : parseUrl(project.settings.web.url);
      if (project && named) urls[0] = { url: named, location: project.location('/web/url') };
      for (const { url, location } of urls) {
        if (url.protocol !== 'http:' || isLoopback(url) || allowed.has(url.hostname)) continue;
        yield {
          location,
          observed: url.href,
          impact:
            'Phones refuse the pages, and nothing that needs a secure context (offline, location, camera) works.',
          fix: `Get a certificate for ${url.hostname}, serve the app at ${secured(url)}, and redirect to it.`,
        };
      }
    },
  }),
  rule({
    id: 'secure.redirect',
    title: 'Plain http does not redirect to https',
    severity: 'warning',
    needs: ['hosted'],
    source: 'RFC 9110, section 15.4; RFC 6797 (HSTS)',
    why: 'People type and share addresses without https. Where the plain address shows the pages itself, they stay on a connection that anyone on the way can read and change, and links to it do not open in the app.',
    *check({ site }) {
      const { plainHttp } = site.probes;
      if (!plainHttp?.answered || (plainHttp.end ?? '').startsWith('https:')) return;
      const plain = new URL(site.start);
      plain.protocol = 'http:';
      yield {
        location: { url: plain.href },
        observed: `status ${plainHttp.status}, at ${plainHttp.end}`,
        impact: 'A user who opens the URL without https stays on an unencrypted connection, outside the app.',
        fix: `Answer it with status 301 and "Location: ${site.start.href}".`,
      };
    },
  }),
  rule({
    id: 'secure.certificate',
    title: 'The TLS certificate expires soon, or TLS is outdated',
    severity: 'warning',
    needs: ['hosted'],
    source: 'RFC 5280, section 4.1.2.5; RFC 8446',
    why: 'On the day a certificate ends every installed app shows an error page at once; there is no way to press on, as in a browser. TLS before 1.2 is refused by current phones.',
    *check({ site }) {
      const { tls } = site.responses.get(site.start.href) ?? {};
      if (!tls) return;
      const days = Math.floor((Date.parse(tls.notAfter) - Date.now()) / 86_400_000);
      const old = /^TLSv1(\.1)?$/.test(tls.protocol);
      if (days >= 14 && !old) return;
      yield {
        location: { url: site.start.href },
        observed: old
          ? `protocol ${tls.protocol}`
          : `valid until ${tls.notAfter.slice(0, 10)} (${days} days)`,
        impact: old
          ? 'Current phones do not connect.'
          : 'From that day on the installed app shows an error instead of its pages.',
        fix: old
          ? 'Allow TLS 1.2 and 1.3 on the server.'
          : 'Renew it now, and let it be renewed automatically.',
      };
    },
  }),
  rule({
    id: 'secure.mixed-content',
    title: 'Scripts, styles or frames load over plain http',
    severity: 'error',
    source: MIXED,
    why: 'A page on https may not run scripts, styles or frames from plain http: every browser engine blocks them silently. Anyone on the way could change them.',
    *check(context) {
      if (!isSecureSite(context.site)) return;
      for (const { url, kind, location } of insecureReferences(context, ACTIVE)) {
        yield {
          location,
          observed: `${kind} ${url.href}`,
          impact: `The engine blocks this ${kind === 'module' ? 'script' : kind}; the part of the page that needs it does not work.`,
          fix: secured(url),
        };
      }
      yield* insecureStyles(context, ['import']);
    },
  }),
  rule({
    id: 'secure.insecure-media',
    title: 'Images, audio, video or fonts load over plain http',
    severity: 'warning',
    source: MIXED,
    why: 'Engines try such media over https and leave them out where that fails; the operating systems refuse the plain connection unless the app declares an exception.',
    *check(context) {
      if (!isSecureSite(context.site)) return;
      for (const { url, kind, location } of insecureReferences(context, PASSIVE)) {
        yield {
          location,
          observed: `${kind} ${url.href}`,
          impact: 'On phones it stays empty where the host has no https.',
          fix: secured(url),
        };
      }
      yield* insecureStyles(context, ['image', 'font']);
    },
  }),
  rule({
    id: 'secure.form-target',
    title: 'A form is sent over plain http',
    severity: 'error',
    source: MIXED,
    why: 'What users type into the form crosses the network in the open, passwords included. Engines warn before sending, and phones refuse the connection.',
    *check(context) {
      for (const { url, location } of insecureReferences(context, new Set<ReferenceKind>(['form']))) {
        yield {
          location,
          observed: `action="${url.href}"`,
          impact: 'Users are warned, or the form is never sent.',
          fix: `action="${secured(url)}"`,
        };
      }
    },
  }),
  rule({
    id: 'secure.cleartext-host',
    blind: unknownHosts,
    title: 'Scripts call a host over plain http',
    severity: 'warning',
    source: MIXED,
    why: 'A page with TLS may not ask a host without: every engine blocks that, whatever the app allows. Pages that have no TLS themselves may be opened, and may ask others, only where the app names each host as an exception, with a reason that a store reviewer accepts.',
    *check(context) {
      const { site, project } = context;
      const allowed = excepted(context);
      const seen = new Set<string>();
      const isMixed = isSecureSite(site);
      const exception = (url: URL) =>
        `say why in hull.json:\n"web": { "insecure": { "http://${url.host}": "<the reason>" } }`;
      for (const { url, location, observed } of insecureRequests(context)) {
        // Inside a page with TLS no exception helps: the engine itself blocks what has none.
        if (isLoopback(url) || seen.has(url.host) || (!isMixed && allowed.has(url.hostname))) continue;
        seen.add(url.host);
        yield {
          location,
          observed,
          impact: `On phones the request to ${url.hostname} fails.`,
          fix: isMixed
            ? `${secured(url)}   (where the host has no TLS: ask it through the app’s own host)`
            : `Use ${secured(url)}; or, where the host has no TLS, ${exception(url)}`,
        };
      }
      for (const [index, pattern] of (project?.settings.web.inside ?? []).entries()) {
        const url = /^http:/i.test(pattern) ? parseUrl(pattern.replaceAll('*', '')) : undefined;
        if (!url || !project || isLoopback(url) || allowed.has(url.hostname) || seen.has(url.host)) continue;
        seen.add(url.host);
        yield {
          location: project.location(`/web/inside/${index}`),
          observed: pattern,
          impact: `On phones the pages of ${url.hostname} do not open.`,
          fix: `Use ${secured(url)}; or, where the host has no TLS, ${exception(url)}`,
        };
      }
    },
  }),
  rule({
    id: 'secure.isolation',
    title: 'Threads need cross-origin isolation',
    severity: 'error',
    source: 'HTML Standard, "cross-origin isolated"; WebAssembly threads, "shared memory"',
    why: 'Memory that threads share is given only to pages that are cut off from other origins by two header fields. Android’s own web view has no such memory at all; a browser has it for pages that are sent with both.',
    *check(context) {
      const { site, browser, project } = context;
      const places = site.scripts.flatMap((unit) =>
        unit.facts.sharedMemory.map((spot) => ({ unit, location: unitLocation(site, unit, spot) })),
      );
      const loaded = places.find(({ unit }) => context.derived.isLoaded(unit));
      const { location } = loaded ?? places[0] ?? {};
      if (location === undefined) return;
      const engine = project?.settings.android.engine ?? (site.kind === 'hosted' ? 'browser' : 'webview');
      const isViewed = engine === 'webview';
      if (!isViewed && (browser?.isolated ?? sendsIsolation(site))) return;
      yield {
        location,
        // A part that no page names may be one that the app never takes.
        ...(loaded ? {} : { severity: 'warning' as const }),
        observed: isViewed
          ? 'memory shared by threads, in an app that Android’s web view shows'
          : 'memory shared by threads, on a page that is not sent with both header fields',
        impact: 'The app stops with an error where its threads begin.',
        fix: isViewed
          ? `Host the app with these fields, and let a browser show it ("android": { "engine": "browser" }); or build it without threads.\n${ISOLATION}`
          : `Send every page with:\n${ISOLATION}`,
        ...(places.length > 1 ? { more: places.length - 1 } : {}),
      };
    },
  }),
];

const ISOLATION = 'Cross-Origin-Opener-Policy: same-origin\nCross-Origin-Embedder-Policy: require-corp';

/** Whether the start page is sent with what isolates it, as far as that can be seen without a browser. */
function sendsIsolation(site: Site): boolean {
  const rules = site.folder?.answers.rules;
  if (rules) return isolates(headersOf(rules, ''));
  const start = site.startPage && site.responses.get(site.startPage.url);
  return start?.isolated ?? false;
}

/** The name of a page of the site by its address. */
function nameOf(site: Site, url: string): string {
  return site.pages.find((page) => page.url === url)?.name ?? url;
}
