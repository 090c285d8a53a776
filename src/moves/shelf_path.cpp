#include "moves/shelf_path.h"

#include <fmt/core.h>

#include <filesystem>
#include <system_error>

#include "core/bytes/text.h"
#include "moves/inside.h"
#include "places/file_names.h"

namespace bayswap {
namespace {

// A folder that is a link is the folder behind it.
Path resolved_folder(const Path& path) {
  std::error_code ignored;
  if (!std::filesystem::is_symlink(path, ignored) || !std::filesystem::is_directory(path, ignored))
    return path;
  const Path behind = std::filesystem::canonical(path, ignored);
  return ignored ? path : behind;
}

}  // namespace

Result<Path> shelf_path(const Bay& bay, const Shelf& shelf, const std::string& built,
                        Checks& checks) {
  const std::string name = shelf.names == FileNames::fat ? fat_path(built) : built;
  const Path path = resolved_folder(bay.place / name);
  if (!inside(bay.place, path) || !inside(bay.place, path / "file"))
    return fail(Trouble::stopped, Code::link,
                fmt::format("{}: leads out of the bay through a link", safe_text(path.string())),
                "Bay Swap does not write through links that leave a bay");
  if (name != built)
    checks.note({Level::note, Code::renamed,
                 fmt::format("the file system there cannot hold the name {}: it goes as {}",
                             safe_text(built), safe_text(name)),
                 ""});
  return path;
}

}  // namespace bayswap
