#include "places/evidence.h"

#include <algorithm>
#include <array>

#include "core/bytes/text.h"
#include "core/ordinary/ordinary_file.h"
#include "places/state_signs.h"

namespace bayswap {
namespace {

std::string folder_and_extension(const Path& file) {
  return std::string(folder_text(file)) + '/' + small_extension(file.native());
}

std::string without_slot(const std::string& path) {
  return path.substr(0, path.find_last_not_of("0123456789") + 1);
}

// Snapshots of one machine differ little in size, packed ones more.
bool alike(std::uint64_t a, std::uint64_t b) {
  return std::max(a, b) / 2 <= std::min(a, b);
}

}  // namespace

std::string small_extension(std::string_view path) {
  const std::size_t dot = path.rfind('.');
  return dot == std::string_view::npos || path.find('/', dot) != std::string_view::npos
             ? std::string()
             : lower_ascii(path.substr(dot));
}

bool has_save_extension(std::string_view file_name) {
  static constexpr std::array<std::string_view, 10> kSaves{
      ".sav", ".save", ".srm", ".sram", ".eep", ".eeprom", ".fla", ".flash", ".bram", ".bsv"};
  return std::ranges::find(kSaves, small_extension(file_name)) != kSaves.end();
}

Neighbours Neighbours::of(const std::vector<WalkedFile>& files, const RomIndex& roms) {
  Neighbours neighbours;
  for (const WalkedFile& file : files) {
    const std::string& name = file.name();
    if (ends_in_slot(name)) {
      const std::string path = file.text();
      neighbours.slots_[without_slot(path)].push_back(file.info.size);
      neighbours.sizes_[path] = file.info.size;
    }
    if (roms.roms().empty() || small_extension(name).size() < 2) continue;
    for (const RomFile* rom : roms.matching(stem_of(name), std::nullopt))
      if (rom->path != file.path())
        neighbours.systems_[folder_and_extension(file.path())].insert(rom->info.system);
  }
  return neighbours;
}

std::optional<System> Neighbours::system_of(const Path& file) const {
  const auto found = systems_.find(folder_and_extension(file));
  return found == systems_.end() || found->second.size() != 1
             ? std::nullopt
             : std::optional(*found->second.begin());
}

bool Neighbours::slots_beside(const Path& file) const {
  const auto own = sizes_.find(file.native());
  const auto others = slots_.find(without_slot(file.native()));
  return own != sizes_.end() && others != slots_.end() &&
         std::ranges::count_if(others->second, [&](std::uint64_t size) {
           return alike(size, own->second);
         }) > 1;  // itself is one of them
}

Believable believable(ByteView file, const Hints& hints) {
  auto [ordinary, sure] = ordinary_file(file);
  Believable found{{}, std::move(ordinary)};
  // No card or single save is text, or begins as a picture or a program does.
  if (sure) return found;
  found.guesses = identify(file, hints);
  // Weaker marks can stand in front of a sound structure by chance.
  if (!found.ordinary.empty())
    std::erase_if(found.guesses, [&](const Guess& guess) {
      return guess.basis != Basis::structure || guess.layout->header_size(file) > 0;
    });
  return found;
}

}  // namespace bayswap
