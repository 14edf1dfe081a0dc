import { join, resolve } from 'node:path';
import { fromSystemError, HullError } from '../errors.js';
import { type Rgba, requireOpaqueColor } from '../project/color.js';
import { isShared, type Project } from '../project/project.js';
import { readRegularFile } from '../util/files.js';
import { type ArtInputs, parseBackground } from './icon-set.js';
import type { PictureSource } from './logo.js';
import type { ArtSource, ArtTarget, StartSchemes } from './plan.js';

const DARK: Rgba = { r: 16, g: 20, b: 24, a: 255 };
const OTHERS = [
  'foreground',
  'maskable',
  'monochrome',
  'dark',
  'splash',
] as const satisfies readonly ArtSource[];

function readPicture(project: Project, path: string, key: string): Uint8Array {
  const file = project.resolve(path);
  try {
    return readRegularFile(file);
  } catch (error) {
    const known = fromSystemError(error, file);
    if (known instanceof HullError && known.code === 'file.missing') {
      throw new HullError('art.icon-missing', `The picture ${path} is not there.`, {
        location: project.location(`/look/art/${key}`),
        fix: 'Correct the path, or leave the key out: the image is then made from look.icon.',
      });
    }
    throw known;
  }
}

const isGiven = (project: Project, pointer: string) => project.origin(pointer).from === 'hull.json';

/** Whether the project names colours or pictures for dark screens. */
export function startSchemes(project: Project): StartSchemes {
  const { art } = project.settings.look;
  const isDark =
    art.dark !== undefined ||
    art.dark_background !== undefined ||
    isGiven(project, '/look/dark/background_color') ||
    isGiven(project, '/look/dark/theme_color');
  return isDark ? 'light-and-dark' : 'light';
}

/** Behind the logo in dark images: what the page's own dark background is, where that is known. */
function darkGround(project: Project): Rgba {
  const { art, dark } = project.settings.look;
  if (art.dark_background !== undefined)
    return requireOpaqueColor(art.dark_background, project.location('/look/art/dark_background'));
  const pointer = '/look/dark/background_color';
  return isGiven(project, pointer)
    ? requireOpaqueColor(dark.background_color, project.location(pointer))
    : DARK;
}

/** What images are made from: the logo, and what `look` and `look.art` say. Throws `art.icon-missing`, `config.bad-value`. */
export function artInputs(project: Project, logo: PictureSource): ArtInputs {
  const { look } = project.settings;
  const { art } = look;
  const background = requireOpaqueColor(look.background_color, project.location('/look/background_color'));
  const others: Partial<Record<ArtSource, PictureSource>> = {};
  for (const name of OTHERS) {
    const path = art[name];
    if (path !== undefined)
      others[name] = { bytes: readPicture(project, path, name), location: { file: project.resolve(path) } };
  }
  return {
    logo,
    others,
    background:
      art.background === undefined
        ? { is: 'color', color: background }
        : parseBackground(art.background, project.location('/look/art/background'), (path) =>
            readPicture(project, path, 'background'),
          ),
    darkGround: darkGround(project),
    start: {
      light: background,
      dark: isGiven(project, '/look/dark/background_color')
        ? requireOpaqueColor(look.dark.background_color, project.location('/look/dark/background_color'))
        : undefined,
    },
    themeColor: requireOpaqueColor(look.theme_color, project.location('/look/theme_color')),
    padding: art.padding,
  };
}

/** Where images are made and what was made is noted: of a brand, the folder of its own files. */
export const artHome = ({ dir, brand }: Pick<Project, 'dir' | 'brand'>): string => brand?.dir ?? dir;

/**
 * Folders that images are made in: those for the web inside the web folder, so that they are served. Brands that share their
 * pages have them in folders of their own.
 */
export function artFolders(project: Project): Record<ArtTarget, string> {
  const { web, look } = project.settings;
  const home = artHome(project);
  const out = resolve(home, look.art.out);
  const named = look.art.web ?? web.folder;
  const served = named === undefined ? undefined : project.resolve(named);
  return {
    web: served === undefined || isShared(project, served) ? join(out, 'web') : join(served, 'art'),
    android: join(out, 'android'),
    apple: join(out, 'apple'),
  };
}
