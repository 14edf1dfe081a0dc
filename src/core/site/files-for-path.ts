/** Files of a packed folder that may answer a path, in the shell's order. */
export function filesForPath(path: string): string[] {
  return path === '' || path.endsWith('/')
    ? [`${path}index.html`]
    : [path, `${path}.html`, `${path}/index.html`];
}
