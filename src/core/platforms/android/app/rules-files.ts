import type { XmlElement } from '../../../formats/axml/types.js';
import { element, plain } from './xml.js';

/** The small XML files that tell the platform what a package may do (Android developer documentation). */

/** Network security configuration: no cleartext but for the hosts named, each with its reason as a comment. */
export function networkSecurityConfig(
  exceptions: readonly { readonly host: string; readonly reason: string }[],
): XmlElement {
  return element(
    'network-security-config',
    [],
    [
      element('base-config', [plain('cleartextTrafficPermitted', 'false')]),
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

/** All of an app's private storage, in the words of the backup rules. */
const everything = () => element('exclude', [plain('domain', 'root'), plain('path', '.')]);

/** Backup up to API 30: nothing is copied to a cloud, for sign-ins and cookies live in the pages' storage. */
export function legacyBackupRules(): XmlElement {
  return element('full-backup-content', [], [everything()]);
}

/** Backup from API 31: nothing to a cloud; moving to a new device takes all along. */
export function cloudBackupRules(): XmlElement {
  return element('data-extraction-rules', [], [element('cloud-backup', [], [everything()])]);
}
