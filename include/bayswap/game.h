// Which game, for which console family, sold where.
//
// Library bayswap_core. Functions of values: any thread may call them, each object belongs to one
// thread at a time.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#pragma GCC visibility push(default)

namespace bayswap {

/// Console families. `gb` covers the colour model too, `sms` its handheld relative.
enum class System {
  a2600,
  nes,
  snes,
  gb,
  gba,
  nds,
  n3ds,
  n64,
  gc,
  wii,
  wiiu,
  sms,
  md,
  segacd,
  saturn,
  dc,
  pce,
  ps1,
  ps2,
  psp,
  x360,
};

enum class Kind {
  battery,    ///< the bytes of a cartridge's save chips
  card_save,  ///< one save of a memory card
  folder,     ///< files under a title
  state,      ///< a snapshot made by a program, not by the game
  rom,        ///< not a save at all: the game itself
};

enum class Region { unknown, america, europe, japan, korea, other, any };

/// The ids `nes`, `snes`, `3ds` … of the systems.
[[nodiscard]] std::string_view to_string(System system);
[[nodiscard]] std::string_view to_string(Kind kind);
/// Empty for `unknown`.
[[nodiscard]] std::string_view to_string(Region region);

[[nodiscard]] std::optional<System> parse_system(std::string_view id);
[[nodiscard]] std::optional<Kind> parse_kind(std::string_view id);
[[nodiscard]] std::optional<Region> parse_region(std::string_view id);
[[nodiscard]] const std::vector<System>& all_systems();

/// The region that the last letter of a four-letter game code stands for: E America, J Japan,
/// P and the letters of parts of Europe and Oceania Europe, K Korea, W (Taiwan) other, A any.
[[nodiscard]] Region region_of_letter(char letter);

/// What is known of a game. Empty members are unknown.
struct Game {
  std::string title;
  std::string code;      ///< as in a ROM header, four characters
  std::string serial;    ///< as printed on a disc
  std::string title_id;  ///< 16 lower-case hexadecimal digits
  std::string maker;     ///< two characters
  Region region = Region::unknown;
  std::string account;
  std::string profile;

  bool operator==(const Game&) const = default;
  [[nodiscard]] bool known() const;
};

}  // namespace bayswap

#pragma GCC visibility pop
