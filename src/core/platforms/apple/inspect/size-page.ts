import { type FileKind, sizePage } from '../../../packaging/size-page.js';
import { formatBytes } from '../../../util/sizes.js';
import { SITE_PATH } from '../app/shell-settings.js';
import type { IpaFacts } from './facts.js';

/** The page with the map of an app package's sizes, and where in it each kind of file is. */
export function appleSizePage(facts: IpaFacts): string {
  // Folders at the top have names like those of programs.
  const programs = facts.files
    .filter(({ path }) => !/[/.]/.test(path))
    .map(({ path }) => path.replaceAll(/[^\w-]/g, '\\$&'));
  const kinds: readonly FileKind[] = [
    [new RegExp(`^${SITE_PATH}`), 'web content', 200, 45],
    [/^(?:Assets\.car|[^/]+\.(?:png|jpe?g))\/$/, 'icons and pictures', 35, 45],
    [/^(?:Frameworks|PlugIns|Extensions|Watch|AppClips)\//, 'bundles inside', 320, 45],
    [/^(?:_CodeSignature\/|embedded\.mobileprovision\/)/, 'signature and profile', 150, 40],
    [new RegExp(`^(?:${programs.join('|') || '$x'})/$`), 'program', 265, 45],
    [/^/, 'lists and others', 0, 4],
  ];
  return sizePage({
    title: `${facts.name} ${facts.version ?? ''}, build ${facts.build ?? '?'}`,
    says: `${facts.id}, package of ${formatBytes(facts.size)} with ${facts.files.length} files.`,
    size: facts.size,
    files: facts.files,
    kinds,
  });
}
