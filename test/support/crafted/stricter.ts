/**
 * What is refused here although the platform's verifier accepts it, each with the fault that says so and the reason. That
 * verifier is content with the newest scheme it finds, and judges for one range of devices. `docs/security.md` has the same
 * table, and a test holds the two equal.
 */
export interface Stricter {
  /** Found among the faults and gaps of the report; `undefined` for the row about older schemes. */
  readonly fault: RegExp | undefined;
  readonly what: string;
  readonly reason: string;
}

export const STRICTER: readonly Stricter[] = [
  {
    fault: undefined,
    what: 'an older scheme beside a newer one does not hold',
    reason: 'Devices that do not know the newer scheme read the older one.',
  },
  {
    fault: /Devices below API \d+ (cannot read|read only v1)/,
    what: 'the lowest API level is below every scheme in the package',
    reason: 'The package would not install on those devices.',
  },
  {
    fault: /more than 10 signers|more than 100/,
    what: 'more than 10 signers, or 100 digests, certificates or attributes of one',
    reason: 'Devices from Android 12 on read no more.',
  },
  {
    fault: /promises a v3\.1 signature/,
    what: 'a v3.1 signature is promised and missing',
    reason: 'Devices from Android 13 on refuse it; the verifier here knows no v3.1.',
  },
  {
    fault: /The signing block has it twice/,
    what: 'a scheme is in the signing block twice',
    reason: 'Readers choose between the two.',
  },
  {
    fault: /not joined by a lineage|different lineages|claim the same devices/,
    what: 'v3 signers that claim the same devices, or that no common lineage joins',
    reason: 'After an update of the system the app could not be updated.',
  },
  {
    fault: /No signer serves/,
    what: 'API levels that no v3 signer serves',
    reason: 'The package would not install on those devices.',
  },
  {
    fault: /the key is of type/,
    what: 'a signature of another key type beside the right one',
    reason: 'Every signature with a known algorithm has to hold.',
  },
  {
    fault: /A signed attribute is repeated|protects against stripping/,
    what: 'v2 or v3 attributes that are repeated, or longer than they may be',
    reason: 'Readers choose between the two, or read a part.',
  },
  {
    fault: /bytes follow it|A certificate cannot be read/,
    what: 'a certificate that strict readers of X.509 refuse',
    reason: 'Devices differ in what they let pass.',
  },
  {
    fault:
      /cannot read (minSdk|targetSdk|targetSandbox)Version|refuse a package (for API 30|with targetSandbox)/,
    what: 'API levels that are neither numbers nor known code names',
    reason: 'Devices refuse such a manifest.',
  },
  {
    fault: /^not signed|has no signature file|has no signature\.|META-INF\/[^ ]* is not signed/,
    what: 'v1 signature files in subfolders, without their other half, or with small letters',
    reason: 'They are no signature (JAR File Specification), and nothing covers them.',
  },
  {
    fault:
      /signtool|is repeated in one section|is not an attribute|last line has no line end|and the manifest does not|blank lines/,
    what: 'v1 manifests and signature files that are not well-formed, or that list what is not there',
    reason: 'Readers take them differently.',
  },
  {
    fault: /(was|were) changed after signing/,
    what: 'a digest that does not match beside one that does',
    reason: 'Which of several digests counts depends on the device.',
  },
  {
    fault: /one signature block has several signers/i,
    what: 'several signers in one v1 block',
    reason: 'Devices before Android 7 read the first, newer ones the first that holds.',
  },
  {
    fault: /bytes before the first file|belong to no file/,
    what: 'bytes that belong to no file in a package that only v1 signs',
    reason: 'Nothing covers them: anything could be put there.',
  },
  {
    fault: /It is damaged|It names no signer|a public key cannot be read/i,
    what: 'a scheme that is damaged beside one that holds',
    reason: 'Devices that look for the damaged one refuse the package.',
  },
  {
    fault: /by (other|another) signers?|v3 can follow only one/,
    what: 'schemes by different signers',
    reason: 'Two devices would take two makers for one, and an update of one would fail on the other.',
  },
  {
    fault: /does not match its checksum/,
    what: 'a file that does not match its CRC-32',
    reason: 'It is damaged, or two readers would unpack different bytes.',
  },
];

/** The table as the documents have it. */
export function stricterTable(): string {
  return [
    '| Refused | Because |',
    '|---|---|',
    ...STRICTER.map(({ what, reason }) => `| ${what} | ${reason} |`),
  ].join('\n');
}
