import { task, withTasks } from '../../errors.js';
import type { Finding } from '../../finding.js';
import type { IpaFacts } from '../../platforms/apple/inspect/facts.js';

/** Uploads have to be built with this generation of the SDK, or a later one (App Store Connect, "Upcoming requirements", from April 2026). */
export const LEAST_SDK = 26;

/** @param sdk as the vendor's tools name it: `iphoneos26.1` */
export const isCurrentSdk = (sdk: string): boolean => Number(/(\d+)/.exec(sdk)?.[1]) >= LEAST_SDK;

/** What Apple's store refuses of a package; what {@link IpaFacts.findings} names besides is not repeated. */
export function judgeStoreIpa(facts: IpaFacts): Finding[] {
  const findings: Finding[] = [];
  const add = (name: string, parts: Pick<Finding, 'observed' | 'impact' | 'fix'>) =>
    findings.push({ code: `ipa.${name}`, severity: 'error', location: { file: facts.file }, ...parts });
  const refused = 'The store refuses the package.';
  const archive = 'Archive the source project again with Apple’s current tools, and export it for the store.';

  if (facts.sdk === undefined) {
    add('no-sdk', {
      observed: 'It does not say which SDK built it.',
      impact: 'Apple’s store takes only what Apple’s own tools built.',
      fix: 'Archive the source project with Apple’s own tools, and export it for the store.',
    });
  } else if (!isCurrentSdk(facts.sdk)) {
    add('old-sdk', {
      observed: `It was built with the SDK ${facts.sdk}.`,
      impact: `The store takes packages of the SDK ${LEAST_SDK} and later.`,
      fix: archive,
    });
  }
  if (!facts.signature.verifies) {
    add('signature', {
      observed:
        facts.signature.verdict === 'unsigned'
          ? 'The package is not signed.'
          : `The package’s signature does not verify${facts.signature.faults[0] === undefined ? '' : `: ${facts.signature.faults[0]}`}.`,
      impact: refused,
      fix: withTasks`See why with ${task('inspectPackage', facts.file)}.`,
    });
  }
  const { profile } = facts;
  if (profile?.kind !== 'store') {
    add('not-for-store', {
      observed:
        profile === undefined
          ? 'The package has no provisioning profile.'
          : `Its provisioning profile is for ${profile.kind === 'ad hoc' ? 'named devices' : profile.kind}, not for the store.`,
      impact: refused,
      fix: 'Export the archive for the store: that signs it with a distribution certificate and a profile for the store.',
    });
  }
  return findings;
}
