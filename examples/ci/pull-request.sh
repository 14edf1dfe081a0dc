#!/usr/bin/env bash
# Checks of a pull request: the brands that it touches are surveyed and packed, and a reviewer gets one table.
#
#   BASE     revision that the request is compared with, as origin/main; the history back to it has to be there
#   REPORTS  folder for what the job keeps (default: reports)
#
# HULL_KEY_PASSWORD is the password of a key that signs nothing but these packages: code of strangers runs here.
set -euo pipefail
hull=${HULL:-npx hull}
reports=${REPORTS:-reports}
base=${BASE:?the revision to compare with}
mkdir -p "$reports"
failed=0

$hull --version --json > "$reports/versions.json"
# Which brands are touched, and why.
$hull fleet list --changed-since "$base" --report "$reports/touched.md" --quiet || failed=1
# Findings for the review tool, and for people.
$hull fleet survey --changed-since "$base" --sarif "$reports/survey.sarif" --report "$reports/survey.md" --quiet || failed=1
$hull fleet pack --changed-since "$base" --yes --report "$reports/packed.md" --quiet || failed=1

# One comment for the request; what failed is in it.
for part in touched survey packed; do
  if [ -f "$reports/$part.md" ]; then cat "$reports/$part.md"; echo; fi
done > "$reports/comment.md"
exit $failed
