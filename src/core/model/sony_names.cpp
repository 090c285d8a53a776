#include "core/model/sony_names.h"
#include "core/bytes/text.h"

#include <algorithm>
#include <array>
#include <utility>

namespace bayswap {
namespace {

constexpr std::size_t kSerialLength = 10;

bool is_capital(char c) {
  return c >= 'A' && c <= 'Z';
}

}  // namespace

bool is_serial(std::string_view text) {
  constexpr std::size_t kLetters = 4;
  const std::size_t digits_at =
      kLetters + (text.size() > kLetters && text[kLetters] == '-' ? 1 : 0);
  return text.size() == digits_at + 5 &&
         std::all_of(text.begin(), text.begin() + kLetters, is_capital) &&
         std::all_of(text.begin() + static_cast<std::ptrdiff_t>(digits_at), text.end(), is_digit);
}

bool is_sony_serial(std::string_view serial) {
  return serial.size() == kSerialLength && is_serial(serial);
}

std::optional<SonyName> split_sony_name(std::string_view name) {
  if (name.size() < 2 + kSerialLength || name[0] != 'B' || !is_capital(name[1]))
    return std::nullopt;
  const std::string_view serial = name.substr(2, kSerialLength);
  if (!is_sony_serial(serial)) return std::nullopt;
  return SonyName{std::string(name.substr(0, 2)), std::string(serial),
                  std::string(name.substr(2 + kSerialLength))};
}

Region region_of_serial(std::string_view serial) {
  static constexpr std::array<std::pair<std::string_view, Region>, 17> kRegions{{
      {"SLUS", Region::america},
      {"SCUS", Region::america},
      {"SLES", Region::europe},
      {"SCES", Region::europe},
      {"SLPS", Region::japan},
      {"SLPM", Region::japan},
      {"SCPS", Region::japan},
      {"SLKA", Region::korea},
      {"ULUS", Region::america},
      {"UCUS", Region::america},
      {"ULES", Region::europe},
      {"UCES", Region::europe},
      {"ULJM", Region::japan},
      {"ULJS", Region::japan},
      {"UCJS", Region::japan},
      {"ULKS", Region::korea},
      {"UCKS", Region::korea},
  }};
  const std::string_view family = serial.substr(0, 4);
  for (const auto& [known, region] : kRegions)
    if (known == family) return region;
  if (family == "ULAS" || family == "UCAS") return Region::other;
  if (family.starts_with("NP") && family.size() == 4) {
    switch (family[2]) {
      case 'U': return Region::america;
      case 'E': return Region::europe;
      case 'J': return Region::japan;
      case 'H': return Region::other;
      default: break;
    }
  }
  return Region::unknown;
}

std::string_view sony_prefix(Region region) {
  switch (region) {
    case Region::america: return "BA";
    case Region::europe: return "BE";
    default: return "BI";
  }
}

void add_sony_game(std::string_view save_name, Game& game) {
  if (const auto name = split_sony_name(save_name)) {
    game.serial = name->serial;
    game.region = region_of_serial(name->serial);
  }
  if (game.region != Region::unknown || save_name.size() < 2) return;
  const std::string_view prefix = save_name.substr(0, 2);
  if (prefix == "BA") game.region = Region::america;
  if (prefix == "BE") game.region = Region::europe;
  if (prefix == "BI") game.region = Region::japan;
}

}  // namespace bayswap
