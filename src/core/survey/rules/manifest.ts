import { inScope } from '../manifest-view.js';
import type { Rule } from '../rule.js';
import { ICON_RULES, sizeText } from './manifest-icons.js';
import { FOUND, MEMBER_RULES, manifestRule, notThere, shown, W3C } from './manifest-members.js';

const MAX_SHORTCUTS = 4;

const FURTHER: readonly Rule[] = [
  manifestRule({
    id: 'manifest.shortcuts',
    title: 'A shortcut has no name or leads out of the app',
    severity: 'warning',
    source: `${W3C}, "shortcuts member"; launchers show four`,
    why: 'A long press on the icon offers the shortcuts. One without a name, or that leads nowhere, is left out or opens an error; launchers show four at most.',
    *check(view, { site }) {
      const shortcuts = view.objects('shortcuts');
      for (const { pointer, value } of shortcuts) {
        const url = typeof value.url === 'string' ? view.resolve(value.url) : undefined;
        const { scope } = view;
        const fault =
          typeof value.name !== 'string' || value.name.trim() === ''
            ? { at: pointer, observed: 'no name', fix: '"name": "Nearest pier",' }
            : url === undefined
              ? { at: pointer, observed: 'no url', fix: '"url": "/pier.html",' }
              : scope && !inScope(url, scope)
                ? {
                    at: `${pointer}/url`,
                    observed: `url "${value.url}", outside the scope ${scope.pathname}`,
                    fix: 'Name a page of the app.',
                  }
                : notThere(site, url)
                  ? {
                      at: `${pointer}/url`,
                      observed: `url "${value.url}": ${notThere(site, url)}`,
                      fix: 'Name a page that is there.',
                    }
                  : undefined;
        if (!fault) continue;
        yield {
          location: view.location(fault.at),
          observed: fault.observed,
          impact: 'A long press on the icon does not offer it, or it opens an error.',
          fix: fault.fix,
        };
      }
      if (shortcuts.length > MAX_SHORTCUTS) {
        yield {
          location: view.location(`/shortcuts/${MAX_SHORTCUTS}`),
          observed: `${shortcuts.length} shortcuts`,
          impact: `Launchers show the first ${MAX_SHORTCUTS}.`,
          fix: 'Put the most used first, and leave the rest out.',
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.share-target',
    title: 'The share target cannot receive',
    severity: 'warning',
    source: 'W3C Web Share Target, section 4',
    why: 'Shared texts and files are sent to the action. Outside the scope it is ignored; files need POST and multipart/form-data, and something that answers: a worker or a server.',
    *check(view, { site }) {
      const target = view.raw('share_target');
      if (typeof target !== 'object' || target === null || Array.isArray(target)) return;
      const { action, method, enctype, params } = target as Record<string, unknown>;
      const url = typeof action === 'string' ? view.resolve(action) : undefined;
      const { scope } = view;
      const isPost = typeof method === 'string' && method.toUpperCase() === 'POST';
      const files = typeof params === 'object' && params !== null && 'files' in params;
      const fault =
        url === undefined
          ? { at: '', observed: 'no action', fix: '"action": "/share.html",' }
          : scope && !inScope(url, scope)
            ? {
                at: '/action',
                observed: `action "${String(action)}", outside the scope ${scope.pathname}`,
                fix: 'Name a page of the app.',
              }
            : typeof params !== 'object' || params === null
              ? {
                  at: '',
                  observed: 'no params',
                  fix: '"params": { "title": "title", "text": "text", "url": "url" },',
                }
              : files && !(isPost && enctype === 'multipart/form-data')
                ? {
                    at: '',
                    observed: 'files, but not sent as a form with files',
                    fix: '"method": "POST", "enctype": "multipart/form-data",',
                  }
                : !isPost && notThere(site, url)
                  ? {
                      at: '/action',
                      observed: `action "${String(action)}": ${notThere(site, url)}`,
                      fix: 'Name a page that is there.',
                    }
                  : undefined;
      if (!fault) return;
      yield {
        location: view.location(`/share_target${fault.at}`),
        observed: fault.observed,
        impact: 'The app is not offered when users share something, or loses what they shared.',
        fix: fault.fix,
      };
    },
  }),
  manifestRule({
    id: 'manifest.screenshots',
    title: 'Screenshots are missing or of unusable sizes',
    severity: 'suggestion',
    platforms: ['android', 'web'],
    source: 'W3C Manifest App Information, "screenshots member"; 320 to 3840 px, sides at most 2.3 to 1',
    why: 'With screenshots the installation dialog looks like a store’s listing, without them like a warning. Pictures of other sizes than declared, or too small, large or long, are left out.',
    *check(view, { site }) {
      if (view.list('screenshots').is === 'wrong') return;
      const shots = view.icons('screenshots');
      if (shots.length === 0) {
        yield {
          location: view.top,
          observed: 'no screenshots',
          impact: 'Users who install it see a name and an icon, and have to trust them.',
          fix: '"screenshots": [{ "src": "shots/start.webp", "sizes": "780x1688", "type": "image/webp", "form_factor": "narrow" }],',
        };
      }
      for (const { pointer, src, url, sizes, picture } of shots) {
        const [long, short] = picture
          ? [Math.max(picture.width, picture.height), Math.min(picture.width, picture.height)]
          : [0, 1];
        const [declared] = sizes;
        const isForeign = url === undefined || (site.kind === 'folder' && url.origin !== site.base.origin);
        const fault = !picture
          ? isForeign
            ? undefined
            : `${src}: ${(url && notThere(site, url)) ?? 'it could not be fetched'}`
          : picture.format === undefined
            ? `${src} is not an image that can be decoded`
            : short < 320 || long > 3840 || long > 2.3 * short
              ? `${src} has ${sizeText(picture)} px`
              : declared && (declared.width !== picture.width || declared.height !== picture.height)
                ? `${src}: declared ${sizeText(declared)}, it has ${sizeText(picture)} px`
                : undefined;
        if (!fault) continue;
        yield {
          location: view.location(pointer),
          observed: fault,
          impact: 'The installation dialog leaves it out.',
          fix: picture?.format
            ? `"sizes": "${sizeText(picture)}", with sides of 320 to 3840 px and at most 2.3 to 1.`
            : 'Correct the address, or put the picture there.',
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.scope-extensions',
    title: 'A scope extension is not an origin',
    severity: 'warning',
    platforms: ['web'],
    engines: ['browser'],
    source: 'WICG Manifest Incubations, "scope_extensions member"',
    why: 'An extension that is no https origin is skipped; pages of that origin open with an address bar.',
    *check(view) {
      const list = view.list('scope_extensions');
      for (const [index, item] of list.is === 'ok' ? list.value.entries() : []) {
        const origin = typeof item === 'string' ? item : (item as { origin?: unknown } | null)?.origin;
        const url =
          typeof origin === 'string' && URL.canParse(origin.replace('*.', ''))
            ? new URL(origin.replace('*.', ''))
            : undefined;
        if (url?.protocol === 'https:' && url.pathname === '/') continue;
        yield {
          location: view.location(`/scope_extensions/${index}`),
          observed: shown(item),
          impact: 'It is skipped: pages of that origin open with an address bar.',
          fix: '{ "type": "origin", "origin": "https://tickets.saltmarsh.example" }',
        };
      }
    },
  }),
];

export const MANIFEST_RULES: readonly Rule[] = [...FOUND, ...MEMBER_RULES, ...ICON_RULES, ...FURTHER];
