#!/usr/bin/env bash
# A look over 20,000 small files, and learning 20,000 files in which each save has its ROM beside it
# and looking at them before and after, beside reading 512 bytes of each; and a save dug out of a
# state of 256 MiB beside `sha256sum`. Usage: bench/places.sh BUILD [SCRATCH]
set -euo pipefail
tool=$(realpath "$1")/bayswap
scratch=$(mktemp -d -p "${2:-${TMPDIR:-/tmp}}")
trap 'rm -rf "$scratch"' EXIT
export XDG_CONFIG_HOME=$scratch/config XDG_DATA_HOME=$scratch/data
python3 - "$tool" "$scratch" <<'PY'
import os, random, shutil, statistics, subprocess, sys, time
tool, scratch = sys.argv[1:]
random.seed(3)

def timed(command):
    start = time.monotonic()
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
    return time.monotonic() - start

def write(path, content):
    os.makedirs(os.path.dirname(path), exist_ok=True)
    with open(path, 'wb') as file:
        file.write(content)

def save():
    return random.randbytes(5000) + b'\xff' * 3192

# Each run beside one of the other command, in turn, so that both meet the same minutes; the middle of each is compared.
def side_by_side(runs, beside, command, before=lambda: None):
    times = []
    for _ in range(runs):
        before()
        times.append((timed(beside), timed(command)))
    return (statistics.median(column) for column in zip(*times))

def compare(what, place, command, afresh=('config',)):
    def forget():
        for own in afresh:
            shutil.rmtree(os.path.join(scratch, own), ignore_errors=True)

    heads, first = side_by_side(11, ['find', place, '-type', 'f', '-exec', 'head', '-c', '512', '{}', '+'], command, forget)
    print(f'first {what}: {first:.2f} s, 512 bytes of each {heads:.2f} s: {first / heads:.2f} (wanted: under 3.00)')

library = os.path.join(scratch, 'library')
for number in range(20000):
    write(os.path.join(library, f's{number % 40}', f'b{number // 40 % 10}', f'Game {number}.sav'), save())
os.sync()
time.sleep(1)
compare('look', library, [tool, 'look', library])

pairs = os.path.join(scratch, 'pairs')
for number in range(10000):
    stem = os.path.join(pairs, f's{number % 40}', f'Game {number}')
    write(stem + '.sav', save())
    write(stem + '.nes', b'NES\x1a' + bytes([1, 1, 2, 8]) + bytes(8) + random.randbytes(24576))
os.sync()
time.sleep(1)
compare('bay learn', pairs, [tool, 'bay', 'learn', 'den', pairs])
compare('look at pairs', pairs, [tool, 'look', pairs])
timed([tool, 'bay', 'learn', 'den', pairs])
compare('look at the learned bay', pairs, [tool, 'look', pairs], ())

older = bytearray(random.randbytes(32768))
newer = bytearray(older)
for _ in range(9000): newer[random.randrange(32768)] = random.randrange(256)
turned = b''.join(newer[at:at + 4][::-1] for at in range(0, 32768, 4))
state = bytearray(os.urandom(256 << 20))
state[:8] = b'BIGSTATE'
state[201_234_567:201_234_567 + 32768] = turned
paths = [os.path.join(scratch, name) for name in ('big.st0', 'older.sra', 'found.sra')]
open(paths[0], 'wb').write(state)
open(paths[1], 'wb').write(older)
sums = min(timed(['sha256sum', paths[0]]) for _ in range(3))
dig = min(timed([tool, 'state', 'dig', paths[0], '--like', paths[1], '--is', 'n64-sram', '-o', paths[2], '--replace']) for _ in range(3))
assert open(paths[2], 'rb').read() == newer
print(f'dig in 256 MiB: {dig:.2f} s, sha256sum {sums:.2f} s: {dig / sums:.2f} (wanted: under 3.00)')
PY
