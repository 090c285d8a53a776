#!/usr/bin/env bash
# Runs every benchmark and prints the ratios that docs/benchmarks.md holds.
set -euo pipefail
build=$1
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
export XDG_CONFIG_HOME=$scratch/config XDG_DATA_HOME=$scratch/data

"$build/bench/speed_bench" --benchmark_min_time=0.5 --benchmark_format=csv 2>/dev/null >"$scratch/speed.csv"
python3 - "$scratch/speed.csv" <<'PY'
import csv, sys
rows = [line for line in open(sys.argv[1]) if line.startswith(('name,', '"'))]
speed = {row['name']: float(row['bytes_per_second']) / 1e9 for row in csv.DictReader(rows)}
for name, value in speed.items(): print(f'{name:20} {value:7.2f} GB/s')
print(f"marker scan / memchr: {speed['marker_scan'] / speed['memchr_scan']:.2f} (wanted: at least 0.33)")
for unit in 2, 4, 8:
    print(f"swap {unit} / memcpy:      {speed[f'swap_units/{unit}'] / speed['memcpy_same']:.2f} (wanted: at least 0.50)")
PY

"$build/bench/card_bench" --benchmark_min_time=0.5 --benchmark_format=csv 2>/dev/null >"$scratch/cards.csv"
python3 - "$scratch/cards.csv" <<'PY'
import csv, sys
rows = {row['name']: row for row in csv.DictReader(line for line in open(sys.argv[1]) if line.startswith(('name,', '"')))}
speed = lambda name: float(rows[name]['bytes_per_second']) / 1e9
for name, what in ('read_card', 'read with its code checked'), ('write_card', 'one save replaced'), ('write_all_codes', 'every code made'):
    print(f"full 8 MiB card, {what}: {speed(name):.2f} GB/s, / memcpy {speed('copy_card'):.2f}: {speed(name) / speed('copy_card'):.2f} (wanted: at least 0.10)")
sheet = rows['icon_sheet']
print(f"pictures of 127 saves decoded and packed: {float(sheet['real_time']):.0f} {sheet['time_unit']} (wanted: under 100)")
PY
"$build/bench/make_card" "$scratch/full.card" "$scratch/one"
cat >"$scratch/put.sh" <<PUT
cp "$scratch/full.card" "$scratch/work.card"
PUT
hyperfine -N --warmup 3 --runs 40 --prepare "bash $scratch/put.sh" --export-json "$scratch/put.json" \
  "$build/bayswap card put $scratch/work.card $scratch/one --accept name-taken" >/dev/null 2>&1
python3 - "$scratch/put.json" <<'PY'
import json, sys
result = json.load(open(sys.argv[1]))['results'][0]
print(f"card put of 100 KiB into it, as a process: {result['mean'] * 1000:.0f} ms, {result['median'] * 1000:.0f} median, {result['min'] * 1000:.0f} least (wanted: under 50)")
PY

"$build/bench/make_library" "$scratch/library" 20000
find "$scratch/library" -type f -print0 >"$scratch/names"
cat >"$scratch/sums.sh" <<SUMS
xargs -0 sha256sum <"$scratch/names" >/dev/null
SUMS
hyperfine -N --warmup 1 --runs 5 --export-json "$scratch/look.json" \
  "bash $scratch/sums.sh" "$build/bayswap look $scratch/library" >/dev/null 2>&1
python3 - "$scratch/look.json" <<'PY'
import json, sys
sums, look = (r['mean'] for r in json.load(open(sys.argv[1]))['results'])
print(f'sha256sum of 20,000 files: {sums:.2f} s; look: {look:.2f} s; ratio {look / sums:.2f} (wanted: at most 1.00)')
PY
python3 - "$build/bayswap" "$scratch/library" <<'PY'
import resource, subprocess, sys
subprocess.run([sys.argv[1], 'look', '--json', sys.argv[2]], stdout=subprocess.DEVNULL, check=True)
print(f"memory of look --json: {resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024:.0f} MiB (wanted: under 64)")
PY
