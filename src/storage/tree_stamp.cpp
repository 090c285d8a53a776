#include "storage/tree_stamp.h"

#include <dirent.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>

#include <algorithm>
#include <cstring>
#include <ctime>
#include <future>
#include <memory>
#include <string>
#include <vector>

#include "bytes/cursor.h"
#include "storage/descriptor.h"

namespace bayswap {
namespace {

constexpr std::size_t kMostEntries = 2'000'000;
constexpr std::int64_t kFine = 20'000'000;       // nanoseconds: as fine as any clock of files is
constexpr std::int64_t kCoarse = 4'000'000'000;  // FAT counts two seconds
constexpr std::int64_t kSecond = 1'000'000'000;

// A folder's record: its relative path, its own look, the number of its entries and their bytes.
// An entry's record: its name, its look. Texts end with a NUL.
struct Look {
  std::uint64_t kind = 0;  // type and size of a file
  std::int64_t modified_ns = 0;
  std::int64_t changed_ns = 0;

  bool operator==(const Look&) const = default;
};

Look look_of(const struct stat& status) {
  const auto ns = [](const timespec& time) { return time.tv_sec * kSecond + time.tv_nsec; };
  Look look;
  look.kind = status.st_mode & S_IFMT;
  if (S_ISREG(status.st_mode)) look.kind |= static_cast<std::uint64_t>(status.st_size) << 16U;
  look.modified_ns = ns(status.st_mtim);
  look.changed_ns = ns(status.st_ctim);
  return look;
}

class Writer {
 public:
  void text(std::string_view text) {
    const auto view = std::as_bytes(std::span(text));
    bytes_.insert(bytes_.end(), view.begin(), view.end());
    bytes_.push_back(std::byte{0});
  }
  void number(std::uint64_t value) {
    bytes_.resize(bytes_.size() + 8);
    store_le(std::span(bytes_).last(8), value);
  }
  void look(const Look& look) {
    number(look.kind);
    number(static_cast<std::uint64_t>(look.modified_ns));
    number(static_cast<std::uint64_t>(look.changed_ns));
  }
  void append(const Bytes& more) { bytes_.insert(bytes_.end(), more.begin(), more.end()); }
  [[nodiscard]] Bytes& bytes() { return bytes_; }

 private:
  Bytes bytes_;
};

class Stamper {
 public:
  Stamper(const Path& root, std::int64_t settled) : root_(root), settled_(settled) {}

  Bytes run() {
    struct stat status {};
    if (::lstat(root_.c_str(), &status) != 0) return {};
    if (S_ISREG(status.st_mode)) return of_file(look_of(status));
    std::vector<std::string> waiting{""};
    while (!waiting.empty()) {
      const std::string folder = std::move(waiting.back());
      waiting.pop_back();
      if (!add(folder, waiting)) return {};
    }
    return std::move(stamp_.bytes());
  }

 private:
  // A record whose path is empty.
  Bytes of_file(const Look& look) {
    if (!settled(look)) return {};
    stamp_.text("");
    stamp_.look(look);
    stamp_.number(0);
    stamp_.number(0);
    return std::move(stamp_.bytes());
  }

  bool add(const std::string& relative, std::vector<std::string>& waiting) {
    const Path path = relative.empty() ? root_ : root_ / relative;
    const Descriptor folder(::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC | O_NOFOLLOW));
    struct stat status {};
    if (!folder.open() || ::fstat(folder.get(), &status) != 0) return false;
    const std::unique_ptr<DIR, int (*)(DIR*)> listing(::fdopendir(::dup(folder.get())), ::closedir);
    if (listing == nullptr) return false;
    Writer entries;
    std::uint64_t count = 0;
    while (const dirent* entry = ::readdir(listing.get())) {
      const std::string name = entry->d_name;
      if (name == "." || name == "..") continue;
      struct stat seen {};
      if (++entries_ > kMostEntries ||
          ::fstatat(folder.get(), name.c_str(), &seen, AT_SYMLINK_NOFOLLOW) != 0)
        return false;
      if (S_ISDIR(seen.st_mode)) {
        waiting.push_back(relative.empty() ? name : fmt::format("{}/{}", relative, name));
        continue;
      }
      if (!settled(look_of(seen))) return false;
      entries.text(name);
      entries.look(look_of(seen));
      ++count;
    }
    if (!settled(look_of(status))) return false;
    stamp_.text(relative.empty() ? "." : relative);
    stamp_.look(look_of(status));
    stamp_.number(count);
    stamp_.number(entries.bytes().size());
    stamp_.append(entries.bytes());
    return true;
  }

  [[nodiscard]] bool settled(const Look& look) const {
    return look.modified_ns < settled_ && look.changed_ns < settled_;
  }

  Path root_;
  std::int64_t settled_;
  std::size_t entries_ = 0;
  Writer stamp_;
};

// Reads a stamp; anything that does not fit makes it say no.
class Reader {
 public:
  explicit Reader(ByteView stamp) : stamp_(stamp) {}
  [[nodiscard]] bool more() const { return fine_ && at_ < stamp_.size(); }
  [[nodiscard]] bool fine() const { return fine_; }
  const char* text() {
    const ByteView rest = stamp_.subspan(at_);
    const auto end = std::ranges::find(rest, std::byte{0});
    if (end == rest.end()) {
      fine_ = false;
      return "";
    }
    const auto* start = reinterpret_cast<const char*>(rest.data());
    at_ += static_cast<std::size_t>(end - rest.begin()) + 1;
    return start;
  }
  std::uint64_t number() {
    const auto bytes = slice(stamp_, at_, 8);
    fine_ = fine_ && bytes.has_value();
    if (!fine_) return 0;
    std::uint64_t value = 0;
    std::memcpy(&value, bytes->data(), sizeof value);
    at_ += 8;
    if constexpr (std::endian::native == std::endian::big) value = __builtin_bswap64(value);
    return value;
  }
  Look look() {
    Look look;
    look.kind = number();
    look.modified_ns = static_cast<std::int64_t>(number());
    look.changed_ns = static_cast<std::int64_t>(number());
    return look;
  }
  ByteView bytes(std::uint64_t size) {
    const auto found = slice(stamp_, at_, size);
    fine_ = fine_ && found.has_value();
    if (!fine_) return {};
    at_ += static_cast<std::size_t>(size);
    return *found;
  }

 private:
  ByteView stamp_;
  std::size_t at_ = 0;
  bool fine_ = true;
};

struct StampedFolder {
  const char* path = "";
  Look look;
  std::uint64_t count = 0;
  ByteView entries;
};

bool folder_is_as(int root, const StampedFolder& stamped) {
  const Descriptor folder(
      ::openat(root, stamped.path, O_PATH | O_DIRECTORY | O_CLOEXEC | O_NOFOLLOW));
  struct stat status {};
  if (!folder.open() || ::fstat(folder.get(), &status) != 0 || look_of(status) != stamped.look)
    return false;
  Reader entries(stamped.entries);
  for (std::uint64_t i = 0; i < stamped.count; ++i) {
    const char* name = entries.text();
    const Look look = entries.look();
    if (!entries.fine() || ::fstatat(folder.get(), name, &status, AT_SYMLINK_NOFOLLOW) != 0 ||
        look_of(status) != look)
      return false;
  }
  return !entries.more();
}

bool folders_are_as(int root, std::span<const StampedFolder> folders) {
  return std::ranges::all_of(
      folders, [&](const StampedFolder& folder) { return folder_is_as(root, folder); });
}

}  // namespace

Bytes stamp_of_tree(const Path& root, std::int64_t before_ns, bool coarse_times) {
  return Stamper(root, before_ns - (coarse_times ? kCoarse : kFine)).run();
}

bool tree_is_as(const Path& root, ByteView stamp) {
  std::vector<StampedFolder> folders;
  std::uint64_t entries = 0;
  Reader reader(stamp);
  while (reader.more()) {
    StampedFolder folder;
    folder.path = reader.text();
    folder.look = reader.look();
    folder.count = reader.number();
    folder.entries = reader.bytes(reader.number());
    entries += folder.count;
    folders.push_back(folder);
  }
  if (!reader.fine() || folders.empty()) return false;
  if (*folders.front().path == '\0') {
    struct stat status {};
    return ::lstat(root.c_str(), &status) == 0 && look_of(status) == folders.front().look;
  }
  const Descriptor top(::open(root.c_str(), O_PATH | O_DIRECTORY | O_CLOEXEC));
  if (!top.open()) return false;
  constexpr std::uint64_t kFew = 2000;  // entries; fewer are not worth a thread
  const std::span<const StampedFolder> all(folders);
  if (entries < kFew) return folders_are_as(top.get(), all);
  std::size_t half = 0;
  for (std::uint64_t seen = 0; half < folders.size() && seen * 2 < entries; ++half)
    seen += folders[half].count;
  auto front =
      std::async(std::launch::async, [&] { return folders_are_as(top.get(), all.first(half)); });
  const bool back = folders_are_as(top.get(), all.subspan(half));
  return front.get() && back;
}

}  // namespace bayswap
