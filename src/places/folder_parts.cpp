#include "places/folder_parts.h"

#include <fmt/core.h>

#include "core/bytes/text.h"
#include "places/walk.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kFolderLimit = 256ULL << 20U;  // bytes of a folder that is converted
constexpr std::uint64_t kHeldFolder = 8ULL << 20U;     // bytes of a folder that is only carried
constexpr std::uint64_t kTinyFile = 1ULL << 12U;       // these may say what the folder is
constexpr std::uint64_t kHeldFile = 1ULL << 16U;  // bytes of one of its files, when it is large

}  // namespace

Result<std::vector<Part>> read_parts(Storage& storage, const Path& folder, Hold hold) {
  // All of it, or nothing: a folder that can't be listed is not an empty one.
  std::vector<Error> shut;
  const auto files = files_below(storage, folder, true, &shut);
  if (!shut.empty()) return tl::unexpected(shut.front());
  std::uint64_t total = 0;
  for (const WalkedFile& file : files) total += file.info.size;
  if (hold == Hold::all && total > kFolderLimit)
    return fail(Trouble::input, Code::too_large,
                fmt::format("{}: holds more than any memory card", safe_text(folder.string())),
                "name the save's own folder; a large folder can be carried, but not converted");
  const bool hold_all = hold == Hold::all || total <= kHeldFolder;
  std::uint64_t held = 0;
  std::vector<Part> parts;
  for (const WalkedFile& file : files) {
    const Path path = file.path();
    const std::uint64_t size = file.info.size;
    Part part;
    part.name = path.lexically_relative(folder).generic_string();
    if (!hold_all && (size > kHeldFile || (size > kTinyFile && held + size > kHeldFolder))) {
      part.outside = size;
    } else {
      auto bytes = storage.read(path, kSaveLimit);
      if (!bytes) return tl::unexpected(bytes.error());
      held += size;
      part.data = std::move(*bytes);
    }
    parts.push_back(std::move(part));
  }
  return parts;
}

}  // namespace bayswap
