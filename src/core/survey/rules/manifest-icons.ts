import { contrast, parseColor } from '../../project/color.js';
import { nearest } from '../../project/nearest.js';
import { meanColor, shareOutsideSafeZone, transparentShare } from '../../site/picture.js';
import { fileUrl } from '../../site/site.js';
import type { ManifestView } from '../manifest-view.js';
import type { Rule } from '../rule.js';
import { manifestRule, notThere, shown, W3C } from './manifest-members.js';

const PURPOSES = ['any', 'maskable', 'monochrome'];

/** Media types by the decoder's names. */
const TYPES: Readonly<Record<string, string>> = {
  png: 'image/png',
  svg: 'image/svg+xml',
  jpeg: 'image/jpeg',
  webp: 'image/webp',
  gif: 'image/gif',
  ico: 'image/vnd.microsoft.icon',
  avif: 'image/avif',
  heif: 'image/avif',
};
const SAME_TYPE: Readonly<Record<string, string>> = {
  'image/x-icon': 'image/vnd.microsoft.icon',
  'image/jpg': 'image/jpeg',
};
export const sizeText = ({ width, height }: { width: number; height: number }) => `${width}x${height}`;

const isSvg = (type: string | undefined, src: string) =>
  type === 'image/svg+xml' || /\.svg($|[?#])/i.test(src);

export const ICON_RULES: readonly Rule[] = [
  manifestRule({
    id: 'manifest.icons',
    title: 'No icons of 192 and 512 px',
    severity: 'error',
    source: `${W3C}, "icons member"; home screens draw 192 px, splash screens and stores 512 px`,
    why: 'Home screens draw icons at up to 192 px and splash screens at 512 px. From smaller ones they draw a blurred icon or the first letter of the name; from a drawing (SVG) not every system can.',
    *check(view) {
      if (view.list('icons').is === 'wrong') return;
      const sides = view
        .icons()
        .filter(({ purposes, type, src }) => purposes.includes('any') && !isSvg(type, src))
        .flatMap(({ sizes }) => sizes.map(({ width, height }) => Math.min(width, height)));
      // Browsers that install apps draw SVG; what may not is an older home screen.
      const isDrawn = view
        .icons()
        .some(({ purposes, type, src }) => purposes.includes('any') && isSvg(type, src));
      for (const side of [192, 512]) {
        const has = side === 512 ? sides.some((n) => n >= 512) : sides.some((n) => n >= 144 && n < 512);
        if (has) continue;
        const { is } = view.list('icons');
        yield {
          location: is === 'absent' ? view.top : view.locationOfKey('/icons'),
          ...(isDrawn ? { severity: 'suggestion' as const } : {}),
          observed: `no icon of ${side}x${side} px for purpose "any"${isDrawn ? ', only a drawing (SVG)' : ''}`,
          impact:
            side === 192
              ? isDrawn
                ? 'Home screens that draw no SVG show a letter.'
                : 'The home screen shows a blurred icon, or a letter.'
              : isDrawn
                ? 'Systems that draw no SVG show a splash screen without an icon.'
                : 'The splash screen shows a blurred icon, or none; the app cannot be installed from a browser.',
          fix: `{ "src": "icons/icon-${side}.png", "sizes": "${side}x${side}", "type": "image/png" },`,
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.icon-entry',
    title: 'An icon names no image, or an unknown purpose',
    severity: 'warning',
    source: 'W3C Image Resource; Web Application Manifest, "purpose member"',
    why: 'An icon without src, or only with unknown purposes, is left out without a word. An icon that is “any maskable” has a margin for the mask, and looks small wherever nothing is masked.',
    *check(view) {
      for (const { pointer, value } of view.objects('icons')) {
        if (typeof value.src !== 'string' || value.src.trim() === '') {
          yield {
            location: view.location(pointer),
            observed: shown(value),
            impact: 'It is left out.',
            fix: '"src": "icons/icon-192.png",',
          };
        }
      }
      for (const { pointer, purposes } of view.icons()) {
        const unknown = purposes.filter((name) => !PURPOSES.includes(name));
        if (unknown.length > 0) {
          yield {
            location: view.location(`${pointer}/purpose`),
            observed: `purpose "${purposes.join(' ')}"`,
            impact: 'Unknown purposes are skipped, and the icon with them.',
            fix: `"purpose": "${nearest(unknown[0] ?? '', PURPOSES) ?? 'any'}"`,
          };
        } else if (purposes.includes('any') && purposes.includes('maskable')) {
          yield {
            location: view.location(`${pointer}/purpose`),
            observed: `purpose "${purposes.join(' ')}"`,
            impact: 'Where icons are not cut it looks smaller than all others.',
            fix: 'Give a picture of its own for each: "purpose": "any" filled to the edge, "purpose": "maskable" with its margin.',
          };
        }
      }
    },
  }),
  manifestRule({
    id: 'manifest.icon-missing',
    title: 'An icon file is missing',
    severity: 'error',
    source: `${W3C}, "icons member"`,
    why: 'One icon that cannot be fetched may be the very one that a phone picks for its screen; it then draws a letter instead.',
    *check(view, { site }) {
      for (const { pointer, src, url, picture } of [...view.icons(), ...shortcutIcons(view)]) {
        if (picture || src.startsWith('data:')) continue;
        const foreign = url && url.origin !== site.base.origin && site.kind === 'folder';
        if (foreign) continue;
        const fault = url ? (notThere(site, url) ?? 'it could not be fetched') : 'no address';
        yield {
          location: view.location(`${pointer}/src`),
          observed: `${src}: ${fault}`,
          impact: 'A phone that picks this icon draws a letter instead.',
          fix: `Put the picture at ${url?.pathname ?? src}, or correct the address.`,
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.icon-size',
    reads: 'pictures',
    title: 'An icon does not have the size it declares',
    severity: 'warning',
    source: 'W3C Image Resource, "sizes member"',
    why: 'Phones choose icons by what is declared and scale what they get: a smaller picture is blurred, one that is not square is squeezed or left out.',
    *check(view) {
      for (const { pointer, sizes, picture } of view.icons()) {
        if (!picture?.format || picture.format === 'svg' || picture.format === 'ico') continue;
        const wrong = sizes.filter(
          ({ width, height }) =>
            Number.isFinite(width) && (width !== picture.width || height !== picture.height),
        );
        if (wrong.length === 0 && sizes.length > 0 && picture.width === picture.height) continue;
        const true_ = sizeText(picture);
        yield {
          location: view.location(sizes.length === 0 ? pointer : `${pointer}/sizes`),
          observed:
            sizes.length === 0
              ? `no sizes; the picture has ${true_} px`
              : wrong.length > 0
                ? `declared ${wrong.map(sizeText).join(' ')}; the picture has ${true_} px`
                : `${true_} px is not square`,
          impact: 'Phones pick it for a size that it does not have, and show it blurred or squeezed.',
          fix: picture.width === picture.height ? `"sizes": "${true_}",` : 'Make the picture square.',
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.icon-type',
    reads: 'pictures',
    title: 'An icon is not an image of the type it declares',
    severity: 'warning',
    source: 'W3C Image Resource, "type member"',
    why: 'A wrong type makes a phone skip an icon that it could draw, or fetch one that it cannot.',
    *check(view) {
      for (const { pointer, type, picture, src } of view.icons()) {
        if (!picture) continue;
        const real =
          picture.format === undefined ? undefined : (TYPES[picture.format] ?? `image/${picture.format}`);
        const declared =
          type === undefined ? undefined : (SAME_TYPE[type.toLowerCase()] ?? type.toLowerCase());
        if (real !== undefined && (declared === undefined || declared === real)) continue;
        yield {
          location: view.location(real === undefined ? `${pointer}/src` : `${pointer}/type`),
          observed:
            real === undefined
              ? `${src} is not an image that can be decoded`
              : `declared ${type}; it is ${real}`,
          impact: 'Phones skip it, or show nothing.',
          fix: real === undefined ? 'Save it again as PNG.' : `"type": "${real}",`,
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.icon-maskable',
    title: 'No maskable icon',
    severity: 'warning',
    platforms: ['android', 'web'],
    source: `${W3C}, "icon masks"; Android adaptive icons`,
    why: 'Launchers cut icons to their own shape: circle, squircle, drop. An icon that is not marked maskable is shrunk onto a white plate instead.',
    *check(view) {
      if (
        view.list('icons').is === 'wrong' ||
        view.icons().some(({ purposes }) => purposes.includes('maskable'))
      )
        return;
      yield {
        location: view.list('icons').is === 'absent' ? view.top : view.locationOfKey('/icons'),
        observed: 'no icon with purpose "maskable"',
        impact: 'Launchers with shapes show the icon small on a white plate.',
        fix: '{ "src": "icons/maskable-512.png", "sizes": "512x512", "type": "image/png", "purpose": "maskable" },',
      };
    },
  }),
  manifestRule({
    id: 'manifest.safe-zone',
    reads: 'pictures',
    title: 'A maskable icon leaves the safe zone',
    severity: 'warning',
    platforms: ['android', 'web'],
    source: `${W3C}, "icon masks": a circle of 40 % of the side as radius`,
    why: 'Whatever a maskable icon draws outside the circle may be cut off, and whatever is see-through is filled as the launcher likes.',
    *check(view) {
      for (const { pointer, picture, purposes, src } of view.icons()) {
        if (!picture?.sample || !purposes.includes('maskable')) continue;
        const [outside, clear] = [shareOutsideSafeZone(picture), transparentShare(picture)];
        if (clear > 0.01) {
          yield {
            location: view.location(pointer),
            observed: `${src}: ${Math.round(clear * 100)} % of it is see-through`,
            impact: 'Launchers fill the gaps with white or black.',
            fix: 'Fill the whole square with the background colour; the mask cuts the corners.',
          };
        } else if (outside > 0.04) {
          yield {
            location: view.location(pointer),
            observed: `${src}: ${Math.round(outside * 100)} % of what is drawn lies outside the safe circle`,
            impact: 'Launchers cut it off.',
            fix: `Draw it smaller: inside the middle ${Math.round(picture.width * 0.8)} of ${picture.width} px.`,
          };
        }
      }
    },
  }),
  manifestRule({
    id: 'manifest.monochrome',
    reads: 'pictures',
    title: 'No monochrome icon',
    severity: 'suggestion',
    platforms: ['android', 'web'],
    source: `${W3C}, "purpose member": monochrome; Android themed icons (API 33)`,
    why: 'Themed home screens draw all icons in one colour from their shape alone. An app without a monochrome icon stands out as the one that does not fit.',
    *check(view) {
      if (view.list('icons').is === 'wrong') return;
      const icons = view.icons().filter(({ purposes }) => purposes.includes('monochrome'));
      if (icons.length === 0) {
        yield {
          location: view.list('icons').is === 'absent' ? view.top : view.locationOfKey('/icons'),
          observed: 'no icon with purpose "monochrome"',
          impact: 'On a themed home screen the icon keeps its own colours between tinted ones.',
          fix: '{ "src": "icons/icon-mono.svg", "sizes": "any", "type": "image/svg+xml", "purpose": "monochrome" },',
        };
      }
      for (const { pointer, picture, src } of icons) {
        if (!picture?.sample || transparentShare(picture) > 0.02) continue;
        yield {
          location: view.location(pointer),
          observed: `${src} has no see-through part`,
          impact: 'Tinted, it is a plain square: only the shape counts.',
          fix: 'Draw the symbol on nothing.',
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.icon-contrast',
    reads: 'pictures',
    title: 'The icon is invisible on the background colour',
    severity: 'warning',
    source: `${W3C}, "background_color member"; WCAG 2.2, contrast ratio`,
    why: 'The splash screen draws the icon on background_color. A white symbol on a white background is an empty screen.',
    *check(view) {
      const member = view.text('background_color');
      const background = member.is === 'ok' ? parseColor(member.value) : undefined;
      if (!background) return;
      for (const { pointer, picture, purposes, src } of view.icons()) {
        if (!picture?.sample || !purposes.includes('any') || transparentShare(picture) < 0.15) continue;
        const color = meanColor(picture);
        const ratio = color && contrast(color, background);
        if (ratio === undefined || ratio >= 1.5) continue;
        yield {
          location: view.location(pointer),
          observed: `${src} on ${member.is === 'ok' ? member.value : ''}: contrast ${ratio.toFixed(2)} to 1`,
          impact: 'The splash screen looks empty: the icon vanishes on its background.',
          fix: 'Choose another background_color, or give the icon a ground of its own.',
        };
        return;
      }
    },
  }),
];

/** Icons of shortcuts, with their pointers. */
export function shortcutIcons(
  view: ManifestView,
): Pick<ReturnType<ManifestView['icons']>[number], 'pointer' | 'src' | 'url' | 'picture'>[] {
  return view.objects('shortcuts').flatMap(({ pointer, value }) => {
    const icons = Array.isArray(value.icons) ? value.icons : [];
    return icons.flatMap((icon: { src?: unknown } | null, index) => {
      if (typeof icon?.src !== 'string') return [];
      const url = view.resolve(icon.src);
      return [
        {
          pointer: `${pointer}/icons/${index}`,
          src: icon.src,
          url,
          picture: url && view.site.pictures.get(fileUrl(url)),
        },
      ];
    });
  });
}
