import { HullError } from '../../../errors.js';
import { checkAppId } from '../../../project/app-id.js';
import type { AppleDeviceKind } from '../../../project/config.js';
import type { Project } from '../../../project/project.js';
import { APPLE_MIN_VERSION } from '../../../project/settings.js';
import { schemeFault } from '../../../project/url-scheme.js';
import { compareVersions } from './versions.js';

/** What an Apple package has beyond the app. */
export interface AppleOptions {
  readonly bundleId: string;
  readonly team: string | undefined;
  readonly clip: string | undefined;
  /** As in `15.0`. */
  readonly minVersion: string;
  readonly devices: readonly AppleDeviceKind[];
  /** A scheme of the app's own. */
  readonly scheme: string | undefined;
  /** Domains of hosted pages that may use service workers; empty for none. */
  readonly appBoundDomains: readonly string[];
  readonly encryption: 'exempt' | 'own';
}

function checkAppBoundDomains(project: Project): void {
  const { apple, web } = project.settings;
  for (const [index, domain] of apple.app_bound_domains.entries()) {
    const location = project.location(`/apple/app_bound_domains/${index}`);
    if (!/^(?:[a-z0-9-]+\.)+[a-z]{2,}$/.test(domain)) {
      throw new HullError('config.bad-value', `"${domain}" is not a domain.`, {
        location,
        fix: 'Write the domain alone, as in saltmarsh.example; it counts for the hosts below it too.',
      });
    }
  }
  if (apple.app_bound_domains.length > 0 && web.folder !== undefined) {
    throw new HullError(
      'config.bad-value',
      'Packed pages have a scheme of their own on Apple’s systems, and service workers need https.',
      {
        location: project.location('/apple/app_bound_domains'),
        fix: 'Remove app_bound_domains: packed pages work without a network as they are. Or remove web.folder and show the hosted pages.',
      },
    );
  }
}

/** Reads `apple` out of a project. Throws HullError `app.bad-id`, `config.bad-value`. */
export function readAppleOptions(project: Project): AppleOptions {
  const { apple } = project.settings;
  if (apple.id !== project.settings.app.id) checkAppId(apple.id, project.location('/apple/id'), 'apple');
  if (compareVersions(apple.min_version, APPLE_MIN_VERSION) === -1) {
    throw new HullError(
      'config.bad-value',
      `The shell runs on ${APPLE_MIN_VERSION} and later, not on ${apple.min_version}.`,
      {
        location: project.location('/apple/min_version'),
        fix: `Write "${APPLE_MIN_VERSION}", or leave it out.`,
      },
    );
  }
  if (apple.scheme !== undefined) {
    const pointer =
      project.origin('/apple/scheme').from === 'hull.json' ? '/apple/scheme' : '/android/scheme';
    const fault = schemeFault(apple.scheme, project.location(pointer));
    if (fault !== undefined) throw fault;
  }
  checkAppBoundDomains(project);
  return {
    bundleId: apple.id,
    team: apple.team,
    clip: apple.clip,
    minVersion: apple.min_version,
    devices: apple.devices,
    scheme: apple.scheme,
    appBoundDomains: apple.app_bound_domains,
    encryption: apple.encryption,
  };
}
