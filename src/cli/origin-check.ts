import type { App } from '../core/app/app.js';
import { VerifierFetcher } from '../core/domains/fetch-documents.js';
import { expectationOf, FolderFirstSource } from '../core/domains/gather.js';
import { appIds, planDomains } from '../core/domains/plan.js';
import { proveDomains } from '../core/domains/prove.js';
import type { Signer } from '../core/domains/signers.js';
import { HullError } from '../core/errors.js';
import { certificateFacts } from '../core/keys/fingerprint.js';
import type { SigningPlan } from '../core/platforms/android/signing/sign.js';
import type { Project } from '../core/project/project.js';
import { fetcherOptions, shownFolders } from './domains.js';
import type { SiteOptions } from './site-options.js';

/**
 * Refuses a package of the browser engine whose origin does not name the key that signs it: users would see a bar with the
 * address. The web folder's document counts before the host's, since it may not be deployed yet.
 *
 * @throws HullError `domains.not-named`
 */
export async function checkOrigin(
  options: SiteOptions,
  project: Project,
  app: App,
  plan: SigningPlan,
): Promise<void> {
  const [certificate] = plan.certificates;
  if (certificate === undefined) return;
  const signers: Signer[] = [
    { role: 'own', name: 'the key that signs', sha256: certificateFacts(certificate).sha256 },
  ];
  const ids = appIds(project, app, undefined);
  const host = app.base.hostname;
  const plans = planDomains(project, app, ids, signers)
    .filter((one) => one.host === host)
    .map((one) => ({ ...one, documents: one.documents.filter(({ kind }) => kind === 'android') }));
  const fetcher = new VerifierFetcher(fetcherOptions(options, [host]));
  const request = { project, app, plans, ids, signers, packages: [], web: undefined };
  try {
    const source = new FolderFirstSource(shownFolders(project), fetcher);
    const [proof] = await proveDomains([host], expectationOf(request, new Date()), source);
    const [problem] = (proof?.platforms ?? [])
      .flatMap(({ problems }) => problems)
      .filter(({ weight }) => weight === 'breaks');
    if (problem === undefined) return;
    throw new HullError(
      'domains.not-named',
      `https://${host} does not name the key that signs this package: the browser would show a bar with the address. ${problem.saw}`,
      {
        place: problem.place,
        remedy: `${problem.remedy} Or pack anyway: --skip-origin-check`,
      },
    );
  } finally {
    fetcher.close();
  }
}
