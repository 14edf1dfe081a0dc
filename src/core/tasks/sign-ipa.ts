import { type IpaResignResult, resignIpa } from '../platforms/apple/package/resign.js';
import { judgeProfile } from '../platforms/apple/signing/judge-profile.js';
import { openProject } from '../project/project.js';
import { openAppleIdentity } from './apple-signing.js';
import type { SignOptions } from './sign-options.js';

/** An `.ipa` that was signed again, or why it was not. */
export type SignedIpa = IpaResignResult & { readonly kind: 'ipa' };

/** Signs an `.ipa` again, by an identity and a profile of the project. */
export async function signIpa(options: SignOptions): Promise<SignedIpa> {
  const project = openProject(options.project);
  const { identity, team, profile, profileBytes, root, locations } = await openAppleIdentity(
    project,
    options,
  );
  const inside = { file: options.file };
  const result = await resignIpa({
    ...{ file: options.file, out: options.out, profile, profileBytes, root, signal: options.signal },
    signer: { identity, team, time: profile.created ?? new Date() },
    judge: (bundleId, entitlements) =>
      judgeProfile({
        ...{ profile, bundleId, team: undefined, certificates: identity.certificates, entitlements, root },
        now: new Date(),
        locations: { ...locations, bundleId: inside, team: inside, links: inside },
      }),
  });
  return { kind: 'ipa', ...result };
}
