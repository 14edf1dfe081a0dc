import type { ShareTargetConfig, ShortcutConfig } from '../project/config.js';
import { manifestList, type Site } from '../site/site.js';
import { isObject } from '../util/json-object.js';
import { parseUrl } from '../util/url-path.js';

/** Ways into the app that a web app manifest names, as `hull.json` takes them. */
export interface ProposedEntries {
  readonly shortcuts: readonly ShortcutConfig[];
  readonly share: ShareTargetConfig | undefined;
  /** What the manifest names and an app cannot take. */
  readonly notes: readonly string[];
  /** Name of the manifest. */
  readonly origin: string;
}

/** Entries that an icon's menu shows on most devices. */
const MAX_SHORTCUTS = 4;

const textOf = (value: unknown) =>
  typeof value === 'string' && value.trim() !== '' ? value.trim() : undefined;

/** An address of the site as a reference below its base; `undefined` where it is none of the site's. */
function below(site: Site, value: unknown): string | undefined {
  const text = textOf(value);
  const url = text === undefined ? undefined : parseUrl(text, new URL(site.manifest?.url ?? site.base));
  if (!url || url.origin !== site.base.origin || !url.pathname.startsWith(site.base.pathname))
    return undefined;
  // Relative, so that it holds wherever the site is served.
  return `./${url.pathname.slice(site.base.pathname.length)}${url.search}${url.hash}`;
}

function shortcut(site: Site, item: unknown): ShortcutConfig | undefined {
  if (!isObject(item)) return undefined;
  const [name, short, url] = [textOf(item.name), textOf(item.short_name), below(site, item.url)];
  if (name === undefined || url === undefined || name.length > 60) return undefined;
  return { name, ...(short !== undefined && short.length <= 30 ? { short_name: short } : {}), url };
}

function shareFiles(value: unknown): NonNullable<ShareTargetConfig['params']['files']> {
  return (Array.isArray(value) ? value : [value]).flatMap((one) => {
    if (!isObject(one)) return [];
    const name = textOf(one.name);
    const accept = (Array.isArray(one.accept) ? one.accept : [one.accept]).flatMap(
      (type) => textOf(type) ?? [],
    );
    return name === undefined || accept.length === 0 ? [] : [{ name, accept }];
  });
}

function shareTarget(site: Site, value: unknown): ShareTargetConfig | undefined {
  if (!isObject(value) || !isObject(value.params)) return undefined;
  const action = below(site, value.action);
  if (action === undefined) return undefined;
  const isPost = textOf(value.method)?.toUpperCase() === 'POST';
  const isMultipart = textOf(value.enctype)?.toLowerCase() === 'multipart/form-data';
  const params: Record<string, unknown> = {};
  for (const key of ['title', 'text', 'url'] as const) {
    const name = textOf(value.params[key]);
    if (name !== undefined) params[key] = name;
  }
  const files =
    isPost && isMultipart && value.params.files !== undefined ? shareFiles(value.params.files) : [];
  if (files.length > 0) params.files = files;
  return {
    action,
    ...(isPost ? { method: 'POST' } : {}),
    ...(isPost && isMultipart ? { enctype: 'multipart/form-data' } : {}),
    params,
  };
}

/** Shortcuts and share target of the manifest (Web Application Manifest; Web Share Target). */
export function proposeEntries(site: Site): ProposedEntries {
  const listed = manifestList(site, 'shortcuts');
  const taken = listed.flatMap((item) => shortcut(site, item) ?? []);
  const value = site.manifest?.members?.share_target;
  const share = value === undefined ? undefined : shareTarget(site, value);
  const notes: string[] = [];
  if (taken.length < listed.length)
    notes.push(
      `${listed.length - taken.length} of the manifest’s shortcuts have no name, or lie outside of the app.`,
    );
  if (taken.length > MAX_SHORTCUTS)
    notes.push(
      `The manifest has ${taken.length} shortcuts; devices show ${MAX_SHORTCUTS}, so the first ${MAX_SHORTCUTS} were taken.`,
    );
  if (value !== undefined && !share)
    notes.push('The manifest’s share_target cannot be used: no action in the app, or no params.');
  return { shortcuts: taken.slice(0, MAX_SHORTCUTS), share, notes, origin: site.manifest?.name ?? '' };
}
