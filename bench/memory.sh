#!/usr/bin/env bash
# Peak memory of a carry, its undo and a restore of a large title folder.
#   bench/memory.sh BUILD_DIR PLACE [MIB]
set -euo pipefail
tool=$1/bayswap place=$2/bayswap-memory mib=${3:-2048}
rm -rf "$place"
mkdir -p "$place"
export XDG_CONFIG_HOME=$place/config XDG_DATA_HOME=$place/data NO_COLOR=1
from=$place/desk/00050000/10100a00/user/80000001
to=$place/console/00050000/10100a00/user/8000002a
mkdir -p "$from/tiles" "$to/tiles"
# Two large files that differ in their middle, one that is alike, and small ones.
head -c $((mib * 3 / 4))M /dev/urandom >"$from/world.bin"
cp "$from/world.bin" "$to/world.bin"
head -c 64M /dev/urandom | dd of="$to/world.bin" bs=1M seek=100 conv=notrunc status=none
head -c $((mib / 4))M /dev/urandom >"$from/same.bin"
cp "$from/same.bin" "$to/same.bin"
for i in $(seq 200); do
  head -c 90000 /dev/urandom >"$from/tiles/$i"
  head -c 90000 /dev/urandom >"$to/tiles/$i"
done
find "$to" -exec touch -d '2026-01-01' {} +
before=$(find "$to" -type f -exec sha256sum {} + | sort | sha256sum)
measure() {
  /usr/bin/time -f "%M %e" -o "$place/figures" "$tool" "$@" >"$place/out" 2>&1 || { cat "$place/out"; exit 1; }
  read -r kib seconds <"$place/figures"
  printf '%-10s %6.1f MiB %8s s\n' "$1" "$(awk "BEGIN{print $kib/1024}")" "$seconds"
}
"$tool" bay learn desk "$place/desk" >/dev/null
"$tool" bay learn console "$place/console" >/dev/null
du -sh --apparent-size "$from" | cut -f 1
measure carry --all --from desk --to console
after=$(find "$to" -type f -exec sha256sum {} + | sort | sha256sum)
measure undo
[ "$(find "$to" -type f -exec sha256sum {} + | sort | sha256sum)" = "$before" ] || { echo "undo is not exact"; exit 1; }
"$tool" history "$to" --json >"$place/out"
version=$(grep -o '"version": *"v[0-9]*"' "$place/out" | sed -n 2p | grep -o '[0-9]*' | tail -n 1)
measure restore "$to" --at "v$version"
[ "$(find "$to" -type f -exec sha256sum {} + | sort | sha256sum)" != "$before" ] || echo "restored the same"
rm -rf "$place"
