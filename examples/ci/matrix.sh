#!/usr/bin/env bash
# One machine of several that pack all brands together.
#
#   INDEX, COUNT  which of how many machines this is, from 1
#   COSTS         an earlier report (packed.json), so that all take equally long; the same file on every machine
#
# Keep .hull/ between runs (a cache of the job, by INDEX): what has not changed is not packed again.
set -euo pipefail
hull=${HULL:-npx hull}
part=${INDEX:?}/${COUNT:?}
costs=()
if [ -n "${COSTS:-}" ] && [ -f "$COSTS" ]; then costs=(--costs "$COSTS"); fi
# The report is there also where a brand fails, and after COSTS was read.
code=0
$hull fleet pack --shard "$part" "${costs[@]}" --jobs 2 --yes --json > "packed-$INDEX.json.new" || code=$?
mv "packed-$INDEX.json.new" "packed-$INDEX.json"
exit $code
