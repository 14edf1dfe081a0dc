import { webFeature } from '../../platforms/android/app/web-features.js';
import { compareVersions } from '../../platforms/apple/app/versions.js';
import { type AppleSupport, appleWebFeature } from '../../platforms/apple/app/web-features.js';
import { nearest } from '../../project/nearest.js';
import { CAPABILITIES, capability } from '../../site/capabilities.js';
import { locationIn } from '../../site/site.js';
import { pointerStep } from '../../util/json-locations.js';
import { type Rule, type RuleContext, type RuleFinding, rule, type SurveyContext } from '../rule.js';
import { askedOf } from '../seen.js';
import { unlessApple } from '../target.js';
import type { FoundUse } from '../uses.js';

const APPLE_SOURCE = 'WebKit: WKWebView reference and feature status; W3C specifications of each feature';

/** What an app has to declare. */
export function declarable(name: string): boolean {
  return capability(name)?.declare ?? false;
}

const REASON = 20;
/** Whether a reason says no more than the name of what is asked for. */
export function isVague(reason: string, name: string): boolean {
  const text = reason.trim();
  if (text.length < REASON) return true;
  const own = text
    .toLowerCase()
    .replaceAll(/[^\p{L}\s]/gu, ' ')
    .split(/\s+/)
    .filter(Boolean);
  const empty = new Set(
    `the a an this that app we it its your you to for in is be of and or with needs need needed requires require required uses use used wants access allow allows permission please functionality feature features work works function functions properly correctly user users device ${name.replaceAll('-', ' ')} location gps camera microphone mic notification notifications contacts bluetooth clipboard sensor sensors`.split(
      ' ',
    ),
  );
  return own.filter((word) => !empty.has(word)).length < 2;
}

const declared = ({ project }: SurveyContext) => project?.settings.permissions ?? {};

/** What one use is about: listening to speech takes the microphone, and is more than that. */
const meant = ({ names, text }: FoundUse): string | undefined =>
  text.includes('SpeechRecognition') ? 'speech-recognition' : names[0];

interface Uses {
  readonly use: FoundUse;
  more: number;
}

/** Uses of some capabilities: of each the first, with how many more places there are. */
function usesWhere({ derived }: RuleContext, isWanted: (name: string) => boolean): Map<string, Uses> {
  const seen = new Map<string, Uses>();
  for (const use of derived.uses) {
    // Of a script that does not show which of several it means nothing can be said.
    const name = use.names.length === 1 ? meant(use) : undefined;
    if (name === undefined || !isWanted(name)) continue;
    const known = seen.get(name);
    if (known) known.more += 1;
    else seen.set(name, { use, more: 0 });
  }
  return seen;
}

/** How a capability fares in the web view of Apple's systems, on the oldest version that the app runs on. */
function supportOnApple(name: string, { target, project }: RuleContext): AppleSupport | undefined {
  const one = appleWebFeature(name);
  const support = one?.support[target.packed ? 'packed' : 'hosted'];
  const oldest = project?.settings.apple.min_version;
  const isLater =
    one?.since !== undefined && oldest !== undefined && compareVersions(oldest, one.since) === -1;
  return support?.works === 'yes' && isLater
    ? { works: 'partly', how: `from version ${one.since} of the system on; the app runs from ${oldest} on` }
    : support;
}

/** Uses of what the web view of Apple's systems has not got, or not wholly. */
function* lackingOnApple(context: RuleContext, wanted: 'no' | 'partly'): Generator<RuleFinding> {
  const uses = usesWhere(context, (name) => supportOnApple(name, context)?.works === wanted);
  for (const [name, { use, more }] of uses) {
    const one = appleWebFeature(name);
    const how = supportOnApple(name, context)?.how.replaceAll('`', '') ?? '';
    if (one?.instead === undefined) continue;
    if (context.project && one.isMet?.(context.project.settings)) continue;
    yield {
      location: use.location,
      observed: use.text,
      impact:
        wanted === 'no'
          ? `${one.title}: not on Apple’s devices${how === '' ? '' : ` (${how})`}.`
          : `${one.title}: on Apple’s devices only ${how}.`,
      fix: one.instead,
      ...(one.severity ? { severity: one.severity } : {}),
      ...(more > 0 ? { more } : {}),
    };
  }
}

/** Uses of what an engine has not got, or not wholly, each once with how many more places there are. */
function* lacking(context: RuleContext, wanted: 'no' | 'partly'): Generator<RuleFinding> {
  const { engine } = context.target;
  const seen = usesWhere(context, (name) => webFeature(name)?.engines[engine].works === wanted);
  for (const [name, { use, more }] of seen) {
    const one = webFeature(name);
    if (one?.instead === undefined) continue;
    if (context.project && one.isMet?.(context.project.settings)) continue;
    const how = one.engines[engine].how.replaceAll('`', '');
    yield {
      location: use.location,
      observed: use.text,
      impact:
        wanted === 'no'
          ? `${one.title}: not in the ${engine} engine${how === '' ? '' : `, where ${how}`}.`
          : `${one.title}: in the ${engine} engine only ${how}.`,
      fix: one.instead,
      ...(one.severity ? { severity: one.severity } : {}),
      ...(more > 0 ? { more } : {}),
    };
  }
}

export const PERMISSION_RULES: readonly Rule[] = [
  rule({
    id: 'permission.undeclared',
    title: 'A capability is used and not declared',
    severity: 'error',
    needs: ['project'],
    source: 'W3C Permissions; Android: uses-permission; Apple: usage descriptions',
    why: 'An app may only ask for what it declared when it was built. A call for anything else is refused at once, without a question to the user, and the page takes it for a refusal.',
    *check(context) {
      const { site, project } = context;
      const has = declared(context);
      const told = new Set<string>();
      for (const { names, location, text } of context.derived.uses) {
        const asked = names.filter(declarable);
        if (asked.length === 0 || asked.some((name) => Object.hasOwn(has, name) || told.has(name))) continue;
        for (const name of asked) told.add(name);
        yield {
          location,
          observed: text,
          impact: `On phones it is refused at once: the app does not declare ${asked.join(' or ')}.`,
          fix: `In hull.json: "permissions": { ${asked.map((name) => `"${name}": "${capability(name)?.reason}"`).join(', ')} }`,
        };
      }
      for (const { page, name } of askedOf(context)) {
        if (!declarable(name) || Object.hasOwn(has, name) || told.has(name) || !project) continue;
        told.add(name);
        yield {
          location: locationIn(site.kind, site.pages.find((item) => item.url === page)?.name ?? page),
          observed: `${name} was asked for while the page loaded`,
          impact: `On phones it is refused at once: the app does not declare ${name}.`,
          fix: `In hull.json: "permissions": { "${name}": "${capability(name)?.reason}" }`,
        };
      }
    },
  }),
  rule({
    id: 'permission.unused',
    title: 'A permission is declared and not used',
    severity: 'warning',
    needs: ['project'],
    source: 'Stores’ policies on permissions: only what the app uses',
    why: 'Store reviewers ask what each permission is for, and refuse an app that cannot say. Users read the list before they install.',
    *check(context) {
      const { project } = context;
      const used = new Set([
        ...context.derived.uses.flatMap(({ names }) => names),
        ...askedOf(context).map(({ name }) => name),
      ]);
      if (used.has('push')) used.add('notifications');
      for (const name of Object.keys(declared(context))) {
        if (used.has(name) || !capability(name) || !project) continue;
        yield {
          location: project.json.locationOfKey(`/permissions/${pointerStep(name)}`),
          observed: `"${name}" is declared, and no script was seen to use it`,
          impact: 'A store reviewer asks what it is for.',
          fix: `Remove it; or, where scripts use it that were not read, ignore this rule with the reason:\n"survey": { "ignore": { "permission.unused": "<where it is used>" } }`,
        };
      }
    },
  }),
  rule({
    id: 'permission.reason',
    title: 'A permission’s reason would not pass review',
    severity: 'warning',
    needs: ['project'],
    source: 'Apple: purpose strings; stores’ policies on permissions',
    why: 'The reason is what users read in the system’s question, and what reviewers judge. “Needed for the app” says nothing; a good one says what the user gets.',
    *check(context) {
      for (const [name, reason] of Object.entries(declared(context))) {
        if (!isVague(reason, name) || !context.project) continue;
        yield {
          location: context.project.location(`/permissions/${pointerStep(name)}`),
          observed: `"${reason}"`,
          impact: 'A reviewer refuses it, and users say no.',
          fix: `Say what the user gets: "${name}": "${capability(name)?.reason ?? 'Shows the pier nearest to you.'}"`,
        };
      }
    },
  }),
  rule({
    id: 'permission.name',
    title: 'A permission has a non-standard name',
    severity: 'error',
    needs: ['project'],
    source: 'W3C Permissions Registry; Permissions Policy',
    why: 'A permission is found by its W3C name; any other is declared to nobody.',
    *check(context) {
      const names = CAPABILITIES.map(({ name }) => name);
      for (const name of Object.keys(declared(context))) {
        if (capability(name) || !context.project) continue;
        const near = nearest(name, names);
        yield {
          location: context.project.json.locationOfKey(`/permissions/${pointerStep(name)}`),
          observed: `"${name}"`,
          impact: 'Nothing is declared by it, and the call is refused.',
          fix:
            near === undefined
              ? `One of: ${CAPABILITIES.filter((item) => item.declare)
                  .map((item) => item.name)
                  .join(', ')}`
              : `"${near}"`,
        };
      }
    },
  }),
  rule({
    id: 'permission.not-in-engine',
    title: 'Pages use what the app’s engine has not got',
    severity: 'warning',
    platforms: ['android'],
    source: 'Android WebView and Custom Tabs references; W3C specifications of each feature',
    why: 'A web view is not a browser: some features are missing in it, and a page that does not look for them before it uses them stops with an error, or offers what then does nothing. The table in the guide to Android has all of them, by engine.',
    *check(context) {
      yield* lacking(context, 'no');
    },
  }),
  rule({
    id: 'permission.partly-in-engine',
    title: 'Pages use what the app’s engine has only in part',
    severity: 'suggestion',
    platforms: ['android'],
    source: 'Android WebView and Custom Tabs references; W3C specifications of each feature',
    why: 'A feature that is there on one device and missing on another, or only under a condition, needs another way beside it. The table in the guide to Android says which conditions those are.',
    *check(context) {
      yield* lacking(context, 'partly');
    },
  }),
  rule({
    id: 'permission.not-on-apple',
    title: 'Pages use what Apple’s web view has not got',
    severity: 'warning',
    platforms: ['apple'],
    unless: unlessApple,
    source: APPLE_SOURCE,
    why: 'Apps on Apple’s devices show pages in the system’s own engine, which leaves out what gives pages the device’s connections, and what runs while the app does not. A page that does not look for a feature before it uses it stops with an error. The table in the guide to Apple’s systems has all of them.',
    *check(context) {
      yield* lackingOnApple(context, 'no');
    },
  }),
  rule({
    id: 'permission.partly-on-apple',
    title: 'Pages use what Apple’s web view has only in part',
    severity: 'suggestion',
    platforms: ['apple'],
    unless: unlessApple,
    source: APPLE_SOURCE,
    why: 'Some features are there from a version of the system on, some after a touch, some only for pages from a host. Pages need another way beside them. The table in the guide to Apple’s systems says which conditions those are.',
    *check(context) {
      yield* lackingOnApple(context, 'partly');
    },
  }),
];
