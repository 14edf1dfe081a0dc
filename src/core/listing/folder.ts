import { existsSync } from 'node:fs';
import { resolve } from 'node:path';
import type { Project } from '../project/project.js';
import { shownPath } from '../util/files.js';

/** The folder of the listing, as someone in the working folder would write it; of a brand, its own where it has one. */
export const listingFolder = (project: Project): string => {
  const { listing } = project.settings.release;
  const own = project.brand && resolve(project.brand.dir, listing);
  return shownPath(own !== undefined && existsSync(own) ? own : project.resolve(listing));
};
