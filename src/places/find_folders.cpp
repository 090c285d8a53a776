#include "places/find_folders.h"

#include <pugixml.hpp>

#include <algorithm>
#include <map>
#include <optional>
#include <system_error>

#include "core/bytes/encodings.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"
#include "files/atomic_write.h"
#include "places/folder_parts.h"

namespace bayswap {
namespace {

Path absolute_folder(const Path& path) {
  std::error_code ignored;
  const Path full = std::filesystem::absolute(path / "", ignored).lexically_normal();
  return ignored ? path : full.parent_path();
}

// The longest name in the user's likely language: English first, then whatever there is.
std::string title_in_meta(ByteView xml) {
  pugi::xml_document document;
  if (!document.load_buffer(xml.data(), xml.size())) return {};
  for (const pugi::xml_node& root : document.children())
    for (const char* kind : {"longname_en", "shortname_en", "longname_", "shortname_"})
      for (const pugi::xml_node& node : root.children()) {
        if (!std::string_view(node.name()).starts_with(kind)) continue;
        std::string title = replaced(trimmed(node.text().as_string()), "\n", " ");
        if (!title.empty()) return safe_text(title);
      }
  return {};
}

// The first text in the beginning of a file: a name of four letters or more, in UTF-16BE.
std::string first_wide_text(ByteView bytes) {
  constexpr std::size_t kLeast = 4;
  std::string text;
  for (std::size_t at = 0; at + 2 <= bytes.size(); at += 2) {
    const auto high = static_cast<unsigned char>(bytes[at]);
    const auto low = static_cast<unsigned char>(bytes[at + 1]);
    // Latin letters tell; names in other scripts begin with none, and are left alone.
    if (high == 0 && low >= ' ' && low < 0x7F) {
      text.push_back(static_cast<char>(low));
      continue;
    }
    if (text.size() >= kLeast) break;
    text.clear();
  }
  return text.size() >= kLeast ? trimmed(text) : std::string();
}

// What a named save calls itself: in a file that bears its name, elsewhere in the title's folder.
std::string name_in_header(Storage& storage, const Path& world) {
  constexpr std::uint64_t kBeginning = 1U << 10U;
  const Path title = world.parent_path().parent_path();
  const std::string name = world.filename().string();
  for (const WalkedFile& file : files_below(storage, title)) {
    if (lies_in(world, file.path()) || Path(file.name()).stem() != name) continue;
    const auto start = storage.view_start(file.path(), kBeginning);
    if (std::string text = start ? first_wide_text(start->bytes()) : std::string(); !text.empty())
      return safe_text(text);
  }
  return {};
}

// A folder under a whole title id that holds folders alone holds copies of a save, and is none.
bool is_save_itself(Storage& storage, const Path& folder) {
  if (!is_hex_name(folder.filename().string(), 16)) return true;
  const auto entries = storage.entries(folder);
  return entries && std::ranges::any_of(*entries, [](const NamedInfo& entry) {
           return entry.info.type == FileType::file;
         });
}

}  // namespace

std::optional<FoundFolder> folder_at(Storage& storage, const Path& folder) {
  constexpr std::uint64_t kBeginning = 1U << 16U;
  const std::string full = absolute_folder(folder).string();
  std::optional<FoundFolder> marked;
  for (const auto& layout : layouts().all()) {
    const FolderLayout* kind = as_folder(layout.get());
    if (kind == nullptr) continue;
    if (const auto place = kind->place(full); place && is_save_itself(storage, folder))
      return FoundFolder{folder, kind, *place};
    if (!marked && !kind->sealed_marker().empty() &&
        !is_missing(storage, folder / kind->sealed_marker()))
      if (const auto start = storage.view_start(folder / kind->sealed_marker(), kBeginning))
        if (auto place = kind->place_by_marker(full, start->bytes()))
          marked = FoundFolder{folder, kind, *place};
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
  const std::string full = absolute_folder(found.path).string();
  if (!found.layout->recognise_folder(full, *parts))
    return fail(Trouble::input, Code::no_match, "the folder holds no save", "");
  auto save = found.layout->read_folder(full, std::move(*parts));
  if (save) add_title_beside(storage, found.path, *save);
  return save;
}

void add_title_beside(Storage& storage, const Path& folder, Save& save) {
  constexpr std::uint64_t kMost = 1U << 20U;
  if (save.system == System::x360 && save.kind == Kind::folder && save.comment.empty())
    save.comment = name_in_header(storage, absolute_folder(folder));
  if (save.system != System::wiiu || !save.game.title.empty()) return;
  // Of one account's folder below `user`, or of the title's own.
  const Path full = absolute_folder(folder);
  for (const Path& title : {full.parent_path().parent_path(), full}) {
    const auto bytes = storage.view(title / "meta" / "meta.xml", kMost);
    if (!bytes) continue;
    save.game.title = title_in_meta(bytes->bytes());
    if (!save.game.title.empty()) return;
  }
}

}  // namespace bayswap
