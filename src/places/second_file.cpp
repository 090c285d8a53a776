#include "places/second_file.h"

#include <algorithm>

#include "places/evidence.h"

namespace bayswap {

Bytes read_second_file(Storage& storage, const Path& path) {
  constexpr std::uint64_t kLargest = 1U << 16U;
  for (const auto& layout : layouts().all()) {
    const std::string& suffix = layout->info().second_file;
    if (suffix.empty() || path.extension() == suffix) continue;
    for (const Path& beside :
         {Path(path.string() + suffix), Path(path).replace_extension(suffix)}) {
      if (is_missing(storage, beside)) continue;
      if (auto bytes = storage.read(beside, kLargest)) return std::move(*bytes);
    }
  }
  return {};
}

Path second_file_path(Storage& storage, const Path& first, const LayoutInfo& info) {
  Path behind = first.string() + info.second_file;
  if (!info.second_file_for_extension || !is_missing(storage, behind)) return behind;
  return Path(first).replace_extension(info.second_file);
}

bool is_second_file_name(const Path& path) {
  const std::string& name = path.native();
  return std::ranges::any_of(layouts().all(), [&](const auto& layout) {
    const std::string& suffix = layout->info().second_file;
    return !suffix.empty() && name.ends_with(suffix);
  });
}

Path first_file_of(Storage& storage, const Path& path) {
  if (!is_second_file_name(path)) return {};
  for (const auto& layout : layouts().all())
    if (!layout->info().second_file.empty() && path.extension() == layout->info().second_file)
      if (Path partner = Path(path).replace_extension(); !is_missing(storage, partner))
        return partner;
  // `game.rtc` belongs to the save of the same name.
  const Path folder = path.has_parent_path() ? path.parent_path() : Path(".");
  const auto names = storage.list(folder);
  if (!names) return {};
  for (const std::string& name : *names)
    if (Path(name).stem() == path.stem() && Path(name).extension() != path.extension() &&
        has_save_extension(name))
      return path.has_parent_path() ? folder / name : Path(name);
  return {};
}

}  // namespace bayswap
