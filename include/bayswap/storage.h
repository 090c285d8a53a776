// The storage port: every file operation of the library goes through it, so that a test can make
// any of them fail.
//
// Library bayswap_files. Which calls may run side by side is said at Storage.
#pragma once

#include <array>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/result.h"

#pragma GCC visibility push(default)

namespace bayswap {

using Path = std::filesystem::path;

enum class FileType { file, folder, link, other };

struct FileInfo {
  FileType type = FileType::other;
  std::uint64_t size = 0;        ///< bytes
  std::int64_t modified_ns = 0;  ///< nanoseconds since 1970-01-01 UTC
  std::uint32_t mode = 0;        ///< permission bits
  std::uint64_t inode = 0;       ///< the file's number on its file system; 0: not told
  std::uint64_t links = 1;       ///< names that the file has
  bool own = true;               ///< whether the user may give a new file the same owner
  std::int64_t changed_ns = 0;   ///< of its last change of any kind, names included; 0: not told
};

struct NamedInfo {
  std::string name;
  FileInfo info;
};

/// Bytes of a file, shared by those who look at them. Later changes of the file do not reach them.
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

/// A file that has lost its name and can still be read. Its room is freed when this goes.
class TakenOut {
 public:
  virtual ~TakenOut() = default;
  /// As it is now, without its name.
  [[nodiscard]] virtual Result<FileInfo> info() = 0;
  /// As Storage::stream() does, from the beginning.
  [[nodiscard]] virtual Result<void> stream(std::size_t piece,
                                            const std::function<bool(ByteView)>& take) = 0;
};

/// A file of Bay Swap's own that is filled piece by piece, in any order. What was put is in the
/// file when the program is killed, but not on the medium before flush().
class WorkFile {
 public:
  virtual ~WorkFile() = default;
  [[nodiscard]] virtual Result<std::uint64_t> size() = 0;  ///< bytes
  [[nodiscard]] virtual Result<void> put(std::uint64_t at, ByteView bytes) = 0;
  /// Errors: `unreadable` when the file ends before.
  [[nodiscard]] virtual Result<void> get(std::uint64_t at, std::span<std::byte> into) = 0;
  [[nodiscard]] virtual Result<void> flush() = 0;
};

/// Hands on the bytes of a file that is made, piece by piece; false when they cannot be written.
using ByteSink = std::function<bool(ByteView)>;

/// Told how many bytes were copied since it was told last. False stops the copy (`cancelled`).
using CopyProgress = std::function<bool(std::uint64_t)>;

/// Primitive operations on a place. Reading errors have Trouble::input (`missing`, `unreadable`),
/// writing errors Trouble::place (`place-failed`). Implementations are used from one thread, but
/// for info(), list(), entries(), view(), view_if(), view_start(), read() and same(), which may run
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
  /// At most the first `limit` bytes of a regular file.
  [[nodiscard]] virtual Result<FileView> view_start(const Path& path, std::uint64_t limit);
  /// Makes a new file that is on the medium when the call returns. It must not exist. The user's
  /// file mode mask (umask) applies to `mode`.
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
  /// Whether another file system begins at the folder.
  [[nodiscard]] virtual bool is_mount_point(const Path& /*folder*/) { return false; }
  /// Brings everything that was written to the medium of the path onto it.
  [[nodiscard]] virtual Result<void> flush_medium(const Path& /*path*/) { return {}; }

  // Files of any size, in bounded memory:
  /// Makes a new file with the bytes of another one, on the medium when the call returns, and gives
  /// the digest that tells its versions apart. `progress` may be empty.
  [[nodiscard]] virtual Result<std::array<std::byte, 32>> copy(const Path& from, const Path& to,
                                                               std::uint32_t mode,
                                                               const CopyProgress& progress);
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

  // Steps that never take bytes away:
  /// Renames where nothing has the new name. Errors: `exists` when something does.
  [[nodiscard]] virtual Result<void> rename_new(const Path& from, const Path& to);
  /// Lets two files or folders swap names in one step. False when the file system can't do that;
  /// then nothing was changed.
  [[nodiscard]] virtual Result<bool> exchange(const Path& a, const Path& b);
  /// Gives a file a second name. False when the file system can't do that.
  [[nodiscard]] virtual Result<bool> link(const Path& file, const Path& name);
  /// Removes a file's name, like remove(), and hands on what can still be read of it.
  [[nodiscard]] virtual Result<std::unique_ptr<TakenOut>> take_out(const Path& file);
  /// Makes a new file like create(), from bytes that `fill` hands on piece by piece.
  [[nodiscard]] virtual Result<void> create_from(
      const Path& path, std::uint32_t mode,
      const std::function<Result<void>(const ByteSink&)>& fill);
  /// Opens a file of Bay Swap's own to fill it piece by piece; a new one is for its user only.
  /// Errors: `place-failed`, also for a storage that can't do that, and for anything but a file.
  [[nodiscard]] virtual Result<std::unique_ptr<WorkFile>> open_work_file(const Path& path);
  /// Makes a folder with exactly this mode.
  [[nodiscard]] virtual Result<void> make_private_folder(const Path& path);
  [[nodiscard]] virtual Result<void> set_mode(const Path& path, std::uint32_t mode);
  /// Gives `to` the mode, owner and extended attributes of `from`, as far as the user may. Tells
  /// what could not be kept, such as `owner`.
  [[nodiscard]] virtual std::vector<std::string> copy_attributes(const Path& from, const Path& to);
  /// What stays the same while the same folder of the same medium is there, and differs for an
  /// empty mount point. Empty when that is not told.
  [[nodiscard]] virtual std::string identity(const Path& folder);
  [[nodiscard]] virtual Result<void> set_modified(const Path& path, std::int64_t modified_ns) = 0;
  /// Brings names made or removed in a folder to the medium.
  [[nodiscard]] virtual Result<void> flush_folder(const Path& path) = 0;
};

/// Files larger than this, in bytes, are never read as saves.
inline constexpr std::uint64_t kSaveLimit = 1ULL << 30U;

/// The machine's own file system.
[[nodiscard]] Storage& disk();

/// True when nothing is there (not even a dangling link).
[[nodiscard]] bool is_missing(Storage& storage, const Path& path);

/// Where Bay Swap keeps its own files.
struct Places {
  Path config;  ///< bays.toml and catalog.toml
  Path data;    ///< the history

  /// From XDG_CONFIG_HOME and XDG_DATA_HOME, else below HOME.
  [[nodiscard]] static Result<Places> from_environment();
};

}  // namespace bayswap

#pragma GCC visibility pop
