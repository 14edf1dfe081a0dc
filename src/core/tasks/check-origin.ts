import type { App } from '../app/app.js';
import { VerifierFetcher } from '../domains/fetch-documents.js';
import { expectationOf, FolderFirstSource } from '../domains/gather.js';
import { appIds, planDomains } from '../domains/plan.js';
import type { Signer } from '../domains/signers.js';
import { judgeHosts } from '../domains/verify.js';
import { HullError } from '../errors.js';
import { certificateFacts } from '../keys/fingerprint.js';
import type { SigningPlan } from '../platforms/android/signing/sign.js';
import type { Project } from '../project/project.js';
import { shownFolders, verifierAccess } from './gather-domains.js';
import { accessOf, type HostAccess } from './host-access.js';

/**
 * Refuses a package of the browser engine whose origin does not name the key that signs it: users would see a bar with the
 * address. The web folder's document counts before the host's, since it may not be deployed yet.
 *
 * @throws HullError `domains.not-named`
 */
export async function checkOrigin(
  project: Project,
  app: App,
  plan: SigningPlan,
  access: HostAccess,
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
  const fetcher = new VerifierFetcher(verifierAccess(accessOf(project, access), [host]));
  const request = { project, app, plans, ids, signers, packages: [], web: undefined };
  try {
    const source = new FolderFirstSource(shownFolders(project), fetcher);
    const [verdict] = await judgeHosts([host], expectationOf(request, new Date()), source);
    const fault = (verdict?.platforms ?? [])
      .flatMap(({ findings }) => findings)
      .find(({ severity }) => severity === 'error');
    if (fault === undefined) return;
    throw new HullError(
      'domains.not-named',
      `https://${host} does not name the key that signs this package: the browser would show a bar with the address. ${fault.observed}`,
      { location: fault.location, fix: fault.fix },
    );
  } finally {
    fetcher.close();
  }
}
