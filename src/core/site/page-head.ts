import { type DefaultTreeAdapterTypes, parse } from 'parse5';

/** What the head of a page says of the app. */
export interface PageHead {
  readonly title?: string;
  readonly manifest?: string;
  readonly canonical?: string;
  readonly themeColor?: string;
  /** `rel="icon"` and touch icons, in page order. */
  readonly icons: readonly { readonly href: string; readonly largest: number; readonly type?: string }[];
}

type Element = DefaultTreeAdapterTypes.Element;

function* elements(node: DefaultTreeAdapterTypes.ParentNode): Generator<Element> {
  const pending: DefaultTreeAdapterTypes.ChildNode[] = [...node.childNodes].reverse();
  for (let item = pending.pop(); item !== undefined; item = pending.pop()) {
    if ('tagName' in item) {
      yield item;
      for (let i = item.childNodes.length - 1; i >= 0; i -= 1) {
        pending.push(item.childNodes[i] as DefaultTreeAdapterTypes.ChildNode);
      }
    }
  }
}

function attribute(element: Element, name: string): string | undefined {
  return element.attrs.find((item) => item.name === name)?.value.trim();
}

/** Reads a page's head; broken HTML is read as a browser reads it. */
export function readPageHead(html: string): PageHead {
  let title: string | undefined;
  let manifest: string | undefined;
  let canonical: string | undefined;
  let themeColor: string | undefined;
  const icons: { href: string; largest: number; type?: string }[] = [];
  for (const element of elements(parse(html))) {
    if (element.tagName === 'body') break;
    if (element.tagName === 'title' && title === undefined) {
      const text = element.childNodes.map((node) => ('value' in node ? node.value : '')).join('');
      title = text.replaceAll(/\s+/g, ' ').trim() || undefined;
    }
    if (element.tagName === 'meta' && attribute(element, 'name')?.toLowerCase() === 'theme-color') {
      if (attribute(element, 'media') === undefined || themeColor === undefined) {
        themeColor = attribute(element, 'content') ?? themeColor;
      }
    }
    if (element.tagName !== 'link') continue;
    const rel = (attribute(element, 'rel') ?? '').toLowerCase().split(/\s+/);
    const href = attribute(element, 'href');
    if (href === undefined || href === '') continue;
    if (rel.includes('manifest')) manifest ??= href;
    if (rel.includes('canonical')) canonical ??= href;
    if (rel.includes('icon') || rel.includes('apple-touch-icon')) {
      const size = /(\d+)x\d+/.exec(attribute(element, 'sizes') ?? '');
      const type = attribute(element, 'type');
      icons.push({
        href,
        largest: size
          ? Number(size[1])
          : attribute(element, 'sizes') === 'any'
            ? Number.POSITIVE_INFINITY
            : 0,
        ...(type === undefined ? {} : { type }),
      });
    }
  }
  return {
    ...(title === undefined ? {} : { title }),
    ...(manifest === undefined ? {} : { manifest }),
    ...(canonical === undefined ? {} : { canonical }),
    ...(themeColor === undefined ? {} : { themeColor }),
    icons,
  };
}
