import type { Location } from '../../errors.js';
import type { Finding } from '../../finding.js';
import { type Rule, type RuleFinding, rule } from '../rule.js';
import { unlessShared } from '../target.js';

const DOCUMENTS = [
  { path: '.well-known/assetlinks.json', who: 'Android' },
  { path: '.well-known/apple-app-site-association', who: 'Apple devices' },
] as const;

/** What keeps a host from being verified, as this rule's own. */
function ofRule({ severity, location, observed, impact, fix }: Finding): RuleFinding[] {
  return severity === 'error' ? [{ location, observed, impact, fix }] : [];
}

export const LINK_RULES: readonly Rule[] = [
  rule({
    id: 'link.association',
    title: 'The host does not let the app open its links',
    severity: 'warning',
    platforms: ['android', 'apple'],
    unless: unlessShared,
    source: 'Digital Asset Links; Apple App Site Association; RFC 8615 (well-known addresses)',
    why: 'Links open in an app only where the host names the app in a small file at a fixed place, and the browser engine shows pages full screen only then. With links in hull.json the documents are read and compared with it as devices do; without, this rule looks whether they are there.',
    *check({ site, project, association }) {
      // Without a team nothing is made for Apple devices, so nothing is missing there.
      const isForApple = project?.settings.apple.team !== undefined;
      if (association) {
        yield* association.flatMap(({ platforms }) =>
          platforms.flatMap(({ findings }) => findings.flatMap(ofRule)),
        );
        return;
      }
      const impact = (who: string) =>
        `On ${who} links open in the browser instead of the app, and the browser engine shows an address bar.`;
      const fix = (path: string) =>
        `Serve /${path} from the root of the host, over https, without a redirect.`;
      if (site.kind === 'hosted') {
        for (const { path, who } of isForApple ? DOCUMENTS : DOCUMENTS.slice(0, 1)) {
          const status = site.probes.association.get(`/${path}`);
          if (status === undefined || status === 200) continue;
          yield {
            location: { url: new URL(`/${path}`, site.start).href },
            observed: status === 'html' ? 'a page of HTML, in place of JSON' : `status ${status}`,
            impact: impact(who),
            fix: fix(path),
          };
        }
        return;
      }
      const links = project?.settings.links ?? [];
      // A folder is the root of its own host only; what other hosts serve is not in it.
      const index = links.findIndex(({ host }) => site.baseIsKnown && host === site.base.hostname);
      if (index === -1 || site.base.pathname !== '/') return;
      const location: Location = project?.location(`/links/${index}/host`) ?? { file: site.name };
      for (const { path, who } of isForApple ? DOCUMENTS : DOCUMENTS.slice(0, 1)) {
        if (site.folder?.files.some((file) => file.path === path)) continue;
        yield {
          location,
          observed: `links from ${links[index]?.host}, but no ${path} in ${site.name}`,
          impact: impact(who),
          fix: fix(path),
        };
      }
    },
  }),
  rule({
    id: 'link.twin-host',
    title: 'The host answers under two names',
    severity: 'warning',
    needs: ['hosted'],
    source: 'RFC 6454: an origin is its whole host name; Digital Asset Links are verified host by host',
    why: 'With and without www are two hosts: links, sign-in and stored data of one are not those of the other, and an app is verified for each alone.',
    *check({ site, project }) {
      const { twin } = site.probes;
      if (twin === undefined) return;
      const host = new URL(twin).hostname;
      if (project?.settings.links.some((link) => link.host === host)) return;
      yield {
        location: { url: `${twin}/` },
        observed: `${twin} answers with pages too, and does not lead to ${site.start.origin}`,
        impact: 'Links with that name open in the browser, where the user is not signed in.',
        fix: `Redirect one to the other; or add { "host": "${host}" } to links, and serve the documents there too.`,
      };
    },
  }),
];
