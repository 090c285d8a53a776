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
"$scratch/prefix/bin/bayswap" demo --build-only "$scratch/world"
"$scratch/build/outside" "$scratch/world"
pc=$(find "$scratch/prefix" -name bayswap.pc)
sed -i "s#^prefix=.*#prefix=$scratch/prefix#" "$pc"
export PKG_CONFIG_PATH=$(dirname "$pc")
g++ -std=c++20 $flags "$source/tests/outside/main.cpp" -o "$scratch/by-pkg-config" $(pkg-config --cflags --libs bayswap)
"$scratch/prefix/bin/bayswap" demo --build-only "$scratch/other-world"
"$scratch/by-pkg-config" "$scratch/other-world"
"$scratch/prefix/bin/bayswap" --version
