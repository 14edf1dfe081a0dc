/** A file of an exported project. */
export interface ProjectFile {
  /** From the project's folder, with `/` between names. */
  readonly path: string;
  readonly content: Uint8Array | { readonly file: string };
}
