/**
 * Which of two versions is higher: integers with full stops between them, missing ones are 0 (Apple, "Bundle Resources",
 * CFBundleVersion). `undefined` where one is of another form.
 */
export function compareVersions(one: string | undefined, other: string | undefined): number | undefined {
  const [first, second] = [one, other].map((text) =>
    text !== undefined && /^\d+(?:\.\d+)*$/.test(text) ? text.split('.').map(BigInt) : undefined,
  );
  if (first === undefined || second === undefined) return undefined;
  for (let at = 0; at < Math.max(first.length, second.length); at += 1) {
    const [left, right] = [first[at] ?? 0n, second[at] ?? 0n];
    if (left !== right) return left < right ? -1 : 1;
  }
  return 0;
}
