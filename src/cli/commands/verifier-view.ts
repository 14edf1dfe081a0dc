import type { HostVerdict } from '../../core/domains/verify.js';
import { HullError } from '../../core/errors.js';
import type { Finding } from '../../core/finding.js';
import type { KeptState } from '../../drydock/verifier.js';

/** ms until a stand-in has to answer. */
const PATIENCE = 20_000;

async function heldBy(address: string, host: string): Promise<Record<string, KeptState>> {
  try {
    const answer = await fetch(new URL(`/held/${host}`, address), { signal: AbortSignal.timeout(PATIENCE) });
    return (await answer.json()) as Record<string, KeptState>;
  } catch (error) {
    throw new HullError('net.unreachable', 'No stand-in for a verifier answers there.', {
      location: { option: '--verifier', url: address },
      fix: 'Start one with hull drydock verifier, and give the address that it shows.',
      cause: error,
    });
  }
}

const when = (iso: string) => `${iso.slice(0, 10)} ${iso.slice(11, 16)} UTC`;

/** Why a change is not seen yet. */
function staleProblem(host: string, path: string, { fetched, next }: KeptState): Finding {
  const url = `https://${host}${path}`;
  return next === null
    ? {
        code: 'domains.held',
        severity: 'warning',
        location: { url },
        observed: `The device still goes by what it read on ${when(fetched)}; the host answers something else by now.`,
        impact: 'A device asks at install and update, and hardly ever after: the change is not seen on it.',
        fix: 'Install the app again, or clear its links in the system’s settings.',
      }
    : {
        code: 'domains.held',
        severity: 'warning',
        location: { url },
        observed: `The vendor’s cache still answers with what it read on ${when(fetched)}; it asks again on ${when(next)}.`,
        impact: 'Devices ask the vendor and not the host: the change is not seen before.',
        fix: 'Wait; or, on a device in developer mode, put ?mode=developer behind the domain in the entitlement.',
      };
}

/** Adds to each verdict what a verifier still holds of an older document. */
export async function withVerifier(
  address: string,
  verdicts: readonly HostVerdict[],
): Promise<HostVerdict[]> {
  return Promise.all(
    verdicts.map(async (verdict) => {
      const held = await heldBy(address, verdict.host);
      const stale = Object.entries(held)
        .filter(([, state]) => state.differs)
        .map(([path, state]) => staleProblem(verdict.host, path, state));
      return { ...verdict, findings: [...verdict.findings, ...stale] };
    }),
  );
}
