#!/usr/bin/env bash
# What history costs: `keep` of a large bay beside `cp -r`, again when nothing changed beside `find`,
# and many versions of one card; the same with git, and with a deduplicating backup program where
# Debian's package borgbackup is installed. Usage: bench/history.sh build/bench [FOLDER of scratch]
set -euo pipefail
build=$(realpath "$1")
scratch=$(mktemp -d -p "${2:-${TMPDIR:-/tmp}}")
trap 'rm -rf "$scratch"' EXIT
export XDG_CONFIG_HOME=$scratch/config XDG_DATA_HOME=$scratch/data
export BORG_BASE_DIR=$scratch/borg-home GIT_CONFIG_GLOBAL=/dev/null
python3 - "$build/bayswap" "$build/bench/make_card" "$scratch" <<'PY'
import os, random, shutil, statistics, subprocess, sys, time
tool, make_card, scratch = sys.argv[1:]
random.seed(1)

def run(*command):
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL)

def timed(work):
    start = time.monotonic()
    work()
    return time.monotonic() - start

def size_of(place):
    return sum(os.lstat(os.path.join(path, name)).st_size for path, _, names in os.walk(place) for name in names)

class BaySwap:
    name, store = 'bayswap keep', os.path.join(scratch, 'data')
    def begin(self, place): self.place = place
    def keep(self): run(tool, 'keep', self.place)

class Git:
    name, store = 'git add and commit', os.path.join(scratch, 'git')
    def begin(self, place):
        # The place is the work tree; a card lies in a folder of its own.
        tree = place if os.path.isdir(place) else os.path.dirname(place)
        self.git = ['git', f'--git-dir={self.store}', f'--work-tree={tree}', '-c', 'user.name=x', '-c', 'user.email=x@localhost']
        run(*self.git, 'init', '-q')
        self.what = [place]
    def keep(self):
        run(*self.git, 'add', '-A', *self.what)
        run(*self.git, 'commit', '-q', '--allow-empty', '-m', 'x')
    def end(self): run(*self.git, 'gc', '-q')

class Backup:
    name, store = 'backup program, zstd', os.path.join(scratch, 'borg')
    def begin(self, place):
        self.place, self.number = place, 0
        run('borg', 'init', '-e', 'none', self.store)
    def keep(self):
        self.number += 1
        run('borg', 'create', '-C', 'zstd,1', f'{self.store}::v{self.number}', self.place)

programs = [BaySwap(), Git()] + ([Backup()] if shutil.which('borg') else [])

bay = os.path.join(scratch, 'bay')
for number in range(5000):
    folder = os.path.join(bay, f'shelf {number % 50}')
    os.makedirs(folder, exist_ok=True)
    with open(os.path.join(folder, f'Game {number}.sav'), 'wb') as file:
        file.write(random.randbytes(random.choice([8192, 32768, 131072, 524288, 349525])))
size = size_of(bay)
os.sync()

def copy_bay():
    took = timed(lambda: run('cp', '-r', bay, os.path.join(scratch, 'copy')))
    shutil.rmtree(os.path.join(scratch, 'copy'))
    os.sync()
    return took

print(f'{size / 2**20:.0f} MiB in 5,000 files')
for program in programs:
    # Each beside the other command, in turn, so that both meet the same minutes; the middle of each is compared.
    firsts = []
    for _ in range(5 if program is programs[0] else 1):
        shutil.rmtree(program.store, ignore_errors=True)
        os.sync()
        program.begin(bay)
        firsts.append((copy_bay(), timed(program.keep)))
    copy, first = (statistics.median(column) for column in zip(*firsts))
    time.sleep(3)
    program.keep()
    agains = [(timed(lambda: run('find', bay)), timed(program.keep)) for _ in range(31 if program is programs[0] else 5)]
    find, again = (statistics.median(column) for column in zip(*agains))
    print(f'{program.name}: first {first:.2f} s, cp -r {copy:.2f} s: {copy / first:.2f} of its speed (wanted: at least 0.50); '
          f'again {again * 1000:.0f} ms, find {find * 1000:.1f} ms: {again / find:.2f} (wanted: at most 1.50); takes {size_of(program.store) / 2**20:.0f} MiB')
    shutil.rmtree(program.store)
    os.sync()

folder = os.path.join(scratch, 'cards')
os.mkdir(folder)
card = os.path.join(folder, 'full.card')
run(make_card, card, os.path.join(scratch, 'one'))
for program in programs:
    data = bytearray(open(card, 'rb').read())
    random.seed(2)
    program.begin(card)
    taken = changed = 0
    for version in range(200):
        at = 1_000_000 + (version * 66_000) % (len(data) - 1_200_000)
        data[at:at + 65536] = random.randbytes(65536)
        changed += 65536
        open(card, 'wb').write(data)
        taken += timed(program.keep)
    held = size_of(program.store)
    line = f'{program.name}: 200 versions of an 8 MiB card, 64 KiB changed in each: {held / 2**20:.1f} MiB (wanted: less than {12 + 2 * changed / 2**20:.1f}), {taken / 200 * 1000:.0f} ms each'
    if hasattr(program, 'end'):
        program.end()
        line += f'; {size_of(program.store) / 2**20:.1f} MiB once packed'
    print(line)
PY
