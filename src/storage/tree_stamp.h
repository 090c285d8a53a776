// How everything below a folder, or a single file, looks: names, sizes and times, in one pass and
// checked in another.
#pragma once

#include <cstdint>

#include "bayswap/storage.h"
#include "storage/folder_record.h"

namespace bayswap {

/// Empty where it cannot be taken, or where something may have changed since `before_ns`, as far as
/// clocks of files tell. Folders that were `listed` are taken as they looked then.
[[nodiscard]] Bytes stamp_of_tree(const Path& root, std::int64_t before_ns, bool coarse_times,
                                  const FolderRecords& listed = {});

/// Whether everything is as it was. Stats each file once, on two threads.
[[nodiscard]] bool tree_is_as(const Path& root, ByteView stamp);

}  // namespace bayswap
