// One file as an item: what it is, and what speaks for it.
#pragma once

#include "bayswap/look.h"
#include "places/inspect.h"
#include "reading/card_items.h"

namespace bayswap {

/// What is known around a file before it is looked at.
struct FileContext {
  const RomIndex* roms = nullptr;          // of the folder that is looked through
  const FileInfo* info = nullptr;          // known, where `roms` are
  const FileView* view = nullptr;          // where it was read already
  const Neighbours* neighbours = nullptr;  // of the folder that is looked through
  bool companions = true;
};

[[nodiscard]] Detail detail_of(const LookOptions& options);

/// In a folder that is looked through, a file is called a save only where more than its size speaks
/// for it; of a file that the user named, all is said that it may be. Errors: those of inspect().
[[nodiscard]] Result<Item> look_at_file(Session& session, RomFolders& folders, const Path& path,
                                        const LookOptions& options, const FileContext& context);

/// An item for what could not be read.
[[nodiscard]] Item unreadable_item(const Path& path, std::uint64_t size, const Error& error);

}  // namespace bayswap
