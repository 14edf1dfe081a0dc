import { readableFacts } from '../../../keys/fingerprint.js';
import type { SignatureReport } from '../signing/report.js';
import type { SignatureFacts } from './facts.js';

export function signatureFacts(report: SignatureReport): SignatureFacts {
  return {
    verifies: report.verifies,
    verdict: report.verdict,
    gaps: report.gaps,
    schemes: report.schemes.map((scheme) => ({
      scheme: scheme.scheme,
      state: scheme.state,
      faults: scheme.faults,
      signers: scheme.signers.map((signer) => ({
        algorithms: signer.algorithms,
        ...(signer.levels ? { levels: signer.levels } : {}),
        certificate: readableFacts(signer.certificates[0]),
        ...(signer.lineage
          ? {
              lineage: signer.lineage.slice(0, -1).map(({ certificate, keeps }) => ({
                certificate: readableFacts(certificate),
                keeps,
              })),
            }
          : {}),
      })),
    })),
  };
}
