#!/usr/bin/env bash
# Installs the build into a scratch prefix and builds a project of somebody else against it, by
# CMake package and by pkg-config.
set -euo pipefail
build=$1 source=$2 flags=${3:-}
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
cmake --install "$build" --prefix "$scratch/prefix" >/dev/null
cmake -S "$source/tests/outside" -B "$scratch/build" -G Ninja -DCMAKE_PREFIX_PATH="$scratch/prefix" \
  -DCMAKE_CXX_FLAGS="$flags" >/dev/null
cmake --build "$scratch/build" >"$scratch/log" || { cat "$scratch/log"; exit 1; }

# The shared library exports what the public headers name, and nothing else.
library=$(find "$scratch/prefix" -name libbayswap.so)
exported=$(nm -DC --defined-only "$library" | cut -d' ' -f3- | grep -v '^BAYSWAP_')
[ "$(wc -l <<<"$exported")" -gt 100 ]
names=$(sed -E 's/^(vtable|typeinfo name|typeinfo) for //; s/[(<\[].*//; s/ *operator.*//' <<<"$exported" | sort -u)
while IFS= read -r name; do
  [ "${name%%::*}" = bayswap ] || { echo "exported: $name" >&2; exit 1; }
  for word in ${name//::/ }; do
    grep -qrwF -- "${word#\~}" "$scratch/prefix/include/bayswap" && continue
    echo "exported, and in no public header: $name" >&2
    exit 1
  done
done <<<"$names"

"$scratch/prefix/bin/bayswap" demo --build-only "$scratch/world"
"$scratch/build/outside" "$scratch/world"
"$scratch/build/bytes_only"
pc=$(find "$scratch/prefix" -name bayswap.pc)
sed -i "s#^prefix=.*#prefix=$scratch/prefix#" "$pc"
export PKG_CONFIG_PATH=$(dirname "$pc")
g++ -std=c++20 $flags "$source/tests/outside/main.cpp" -o "$scratch/by-pkg-config" $(pkg-config --cflags --libs bayswap)
"$scratch/prefix/bin/bayswap" demo --build-only "$scratch/other-world"
"$scratch/by-pkg-config" "$scratch/other-world"
"$scratch/prefix/bin/bayswap" --version
