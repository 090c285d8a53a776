// ROMs of systems whose cartridges have no header: known by where they lie and what lies with them.
#pragma once

#include <vector>

#include "places/rom_index.h"
#include "places/walk.h"

namespace bayswap {

/// Places in `files` of ROMs without a header, and their systems. A group of files with one
/// extension in one folder are such ROMs when all of them have sizes that the system's cartridges
/// have, none is anything else, and a folder above them is called after the system or states
/// elsewhere bear their names. `has_header`: for each file, whether it is a ROM by its header.
[[nodiscard]] std::vector<std::pair<std::size_t, System>> headerless_roms(
    Storage& storage, const std::vector<WalkedFile>& files, const std::vector<bool>& has_header);

}  // namespace bayswap
