// Every layout of a card with saves that fit it, for tests that hold for all of them.
#pragma once

#include <random>
#include <string>
#include <vector>

#include "bayswap/card.h"
#include "support/golden_packages.h"
#include "support/golden_small_cards.h"
#include "support/rounds.h"

namespace bayswap::test {

/// Random numbers that any integer takes without a cast.
class Numbers {
 public:
  explicit Numbers(std::uint32_t seed) : engine_(seed) {}
  std::uint32_t operator()() { return static_cast<std::uint32_t>(engine_()); }

 private:
  std::mt19937 engine_;
};

inline const CardLayout& card_layout(std::string_view id) {
  return *as_card(*find_layout(id));
}

inline std::vector<std::string> card_ids() {
  std::vector<std::string> ids;
  for (const auto& layout : layouts().all())
    if (as_card(layout.get()) != nullptr) ids.push_back(layout->info().id);
  return ids;
}

/// A small empty card, so that it fills up. ps2 cards are assembled by hand, smaller than any that
/// is sold.
inline Bytes small_card(const std::string& id) {
  if (id == "ps2-card") return Ps2Golden(2048).card;
  if (id == "ps2-card-ecc") return with_spare(Ps2Golden(2048).card);
  if (id == "x360-package") return PackageGolden({}, {}).bytes;
  const CardLayout& layout = card_layout(id);
  return *layout.format(layout.card_info().capacities.front());
}

/// A save of up to a third of such a card. `number` makes its name.
inline Save random_card_save(const CardLayout& layout, unsigned number, Numbers& numbers) {
  const auto seed = static_cast<std::uint32_t>(numbers());
  Save save;
  save.system = layout.info().system;
  save.kind = Kind::card_save;
  save.modified = Time{std::chrono::seconds{1'700'000'000 + numbers() % 1'000'000}};
  const std::string digits = std::to_string(10000 + number);
  if (save.system == System::ps1) {
    save.name = "BASLUS-" + digits + "S";
    save.parts.push_back({"data", ps1_data(1 + numbers() % 5, "Save", seed), false, {}});
  } else if (save.system == System::ps2) {
    save.name = "BESLES-" + digits + "S";
    save.parts.push_back({"icon.sys", icon_sys("Save", ""), false, {}});
    const unsigned files = numbers() % 4;
    for (unsigned i = 0; i < files; ++i)
      save.parts.push_back(
          {"file" + std::to_string(i), random_bytes(numbers() % 200'000, seed + i), false, {}});
    if (numbers() % 4 == 0)
      save.parts.push_back({"sub/inner", random_bytes(numbers() % 5000, seed), false, {}});
  } else if (save.system == System::gc) {
    save.name = "save" + digits;
    save.game.code = "GKFE";
    save.game.maker = "7Q";
    save.parts.push_back({"data", random_bytes((1 + numbers() % 18) * 8192, seed), false, {}});
  } else if (save.system == System::n64) {
    save.name = numbers() % 3 == 0 ? "POST " + digits + ".A" : "ポスト " + digits;
    save.game.code = "NGPE";
    save.game.maker = "BS";
    save.modified.reset();
    save.parts.push_back({"data", random_bytes((1 + numbers() % 40) * 256, seed), false, {}});
  } else if (save.system == System::dc) {
    save.name = "REGATTA" + digits;
    const bool game = number % 10 == 9;
    save.parts.push_back(
        {"data", dc_data(1 + numbers() % 2, 512 + numbers() % 25'000, seed, game), false, {}});
  } else if (save.system == System::saturn) {
    save.name = "MERID-" + digits;
    save.comment = "chapter";
    save.modified = std::chrono::floor<std::chrono::minutes>(*save.modified);
    save.parts.push_back({"data", random_bytes(1 + numbers() % 9000, seed), false, {}});
  } else if (save.system == System::pce) {
    save.name = "COBAL" + digits;
    save.modified.reset();
    save.parts.push_back({"data", random_bytes(1 + numbers() % 600, seed), false, {}});
  } else if (save.system == System::x360) {
    save.name = (numbers() % 3 == 0 ? "routes/run" : "run") + digits;
    save.modified = std::chrono::floor<std::chrono::minutes>(*save.modified);
    save.parts.push_back({save.name, random_bytes(numbers() % 60'000, seed), false, {}});
  }
  return save;
}

}  // namespace bayswap::test
