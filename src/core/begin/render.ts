import { join } from 'node:path';
import { CONFIG_FILE, type HullConfig } from '../project/config.js';
import type { Proposal } from './begin.js';
import type { BeginKey } from './values.js';

/** A new `hull.json`: the values found, in the file's own order. */
export function renderConfig(
  values: ReadonlyMap<BeginKey, string>,
  schema: string,
  {
    permissions = [],
    links = [],
    entries,
  }: Partial<Pick<Proposal, 'permissions' | 'links' | 'entries'>> = {},
): string {
  const take = (section: string, name: string): string | undefined =>
    values.get(`${section}.${name}` as BeginKey);
  const part = (section: string, names: readonly string[]) =>
    Object.fromEntries(
      names.flatMap((name) => (take(section, name) === undefined ? [] : [[name, take(section, name)]])),
    );
  const dark = part('look.dark', ['theme_color', 'background_color']);
  const config: HullConfig = {
    $schema: schema,
    app: {
      ...(part('app', ['id', 'name', 'short_name', 'language', 'version']) as Pick<
        HullConfig['app'],
        'id' | 'name' | 'short_name' | 'language' | 'version'
      >),
      build: Number(take('app', 'build') ?? 1),
    },
    web: part('web', ['folder', 'url', 'start', 'fallback']),
    look: {
      ...part('look', ['display', 'orientation', 'theme_color', 'background_color']),
      ...(Object.keys(dark).length > 0 ? { dark } : {}),
      ...part('look', ['icon']),
    },
    ...(permissions.length === 0
      ? {}
      : { permissions: Object.fromEntries(permissions.map(({ name, reason }) => [name, reason])) }),
    ...(links.length === 0 ? {} : { links: links.map(({ host, paths }) => ({ host, paths })) }),
    ...(entries === undefined || entries.shortcuts.length === 0 ? {} : { shortcuts: entries.shortcuts }),
    ...(entries?.share ? { share_target: entries.share } : {}),
    android: { engine: take('android', 'engine') === 'browser' ? 'browser' : 'webview' },
  };
  return `${JSON.stringify(config, undefined, 2)}\n`;
}

/** Where `hull.json` goes. */
export function configPath(projectDir: string): string {
  return join(projectDir, CONFIG_FILE);
}
