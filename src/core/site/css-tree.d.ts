/** The package's parts that need no grammar data, which takes long to load and is not asked for here. */
declare module 'css-tree/parser' {
  import type { parse as parser } from 'css-tree';
  const parse: typeof parser;
  export default parse;
}
declare module 'css-tree/generator' {
  import type { generate as generator } from 'css-tree';
  const generate: typeof generator;
  export default generate;
}
