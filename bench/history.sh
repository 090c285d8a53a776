#!/usr/bin/env bash
# What history costs: `keep` of a large bay beside `cp -r`, again when nothing changed beside `find`,
# and many versions of one card. Usage: bench/history.sh build/bench [FOLDER of scratch]
set -euo pipefail
build=$(realpath "$1")
scratch=$(mktemp -d -p "${2:-${TMPDIR:-/tmp}}")
trap 'rm -rf "$scratch"' EXIT
export XDG_CONFIG_HOME=$scratch/config XDG_DATA_HOME=$scratch/data
python3 - "$build/bayswap" "$build/bench/make_card" "$scratch" <<'PY'
import os, random, shutil, subprocess, sys, time
tool, make_card, scratch = sys.argv[1:]

def timed(command):
    start = time.monotonic()
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
    return time.monotonic() - start

database = os.path.join(scratch, 'data/bayswap/history.db')
bay = os.path.join(scratch, 'bay')
random.seed(1)
for number in range(5000):
    folder = os.path.join(bay, f'shelf {number % 50}')
    os.makedirs(folder, exist_ok=True)
    with open(os.path.join(folder, f'Game {number}.sav'), 'wb') as file:
        file.write(random.randbytes(random.choice([8192, 32768, 131072, 524288, 349525])))
size = sum(os.path.getsize(os.path.join(path, name)) for path, _, names in os.walk(bay) for name in names)
os.sync()
copy = min(timed(['cp', '-r', bay, os.path.join(scratch, 'copy')]) for _ in range(1))
shutil.rmtree(os.path.join(scratch, 'copy'))
os.sync()
first = timed([tool, 'keep', bay])
time.sleep(3)
subprocess.run([tool, 'keep', bay], check=True, stdout=subprocess.DEVNULL)
again = min(timed([tool, 'keep', bay]) for _ in range(5))
find = min(timed(['find', bay]) for _ in range(5))
print(f'keep of {size / 2**20:.0f} MiB in 5,000 files: {first:.2f} s, cp -r {copy:.2f} s: {copy / first:.2f} of its speed (wanted: at least 0.50)')
print(f'again, nothing changed: {again * 1000:.0f} ms, find {find * 1000:.0f} ms: {again / find:.2f} (wanted: at most 1.50)')

shutil.rmtree(os.path.join(scratch, 'data'))
card = os.path.join(scratch, 'full.card')
subprocess.run([make_card, card, os.path.join(scratch, 'one')], check=True, stdout=subprocess.DEVNULL)
data = bytearray(open(card, 'rb').read())
changed = 0
for version in range(200):
    at = 1_000_000 + (version * 66_000) % (len(data) - 1_200_000)
    data[at:at + 65536] = random.randbytes(65536)
    changed += 65536
    open(card, 'wb').write(data)
    subprocess.run([tool, 'keep', card], check=True, stdout=subprocess.DEVNULL)
taken = os.path.getsize(database)
print(f'200 versions of an 8 MiB card, 64 KiB changed in each: {taken / 2**20:.1f} MiB (wanted: less than {12 + 2 * changed / 2**20:.1f})')
PY
