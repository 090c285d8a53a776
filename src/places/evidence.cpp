#include "places/evidence.h"

#include <algorithm>
#include <array>

#include "core/bytes/text.h"
#include "core/ordinary/ordinary_file.h"
#include "places/state_signs.h"

namespace bayswap {
namespace {

std::string_view extension_of(std::string_view name) {
  const std::size_t dot = name.rfind('.');
  return dot == std::string_view::npos || name.find('/', dot) != std::string_view::npos
             ? std::string_view{}
             : name.substr(dot);
}

std::string folder_and_extension(const Path& file) {
  return std::string(folder_text(file)) + '/' + lower_ascii(extension_of(file.native()));
}

std::string without_slot(const std::string& path) {
  return path.substr(0, path.find_last_not_of("0123456789") + 1);
}

// Snapshots of one machine differ little in size, packed ones more.
bool alike(std::uint64_t a, std::uint64_t b) {
  return std::max(a, b) / 2 <= std::min(a, b);
}

}  // namespace

bool has_save_extension(std::string_view file_name) {
  static constexpr std::array<std::string_view, 10> kSaves{
      ".sav", ".save", ".srm", ".sram", ".eep", ".eeprom", ".fla", ".flash", ".bram", ".bsv"};
  return std::ranges::find(kSaves, lower_ascii(extension_of(file_name))) != kSaves.end();
}

Neighbours Neighbours::of(const std::vector<WalkedFile>& files, const RomIndex& roms) {
  Neighbours neighbours;
  for (const WalkedFile& file : files) {
    const std::string& name = file.path.native();
    if (ends_in_slot(name.substr(name.rfind('/') + 1))) {
      neighbours.slots_[without_slot(name)].push_back(file.info.size);
      neighbours.sizes_[name] = file.info.size;
    }
    if (roms.roms().empty() || extension_of(name).size() < 2 || roms.at(file.path) != nullptr)
      continue;
    for (const RomFile* rom : roms.matching(stem_of(file.path), std::nullopt))
      neighbours.systems_[folder_and_extension(file.path)].insert(rom->info.system);
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

std::vector<Guess> believable(ByteView file, const Hints& hints, std::string* ordinary) {
  std::vector<Guess> guesses = identify(file, hints);
  const std::string words = guesses.empty() && ordinary == nullptr ? "" : ordinary_file(file);
  if (!words.empty()) {
    // No card or single save is all text, and what lies in an archive or a program is not the file
    // itself; other marks can stand in front of a sound structure by chance.
    const bool text = words == "text" || words == "a script";
    std::erase_if(guesses, [&](const Guess& guess) {
      return text || guess.basis != Basis::structure || guess.layout->header_size(file) > 0;
    });
  }
  if (ordinary != nullptr) *ordinary = guesses.empty() ? words : "";
  return guesses;
}

}  // namespace bayswap
