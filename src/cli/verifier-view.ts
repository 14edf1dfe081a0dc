import type { HostProof, Problem } from '../core/domains/prove.js';
import { HullError } from '../core/errors.js';
import type { KeptState } from '../drydock/verifier.js';

/** ms until a stand-in has to answer. */
const PATIENCE = 20_000;

async function heldBy(address: string, host: string): Promise<Record<string, KeptState>> {
  try {
    const answer = await fetch(new URL(`/held/${host}`, address), { signal: AbortSignal.timeout(PATIENCE) });
    return (await answer.json()) as Record<string, KeptState>;
  } catch (error) {
    throw new HullError('net.unreachable', 'No stand-in for a verifier answers there.', {
      place: { option: '--verifier', url: address },
      remedy: 'Start one: hull drydock verifier; and give the address that it shows.',
      cause: error,
    });
  }
}

const when = (iso: string) => `${iso.slice(0, 10)} ${iso.slice(11, 16)} UTC`;

/** Why a change is not seen yet. */
function staleProblem(host: string, path: string, { fetched, next }: KeptState): Problem {
  const url = `https://${host}${path}`;
  return next === null
    ? {
        weight: 'later',
        place: { url },
        saw: `The device still goes by what it read on ${when(fetched)}; the host answers something else by now.`,
        means: 'A device asks at install and update, and hardly ever after: the change is not seen on it.',
        remedy: 'Install the app again, or clear its links in the system’s settings.',
      }
    : {
        weight: 'later',
        place: { url },
        saw: `The vendor’s cache still answers with what it read on ${when(fetched)}; it asks again on ${when(next)}.`,
        means: 'Devices ask the vendor and not the host: the change is not seen before.',
        remedy:
          'Wait; or, on a device in developer mode, put ?mode=developer behind the domain in the entitlement.',
      };
}

/** Adds to each proof what a verifier still holds of an older document. */
export async function withVerifier(address: string, proofs: readonly HostProof[]): Promise<HostProof[]> {
  return Promise.all(
    proofs.map(async (proof) => {
      const held = await heldBy(address, proof.host);
      const stale = Object.entries(held)
        .filter(([, state]) => state.differs)
        .map(([path, state]) => staleProblem(proof.host, path, state));
      return { ...proof, problems: [...proof.problems, ...stale] };
    }),
  );
}
