import type { Location } from '../errors.js';
import { locationIn, type Site } from '../site/site.js';

/** The start page, or the site where none was read. */
export const startLocation = ({ kind, startPage, name }: Site): Location =>
  locationIn(kind, startPage?.name ?? name);
export const quoted = (text: string) => `“${text}”`;
