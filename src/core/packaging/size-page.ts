import { hierarchy, treemap, treemapSquarify } from 'd3-hierarchy';
import { type Html, type HtmlPart, html, page } from '../util/html.js';
import { formatBytes, formatShare } from '../util/sizes.js';

/** A file of a package. Sizes in bytes. */
export interface SizedFile {
  readonly path: string;
  /** What it is, where the package says so: its path need not tell. */
  readonly resource?: string;
  readonly packed: number;
  /** Unpacked. */
  readonly size: number;
}

/** Files by their paths, with a slash at the end, and how they are shown: hue in degrees, saturation in percent. */
export type FileKind = readonly [pattern: RegExp, name: string, hue: number, saturation: number];

/** What the page says of a package. */
export interface SizedPackage {
  readonly title: string;
  /** What it is, in a sentence. */
  readonly says: string;
  /** Bytes. */
  readonly size: number;
  readonly files: readonly SizedFile[];
  /** The first that fits counts; the last fits everything. */
  readonly kinds: readonly FileKind[];
  /** What comes between the map and the largest files. */
  readonly before?: Html;
  /** What comes at the end. */
  readonly after?: Html;
}

/** Size of the map in px. */
const MAP = { width: 1064, height: 560 } as const;
/** Areas below this many px in either direction have no room for a name. */
const NAME_FROM = { width: 56, height: 18 } as const;
/** Width of a letter of the map's type in px, by rule of thumb. */
const LETTER = 6.4;
/** Rows of a list. */
export const LISTED = 40;

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

function tree(files: readonly SizedFile[]): Node {
  const root = node('', '');
  for (const { path, resource, packed, size } of files) {
    const place = resource === undefined ? path : `res/${resource}`;
    const steps = place.split('/');
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

function tone(kinds: readonly FileKind[], path: string): string {
  const [, , hue, saturation] = kinds.find(([pattern]) => pattern.test(`${path}/`)) as FileKind;
  return `--hue:${hue};--saturation:${saturation}%`;
}

function map({ files, kinds }: SizedPackage): Html {
  const root = hierarchy(tree(files), (one) => [...one.children.values()])
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
      html`<g transform="translate(${x0} ${y0})"><title>${says}</title><rect width="${width}" height="${height}" class="${isFile ? 'file' : 'folder'}" style="${tone(kinds, data.path)}"/>${name === '' ? '' : html`<text x="5" y="12">${name}</text>`}${second === '' ? '' : html`<text x="5" y="27" class="second">${second}</text>`}</g>`,
    ];
  });
  return html`<svg viewBox="0 0 ${MAP.width} ${MAP.height}" role="img" aria-label="Map of sizes; the table below says the same">${areas}</svg>`;
}

/** A row of a table. */
export const row = (cells: readonly HtmlPart[]) =>
  html`<tr>${cells.map((cell) => html`<td>${cell}</td>`)}</tr>`;

/**
 * One page with a map of a package's sizes: every file an area, folders around them; no script, no request. Everything out of
 * the package is escaped.
 */
export function sizePage(sized: SizedPackage): string {
  const { title, says, size, files, kinds, before = '', after = '' } = sized;
  const largest = [...files].sort((a, b) => b.packed - a.packed).slice(0, LISTED);
  return page(
    `${title}: sizes`,
    ['sizes'],
    html`<h1>${title}</h1>
<p class="soft">${says} Areas are what files take in it, compressed.</p>
${map(sized)}
<p class="key">${kinds.map(([, name, hue, saturation]) => html`<span><i style="--hue:${hue};--saturation:${saturation}%"></i>${name}</span>`)}</p>
${before}<h2>The largest files</h2><p>Of ${files.length}.</p>
<div class="wide"><table><tr><th>packed</th><th>share</th><th>file</th></tr>${largest.map(({ path, resource, packed }) => row([formatBytes(packed), formatShare(packed, size), resource === undefined ? path : `${path} (${resource})`]))}</table></div>
${after}
`,
  );
}
