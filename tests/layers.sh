#!/usr/bin/env bash
# Prints who includes whom, layer by layer, and fails when an arrow points up: to a layer that the
# build does not list below. Public headers count for the layer that src/CMakeLists.txt gives them to.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."

# LAYER HEADER and LAYER <BELOW, out of the calls of bayswap_layer().
facts=$(tr '\n' ' ' <src/CMakeLists.txt | grep -o 'bayswap_layer([a-z][^)]*)' | tr -d '()' | awk '
  { layer = $1; sub("bayswap_layer", "", layer); kind = ""
    for (i = 2; i <= NF; i++) {
      if ($i ~ /^[A-Z]+$/) { kind = $i; continue }
      if (kind == "HEADERS") print "header", layer, $i
      if (kind == "BELOW") print "below", layer, $i } }')
includes=$(git ls-files -co --exclude-standard 'src/*.h' 'src/*.cpp' | while read -r file; do
  layer=${file#src/}
  layer=${layer%%/*}
  sed -nE "s|^#include \"([^\"]+)\".*|$layer $file \1|p" "$file"
done)

printf '%s\n%s\n' "$facts" "$includes" | awk '
  $1 == "header" { of[$3] = $2; next }
  $1 == "below" { below[$2, $3] = 1; next }
  NF == 3 {
    to = $3; sub("/.*", "", to)
    if (to == "bayswap") { name = $3; sub(".*/", "", name); sub(/\.h$/, "", name); to = of[name] }
    count[$1, to]++
    if ($1 != to && !below[$1, to]) { print "points up: " $2 " includes " $3; bad = 1 }
    if ($3 ~ /\.\./) { print "goes round the layers: " $2 " includes " $3; bad = 1 }
  }
  END {
    n = split("core files readers hub history places reading moves sync", layers)
    printf "%-10s", "includes"
    for (j = 1; j <= n; j++) printf "%9s", layers[j]
    printf "\n"
    for (i = 1; i <= n; i++) {
      printf "%-10s", layers[i]
      for (j = 1; j <= n; j++) printf "%9s", count[layers[i], layers[j]] ? count[layers[i], layers[j]] : "."
      printf "\n"
    }
    exit bad
  }'
