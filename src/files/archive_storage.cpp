#include "files/archive_storage.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "core/packing/archive.h"

namespace bayswap {
namespace {

std::string trimmed_slashes(std::string name) {
  while (name.starts_with('/')) name.erase(0, 1);
  while (name.ends_with('/')) name.pop_back();
  return name;
}

Error missing(const Path& path) {
  return {Trouble::input,
          Code::missing,
          fmt::format("{}: is not in the archive", safe_text(path.string())),
          {"'", Remedy::look, "' lists what is inside"}};
}

}  // namespace

Path archive_root(const Path& archive) {
  return archive.string() + ":";
}

std::string archive_name(const Path& path) {
  std::string text = path.string();
  if (const std::size_t mark = text.find(":/"); mark != std::string::npos) text.erase(mark + 1, 1);
  if (text.ends_with(':') && inner_name(path).empty()) text.pop_back();
  return text;
}

std::string inner_name(const Path& path) {
  std::string name = path.native().substr(path.native().rfind('/') + 1);
  if (name.find(':') == std::string::npos) return name;
  for (const std::string_view ending :
       {".zip:", ".7z:", ".rar:", ".tar:", ".gz:", ".tgz:", ".bz2:", ".xz:", ".zst:"})
    if (const std::size_t at = lower_ascii(name).find(ending); at != std::string::npos)
      return name.substr(at + ending.size());
  return name;
}

Result<std::optional<ArchiveStorage::Inside>> ArchiveStorage::inside_of(const Path& path) {
  const std::string& text = path.native();
  if (text.find(':') == std::string::npos) return std::optional<Inside>{};
  const std::scoped_lock lock(opening_);
  for (std::size_t colon = text.find(':'); colon != std::string::npos && colon > 0;
       colon = text.find(':', colon + 1)) {
    const Path archive = text.substr(0, colon);
    const auto info = inner_.info(archive);
    if (!info || info->type != FileType::file) continue;
    const auto known = opened_.find(archive);
    const bool is_known = known != opened_.end() && known->second->info.size == info->size &&
                          known->second->info.modified_ns == info->modified_ns;
    if (!is_known) {
      const auto view = inner_.view(archive, largest_);
      if (!view || !is_archive(view->bytes())) continue;
    }
    auto opened = open(archive, *info);
    if (!opened) return tl::unexpected(opened.error());
    return std::optional(Inside{std::move(*opened), trimmed_slashes(text.substr(colon + 1))});
  }
  return std::optional<Inside>{};
}

Result<std::shared_ptr<const ArchiveStorage::Opened>> ArchiveStorage::open(const Path& archive,
                                                                           const FileInfo& info) {
  const auto known = opened_.find(archive);
  if (known != opened_.end() && known->second->info.size == info.size &&
      known->second->info.modified_ns == info.modified_ns) {
    if (known->second->problem) return tl::unexpected(*known->second->problem);
    return known->second;
  }
  const auto view = inner_.view(archive, largest_);
  if (!view) return tl::unexpected(view.error());
  auto entries = read_archive(view->bytes(), safe_text(archive.string()), contents_);
  auto opened = std::make_shared<Opened>();
  opened->info = info;
  if (!entries) {
    // What it costs to find out is paid once.
    opened->problem = entries.error();
    opened_.clear();
    opened_[archive] = opened;
    return tl::unexpected(entries.error());
  }
  for (ArchiveEntry& entry : *entries)
    opened->files.insert_or_assign(
        trimmed_slashes(std::move(entry.name)),
        std::pair(std::make_shared<const Bytes>(std::move(entry.bytes)), entry.modified_ns));
  // One archive at a time is kept in memory.
  opened_.clear();
  opened_[archive] = opened;
  return std::shared_ptr<const Opened>(std::move(opened));
}

Result<FileInfo> ArchiveStorage::info(const Path& path) {
  auto plain = inner_.info(path);
  if (plain || plain.error().code != Code::missing) return plain;
  const auto inside = inside_of(path);
  if (!inside) return tl::unexpected(inside.error());
  if (!*inside) return plain;
  const Opened& archive = *(*inside)->archive;
  const std::string& name = (*inside)->name;
  const auto file = archive.files.find(name);
  if (file != archive.files.end())
    return FileInfo{FileType::file, file->second.first->size(), file->second.second, 0644};
  const auto below = archive.files.lower_bound(name + "/");
  if (name.empty() || (below != archive.files.end() && below->first.starts_with(name + "/")))
    return FileInfo{FileType::folder, 0, archive.info.modified_ns, 0755};
  return tl::unexpected(missing(path));
}

Result<FileView> ArchiveStorage::view(const Path& path, std::uint64_t limit) {
  auto plain = inner_.view(path, limit);
  if (plain || plain.error().code != Code::missing) return plain;
  const auto inside = inside_of(path);
  if (!inside) return tl::unexpected(inside.error());
  if (!*inside) return plain;
  const auto& files = (*inside)->archive->files;
  const auto file = files.find((*inside)->name);
  if (file == files.end()) return tl::unexpected(missing(path));
  return FileView(ByteView(*file->second.first), file->second.first);
}

Result<Bytes> ArchiveStorage::read(const Path& path, std::uint64_t limit) {
  auto plain = inner_.read(path, limit);
  if (plain || plain.error().code != Code::missing) return plain;
  const auto seen = view(path, limit);
  if (!seen) return tl::unexpected(seen.error());
  return Bytes(seen->bytes().begin(), seen->bytes().end());
}

Result<std::vector<std::string>> ArchiveStorage::list(const Path& folder) {
  auto plain = inner_.list(folder);
  if (plain || plain.error().code != Code::missing) return plain;
  const auto inside = inside_of(folder);
  if (!inside) return tl::unexpected(inside.error());
  if (!*inside) return plain;
  const std::string start = (*inside)->name.empty() ? "" : (*inside)->name + "/";
  std::set<std::string> names;
  for (const auto& [name, file] : (*inside)->archive->files)
    if (name.starts_with(start)) {
      const std::string rest = name.substr(start.size());
      names.insert(rest.substr(0, rest.find('/')));
    }
  if (names.empty() && !start.empty()) return tl::unexpected(missing(folder));
  return std::vector<std::string>(names.begin(), names.end());
}

Result<std::optional<FileView>> ArchiveStorage::view_if(
    const Path& path, const FileInfo& walked, std::size_t first,
    const std::function<bool(ByteView)>& wanted) {
  auto plain = inner_.view_if(path, walked, first, wanted);
  if (plain || plain.error().code != Code::missing) return plain;
  return Storage::view_if(path, walked, first, wanted);
}

Result<FileView> ArchiveStorage::view_start(const Path& path, std::uint64_t limit) {
  auto plain = inner_.view_start(path, limit);
  if (plain || plain.error().code != Code::missing) return plain;
  return Storage::view_start(path, limit);
}

Result<std::vector<NamedInfo>> ArchiveStorage::entries(const Path& folder) {
  auto plain = inner_.entries(folder);
  if (plain || plain.error().code != Code::missing) return plain;
  return Storage::entries(folder);
}

Result<void> ArchiveStorage::writable(const Path& path) {
  if (path.string().find(':') == std::string::npos || !is_missing(inner_, path)) return {};
  const auto inside = inside_of(path);
  if (!inside || !*inside) return {};
  return fail(Trouble::place, Code::place_failed,
              fmt::format("{}: lies inside an archive", safe_text(path.string())),
              "take it out of the archive first; nothing is changed inside of one");
}

Result<void> ArchiveStorage::create(const Path& path, ByteView bytes, std::uint32_t mode) {
  if (auto fine = writable(path); !fine) return fine;
  return inner_.create(path, bytes, mode);
}
Result<void> ArchiveStorage::create_from(const Path& path, std::uint32_t mode,
                                         const std::function<Result<void>(const ByteSink&)>& fill) {
  if (auto fine = writable(path); !fine) return fine;
  return inner_.create_from(path, mode, fill);
}
Result<std::unique_ptr<WorkFile>> ArchiveStorage::open_work_file(const Path& path) {
  if (auto fine = writable(path); !fine) return tl::unexpected(fine.error());
  return inner_.open_work_file(path);
}
Result<void> ArchiveStorage::rename_new(const Path& from, const Path& to) {
  if (auto fine = writable(to); !fine) return fine;
  return inner_.rename_new(from, to);
}
Result<Digest> ArchiveStorage::copy(const Path& from, const Path& to, std::uint32_t mode,
                                    const CopyProgress& progress) {
  if (auto fine = writable(to); !fine) return tl::unexpected(fine.error());
  const auto inside = inside_of(from);
  if (!inside) return tl::unexpected(inside.error());
  return *inside ? Storage::copy(from, to, mode, progress) : inner_.copy(from, to, mode, progress);
}
Result<Digest> ArchiveStorage::digest(const Path& path) {
  const auto inside = inside_of(path);
  if (!inside) return tl::unexpected(inside.error());
  return *inside ? Storage::digest(path) : inner_.digest(path);
}
Result<bool> ArchiveStorage::same(const Path& a, const Path& b) {
  for (const Path& path : {a, b}) {
    const auto inside = inside_of(path);
    if (!inside) return tl::unexpected(inside.error());
    if (*inside) return Storage::same(a, b);
  }
  return inner_.same(a, b);
}
Result<void> ArchiveStorage::stream(const Path& path, std::size_t piece,
                                    const std::function<bool(ByteView)>& take) {
  const auto inside = inside_of(path);
  if (!inside) return tl::unexpected(inside.error());
  return *inside ? Storage::stream(path, piece, take) : inner_.stream(path, piece, take);
}
Result<void> ArchiveStorage::rename(const Path& from, const Path& to) {
  if (auto fine = writable(to); !fine) return fine;
  return inner_.rename(from, to);
}
Result<void> ArchiveStorage::remove(const Path& path) {
  return inner_.remove(path);
}
Result<void> ArchiveStorage::make_folder(const Path& path) {
  if (auto fine = writable(path); !fine) return fine;
  return inner_.make_folder(path);
}
Result<void> ArchiveStorage::remove_folder(const Path& path) {
  return inner_.remove_folder(path);
}
Result<void> ArchiveStorage::set_modified(const Path& path, std::int64_t modified_ns) {
  return inner_.set_modified(path, modified_ns);
}
Result<void> ArchiveStorage::flush_folder(const Path& path) {
  return inner_.flush_folder(path);
}

}  // namespace bayswap
