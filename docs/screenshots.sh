#!/usr/bin/env bash
# Makes the pictures of docs/screenshots from the demo world: each is a real terminal with real output.
set -euo pipefail
here=$(cd "$(dirname "${BASH_SOURCE[0]}")" && pwd)/screenshots
tool=$1
only=${2:-}  # names of the pictures to make; all of them without it
world=$(mktemp -d)/harbour
trap 'rm -rf "$(dirname "$world")"' EXIT
export XDG_CONFIG_HOME=$world/own-config XDG_DATA_HOME=$world/own-data
"$tool" demo "$world" --build-only >/dev/null
mkdir -p "$XDG_CONFIG_HOME" && cp -r "$world/own/config" "$XDG_CONFIG_HOME/bayswap"
mkdir -p "$(dirname "$world")/bin" && ln -s "$tool" "$(dirname "$tool")/bayswap-reader" "$(dirname "$world")/bin/"
export PATH="$(dirname "$world")/bin:$PATH"
cd "$world"
bayswap bay learn dumps reader >/dev/null
for bay in den ferry attic; do bayswap bay learn $bay $bay >/dev/null; done

# shot NAME 'command' …: types each command at a prompt in a terminal of 125 by 40 and takes a picture.
shot() {
  [ -n "${only:-}" ] && [[ ! $1 =~ $only ]] && return 0
  local name=$1 script=$(mktemp) line
  shift
  for line in "$@"; do
    printf 'printf "\\033[1;32m$\\033[0m %%s\\n" %q\n%s\n' "$line" "$line" >>"$script"
  done
  printf 'touch %q\nsleep 60\n' "$script.done" >>"$script"
  xvfb-run -a -s '-screen 0 1280x800x24' bash -c "
    xterm -fa 'DejaVu Sans Mono' -fs 12 -bg '#10141a' -fg '#d8dee6' -geometry 125x40+0+0 -e bash $script &
    for i in \$(seq 300); do [ -e $script.done ] && break; sleep 0.1; done
    sleep 0.7
    import -window root '$here/$name.png'
    kill %1 2>/dev/null || true"
  rm -f "$script" "$script.done"
}

# Two pages in a browser, side by side: the one light, the other dark.
page() {
  chromium --headless --no-sandbox --disable-gpu --hide-scrollbars --window-size=640,800 \
    --user-data-dir="$(dirname "$world")/browser-$1" \
    --blink-settings=preferredColorScheme="$2" --screenshot="$1.png" "file://$PWD/$1.html" >/dev/null 2>&1
}
pages() {
  [ -n "${only:-}" ] && [[ ! pages =~ $only ]] && return 0
  bayswap card show den/cards/left.card --page card.html >/dev/null
  cp -p den/cards/left.card left.kept
  bayswap keep den/cards --reason "before the update" >/dev/null
  bayswap card drop den/cards/left.card BASLUS-00417TOWER >/dev/null
  bayswap history left.card --page history.html >/dev/null
  mv left.kept den/cards/left.card
  page card 1
  page history 0
  convert card.png history.png +append "$here/pages.png"
  rm -rf card.* history.* "$XDG_DATA_HOME"
}

shot look \
  'bayswap look drawer' 'bayswap look attic "reader/dead battery"'
shot look-cartridges 'bayswap look "drawer/Moss & Motor (Europe).gba" "drawer/Quarry Choir.srm"' \
  'bayswap look "drawer/Ember Atlas.sav" "drawer/Ember Atlas (second dump).sav"' \
  'bayswap look "drawer/Ember Atlas (third dump).sav"'
# A program that writes all names in capitals.
mkdir -p capitals/saves
for game in 'Ember Atlas.nes' 'Ember Atlas.sav' 'Moss & Motor (Europe).gba' 'Moss & Motor (Europe).sav'; do
  case $game in
    *.sav) cp "drawer/$game" "capitals/saves/$(tr '[:lower:]' '[:upper:]' <<<"$game")" ;;
    *) cp "drawer/$game" capitals/ ;;
  esac
done
mkdir -p sorted/C sorted/G
cp den/roms/n64/Copper* den/saves/Copper* sorted/C/
cp den/roms/n64/Glacier* den/saves/Glacier* sorted/G/
shot bay-learn 'bayswap bay learn den den' 'find sorted -type f' 'bayswap bay learn sorted sorted' \
  'find capitals -type f' 'bayswap bay learn capitals capitals'
shot carry-plan 'bayswap carry "dumps:Copper Tide" --to den --plan' \
  'bayswap carry "downloads/Copper Tide (Europe).sra" --to den --plan' \
  'bayswap carry "reader/dead battery/Lantern Drift.srm" --to den --plan'
shot carry 'bayswap carry "dumps:Copper Tide" --to den' \
  'bayswap carry --all --from dumps --to den' 'bayswap undo'
bayswap carry "dumps:Glacier Post" --to den >/dev/null
shot reshape 'bayswap reshape "den/saves/Glacier Post (America).srm" --split -o chips' \
  'bayswap reshape chips/*.eeprom chips/*.pak1 --is n64-eeprom4k,n64-pak --as n64-combined-swap32 -o joined.srm' \
  'bayswap reshape joined.srm --as n64-eeprom4k -o eeprom.bin' \
  'bayswap reshape "ferry/gb/Tin Orchard (Europe).sav" --as gb-battery-clock48 -o orchard.sav'
shot card-ps1 'bayswap card show den/cards/left.card'
shot card-mend 'bayswap look downloads/failed.card' \
  'bayswap card mend downloads/failed.card -o rescued.card'
shot card-small 'bayswap carry "dumps:Glacier Post" --to den' \
  'bayswap card show "den/saves/Glacier Post (America).srm:pak1"' \
  'bayswap card put "closet/meridian cartridge.bram" "closet/meridian internal.bram:MERIDIAN_02"' \
  'bayswap card show "closet/meridian internal.bram"'
bayswap bay learn desk cabinet/desk >/dev/null
bayswap bay learn console cabinet/console >/dev/null
(cd cabinet/desk && tar cf ../../pack.tar psp)
shot package 'bayswap look cabinet/desk/x360/E000014A5B6C7D8E/58360801/00000001/FREIGHTGIFT' \
  'bayswap card show cabinet/desk/x360/E000014A5B6C7D8E/58360801/00000001/FREIGHT01' \
  'bayswap carry cabinet/desk/x360/E000014A5B6C7D8E/58360801/00000001/FREIGHT01 --to console --plan'
shot titles 'bayswap look cabinet/desk/psp' 'bayswap carry desk:Halyard --to console --plan' \
  'bayswap carry "desk:Kite Foundry" --to console' \
  'bayswap carry pack.tar:psp/ULES10099CUP --to console --plan'
rm -rf "$XDG_DATA_HOME"  # so that the versions of this picture have the same numbers each time
shot history 'bayswap keep den/cards --reason "before the update"' \
  'bayswap card drop den/cards/left.card BASLUS-00417TOWER' 'bayswap history left.card' \
  'bayswap restore left.card --at v3' 'bayswap history left.card' 'bayswap history verify'
pages
shot catalog 'bayswap catalog show' \
  'bayswap catalog add "Moss & Motor" --system gba --chip flash64 --code europe=BMME' \
  'bayswap catalog show moss'
for bay in wharf pier shed; do bayswap bay learn $bay $bay >/dev/null; done
shot states 'bayswap state list wharf' \
  'bayswap carry "wharf/states/Dune Semaphore (1982) (Quay Works).st5" --to shed --plan' \
  'bayswap state dig "wreck/Lantern Drift.state4" --like "wreck/Lantern Drift, last summer.srm" -o found.srm'
cp "reader/LANTERN DRIFT.srm" chip.srm
bayswap-reader "reader/LANTERN DRIFT.sfc" chip.srm --third-try --pty >port.txt &
simulated=$!
for _ in 1 2 3 4 5 6 7 8 9 10; do [ -s port.txt ] || sleep 0.1; done
ln -s "$(cut -d: -f2 port.txt)" slot
mkdir dumps
shot cart 'bayswap cart look --port pty:slot' 'bayswap cart dump -o dumps --port pty:slot' \
  'bayswap cart write "den/saves/Lantern Drift (Japan).srm" --port pty:slot' \
  'bayswap cart write "wreck/Lantern Drift, last summer.srm" --port pty:slot' 'bayswap undo'
kill $simulated
shot field 'bayswap field show "workshop/Tin Orchard.sav" day oil chest pickers' \
  'bayswap field set "workshop/Tin Orchard.sav" "pickers[1].wage=41"' \
  'bayswap field set "workshop/Tin Orchard.sav" "pickers[1].wage=25" oil=20' \
  'bayswap field check "workshop/Moss & Motor.sav"' \
  'bayswap history "workshop/Tin Orchard.sav"'
shot demo 'bayswap demo ../story'
# Three devices around a stick: `on DEVICE …` has its settings, `play` writes new progress.
bin=$(dirname "$world")/bin
cat >"$bin/on" <<END
#!/bin/sh
export XDG_CONFIG_HOME=$world/../device-\$1/config XDG_DATA_HOME=$world/../device-\$1/data
shift
exec "\$@"
END
cat >"$bin/play" <<'END'
#!/bin/sh
head -c 4000 /dev/zero | tr '\0' "${2:-k}" | dd of="$1" conv=notrunc status=none
touch -d 2026-02-01 "$1"
END
chmod +x "$bin/on" "$bin/play"
mkdir stick
for device in den ferry attic; do
  on $device bayswap bay learn $device $device >/dev/null
  on $device bayswap hub join stick --as $device >/dev/null
done
on ferry bayswap sync >/dev/null
on den bayswap sync >/dev/null || on den bayswap sync --take "Tin Orchard" --from ferry >/dev/null
on ferry bayswap sync >/dev/null
touch -d 2026-01-20 "ferry/gb/Tin Orchard (Europe).sav"
shot sync 'play "ferry/gb/Tin Orchard (Europe).sav"' 'on ferry bayswap sync' 'on den bayswap sync' \
  'on attic bayswap sync' 'on attic bayswap sync --take BASLUS-20731CONFIG --from den' \
  'rm "ferry/gb/Tin Orchard (Europe).sav"' 'on ferry bayswap sync'
