// A hub that is a plain folder: a mounted share, or a stick.
#pragma once

#include <memory>

#include "bayswap/storage.h"
#include "hub/store.h"

namespace bayswap {

/// The folder has to be there; it is never made. The storage must outlive the store.
[[nodiscard]] std::unique_ptr<HubStore> open_folder_store(Storage& storage, const Path& folder);

}  // namespace bayswap
