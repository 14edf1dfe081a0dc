import { type ConfigChange, editConfig } from '../project/edit.js';

/** Icons of a list by what they are for, so that one that is there already is not added again. */
function iconKey(icon: unknown): string {
  const { sizes, purpose } = (typeof icon === 'object' && icon !== null ? icon : {}) as {
    sizes?: unknown;
    purpose?: unknown;
  };
  return `${String(purpose ?? 'any')} ${String(sizes ?? '')}`;
}

/** Members that a manifest lacks, as they should be; a list of icons with those that are there already. */
export function lackingMembers(
  own: Readonly<Record<string, unknown>>,
  members: Readonly<Record<string, unknown>>,
): Record<string, unknown> {
  const lacking: Record<string, unknown> = {};
  for (const [key, value] of Object.entries(members)) {
    if (key !== 'icons' || !Array.isArray(own.icons)) {
      if (own[key] === undefined) lacking[key] = value;
      continue;
    }
    const there = new Set(own.icons.map(iconKey));
    const more = (value as unknown[]).filter((icon) => !there.has(iconKey(icon)));
    if (more.length > 0) lacking[key] = [...own.icons, ...more];
  }
  return lacking;
}

/**
 * A manifest's text with members added that it lacks; what it says already stays, and so does its layout. `undefined`
 * where it lacks nothing.
 *
 * @param text of a manifest that parses
 */
export function mergeManifest(text: string, members: Readonly<Record<string, unknown>>): string | undefined {
  const lacking = lackingMembers(JSON.parse(text) as Record<string, unknown>, members);
  const changes = Object.entries(lacking).map(([key, value]): ConfigChange => ({ path: [key], value }));
  return changes.length === 0 ? undefined : editConfig(text, changes);
}

/** A new manifest. */
export function newManifest(members: Readonly<Record<string, unknown>>): string {
  return `${JSON.stringify(members, undefined, 2)}\n`;
}
