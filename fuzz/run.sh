#!/usr/bin/env bash
# Runs every fuzz target for so many seconds, as many side by side as there are cores. New inputs
# are kept beside the build; the seeds in the repository are read only.
set -euo pipefail
build=$1 seconds=$2
here=$(cd "$(dirname "${BASH_SOURCE[0]}")" && pwd)
run_one() {
  local target=$1 name
  name=$(basename "$target" _fuzz)
  mkdir -p "$build/corpus/$name" "$here/seeds/$name"
  if "$target" -max_total_time="$seconds" -rss_limit_mb=1024 -timeout=10 -max_len=4096 \
    -artifact_prefix="$build/corpus/$name-" "$build/corpus/$name" "$here/seeds/$name" >"$build/$name.log" 2>&1; then
    echo "$name: no finding; $(grep -o 'stat::number_of_executed_units: [0-9]*\|Done [0-9]* runs' "$build/$name.log" | tail -1) in $seconds s"
  else
    echo "$name: FOUND SOMETHING, see $build/$name.log"
    return 1
  fi
}
export -f run_one
export build here seconds
find "$build/fuzz" -maxdepth 1 -name '*_fuzz' -type f -executable | sort |
  xargs -P "$(nproc)" -I{} bash -c 'run_one {}'
