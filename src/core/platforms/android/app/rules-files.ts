import type { XmlElement } from '../../../formats/axml/types.js';
import { element, plain } from './xml.js';

/** The small XML files that tell the platform what a package may do (Android developer documentation). */

/**
 * Network security configuration: no cleartext but for the hosts named, each with its reason as a comment. In debuggable packages
 * authorities that the user has installed are trusted too, such as that of a host under development.
 */
export function networkSecurityConfig(
  exceptions: readonly { readonly host: string; readonly reason: string }[],
): XmlElement {
  return element(
    'network-security-config',
    [],
    [
      element('base-config', [plain('cleartextTrafficPermitted', 'false')]),
      element(
        'debug-overrides',
        [],
        [
          element(
            'trust-anchors',
            [],
            [
              element('certificates', [plain('src', 'system')]),
              element('certificates', [plain('src', 'user')]),
            ],
          ),
        ],
      ),
      ...exceptions.map(({ host, reason }) => ({
        ...element(
          'domain-config',
          [plain('cleartextTrafficPermitted', 'true')],
          [{ ...element('domain', [plain('includeSubdomains', 'false')]), text: host }],
        ),
        comment: reason,
      })),
    ],
  );
}

/**
 * The parts of an app's storage, in the words of the backup rules (Android developer documentation, "Back up user data with Auto
 * Backup"). Each is named: `root` does not reach into those that have a name of their own.
 */
const DOMAINS = [
  'root',
  'file',
  'database',
  'sharedpref',
  'external',
  'device_root',
  'device_file',
  'device_database',
  'device_sharedpref',
] as const;

const everything = (): XmlElement[] =>
  DOMAINS.map((domain) => element('exclude', [plain('domain', domain), plain('path', '.')]));

/**
 * Backup from API 31: nothing to a cloud, for sign-ins and cookies live in the pages' storage; moving to a new device takes all
 * along. Below it, `fullBackupContent` is `false`. That alone would not do from 31 on: there the platform takes it for a file.
 */
export function cloudBackupRules(): XmlElement {
  return element('data-extraction-rules', [], [element('cloud-backup', [], everything())]);
}
