#!/usr/bin/env bash
# Builds the shell for devices and simulators, unsigned:
#   build.sh            compares with what is committed in dist
#   build.sh --update   puts it there
# Needs clang-19, lld-19 and llvm-19 in the version that Debian 12 and 13 have: others give other bytes.
set -euo pipefail
cd "$(dirname "$0")"
version=19
want="19.1.7"
have=$(clang-$version --version | sed -nE 's/.*version ([0-9.]+).*/\1/p' | head -1)
if [ "$have" != "$want" ]; then
  echo "clang $have builds other bytes than $want, which dist was built with." >&2
  exit 2
fi
build=build
rm -rf "$build"
mkdir -p "$build/no-sdk"

compile() { # target folder
  mkdir -p "$2"
  for source in src/core/*.m src/ui/*.m; do
    clang-$version -target "$1" -isysroot "$build/no-sdk" -nostdinc -I include -I src/core -I src/ui \
      -std=gnu11 -x objective-c -fobjc-arc -fblocks -fvisibility=hidden -Oz -flto -fno-ident -fno-stack-protector \
      -fno-exceptions -fno-objc-exceptions -fno-asynchronous-unwind-tables -Wall -Wextra -Werror \
      -c "$source" -o "$2/$(basename "$source" .m).o"
  done
}

link() { # name arch platform objects
  local objects
  objects=$(find "$4" -type f -name '*.o' | LC_ALL=C sort)
  # What one object defines another may use.
  llvm-nm-$version -g --defined-only -j $objects | grep -v -e ':$' -e '^$' | LC_ALL=C sort -u >"$4/defined"
  llvm-nm-$version -u -j $objects | grep -v -e ':$' -e '^$' | LC_ALL=C sort -u | LC_ALL=C comm -23 - "$4/defined" >"$4/undefined"
  node stubs.mjs "$4/stubs" "$4/undefined"
  ld64.lld-$version -arch "$2" -platform_version "$3" 15.0 15.0 -syslibroot "$build/no-sdk" -e _main \
    -o "$build/$1" -final_output Shell -dead_strip -pie -no_adhoc_codesign -headerpad 0x100 -x -fixup_chains -no_encryption -no_data_const -no_function_starts -no_data_in_code_info \
    $objects $(cat "$4/stubs/link.options")
}

compile arm64-apple-ios15.0 "$build/objects/device"
link device-arm64 arm64 ios "$build/objects/device"
for arch in arm64 x86_64; do
  compile "$arch-apple-ios15.0-simulator" "$build/objects/simulator-$arch"
  link "simulator-$arch" "$arch" ios-simulator "$build/objects/simulator-$arch"
done

for name in device-arm64 simulator-arm64 simulator-x86_64; do
  size=$(stat -c %s "$build/$name")
  # Code for Intel is longer, and runs in simulators alone.
  limit=$([ "$name" = simulator-x86_64 ] && echo 143360 || echo 122880)
  if [ "$size" -gt "$limit" ]; then
    echo "$name has $size bytes; at most $limit are allowed." >&2
    exit 1
  fi
  if [ "${1:-}" = --update ]; then
    mkdir -p dist
    cp "$build/$name" "dist/$name"
  elif ! cmp -s "$build/$name" "dist/$name"; then
    echo "dist/$name is not what the sources give: run shell/apple/build.sh --update" >&2
    exit 1
  fi
  echo "$name  $size bytes"
done
