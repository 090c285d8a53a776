#include "moves/padding_there.h"

#include <algorithm>

#include "core/layouts/cartridge/chips.h"
#include "places/rom_index.h"

namespace bayswap {
namespace {

// Whether the game that a file is named after has one chip, and a smaller one.
bool is_larger_than_its_chip(BayScan& scan, const Shelf& shelf, const BayScan::OnShelf& file,
                             const Catalog& catalog) {
  const auto stem = file.fields.find("stem");
  if (stem == file.fields.end()) return false;
  const auto roms = scan.roms_of(shelf).matching(stem->second, shelf.system);
  if (roms.size() != 1) return false;
  const Hints hints = hints_of(roms.front()->info, catalog);
  if (!hints.chips || hints.chips->size() != 1) return false;
  const Chip& chip = hints.chips->front();
  return chip.part != "clock" && chip.size > 0 && chip.size < file.info.size;
}

}  // namespace

std::uint64_t padded_size_on(BayScan& scan, const Shelf& shelf, const Catalog& catalog) {
  const auto& files = scan.files_on(shelf);
  if (files.empty()) return 0;
  const std::uint64_t size = files.front().info.size;
  bool padded = false;
  for (const BayScan::OnShelf& file : files) {
    if (file.info.size != size) return 0;
    padded = padded || is_larger_than_its_chip(scan, shelf, file, catalog);
  }
  return padded ? size : 0;
}

}  // namespace bayswap
