/** Files of a packed folder that may answer a path, in the shell's order. */
export function filesForPath(path: string): string[] {
  return path === '' || path.endsWith('/')
    ? [`${path}index.html`]
    : [path, `${path}.html`, `${path}/index.html`];
}

/** Whether a path names no file by an ending: an app that routes by itself answers it from its index page. */
export function mayBeRoute(path: string): boolean {
  return !path.slice(path.lastIndexOf('/') + 1).includes('.');
}
