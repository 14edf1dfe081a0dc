import { basename, dirname, extname, join, resolve } from 'node:path';
import { HullError } from '../errors.js';

/** The file that a package is signed into: as named, else beside it. Throws `disk.exists` where that is the package itself. */
export function signedFile({
  file,
  out,
}: {
  readonly file: string;
  readonly out?: string | undefined;
}): string {
  const ending = extname(file);
  const signed = out ?? join(dirname(file), `${basename(file, ending)}-signed${ending}`);
  if (resolve(signed) !== resolve(file)) return signed;
  throw new HullError('disk.exists', 'The signed package would replace the one it is made from.', {
    location: { option: 'out' },
    fix: 'Name another file.',
  });
}
