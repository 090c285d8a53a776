#include "places/find_folders.h"

#include <map>
#include <optional>
#include <system_error>

#include "places/folder_parts.h"

namespace bayswap {
namespace {

Path full_path(const Path& path) {
  std::error_code ignored;
  const Path full = std::filesystem::absolute(path / "", ignored).lexically_normal();
  return ignored ? path : full.parent_path();
}

}  // namespace

std::optional<FoundFolder> folder_at(Storage& storage, const Path& folder) {
  const std::string full = full_path(folder).string();
  std::optional<FoundFolder> marked;
  for (const auto& layout : layouts().all()) {
    const FolderLayout* kind = as_folder(layout.get());
    if (kind == nullptr) continue;
    if (const auto place = kind->place(full)) return FoundFolder{folder, kind, *place};
    if (!marked && !kind->marker().empty() && !is_missing(storage, folder / kind->marker()))
      marked = FoundFolder{folder, kind, {}};
  }
  return marked;
}

std::vector<FoundFolder> find_folders(Storage& storage, const Path& root) {
  return find_folders(storage, root, files_below(storage, root));
}

std::vector<FoundFolder> find_folders(Storage& storage, const Path& root,
                                      const std::vector<WalkedFile>& files) {
  std::map<Path, std::optional<FoundFolder>> known;
  std::vector<FoundFolder> found;
  Path last;  // folder of the file before, for which all is done
  for (const WalkedFile& file : files) {
    if (file.folder() == last.native()) continue;
    const Path inside = file.folder();
    last = inside;
    // The nearest folder above a file that is a save; what lies deeper is part of it.
    std::optional<FoundFolder> best;
    for (Path at = inside;; at = at.parent_path()) {
      auto [entry, fresh] = known.try_emplace(at);
      if (fresh) entry->second = folder_at(storage, at);
      if (entry->second && !best) best = entry->second;
      if (at == root || at == at.parent_path()) break;
    }
    if (best && (found.empty() || found.back().path != best->path)) found.push_back(*best);
  }
  return found;
}

Result<Save> read_found(Storage& storage, const FoundFolder& found) {
  auto parts = read_parts(storage, found.path, Hold::small);
  if (!parts) return tl::unexpected(parts.error());
  const std::string full = full_path(found.path).string();
  if (!found.layout->recognise_folder(full, *parts))
    return fail(Trouble::input, Code::no_match, "the folder holds no save", "");
  return found.layout->read_folder(full, std::move(*parts));
}

}  // namespace bayswap
