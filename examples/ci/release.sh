#!/usr/bin/env bash
# From a tag to the store's internal track: packages are made again, held against what was reviewed, and sent.
#
#   RELEASED  folder of the packages that users have, with a folder for each brand
#   TRACK     track of the store (default: internal); nothing is sent without an account (HULL_STORE_ACCOUNT)
set -euo pipefail
hull=${HULL:-npx hull}
$hull fleet pack --kind aab --yes --json > packed.json
# Each package is what its statement of origin says, and a rebuild gives the same.
node -p 'JSON.parse(fs.readFileSync("packed.json", "utf8")).brands.map(({ file }) => file).join("\n")' |
  while read -r file; do
    $hull inspect "$file" --provenance > /dev/null
    $hull pack aab --verify-record "$file.intoto.jsonl"
  done
if [ -d "${RELEASED:-}" ]; then
  $hull fleet compare "$RELEASED" --kind aab --report changes.md
fi
if [ -n "${HULL_STORE_ACCOUNT:-}" ]; then
  $hull fleet release --to "${TRACK:-internal}" --yes
fi
