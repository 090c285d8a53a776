// The storage port: every file operation of the library goes through it, so that a test can make
// any of them fail.
#pragma once

#include <array>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/result.h"

namespace bayswap {

using Path = std::filesystem::path;

enum class FileType { file, folder, link, other };

struct FileInfo {
  FileType type = FileType::other;
  std::uint64_t size = 0;        ///< bytes
  std::int64_t modified_ns = 0;  ///< nanoseconds since 1970-01-01 UTC
  std::uint32_t mode = 0;        ///< permission bits
};

struct NamedInfo {
  std::string name;
  FileInfo info;
};

/// Bytes of a file, owned or mapped.
class FileView {
 public:
  FileView() = default;  ///< nothing
  explicit FileView(Bytes owned);
  /// `keep_alive` owns what `bytes` points to.
  FileView(ByteView bytes, std::shared_ptr<const void> keep_alive);
  [[nodiscard]] ByteView bytes() const { return bytes_; }

 private:
  std::shared_ptr<const void> keep_alive_;
  ByteView bytes_;
};

/// A file that was replaced and is still seen.
struct ReplacedFile {
  Path path;  ///< where it was
  FileView view;
};

/// Primitive operations on a place. Reading errors have Trouble::input (`missing`, `unreadable`),
/// writing errors Trouble::place (`place-failed`). Implementations are used from one thread, but
/// for info(), list(), entries(), stamp(), view(), view_if(), read() and same(), which may run
/// beside the others.
class Storage {
 public:
  virtual ~Storage() = default;
  /// About the path itself: a link is not followed.
  [[nodiscard]] virtual Result<FileInfo> info(const Path& path) = 0;
  /// The whole of a regular file; other kinds of file are `unreadable`, larger ones `too-large`.
  [[nodiscard]] virtual Result<FileView> view(const Path& path, std::uint64_t limit) = 0;
  /// The same as a copy that later changes of the file do not reach.
  [[nodiscard]] virtual Result<Bytes> read(const Path& path, std::uint64_t limit);
  /// The whole of a file that entries() has told of, when its first bytes are `wanted`; nothing
  /// otherwise. `walked` is what entries() said of it; `wanted` sees the first `first` bytes, or
  /// all of a shorter file, and without it every file is wanted. There is no limit of size.
  [[nodiscard]] virtual Result<std::optional<FileView>> view_if(
      const Path& path, const FileInfo& walked, std::size_t first,
      const std::function<bool(ByteView)>& wanted);
  /// Names in a folder, sorted.
  [[nodiscard]] virtual Result<std::vector<std::string>> list(const Path& folder) = 0;
  /// The same with what info() says of each; names that it says nothing of are left out.
  [[nodiscard]] virtual Result<std::vector<NamedInfo>> entries(const Path& folder);
  /// Makes a new file that is on the medium when the call returns. It must not exist.
  [[nodiscard]] virtual Result<void> create(const Path& path, ByteView bytes,
                                            std::uint32_t mode) = 0;
  /// Whether the file system that the path lies on is one of the FAT family.
  [[nodiscard]] virtual bool is_fat(const Path& /*path*/) { return false; }

  /// Who holds the file open for writing, as people know it: `NAME (process 4711)`. Empty when
  /// nobody does, or when the system does not tell.
  [[nodiscard]] virtual std::string writer_of(const Path& /*path*/) { return {}; }

  /// Nanoseconds since 1970 when the file was made; 0: not told.
  [[nodiscard]] virtual std::int64_t born_ns(const Path& /*path*/) { return 0; }
  /// Bytes that can still be written where the path lies; the nearest folder above it that exists
  /// counts. Nothing when that is not told.
  [[nodiscard]] virtual std::optional<std::uint64_t> free_space(const Path& /*path*/) { return {}; }
  /// Whether the path lies on a medium that people take out.
  [[nodiscard]] virtual bool is_removable(const Path& /*path*/) { return false; }
  /// Brings everything that was written to the medium of the path onto it.
  [[nodiscard]] virtual Result<void> settle(const Path& /*path*/) { return {}; }

  /// From now on entries() notes how what it lists looks, for stamp() not to list it again.
  virtual void note_entries() {}
  /// How a file or everything below a folder looks, by names, sizes and times; empty when that
  /// cannot be told, or when something there may have changed since `before_ns` (nanoseconds since
  /// 1970).
  [[nodiscard]] virtual Bytes stamp(const Path& /*folder*/, std::int64_t /*before_ns*/) {
    return {};
  }
  /// Whether everything there still looks so.
  [[nodiscard]] virtual bool is_as(const Path& /*folder*/, ByteView /*stamp*/) { return false; }

  // Files of any size, in bounded memory:
  /// Makes a new file with the bytes of another one, on the medium when the call returns, and gives
  /// the digest that tells its versions apart. `progress` is told how many bytes were written since
  /// it was told last.
  [[nodiscard]] virtual Result<std::array<std::byte, 32>> copy(
      const Path& from, const Path& to, std::uint32_t mode,
      const std::function<void(std::uint64_t)>& progress);
  /// What tells versions of a file apart: not the plain SHA-256 where the file is large.
  [[nodiscard]] virtual Result<std::array<std::byte, 32>> digest(const Path& path);
  [[nodiscard]] virtual Result<bool> same(const Path& a, const Path& b);
  /// Hands on the file in pieces of this many bytes (the last one may be shorter), in order, until
  /// `take` returns false.
  [[nodiscard]] virtual Result<void> stream(const Path& path, std::size_t piece,
                                            const std::function<bool(ByteView)>& take);

  [[nodiscard]] virtual Result<void> rename(const Path& from, const Path& to) = 0;
  [[nodiscard]] virtual Result<void> remove(const Path& path) = 0;
  [[nodiscard]] virtual Result<void> make_folder(const Path& path) = 0;
  /// Only when empty.
  [[nodiscard]] virtual Result<void> remove_folder(const Path& path) = 0;
  [[nodiscard]] virtual Result<void> set_modified(const Path& path, std::int64_t modified_ns) = 0;
  /// Drops what may be the last views of files. A file's room is freed with its last view, which
  /// takes long where the medium is told of every freed block.
  virtual void let_go(std::vector<ReplacedFile> files) { files.clear(); }
  /// Brings names made or removed in a folder to the medium.
  [[nodiscard]] virtual Result<void> flush_folder(const Path& path) = 0;
};

/// Files larger than this, in bytes, are never read as saves.
inline constexpr std::uint64_t kSaveLimit = 1ULL << 30U;

/// The machine's own file system.
[[nodiscard]] Storage& disk();

/// The same for a program that ends soon: where that takes long and the medium stays where it is,
/// files are let go by a process that may outlive the program by a moment.
[[nodiscard]] Storage& disk_for_a_tool();

/// True when nothing is there (not even a dangling link).
[[nodiscard]] bool is_missing(Storage& storage, const Path& path);

/// Where Bay Swap keeps its own files.
struct Places {
  Path config;      ///< bays.toml and catalog.toml
  Path data;        ///< the history
  Path cache = {};  ///< what can be worked out again; empty: nothing is cached

  /// From XDG_CONFIG_HOME, XDG_DATA_HOME and XDG_CACHE_HOME, else below HOME.
  [[nodiscard]] static Result<Places> from_environment();
};

}  // namespace bayswap
