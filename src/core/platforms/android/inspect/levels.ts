import type { XmlElement } from '../../../formats/axml/types.js';
import type { ApiLevels } from '../signing/verify.js';

/**
 * The API levels of a manifest as devices read them before they trust anything: attributes by their resource IDs alone,
 * and of several `uses-sdk` the highest level.
 */

/** `android.R.attr.minSdkVersion`, `targetSdkVersion`, `targetSandboxVersion`. */
const ATTRIBUTE = { min: 0x0101020c, target: 0x01010270, sandbox: 0x0101054c } as const;

/** API level before each code name's first letter (the platform's own verifier, "getMinSdkVersionForCodename"). */
const CODE_NAMES: Readonly<Record<string, number>> = {
  C: 2,
  D: 3,
  E: 4,
  F: 7,
  G: 8,
  H: 10,
  I: 13,
  J: 15,
  K: 18,
  L: 20,
  M: 22,
  N: 23,
  O: 25,
};

/** The level that a code name stands for; of letters without a platform, the level that can be no later. */
export function codeNameLevel(name: string): number | undefined {
  const letter = name.charAt(0);
  if (!/^[A-Z]$/.test(letter)) return undefined;
  const older = Object.keys(CODE_NAMES)
    .filter((known) => known <= letter)
    .at(-1);
  if (older === undefined) return 1;
  return (CODE_NAMES[older] as number) + letter.charCodeAt(0) - older.charCodeAt(0);
}

type Level = number | 'unreadable' | undefined;

/** A number or a code name of an attribute. */
function levelOf(element: XmlElement, id: number): Level {
  const attribute = element.attributes.find(({ resourceId }) => resourceId === id);
  if (attribute === undefined) return undefined;
  const { value, isRaw } = attribute;
  if (isRaw) return 'unreadable';
  if (value.type === 'int' || value.type === 'hex') return value.value | 0;
  if (value.type !== 'string') return 'unreadable';
  // A text is a code name, even where it is all digits.
  const level = id === ATTRIBUTE.sandbox ? undefined : codeNameLevel(value.text);
  return level ?? 'unreadable';
}

const NAMES = { min: 'minSdkVersion', target: 'targetSdkVersion', sandbox: 'targetSandboxVersion' } as const;

const unreadable = (name: keyof typeof NAMES) =>
  `Devices cannot read ${NAMES[name]} in the manifest: it is neither a number nor a known code name.`;

/** The levels of a manifest, with what devices could not read of them. */
export function apiLevels(manifest: XmlElement): ApiLevels {
  const faults: string[] = [];
  const read = (name: keyof typeof NAMES, element: XmlElement): number | undefined => {
    const level = levelOf(element, ATTRIBUTE[name]);
    if (level !== 'unreadable') return level;
    faults.push(unreadable(name));
    return undefined;
  };
  const all = manifest.children.filter(
    ({ name, namespace }) => name === 'uses-sdk' && (namespace === undefined || namespace === ''),
  );
  const min = all.reduce((most, element) => Math.max(most, read('min', element) ?? 1), 1);
  const targets = all.flatMap((element) => read('target', element) ?? []);
  return {
    min,
    target: targets.length === 0 ? min : targets.reduce((most, target) => Math.max(most, target)),
    sandbox: read('sandbox', manifest) ?? 1,
    ...(faults.length > 0 ? { faults } : {}),
  };
}
