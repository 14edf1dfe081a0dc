import type { Location } from '../errors.js';
import { isSignInAddress } from '../site/sign-in.js';
import { locationIn, type ScriptUnit, type Site, unitLocation } from '../site/site.js';

/** A use of a capability, and where. */
export interface FoundUse {
  /** Several where the script does not show which of them it is. */
  readonly names: readonly string[];
  readonly location: Location;
  readonly text: string;
}

/** Everything that the pages and scripts of a site use of the device, in the order of its files. */
export function usesOf(site: Site): FoundUse[] {
  const inWorkers = workerScripts(site);
  const asksForNotices = site.scripts.some(
    (unit) => !inWorkers.has(unit) && unit.facts.uses.some(({ names }) => names.some(isNotice)),
  );
  const uses: FoundUse[] = site.scripts.flatMap((unit) =>
    // A worker of a library can show messages; whether any are sent is for the pages to ask.
    (asksForNotices || !inWorkers.has(unit)
      ? unit.facts.uses
      : unit.facts.uses.filter(({ names }) => !names.some(isNotice))
    ).map((use) => ({
      names: use.names,
      text: use.text,
      location: unitLocation(site, unit, use),
    })),
  );
  for (const page of site.pages) {
    for (const field of page.facts.fields) {
      if (field.type !== 'file') continue;
      const location = locationIn(site.kind, page.name, { line: field.line, column: field.column });
      const text = `<input type="file"${field.accept ? ` accept="${field.accept}"` : ''}${field.capture ? ' capture' : ''}>`;
      // With `capture` too: the system’s own camera takes the picture, and needs no permission of the app.
      uses.push({ names: ['file-picker'], location, text });
    }
    for (const { kind, text, line, column } of page.facts.references) {
      if (kind !== 'link' || !isSignInAddress(text)) continue;
      uses.push({ names: ['sign-in'], location: locationIn(site.kind, page.name, { line, column }), text });
    }
  }
  return uses;
}

const isNotice = (name: string) => name === 'notifications' || name === 'push';

/** Scripts that run in service workers. */
function workerScripts({ workers }: Site): ReadonlySet<ScriptUnit> {
  return new Set(workers.flatMap(({ script, imported }) => [...(script ? [script] : []), ...imported]));
}
