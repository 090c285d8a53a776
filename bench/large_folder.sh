#!/usr/bin/env bash
# Carries a folder of 2 GiB into an empty place beside `cp -r` of the same, several times in turn.
# Usage: bench/large_folder.sh build/bench [FOLDER of scratch] [RUNS]
set -euo pipefail
tool=$(realpath "$1")/bayswap
scratch=$(mktemp -d -p "${2:-${TMPDIR:-/tmp}}")
runs=${3:-5}
trap 'rm -rf "$scratch"' EXIT
export XDG_CONFIG_HOME=$scratch/config XDG_DATA_HOME=$scratch/data
"$tool" demo "$scratch/world" >/dev/null
source=$scratch/world/cabinet/console/PSP/SAVEDATA/ULES10099SYS
place=$scratch/there/memory/PSP/SAVEDATA
mkdir -p "$place"
cp -r "$source" "$place/ULES10099SYS"
"$tool" bay learn there "$scratch/there/memory" >/dev/null
rm -r "$place/ULES10099SYS"
for number in 1 2 3 4; do head -c 512M /dev/urandom >"$source/LARGE$number.BIN"; done
sync
python3 - "$tool" "$source" "$place" "$scratch/copy" "$runs" <<'PY'
import os, resource, shutil, subprocess, sys, time
tool, source, place, copy, count = *sys.argv[1:5], int(sys.argv[5])

def timed(command):
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    start = time.monotonic()
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    taken = time.monotonic() - start
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    work = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    return taken, work

runs = {'cp -r': [], 'cp -r, then sync': [], 'carry': []}
for _ in range(count):
    runs['cp -r'].append(timed(['cp', '-r', source, copy]))
    shutil.rmtree(copy)
    os.sync()
    runs['cp -r, then sync'].append(timed(['sh', '-c', 'cp -r "$0" "$1" && sync', source, copy]))
    shutil.rmtree(copy)
    os.sync()
    runs['carry'].append(timed([tool, 'carry', source, '--to', 'there']))
    for name in os.listdir(place):
        shutil.rmtree(os.path.join(place, name))
    os.sync()
middle = {}
for name, times in runs.items():
    middle[name] = sorted(taken for taken, _ in times)[len(times) // 2]
    print(f'{name:16} of 2 GiB:', ', '.join(f'{taken:.2f} s ({work:.2f} s of a core)' for taken, work in times))
memory = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
print(f"speed of carry, by the middle runs: {middle['cp -r'] / middle['carry']:.2f} of cp -r (wanted: at least 0.50), "
      f"{middle['cp -r, then sync'] / middle['carry']:.2f} of cp -r with sync; memory {memory:.0f} MiB (wanted: under 64)")
PY
