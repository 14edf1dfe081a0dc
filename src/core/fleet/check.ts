import { createHash } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import type { Location } from '../errors.js';
import { bySeverity, type Finding, type Severity } from '../finding.js';
import { listingFolder } from '../listing/folder.js';
import type { Project } from '../project/project.js';
import { shownPath } from '../util/files.js';
import { parseUrl } from '../util/url-path.js';
import { type Brand, FLEET_FILE, type Fleet } from './fleet.js';

/** A brand with its project; `undefined` where that does not hold. */
export interface ReadBrand {
  readonly brand: Brand;
  readonly project: Project;
}

/** What no two brands may have, or should not have, in common. */
interface Shared {
  readonly code: string;
  readonly severity: Severity;
  /** What it is of a brand, and where it is said. */
  of(project: Project): { readonly value: string; readonly pointer: string } | undefined;
  observed(value: string, names: string): string;
  readonly impact: string;
  readonly fix: string;
}

/** The icon's content: two files with one picture are one icon. */
function iconOf(project: Project): string | undefined {
  const { icon } = project.settings.look;
  if (icon === undefined) return undefined;
  try {
    return createHash('sha256')
      .update(readFileSync(project.resolve(icon)))
      .digest('hex');
  } catch {
    // What is wrong with it is said by the task that needs it.
    return undefined;
  }
}

const SHARED: readonly Shared[] = [
  {
    code: 'fleet.same-id',
    severity: 'error',
    of: ({ settings }) => ({ value: settings.android.id, pointer: '/app/id' }),
    observed: (value, names) => `${value} is the app ID of ${names}`,
    impact: 'On a device, one takes the place of the other; a store takes only one of them.',
    fix: 'Give each brand an app ID of its own.',
  },
  {
    code: 'fleet.same-name',
    severity: 'warning',
    of: ({ settings }) => ({ value: settings.app.name, pointer: '/app/name' }),
    observed: (value, names) => `"${value}" is the name of ${names}`,
    impact:
      'Users and reviewers of a store cannot tell them apart, and a store may take the second for a copy.',
    fix: 'Give each brand a name of its own.',
  },
  {
    code: 'fleet.same-key',
    severity: 'warning',
    of: (project) => {
      const name = project.settings.android.key;
      const file = name === undefined ? undefined : project.settings.keys[name]?.file;
      return file === undefined
        ? undefined
        : { value: shownPath(project.resolve(file)), pointer: '/android/key' };
    },
    observed: (value, names) => `${value} signs ${names}`,
    impact: 'If a brand leaves, its key goes to a customer who could then update all the others.',
    fix: 'Make a key for each brand, and name it in its patch under android.key and keys.',
  },
  {
    code: 'fleet.same-host',
    severity: 'suggestion',
    of: ({ settings }) => {
      const host = parseUrl(settings.web.url ?? '')?.host;
      return host === undefined ? undefined : { value: host, pointer: '/web/url' };
    },
    observed: (value, names) => `${value} is the host of ${names}`,
    impact: 'A link of that host can open only one of them without asking, where both are installed.',
    fix: 'Give each brand a host of its own, or leave links to one of them.',
  },
  {
    code: 'fleet.same-icon',
    severity: 'warning',
    of: (project) => {
      const value = iconOf(project);
      return value === undefined ? undefined : { value, pointer: '/look/icon' };
    },
    observed: (_value, names) => `One picture is the icon of ${names}`,
    impact: 'On a home screen they look the same.',
    fix: 'Put an icon of its own into the folder of each brand, under the path that look.icon names.',
  },
  {
    code: 'fleet.same-listing',
    severity: 'warning',
    of: (project) => {
      const value = listingFolder(project);
      return existsSync(value) ? { value, pointer: '/release/listing' } : undefined;
    },
    observed: (value, names) => `${value} is the listing of ${names}`,
    impact:
      'Stores show the same name, texts and pictures for all of them, and may refuse a name that is taken.',
    fix: 'Put a listing of its own into the folder of each brand, under the path that release.listing names.',
  },
];

/** Names as people list them; of many, the first few. */
function listed(names: readonly string[]): string {
  const shown = names.slice(0, 4);
  const rest = names.length - shown.length;
  return rest > 0
    ? `${shown.join(', ')} and ${rest} more`
    : `${shown.slice(0, -1).join(', ')} and ${shown.at(-1)}`;
}

/** What brands have in common that each should have of its own, and those that say nothing of their own. */
export function judgeFleet({ json }: Fleet, brands: readonly ReadBrand[]): Finding[] {
  const found: Finding[] = [];
  for (const { code, severity, of, observed, impact, fix } of SHARED) {
    const users = new Map<string, { names: string[]; location: Location }>();
    for (const { brand, project } of brands) {
      const own = of(project);
      if (own === undefined) continue;
      const known = users.get(own.value);
      if (known) known.names.push(brand.name);
      else users.set(own.value, { names: [brand.name], location: project.location(own.pointer) });
    }
    for (const [value, { names, location }] of users)
      if (names.length > 1)
        found.push({ code, severity, location, observed: observed(value, listed(names)), impact, fix });
  }
  for (const { brand } of brands) {
    if (brand.own.length > 0) continue;
    found.push({
      code: 'fleet.nothing-own',
      severity: 'warning',
      location: json.location(`/brands/${brand.name}`),
      observed: `${brand.name} says nothing of its own`,
      impact: 'It is the same app as the project itself, or as another of its groups.',
      fix: `Say in ${FLEET_FILE} what is different about it, or leave it out.`,
    });
  }
  return bySeverity(found);
}
