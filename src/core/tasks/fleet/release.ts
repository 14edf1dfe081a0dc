import { HullError } from '../../errors.js';
import type { Finding } from '../../finding.js';
import type { Project } from '../../project/project.js';
import { ParsedTexts } from '../../site/parsed-texts.js';
import { type CheckReleaseOptions, checkRelease } from '../check-release.js';
import { type SendOptions, sendRelease } from '../send-release.js';
import { type BrandRun, type FleetRunOptions, overBrands } from './run.js';

export interface FleetReleaseOptions
  extends FleetRunOptions<BrandRelease>,
    Omit<CheckReleaseOptions, 'project' | 'file' | 'onProgress' | 'parsed'>,
    Pick<SendOptions, 'share' | 'review' | 'draft'> {
  /** Track that the packages are sent to; without one, nothing is sent, and everything is checked. */
  readonly track?: string | undefined;
  /** `look`: says what sending would change, and changes nothing. */
  readonly mode?: SendOptions['mode'];
}

/** What a release of a brand needs, or did. */
export type BrandRelease =
  | {
      readonly is: 'checked';
      readonly findings: readonly Finding[];
      /** What could not be judged, and why. */
      readonly notJudged: readonly string[];
    }
  | {
      /** `there`: the store has everything just so; `planned`: only looked at. */
      readonly is: 'sent' | 'there' | 'planned';
      readonly file: string;
      readonly track: string;
      readonly version: string | undefined;
      readonly build: number;
      /** Changes to texts, pictures and testers. */
      readonly changes: number;
    };

/**
 * Checks what stands between brands and their stores; with a track, sends the newest package of each.
 *
 * @throws HullError `fleet.*`, `config.*`, `release.bad-track`
 */
export function releaseFleet(options: FleetReleaseOptions): Promise<BrandRun<BrandRelease>[]> {
  const { track, onBrand: _onBrand, ...rest } = options;
  if (track === undefined && (options.share !== undefined || options.draft || options.mode === 'look')) {
    throw new HullError('release.bad-track', 'Nothing is sent without a track.', {
      location: { option: 'to' },
      fix: 'Name the track, as internal or production.',
    });
  }
  const parsed = new ParsedTexts();
  const send = async (project: Project, to: string): Promise<BrandRelease> => {
    const sent = await sendRelease({ ...rest, project, track: to });
    const { file, version, build, changes, isSent } = sent;
    const is = options.mode === 'look' ? 'planned' : isSent ? 'sent' : 'there';
    return { is, file, track: sent.track, version, build, changes: changes.length };
  };
  const check = async (project: Project): Promise<BrandRelease> => {
    const { stores } = await checkRelease({ ...rest, project, parsed });
    return {
      is: 'checked',
      findings: stores.flatMap(({ findings }) => findings),
      notJudged: [...new Set(stores.flatMap(({ notJudged }) => notJudged))],
    };
  };
  return overBrands(options, (project) => (track === undefined ? check(project) : send(project, track)));
}
