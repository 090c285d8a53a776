// How much the shelves of a bay explain.
#pragma once

#include <vector>

#include "bayswap/bay.h"
#include "places/rom_index.h"
#include "places/walk.h"

namespace bayswap {

/// survey_bay() where all files of the place, and the ROMs among them, are known.
void survey_files(Storage& storage, const Catalog& catalog, Bay& bay,
                  const std::vector<WalkedFile>& files, const RomIndex& all);

}  // namespace bayswap
