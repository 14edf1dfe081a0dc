import { type FileKind, LISTED, row, sizePage } from '../../../packaging/size-page.js';
import { html } from '../../../util/html.js';
import { formatBytes } from '../../../util/sizes.js';
import type { PackageFacts } from './facts.js';

const KINDS: readonly FileKind[] = [
  [/^assets\//, 'web content', 200, 45],
  [/^(res\/|resources\.)/, 'resources', 35, 45],
  [/\.dex\/$/, 'code', 265, 45],
  [/^lib\//, 'native libraries', 320, 45],
  [/^(META-INF|BUNDLE-METADATA)\//, 'signatures and metadata', 150, 40],
  [/^/, 'manifest and others', 0, 4],
];

/** The page with the map of a package's or a bundle's sizes. */
export function androidSizePage(facts: PackageFacts): string {
  const isBundle = facts.kind === 'aab';
  const twice = facts.duplicates
    .slice(0, LISTED)
    .map(({ size, paths }) => row([formatBytes(size * (paths.length - 1)), paths.join(', ')]));
  return sizePage({
    title: `${facts.label ?? facts.id} ${facts.version ?? ''}, build ${facts.build ?? '?'}`,
    says: `${facts.id}, ${isBundle ? 'store bundle' : 'package'} of ${formatBytes(facts.size)} with ${facts.entries.count} files.`,
    size: facts.size,
    files: facts.files,
    kinds: KINDS,
    before: html`<h2>What devices download</h2><p>${isBundle ? 'An estimate: the store divides the bundle by screen density and processor, and compresses a little better.' : 'Every device gets the whole package.'}</p>
<div class="wide"><table>${facts.downloads.map(({ device, bytes: count }) => row([formatBytes(count), device]))}</table></div>
`,
    ...(twice.length === 0
      ? {}
      : {
          after: html`<h2>Content that is there twice</h2><p>What is saved by keeping it once.</p><div class="wide"><table>${twice}</table></div>`,
        }),
  });
}
