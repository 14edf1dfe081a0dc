#!/usr/bin/env bash
# Tests the shell on Linux: what needs Foundation alone on GNUstep's, the rest over stand-ins of the frameworks.
# Needs clang-19, gcc and libgnustep-base-dev.
set -euo pipefail
cd "$(dirname "$0")"
out=build/test
# Planted bugs are tried on objects that are there: only what is newer is compiled.
[ "${1:-}" = --changed ] || rm -rf "$out"
mkdir -p "$out/site/sub"
printf '<p>Pier' >"$out/site/index.html"
cp "$out/site/index.html" "$out/site/sub/index.html"
cp "$out/site/index.html" "$out/site/a b.html"
head -c 1000000 /dev/zero >"$out/site/big.webp"
printf 'secret' >"$out/secret"

objc=(clang-19 -target x86_64-linux-gnu -nostdinc -I include -I src/core -I src/ui -I test -std=gnu11
  -fobjc-runtime=gnustep-1.9 -fobjc-arc -fblocks -fobjc-legacy-dispatch -fconstant-string-class=NSConstantString
  -DHULL_DYNAMIC -g -O1 -Wall -Wextra -Werror)
# Stand-ins implement less than they declare.
lax=(-Wno-objc-property-implementation -Wno-protocol -Wno-incomplete-implementation -Wno-nullability -Wno-nonnull
  -Wno-unused-parameter -Wno-objc-designated-initializers)

compile() { # source object options
  [ -f "$2" ] && [ "$2" -nt "$1" ] && return
  "${objc[@]}" "${@:3}" -c "$1" -o "$2"
}

gcc -std=gnu11 -g -O1 -Wall -Wno-incompatible-pointer-types -c test/runtime.c -o "$out/runtime.o"
for source in src/core/*.m; do compile "$source" "$out/$(basename "$source" .m).core.o"; done
compile test/core_test.m "$out/core_test.o"
gcc "$out"/runtime.o "$out"/*.core.o "$out/core_test.o" -o "$out/core_test" -rdynamic -lgnustep-base -lobjc -lpthread -ldl
"$out/core_test" ../vectors "$out/site"

for source in src/ui/*.m; do
  [ "$(basename "$source")" = main.m ] || compile "$source" "$out/$(basename "$source" .m).ui.o"
done
for source in test/fakes.m test/ui_test.m; do compile "$source" "$out/$(basename "$source" .m).o" "${lax[@]}"; done
gcc "$out"/runtime.o "$out"/*.core.o "$out"/*.ui.o "$out/fakes.o" "$out/ui_test.o" -o "$out/ui_test" \
  -rdynamic -lgnustep-base -lobjc -lpthread -ldl
"$out/ui_test" "$out/site"
