#include "files/atomic_write.h"

#include <fmt/core.h>
#include <signal.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <filesystem>

#include "core/bytes/text.h"
#include "files/version_digest.h"

namespace bayswap {

namespace {

Result<std::vector<Path>> make_missing(Storage& storage, const Path& folder, bool only_for_user) {
  std::vector<Path> missing;
  for (Path at = folder; !at.empty() && is_missing(storage, at); at = at.parent_path())
    missing.push_back(at);
  std::reverse(missing.begin(), missing.end());
  std::vector<Path> ours;
  for (const Path& path : missing) {
    const auto made = only_for_user ? storage.make_private_folder(path) : storage.make_folder(path);
    if (made) {
      ours.push_back(path);
      continue;
    }
    // Where another run was faster, the folder is there, and is not ours to take back.
    const auto info = storage.info(path);
    if (!info || info->type != FileType::folder) return tl::unexpected(made.error());
  }
  return ours;
}

constexpr const char* kOwnLeftover = ".bayswap-new-";

// What a run left that was killed while it wrote one of Bay Swap's own files.
void clear_leftovers(Storage& storage, const Path& folder) {
  const auto names = storage.list(folder);
  if (!names) return;
  for (const std::string& name : *names) {
    if (!name.starts_with(kOwnLeftover)) continue;
    const int process = std::atoi(name.c_str() + std::strlen(kOwnLeftover));
    if (process > 0 && ::kill(process, 0) != 0 && errno == ESRCH)
      (void)storage.remove(folder / name);
  }
}

}  // namespace

Result<std::vector<Path>> make_folders(Storage& storage, const Path& folder) {
  return make_missing(storage, folder, false);
}
Result<std::vector<Path>> make_private_folders(Storage& storage, const Path& folder) {
  return make_missing(storage, folder, true);
}

Result<std::array<std::byte, 32>> copy_end(Storage& storage, const Path& from, std::uint64_t begin,
                                           const Path& to, std::uint32_t mode) {
  constexpr std::size_t kPiece = 0x10000;  // bytes
  const auto info = storage.info(from);
  if (!info) return tl::unexpected(info.error());
  VersionHasher hasher(info->size - std::min(info->size, begin));
  const auto made = storage.create_from(to, mode, [&](const ByteSink& sink) {
    std::uint64_t left_out = begin;
    return storage.stream(from, kPiece, [&](ByteView piece) {
      const auto skipped = std::min<std::uint64_t>(left_out, piece.size());
      left_out -= skipped;
      piece = piece.subspan(static_cast<std::size_t>(skipped));
      hasher.add(piece);
      return sink(piece);
    });
  });
  if (!made) return tl::unexpected(made.error());
  return hasher.finish();
}

Path beside(const Path& path, const std::string& tag) {
  // Long names leave no room for a tag, so the stand-in does not repeat the name.
  return path.parent_path() / (".bayswap-" + tag);
}

Error copy_cancelled(const Path& path) {
  return {Trouble::stopped, Code::cancelled,
          fmt::format("{}: stopped, as you asked", safe_text(path.string())),
          "what is reported as done is done; the rest was not begun"};
}

Error output_exists(const Path& path) {
  return {Trouble::stopped,
          Code::name_taken,
          fmt::format("{}: exists already and was left as it is", safe_text(path.string())),
          {"choose another output, or add ", Remedy::replace}};
}

tl::unexpected<Error> name_exists(const Path& path) {
  return fail(Trouble::place, Code::exists,
              fmt::format("{}: is there already", safe_text(path.string())), "");
}

Error place_changed(const Path& path) {
  return {Trouble::stopped, Code::in_use,
          fmt::format("{}: changed while it was being carried", safe_text(path.string())),
          "close the program that uses it, wait a moment, and try again"};
}

Error read_differently(const Path& path) {
  return {Trouble::read_back, Code::read_back,
          fmt::format("{}: what was written read back differently", safe_text(path.string())),
          "the old content is back; check the disk or card, it may be failing"};
}

Path free_name(Storage& storage, const std::string& path) {
  Path free = path;
  for (int number = 2; !is_missing(storage, free); ++number)
    free = path + "-" + std::to_string(number);
  return free;
}

bool lies_in(const Path& folder, const Path& path) {
  return text_lies_in(folder.native(), path.native());
}

bool text_lies_in(std::string_view folder, std::string_view path) {
  // Asked of every file of large places: without a path for each of their names.
  const auto next = [](std::string_view& rest) {
    rest.remove_prefix(std::min(rest.find_first_not_of('/'), rest.size()));
    const std::string_view name = rest.substr(0, rest.find('/'));
    rest.remove_prefix(name.size());
    return name;
  };
  if (folder.starts_with('/') != path.starts_with('/')) return false;
  for (std::string_view name = next(folder); !name.empty(); name = next(folder))
    if (next(path) != name) return false;
  return true;
}

Result<void> replace_own_file(Storage& storage, const Path& path, ByteView bytes) {
  std::error_code no_link;
  const Path behind = std::filesystem::canonical(path, no_link);
  const Path place = no_link ? path : behind;
  const Path folder = place.has_parent_path() ? place.parent_path() : Path(".");
  if (auto made = make_private_folders(storage, folder); !made) return tl::unexpected(made.error());
  clear_leftovers(storage, folder);
  const Path temporary = folder / (kOwnLeftover + std::to_string(::getpid()));
  (void)storage.remove(temporary);
  constexpr std::uint32_t kMode = 0600;
  if (auto made = storage.create(temporary, bytes, kMode); !made) return made;
  if (auto moved = storage.rename(temporary, place); !moved) {
    (void)storage.remove(temporary);
    return moved;
  }
  return storage.flush_folder(folder);
}

}  // namespace bayswap
