#!/usr/bin/env bash
# Compares what two builds of the tool say on the demo world, text and JSON, command by command.
#
#   tests/same_output.sh OLD-BAYSWAP NEW-BAYSWAP [FOLDER]
#
# Each tool gets a world of its own at the same path in turn, so that paths in the output agree.
# Prints the differences and exits with 1 when there are any. Times of this run are left out.
set -euo pipefail
old=$(realpath "$1") new=$(realpath "$2")
work=${3:-$(mktemp -d)}
world=$work/world
mkdir -p "$work"

tell() {
  printf '$ bayswap'
  printf ' %q' "$@"
  printf '\n'
  local status=0
  (cd "$world" && "$tool" "$@") </dev/null 2>&1 || status=$?
  echo "exit $status"
}

# Both ways of saying it, where the command can be run twice.
both() { tell "$@"; tell "$@" --json; }

story() {
  tool=$1
  rm -rf "$world" "$work/home"
  export HOME=$work/home XDG_CONFIG_HOME=$work/home/config XDG_DATA_HOME=$work/home/data COLUMNS=100 NO_COLOR=1
  "$tool" demo --build-only "$world" >/dev/null
  local command
  tell --help
  tell
  tell nonsense
  for command in look reshape carry undo keep history restore bay card state catalog layouts demo; do tell "$command" --help; done
  for command in 'bay learn' 'bay show' 'bay list' 'bay forget' 'card new' 'card show' 'card take' 'card put' 'card drop' \
    'card mend' 'state list' 'state dig' 'catalog add' 'catalog show' 'catalog import' 'history tidy' 'history verify' 'history export'; do
    # shellcheck disable=SC2086
    tell $command --help
  done
  both layouts
  both look .
  local file
  while IFS= read -r file; do both look "$file"; done < <(cd "$world" && find . -type f | LC_ALL=C sort)
  while IFS= read -r file; do both look "$file"; done < <(cd "$world" && find . -mindepth 1 -type d | LC_ALL=C sort)
  both look missing.sav
  both look . --is nonsense
  both bay list
  both bay show nowhere
  local place
  while IFS= read -r place; do both bay learn "$place" "$world/$place"; done < <(cd "$world" && find . -mindepth 1 -maxdepth 1 -type d -printf '%f\n' | LC_ALL=C sort)
  both bay list
  both bay show
  tell bay learn 'bad name' .
  tell bay learn empty missing
  both catalog show
  both catalog add 'Copper Tide' --system n64 --chip sram --code america=NCTE --code europe=NCTP
  both catalog add 'Copper Tide' --system nonsense
  both catalog show copper
  local from to
  for from in attic den ferry reader; do
    for to in attic den ferry; do
      [ "$from" = "$to" ] && continue
      both carry --all --from "$from" --to "$to" --plan
    done
  done
  both carry 'reader:Copper Tide' --to den --plan
  both carry 'reader:Copper Tide' --to nowhere
  both carry missing.sav --to den
  both carry 'reader:Nothing' --to den
  both carry --to den
  both carry 'reader:Copper Tide' --to den --accept nonsense
  while IFS= read -r file; do both carry "$file" --to den --plan; both carry "$file" --to ferry --plan; both carry "$file" --to attic --plan; done \
    < <(cd "$world" && find . -type f ! -path '*/roms/*' | LC_ALL=C sort)
  both state list den
  both state list .
  local card
  while IFS= read -r card; do
    both card show "$card"
    both card take "$card" -o "$world/out/$(basename "$card")"
    both card drop "$card" '#1' --plan
    both card mend "$card" -o "$world/out/$(basename "$card").mended"
  done < <(cd "$world" && find . -type f -size +8k ! -path '*/roms/*' ! -path './out/*' | LC_ALL=C sort)
  both card new new.card --as ps1-card
  both card new new.card --as nonsense
  both keep den
  both keep missing
  both history
  both history 'Copper Tide'
  both history nonsense
  both history verify
  both history tidy --plan
  tell carry --all --from reader --to den --accept region-differs,blank-source,newer-there,chip-differs,in-use
  tell undo
  tell carry --all --from den --to ferry --accept region-differs,blank-source,newer-there,chip-differs,in-use --json
  both undo
  both undo m999
  both history
  both restore 'den:Copper Tide' --at v1 --plan
  both restore 'den:Copper Tide' --at v999
  both bay forget ferry
  both bay forget ferry
}

# What differs from run to run: times of today, temporary numbers.
steady() {
  sed -E -e "s/$(date +%Y)-[0-9]{2}-[0-9]{2}[T ][0-9]{2}:[0-9]{2}(:[0-9]{2})?Z?/NOW/g" \
    -e 's/[0-9]+ (second|minute|hour)s? ago/just now/g' -e 's/process [0-9]+/process N/g' -e 's/ +$//'
}

story "$old" | steady >"$work/old.txt"
story "$new" | steady >"$work/new.txt"
wc -l "$work/old.txt" "$work/new.txt"
diff -U 4 "$work/old.txt" "$work/new.txt"
