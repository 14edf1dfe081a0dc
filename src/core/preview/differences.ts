import { losesText } from '../survey/seen.js';
import type { ShotPlan, Shots } from './shots.js';

/** A screen that the two engines fill differently. */
export interface Difference {
  readonly observed: string;
  readonly impact: string;
}

/** How Apple's screens differ in WebKit from what Chromium shows on them; what all screens have in common comes once. */
export function shotDifferences(
  plans: readonly ShotPlan[],
  inChromium: Shots,
  inWebKit: Shots,
): Difference[] {
  const found = new Map<string, Difference & { more: number }>();
  const add = (kind: string, difference: Difference) => {
    const known = found.get(kind);
    if (known) known.more += 1;
    else found.set(kind, { ...difference, more: 0 });
  };
  for (const { key, layout } of plans) {
    const { screen, page } = layout;
    const where = `${screen.device.kind}, ${screen.orientation}`;
    const there = inChromium.shots.get(key);
    const here = inWebKit.shots.get(key);
    if (there === undefined) continue;
    if (here === undefined) {
      add('load', {
        observed: `The page does not load in WebKit: ${inWebKit.faults.get(key) ?? 'nothing came'}.`,
        impact: 'Users of Apple’s devices do not see it.',
      });
      continue;
    }
    if (here.scrollWidth > page.width + 1 && there.scrollWidth <= page.width + 1) {
      add('wide', {
        observed: `Apple ${where}: the page is ${here.scrollWidth} px wide on ${page.width} px in WebKit; in Chromium it fits.`,
        impact: 'The page slips sideways under the finger.',
      });
    }
    if (losesText(here.textLength, there.textLength)) {
      add('text', {
        observed: `Apple ${where}: the page shows ${here.textLength} letters in WebKit, and ${there.textLength} in Chromium.`,
        impact: 'Users of Apple’s devices do not see part of it.',
      });
    }
  }
  return [...found.values()].map(({ observed, impact, more }) => ({
    observed: more > 0 ? `${observed} So it is on ${more} more screen${more > 1 ? 's' : ''}.` : observed,
    impact,
  }));
}

/** Pictures of both engines: Apple's screens as WebKit shows them. */
export function withAppleShots(plans: readonly ShotPlan[], inChromium: Shots, inWebKit: Shots): Shots {
  const keys = new Set(plans.map(({ key }) => key));
  const others = <T>(map: ReadonlyMap<string, T>) => [...map].filter(([key]) => !keys.has(key));
  return {
    browser: `${inChromium.browser}, Apple’s screens by ${inWebKit.browser}`,
    shots: new Map([...others(inChromium.shots), ...inWebKit.shots]),
    faults: new Map([...others(inChromium.faults), ...inWebKit.faults]),
  };
}
