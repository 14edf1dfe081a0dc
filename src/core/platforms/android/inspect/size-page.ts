import { hierarchy, treemap, treemapSquarify } from 'd3-hierarchy';
import { type Html, type HtmlPart, html, page } from '../../../util/html.js';
import { formatBytes, formatShare } from '../../../util/sizes.js';
import type { PackageFacts } from './facts.js';

/** One page with a map of a package's sizes: every file an area, folders around them; no script, no request. */

/** Size of the map in px. */
const MAP = { width: 1064, height: 560 } as const;
/** Areas below this many px in either direction have no room for a name. */
const NAME_FROM = { width: 56, height: 18 } as const;
/** Width of a letter of the map's type in px, by rule of thumb. */
const LETTER = 6.4;
const LISTED = 40;

interface Node {
  readonly name: string;
  readonly path: string;
  readonly packed: number;
  readonly size: number;
  readonly children: Map<string, Node>;
}

const node = (name: string, path: string, packed = 0, size = 0): Node => ({
  name,
  path,
  packed,
  size,
  children: new Map(),
});

function tree(files: PackageFacts['files']): Node {
  const root = node('', '');
  for (const { path, packed, size } of files) {
    const steps = path.split('/');
    let at = root;
    for (const [index, step] of steps.entries()) {
      const isFile = index === steps.length - 1;
      const here = steps.slice(0, index + 1).join('/');
      const key = isFile ? `${step}\0` : step;
      const next = at.children.get(key) ?? node(step, here, isFile ? packed : 0, isFile ? size : 0);
      at.children.set(key, next);
      at = next;
    }
  }
  return root;
}

/** Kinds of files by the start of their path or its end, as their hue and saturation in degrees and percent. */
const KINDS: readonly (readonly [RegExp, string, number, number])[] = [
  [/^assets\//, 'web content', 200, 45],
  [/^(res\/|resources\.)/, 'resources', 35, 45],
  [/\.dex\/$/, 'code', 265, 45],
  [/^lib\//, 'native libraries', 320, 45],
  [/^(META-INF|BUNDLE-METADATA)\//, 'signatures and metadata', 150, 40],
  [/^/, 'manifest and others', 0, 4],
];

function tone(path: string): string {
  const [, , hue, saturation] = KINDS.find(([pattern]) => pattern.test(`${path}/`)) as (typeof KINDS)[number];
  return `--hue:${hue};--saturation:${saturation}%`;
}

function map(facts: PackageFacts): Html {
  const root = hierarchy(tree(facts.files), (one) => [...one.children.values()])
    .sum((one) => one.packed)
    .sort((a, b) => (b.value ?? 0) - (a.value ?? 0));
  const laid = treemap<Node>()
    .tile(treemapSquarify)
    .size([MAP.width, MAP.height])
    .paddingInner(1)
    .paddingTop((one) => (one.depth > 0 && one.y1 - one.y0 > 34 && one.x1 - one.x0 > 60 ? 16 : 0))
    .round(true)(root);
  const fits = (text: string, width: number) => {
    const room = Math.floor((width - 8) / LETTER);
    return text.length <= room ? text : room > 3 ? `${text.slice(0, room - 1)}…` : '';
  };
  const areas = laid.descendants().flatMap((one) => {
    const { x0, y0, x1, y1, data, depth } = one;
    const [width, height] = [x1 - x0, y1 - y0];
    if (depth === 0 || width < 1 || height < 1) return [];
    const isFile = data.children.size === 0;
    const says = `${data.path}: ${formatBytes(one.value ?? 0)}${isFile && data.size !== data.packed ? `, ${formatBytes(data.size)} unpacked` : ''}`;
    const hasName = isFile
      ? width >= NAME_FROM.width && height >= NAME_FROM.height
      : height > 34 && width > 60;
    const name = hasName
      ? fits(isFile ? data.name : `${data.name}  ${formatBytes(one.value ?? 0)}`, width)
      : '';
    const second = isFile && name !== '' && height >= 34 ? formatBytes(data.packed) : '';
    return [
      html`<g transform="translate(${x0} ${y0})"><title>${says}</title><rect width="${width}" height="${height}" class="${isFile ? 'file' : 'folder'}" style="${tone(data.path)}"/>${name === '' ? '' : html`<text x="5" y="12">${name}</text>`}${second === '' ? '' : html`<text x="5" y="27" class="second">${second}</text>`}</g>`,
    ];
  });
  return html`<svg viewBox="0 0 ${MAP.width} ${MAP.height}" role="img" aria-label="Map of sizes; the table below says the same">${areas}</svg>`;
}

const row = (cells: readonly HtmlPart[]) => html`<tr>${cells.map((cell) => html`<td>${cell}</td>`)}</tr>`;

/** The page. Everything out of the package is escaped. */
export function sizePage(facts: PackageFacts): string {
  const largest = [...facts.files].sort((a, b) => b.packed - a.packed).slice(0, LISTED);
  const twice = facts.duplicates
    .slice(0, LISTED)
    .map(({ size, paths }) => row([formatBytes(size * (paths.length - 1)), paths.join(', ')]));
  const title = `${facts.label ?? facts.id} ${facts.version ?? ''}, build ${facts.build ?? '?'}`;
  return page(
    `${title}: sizes`,
    ['sizes'],
    html`<h1>${title}</h1>
<p class="soft">${facts.id}, ${facts.kind === 'aab' ? 'store bundle' : 'package'} of ${formatBytes(facts.size)} with ${facts.entries.count} files. Areas are what files take in it, compressed.</p>
${map(facts)}
<p class="key">${KINDS.map(([, name, hue, saturation]) => html`<span><i style="--hue:${hue};--saturation:${saturation}%"></i>${name}</span>`)}</p>
<h2>What devices download</h2><p>${facts.kind === 'aab' ? 'An estimate: the store divides the bundle by screen density and processor, and compresses a little better.' : 'Every device gets the whole package.'}</p>
<div class="wide"><table>${facts.downloads.map(({ device, bytes: count }) => row([formatBytes(count), device]))}</table></div>
<h2>The largest files</h2><p>Of ${facts.files.length}.</p>
<div class="wide"><table><tr><th>packed</th><th>share</th><th>file</th></tr>${largest.map(({ path, packed }) => row([formatBytes(packed), formatShare(packed, facts.size), path]))}</table></div>
${twice.length === 0 ? '' : html`<h2>Content that is there twice</h2><p>What is saved by keeping it once.</p><div class="wide"><table>${twice}</table></div>`}
`,
  );
}
