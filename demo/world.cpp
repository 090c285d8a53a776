#include "demo/world.h"

#include <fmt/core.h>

#include <string>

#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "demo/art.h"
#include "demo/card_makers.h"
#include "demo/field_makers.h"
#include "demo/makers.h"
#include "demo/state_makers.h"
#include "demo/title_makers.h"

namespace bayswap::demo {
namespace {

constexpr std::int64_t kDay = 86'400'000'000'000;
constexpr std::int64_t kNewYear = 1'767'225'600'000'000'000;  // 2026-01-01 in nanoseconds

constexpr const char* kSemaphore = "Dune Semaphore";

constexpr const char* kCatalog = R"(# Games of the demo world, all invented.
[[game]]
title = "Copper Tide"
system = "n64"
chip = "sram"
[game.codes]
america = "NCTE"
europe = "NCTP"

[[game]]
title = "Glacier Post"
system = "n64"
chip = "eeprom4k"
[game.codes]
america = "NGPE"

[[game]]
title = "Paper Observatory"
system = "ps1"
[game.codes]
america = "SLUS-00417"
europe = "SLES-00418"

[[game]]
title = "Kite Foundry"
system = "gc"
[game.codes]
america = "GKFE"
europe = "GKFP"

[[game]]
title = "Kite Foundry"
system = "wii"
[game.codes]
america = "RKFE"
europe = "RKFP"
[[game.companion]]
path = "shared/roster.db"

[[game]]
title = "Northern Relay"
system = "3ds"
[game.title_ids]
america = "00040000000d4c00"
europe = "00040000000d4d00"

[[game]]
title = "Halyard"
system = "wiiu"
[game.title_ids]
america = "0005000010100a00"
europe = "0005000010100b00"
)";

class Builder {
 public:
  explicit Builder(Path root) : root_(std::move(root)) {}

  // `day`: days after New Year 2026 that the file was last written.
  void file(const std::string& path, const Bytes& bytes, int day) {
    if (!outcome_) return;
    const Path full = root_ / path;
    std::error_code problem;
    std::filesystem::create_directories(full.parent_path(), problem);
    constexpr std::uint32_t kMode = 0644;
    outcome_ = disk().create(full, bytes, kMode);
    if (outcome_) outcome_ = disk().set_modified(full, kNewYear + day * kDay);
  }

  [[nodiscard]] Result<void> outcome() const { return outcome_; }

 private:
  Path root_;
  Result<void> outcome_;
};

Bytes with_clock(Bytes ram, const Bytes& clock) {
  append(ram, clock);
  return ram;
}

// A snapshot of a program: its own header, registers and memory, in no size of a chip.
Bytes state_of(std::string_view title) {
  Bytes state = progress("SNAPSHOT 7", 70'133, 9, kZero);
  append(state, progress(title, 8192, 30, kZero));
  return state;
}

Bytes bytes_of(std::string_view text) {
  Bytes bytes;
  for (const char c : text) bytes.push_back(static_cast<std::byte>(c));
  return bytes;
}

// Saves that somebody wrote field maps for.
void build_workshop(Builder& world) {
  world.file("workshop/Tin Orchard.gb", gb_rom("TIN ORCHARD", 0x03, 2), 1);
  world.file("workshop/Tin Orchard.sav", orchard_book(), 20);
  world.file("workshop/Moss & Motor.gba", gba_rom("MOSS MOTOR", "BQME", "FLASH512_V131"), 1);
  world.file("workshop/Moss & Motor.sav", motor_log(), 20);
  world.file("workshop/Lantern Drift.sfc", snes_rom("LANTERN DRIFT", 2, 3), 1);
  world.file("workshop/Lantern Drift.srm", drift_party(), 20);
  world.file("workshop/Ember Atlas.nes", nes_rom(), 1);
  world.file("workshop/Ember Atlas.sav", atlas_page(), 20);
  // The same book two weeks before, and a tree of it.
  Bytes older = orchard_book();
  older[0x25] = std::byte{28};   // baskets
  older[0x21] = std::byte{129};  // day
  make_orchard_sums(older);
  world.file("workshop/older/Tin Orchard.gb", gb_rom("TIN ORCHARD", 0x03, 2), 1);
  world.file("workshop/older/Tin Orchard.sav", older, 6);
  world.file("workshop/pear.tree", {std::byte{2}, std::byte{6}, std::byte{0}, std::byte{90}}, 6);
  world.file(
      "drawer/games.xml",
      bytes_of("<?xml version=\"1.0\"?>\n<datafile>\n <game name=\"Moss Post (Europe)\">\n"
               "  <rom name=\"Moss Post (Europe).gb\" size=\"32768\" "
               "sha1=\"00112233445566778899aabbccddeeff00112233\"/>\n </game>\n</datafile>\n"),
      6);
  for (const NamedMap& map : field_maps())
    world.file("own/config/maps/" + std::string(map.file), bytes_of(map.text), 1);
}

void build_reader(Builder& world) {
  world.file("reader/Copper Tide (America).z64", n64_rom("COPPER TIDE", "NCTE"), 1);
  world.file("reader/Copper Tide (America).sra", progress("COPPER TIDE", 0x8000, 11, kOnes), 20);
  world.file("reader/Glacier Post (America).z64", n64_rom("GLACIER POST", "NGPE"), 1);
  world.file("reader/Glacier Post (America).eep", progress("GLACIER POST", 512, 12, kOnes), 20);
  world.file("reader/Glacier Post (America).mpk", pak_with_note("NGPE", "BS", 13), 20);
  world.file("reader/LANTERN DRIFT.sfc", snes_rom("LANTERN DRIFT", 2, 3), 1);
  world.file("reader/LANTERN DRIFT.srm", progress("LANTERN DRIFT", 0x2000, 14, kZero), 21);
  world.file("reader/dead battery/Lantern Drift.srm", Bytes(0x2000, kZero), 22);
}

void build_den(Builder& world) {
  world.file("den/roms/n64/Copper Tide (America).z64", n64_rom("COPPER TIDE", "NCTE"), 1);
  world.file("den/roms/n64/Glacier Post (America).z64", n64_rom("GLACIER POST", "NGPE"), 1);
  world.file("den/roms/snes/Lantern Drift (Europe).sfc", snes_rom("LANTERN DRIFT", 2, 3), 1);
  world.file("den/roms/snes/Lantern Drift (Japan).sfc", snes_rom("LANTERN DRIFT", 0, 3), 1);
  world.file("den/roms/gb/Tin Orchard (Europe).gb", gb_rom("TIN ORCHARD", 0x10, 2), 1);
  // Each game was started once, so that a file to imitate exists.
  world.file("den/saves/Copper Tide (America).srm",
             n64_container({}, {}, progress("COPPER TIDE", 0x8000, 5, kOnes)), 3);
  world.file("den/saves/Glacier Post (America).srm", n64_container({}, {}, {}), 3);
  world.file("den/saves/Lantern Drift (Japan).srm", progress("LANTERN DRIFT", 0x2000, 15, kZero),
             4);
  world.file(
      "den/saves/Tin Orchard (Europe).srm",
      with_clock(progress("TIN ORCHARD", 0x2000, 16, kOnes), gb_clock(48, 12, 1'767'500'000)), 4);
  world.file("den/notes.txt", Bytes(123, std::byte{'-'}), 4);
}

void build_ferry(Builder& world) {
  world.file("ferry/gb/Tin Orchard (Europe).gb", gb_rom("TIN ORCHARD", 0x10, 2), 1);
  world.file(
      "ferry/gb/Tin Orchard (Europe).sav",
      with_clock(progress("TIN ORCHARD", 0x2000, 17, kOnes), gb_clock(44, 31, 1'769'000'000)), 25);
}

void build_downloads(Builder& world) {
  world.file("downloads/Lantern Drift (Europe).srm", state_of("LANTERN DRIFT"), 9);
  world.file("downloads/Copper Tide (Europe).z64", n64_rom("COPPER TIDE", "NCTP"), 1);
  world.file("downloads/Copper Tide (Europe).sra", progress("COPPER TIDE", 0x8000, 18, kOnes), 24);
}

// A drawer of cartridges, dumped one after the other.
// A console without save chips: its players have states only. A desk and a pocket machine run the
// same program; another desk runs one of its own.
void build_wharf(Builder& world) {
  const Bytes rom = a2600_rom();
  world.file("wharf/roms/Dune Semaphore (1982) (Quay Works).bin", rom, 1);
  world.file("pier/games/DUNE SEMAPHORE.bin", rom, 1);
  world.file("shed/Dune Semaphore.bin", rom, 1);
  int day = 20;
  for (const auto& [slot, art] : {std::pair{0, Art::moon}, std::pair{1, Art::tower},
                                  std::pair{2, Art::wave}, std::pair{5, Art::kite}}) {
    const auto seed = static_cast<std::uint32_t>(120 + slot);
    world.file("wharf/states/Dune Semaphore (1982) (Quay Works).st" + std::to_string(slot),
               sectioned_state("TIDEPOOL", {{"CPU ", state_memory(64, seed)},
                                            {"RAM ", state_memory(16'384, seed)},
                                            {"VIEW", screen_png(art)}}),
               day++);
  }
  for (const int slot : {1, 3}) {
    const auto seed = static_cast<std::uint32_t>(140 + slot);
    world.file("pier/slots/DUNE SEMAPHORE/slot 0" + std::to_string(slot),
               sectioned_state("TIDEPOOL", {{"CPU ", state_memory(64, seed)},
                                            {"RAM ", state_memory(16'384, seed)},
                                            {"VIEW", screen_png(Art::forge)}}),
               12 + slot);
  }
  for (const int slot : {1, 2}) {
    Bytes plain = state_memory(20'000, static_cast<std::uint32_t>(150 + slot));
    store_text(plain, 0, "GANGWAY", 8);
    world.file("shed/Dune Semaphore.00" + std::to_string(slot), plain, 10 + slot);
  }
}

// A program that is gone, and a state that it left: the save in it is word-reversed.
void build_wreck(Builder& world) {
  const Bytes older = progress("LANTERN DRIFT", 0x2000, 160, kZero);
  Bytes newer = older;
  for (std::size_t at = 0x700; at < 0xB00; ++at) newer[at] ^= std::byte{0x5A};
  Bytes reversed = newer;
  for (std::size_t at = 0; at < newer.size(); ++at) reversed[at ^ 3U] = newer[at];
  world.file("wreck/Lantern Drift, last summer.srm", older, 2);
  world.file("wreck/Lantern Drift.state4",
             packed_state(sectioned_state("FLOTSAM", {{"MACH", state_memory(131'072, 161)},
                                                      {"BATT", reversed},
                                                      {"VIEW", screen_png(Art::star)}})),
             30);
}

void build_drawer(Builder& world) {
  world.file("drawer/Moss & Motor (Europe).gba", gba_rom("MOSS & MOTOR", "BMMP", "FLASH512_V131"),
             1);
  world.file("drawer/Moss & Motor (Europe).sav", progress("MOSS & MOTOR", 0x10000, 50, kOnes), 26);
  world.file("drawer/Ember Atlas.nes", nes_rom(), 1);
  const Bytes atlas = progress("EMBER ATLAS", 0x2000, 51, kZero);
  world.file("drawer/Ember Atlas.sav", atlas, 26);
  Bytes shaky = atlas;
  for (std::size_t at = 0x640; at < 0x660; ++at) shaky[at] ^= std::byte{0x10};
  shaky[0x1100] = kOnes;
  world.file("drawer/Ember Atlas (second dump).sav", shaky, 27);
  Bytes cut = atlas;
  for (std::size_t at = 0x800; at < 0xC00; ++at) cut[at] = kOnes;
  world.file("drawer/Ember Atlas (third dump).sav", cut, 28);
  world.file("drawer/Quarry Choir.md", md_rom("QUARRY CHOIR", "GM 00045012-00", 'E'), 1);
  world.file("drawer/Quarry Choir.srm", on_odd_line(progress("QUARRY CHOIR", 0x2000, 52, kOnes)),
             26);
  world.file("drawer/Lighthouse Ledger.nds", nds_rom("LEDGER", "ALLE"), 1);
  Bytes ledger = progress("LIGHTHOUSE LEDGER", 0x80000, 53, kOnes);
  append(ledger, Bytes(122, std::byte{'~'}));
  world.file("drawer/Lighthouse Ledger.sav", ledger, 26);
}

// A card of the den: scattered blocks, a deleted save, and a title in Japanese letters.
Bytes night_card() {
  Bytes card =
      card_with("ps1-card", 15,
                {ps1_save("BASLUS-00417NIGHT", "Paper Observatory / Night log", 2, Art::moon, 60),
                 ps1_save("BASLUS-00417ATTIC", "Paper Observatory / The attic", 1, Art::forge, 61),
                 ps1_save("BASLUS-00417TOWER", "Paper Observatory / Tower", 3, Art::tower, 62),
                 ps1_save("BASLUS-00417SKY",
                          "\x8e\x86\x82\xcc\x93\x56\x95\xb6\x91\xe4\x81\x40\x90\xaf\x8b\xf3", 1,
                          Art::star, 63)});
  card = card_without("ps1-card", card, 1);
  const auto layout = find_layout("ps1-card");
  auto more = as_card(*layout)->change(
      card, {{}, {ps1_save("BASLUS-00417SHORE", "Paper Observatory / Shore", 4, Art::wave, 64)}});
  return more ? std::move(more->bytes) : card;
}

Bytes velvet_card(std::string_view layout) {
  return card_with(
      layout, 8000,
      {ps2_save("BASLUS-20731VELVET", "\x82\x75\x82\x85\x82\x8c\x82\x96\x82\x85\x82\x94 Signal",
                "Channel 3, evening", 900'000, 0x7050C0, 70),
       ps2_save("BASLUS-20731CONFIG", "Velvet Signal", "Settings", 3'000, 0x308060, 71),
       ps2_save("BESLES-51444VELVET", "Velvet Signal", "Europe, chapter 2", 1'700'000, 0xC06030,
                72),
       ps2_save("BISLPM-62118VELVET", "\x83\x78\x83\x8b\x83\x78\x83\x62\x83\x67", "", 400'000,
                0xB03060, 73)});
}

Bytes kite_card() {
  return card_with(
      "gc-card", 59,
      {gc_save("GKFE", "kite_foundry", "Kite Foundry", "Workshop, 12 kites", 6, Art::kite, 80),
       gc_save("GKFE", "kite_foundry_ghosts", "Kite Foundry", "Race ghosts", 21, Art::wave, 81),
       gc_save("GKFE", "kite_options", "Kite Foundry", "Options", 2, Art::forge, 82)});
}

// A card that the console calls failed: frames of its directory were lost, and a chain was cut.
Bytes failed_card() {
  Bytes card = night_card();
  constexpr std::size_t kFrame = 128;
  for (std::size_t i = 0; i < kFrame; ++i) card[i] = kOnes;
  for (std::size_t i = 0; i < kFrame; ++i) card[1 * kFrame + i] = kZero;
  card[5 * kFrame + 8] = std::byte{13};
  return card;
}

void build_cards(Builder& world) {
  world.file("den/cards/left.card", night_card(), 27);
  world.file("den/cards/velvet.card", velvet_card("ps2-card"), 27);
  world.file(
      "attic/cards/velvet.card",
      card_with("ps2-card-ecc", 8000,
                {ps2_save("BASLUS-20731CONFIG", "Velvet Signal", "Settings", 3'000, 0x308060, 74)}),
      12);
  world.file("attic/cards/kites.card", kite_card(), 28);
  world.file(
      "attic/cards/island.card",
      card_with("ps1-card", 15,
                {ps1_save("BESLES-00418NIGHT", "Paper Observatory / Night log", 2, Art::moon, 65)}),
      14);
  world.file("downloads/failed.card", failed_card(), 29);
}

// Small cards: visual memory, backup memory of two consoles.
void build_closet(Builder& world) {
  world.file("closet/regatta.card",
             card_with("dc-card", 200,
                       {dc_icon_file(Art::wave),
                        dc_save("REGATTA_01", "REGATTA CUP", "Pocket Regatta / Cup, race 5", 9'000,
                                Art::wave, true, 3),
                        dc_save("REGATTA_GHO", "REGATTA GHOSTS", "Pocket Regatta / Ghosts", 31'000,
                                Art::kite, false, 4)}),
             27);
  world.file("closet/meridian internal.bram",
             card_with("saturn-bram", 510,
                       {saturn_save("MERIDIAN_01", "Chapter 4", 4'200, 5),
                        saturn_save("MERIDIAN_02", "Chapter 9", 4'200, 6),
                        saturn_save("MERIDIAN_SY", "Settings", 90, 7)}),
             27);
  world.file("closet/meridian cartridge.bram", card_with("saturn-bram", 1022, {}), 2);
  world.file("closet/menagerie.bram",
             card_with("pce-bram", 2030,
                       {pce_save("COBALT-1", 320, 8), pce_save("COBALT-2", 320, 9),
                        pce_save("MENAGERIE", 64, 10)}),
             26);
}

void put_folder(Builder& world, const std::string& folder, const Files& files, int day) {
  for (const auto& [name, bytes] : files) world.file((Path(folder) / name).string(), bytes, day);
}

// What consoles keep under hex ids: a desktop's copies, and a console's storage card.
void build_cabinet(Builder& world) {
  const std::string desk = "cabinet/desk/";
  const std::string console = "cabinet/console/";
  put_folder(world, desk + "psp/ULES10099CUP",
             psp_save("ULES10099CUP", "Cup, race 9", "Marsh league, 2nd place", 90), 28);
  put_folder(world, console + "PSP/SAVEDATA/ULES10099CUP",
             psp_save("ULES10099CUP", "Cup, race 2", "Marsh league, 7th place", 91), 10);
  put_folder(world, console + "PSP/SAVEDATA/ULES10099SYS",
             psp_save("ULES10099SYS", "Settings", "", 92), 10);
  put_folder(world, desk + "wii/title/00010000/524b4645/data",
             wii_save("Kite Foundry", "Workshop 12", 93), 28);
  world.file(desk + "wii/shared/roster.db", progress("ROSTER", 3'000, 94, kZero), 28);
  put_folder(world, console + "title/00010000/524b4645/data",
             wii_save("Kite Foundry", "Workshop 3", 95), 9);
  put_folder(world, console + "title/00010000/52514345/data", wii_save("Quarry Choir", "Hall", 96),
             9);
  const std::vector<std::string> relay{"main", "system.dat", "route/1.bin", "route/2.bin"};
  put_folder(world, desk + "3ds/title/00040000/000d4c00/data/00000001",
             plain_save("NORTHERN RELAY", relay, 97), 28);
  put_folder(world, console + "3ds/title/00040000/000D4C00/data/00000001",
             plain_save("NORTHERN RELAY", relay, 101), 8);
  const std::vector<std::string> halyard{"profile.dat", "harbour/1.sav", "harbour/2.sav"};
  put_folder(world, desk + "wiiu/00050000/10100a00/user/80000001",
             plain_save("HALYARD", halyard, 105), 28);
  put_folder(world, desk + "wiiu/00050000/10100a00/user/common",
             plain_save("HALYARD", {"shared.dat"}, 108), 28);
  put_folder(world, console + "save/00050000/10100a00/user/8000002a",
             plain_save("HALYARD", halyard, 109), 7);
  constexpr std::uint64_t kDeskProfile = 0xE000014A5B6C7D8E;
  constexpr std::uint64_t kConsoleProfile = 0xE00002B16C7D8E9F;
  const auto cargo = [](std::size_t size, std::uint32_t seed) {
    return std::pair(std::string("cargo.dat"), progress("CINDER FREIGHT", size, seed, kZero));
  };
  const std::string freight = "/58360801/00000001/FREIGHT";
  world.file(desk + "x360/E000014A5B6C7D8E" + freight + "01",
             x360_package(
                 "CON ", kDeskProfile, "Hold 7, ore and salt", Art::forge,
                 {cargo(30'000, 112), {"routes/north.bin", progress("DEPOT", 5'000, 113, kZero)}}),
             28);
  world.file(desk + "x360/E000014A5B6C7D8E" + freight + "02",
             x360_package("CON ", kDeskProfile, "Hold 2, empty", Art::tower, {cargo(9'000, 114)}),
             27);
  world.file(
      desk + "x360/E000014A5B6C7D8E" + freight + "GIFT",
      x360_package("LIVE", kDeskProfile, "A gift from the makers", Art::star, {cargo(9'000, 115)}),
      20);
  world.file(
      console + "Content/E00002B16C7D8E9F" + freight + "02",
      x360_package("CON ", kConsoleProfile, "Hold 1, first run", Art::wave, {cargo(9'000, 116)}),
      6);
}

}  // namespace

Places places(const Path& folder) {
  return {folder / "own/config", folder / "own/data"};
}

Result<void> build_world(const Path& folder) {
  Builder world(folder);
  build_reader(world);
  build_den(world);
  build_ferry(world);
  build_downloads(world);
  build_drawer(world);
  build_wharf(world);
  build_wreck(world);
  build_cards(world);
  build_closet(world);
  build_cabinet(world);
  build_workshop(world);
  // Nothing in the ROM tells what it is, so the catalog knows it by its hash.
  const Bytes rom = a2600_rom();
  const std::string catalog =
      std::string(kCatalog) + fmt::format(
                                  "\n[[game]]\ntitle = \"{}\"\nsystem = \"a2600\"\n"
                                  "[[game.dump]]\nname = \"{}\"\nsize = {}\nsha1 = \"{}\"\n",
                                  kSemaphore, kSemaphore, rom.size(), hex_text(sha1(rom)));
  world.file("own/config/catalog.toml", bytes_of(catalog), 1);
  return world.outcome();
}

Result<void> play_evening(const Path& container) {
  Bytes sram = progress("COPPER TIDE", 0x8000, 77, kOnes);
  Bytes played = n64_container({}, {}, sram);
  if (auto gone = disk().remove(container); !gone) return gone;
  constexpr std::uint32_t kMode = 0644;
  return disk().create(container, played, kMode);
}

Places places_of_device(const Path& folder, const std::string& device) {
  return {folder / "devices" / device / "config", folder / "devices" / device / "data"};
}

namespace {

// Another content of the same size behind the first bytes, a day later.
Result<void> replace_body(const Path& save, const Bytes& body) {
  constexpr std::uint32_t kMode = 0644;
  constexpr std::int64_t kDay = 86'400'000'000'000;  // ns
  const auto info = disk().info(save);
  if (!info) return tl::unexpected(info.error());
  auto bytes = disk().read(save, kSaveLimit);
  if (!bytes) return tl::unexpected(bytes.error());
  std::copy_n(body.begin(), std::min(body.size(), bytes->size()), bytes->begin());
  if (auto gone = disk().remove(save); !gone) return gone;
  if (auto made = disk().create(save, *bytes, kMode); !made) return made;
  return disk().set_modified(save, info->modified_ns + kDay);
}

}  // namespace

Result<void> play_trip(const Path& save) {
  return replace_body(save, progress("TIN ORCHARD", 0x2000, 91, kOnes));
}

Result<void> empty_battery(const Path& save) {
  return replace_body(save, Bytes(0x2000, kOnes));
}

}  // namespace bayswap::demo
