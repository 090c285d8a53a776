#include "demo/title_makers.h"

#include <algorithm>
#include "demo/art.h"

#include "bayswap/card.h"
#include "core/packing/png.h"
#include "demo/makers.h"

namespace bayswap::demo {
namespace {

void put_wide(Bytes& bytes, std::size_t at, std::string_view text) {
  for (std::size_t i = 0; i < text.size() && i < 31; ++i)
    store(bytes, at + i * 2, static_cast<unsigned char>(text[i]), 2, true);
}

// The drawing at four times its size, on the ground that its console shows it on.
Picture large_picture(Art art) {
  constexpr std::uint32_t kScale = 4;
  constexpr Colour kGround{24, 28, 40, 255};
  Picture picture;
  picture.width = picture.height = static_cast<std::uint32_t>(kArtSide) * kScale;
  for (std::size_t y = 0; y < picture.height; ++y)
    for (std::size_t x = 0; x < picture.width; ++x) {
      const unsigned index = index_at(art, x / kScale, y / kScale);
      const auto& colour = art_colour(index);
      const auto wide = [&](std::size_t i) { return static_cast<std::uint8_t>(colour[i] * 8); };
      picture.pixels.push_back(index == 0 ? kGround : Colour{wide(0), wide(1), wide(2), 255});
    }
  return picture;
}

}  // namespace

Bytes param_sfo(const std::string& title, const std::string& save_title, const std::string& detail,
                const std::string& directory) {
  struct Row {
    std::string key;
    std::string text;
    std::size_t room;
  };
  const std::vector<Row> rows{{"CATEGORY", "MS", 4},
                              {"PARENTAL_LEVEL", "", 4},
                              {"SAVEDATA_DETAIL", detail, 1024},
                              {"SAVEDATA_DIRECTORY", directory, 64},
                              {"SAVEDATA_PARAMS", std::string(128, 'x'), 128},
                              {"SAVEDATA_TITLE", save_title, 128},
                              {"TITLE", title, 128}};
  const std::size_t keys = 20 + rows.size() * 16;
  std::size_t values = keys;
  for (const Row& row : rows) values += row.key.size() + 1;
  values = (values + 3) / 4 * 4;
  Bytes sfo(values);
  store_text(sfo, 0, std::string("\0PSF", 4), 4);
  store(sfo, 4, 0x101, 4, false);
  store(sfo, 8, keys, 4, false);
  store(sfo, 12, values, 4, false);
  store(sfo, 16, rows.size(), 4, false);
  std::size_t key_at = keys;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const Row& row = rows[i];
    const bool number = row.key == "PARENTAL_LEVEL";
    const bool raw = row.key == "SAVEDATA_PARAMS";
    const std::size_t at = 20 + i * 16;
    store(sfo, at, key_at - keys, 2, false);
    store(sfo, at + 2, number ? 0x0404 : raw ? 0x0004 : 0x0204, 2, false);
    store(sfo, at + 4, number ? 4 : raw ? row.room : row.text.size() + 1, 4, false);
    store(sfo, at + 8, row.room, 4, false);
    store(sfo, at + 12, sfo.size() - values, 4, false);
    store_text(sfo, key_at, row.key, row.key.size() + 1);
    key_at += row.key.size() + 1;
    const std::size_t value_at = sfo.size();
    sfo.resize(value_at + row.room);
    if (number)
      store(sfo, value_at, 5, 4, false);
    else
      store_text(sfo, value_at, row.text, row.room);
  }
  return sfo;
}

Files psp_save(const std::string& directory, const std::string& save_title,
               const std::string& detail, std::uint32_t seed) {
  return {{"PARAM.SFO", param_sfo("Saltmarsh Circuit", save_title, detail, directory)},
          {"DATA.BIN", progress("SALTMARSH CIRCUIT", 6'000, seed, std::byte{0})},
          {"GHOST.BIN", progress("GHOSTS", 12'000, seed + 1, std::byte{0})}};
}

Files wii_save(std::string_view title, std::string_view second, std::uint32_t seed) {
  Bytes banner(0xA0 + 4096);
  store_text(banner, 0, "WIBN", 4);
  put_wide(banner, 0x20, title);
  put_wide(banner, 0x60, second);
  return {{"banner.bin", banner},
          {"save.dat", progress("KITE FOUNDRY", 20'000, seed, std::byte{0})}};
}

Files plain_save(std::string_view game, const std::vector<std::string>& names, std::uint32_t seed) {
  Files files;
  for (const std::string& name : names) {
    files.emplace_back(name, progress(game, 900 + 700 * files.size(), seed, std::byte{0}));
    ++seed;
  }
  return files;
}

Bytes x360_package(std::string_view magic, std::uint64_t profile, std::string_view display_name,
                   Art art, const Files& files) {
  constexpr std::size_t kHeader = 0xA000;
  constexpr std::size_t kBlock = 4096;
  constexpr std::uint64_t kTitle = 0x58360801;
  // The header, one hash table, and an empty file table; hashes are made when files are put.
  Bytes package(kHeader + 2 * kBlock);
  store_text(package, 0, magic, 4);
  store(package, 0x340, 0x971A, 4, true);
  store(package, 0x344, 1, 4, true);
  store(package, 0x360, kTitle, 4, true);
  store(package, 0x371, profile, 8, true);
  put_wide(package, 0x411, display_name);
  put_wide(package, 0x1691, "Cinder Freight");
  if (const auto thumbnail = png_of(large_picture(art))) {
    store(package, 0x1712, thumbnail->size(), 4, true);
    std::copy(thumbnail->begin(), thumbnail->end(), package.begin() + 0x171A);
  }
  package[0x379] = std::byte{0x24};
  package[0x37B] = std::byte{1};
  store(package, 0x37C, 1, 2, false);
  store(package, 0x395, 1, 4, true);
  store(package, kHeader + 20, 0x80FFFFFF, 4, true);
  const CardLayout* layout = as_card(layouts().find("x360-package"));
  CardChange change;
  for (const auto& [name, bytes] : files) {
    Save file;
    file.system = System::x360;
    file.kind = Kind::card_save;
    file.name = name;
    file.modified = Time{std::chrono::seconds{1'769'904'000}};
    file.parts.push_back({name, bytes, false, {}});
    change.put.push_back(std::move(file));
  }
  auto filled = layout->change(package, change);
  return filled ? std::move(filled->bytes) : package;
}

}  // namespace bayswap::demo
