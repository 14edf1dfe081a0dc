import { join } from 'node:path';
import type { Project } from '../project/project.js';

/** Where a project's packages are made and looked for, unless another folder is named. */
export const outFolder = (project: Project, named?: string): string => named ?? join(project.dir, 'out');
