/** A signer's file name out of a key's alias (JAR File Specification, "Signature file"). */
export function jarSignerName(alias: string): string {
  const name = alias
    .toUpperCase()
    .replaceAll(/[^A-Z0-9_-]/g, '_')
    .slice(0, 8);
  return name === '' ? 'CERT' : name;
}
