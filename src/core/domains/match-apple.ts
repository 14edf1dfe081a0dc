import { variablesFor } from '../links/apple-variables.js';
import { type Component, compileComponents } from '../links/components.js';
import type { LinkUrl } from '../links/link-url.js';
import type { AppleAssociation } from './documents/apple-association.js';
import { variablesOf } from './documents/apple-association.js';

/** Which members of an entry a device reads: `components` from iOS 13 on, `paths` before. */
export type AppleForm = 'components' | 'paths';

/**
 * The rule of a document that decides about a link for one app; `undefined` where none matches, and the link is not the
 * app's (Apple, "applinks.Details": entries and components are tried in order, the first match decides).
 */
export function compileApple(
  document: AppleAssociation,
  appId: string,
  form: AppleForm,
): (link: LinkUrl) => Component | undefined {
  const rules = document.details
    .filter(({ appIds }) => appIds.includes(appId))
    .flatMap(({ components, paths }) =>
      form === 'components' && components.length > 0 ? components : paths,
    );
  return compileComponents(rules, variablesFor(variablesOf(rules), document.variables));
}
