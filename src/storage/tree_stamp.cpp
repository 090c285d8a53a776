#include "storage/tree_stamp.h"

#include <dirent.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>

#include <algorithm>
#include <atomic>
#include <cstring>
#include <memory>
#include <string>
#include <vector>

#include "bytes/cursor.h"
#include "storage/descriptor.h"
#include "storage/two_threads.h"

namespace bayswap {
namespace {

constexpr std::size_t kMostEntries = 2'000'000;
constexpr std::int64_t kFine = 20'000'000;       // nanoseconds: as fine as any clock of files is
constexpr std::int64_t kCoarse = 4'000'000'000;  // FAT counts two seconds
class Stamper {
 public:
  Stamper(const Path& root, std::int64_t settled, const FolderRecords& listed)
      : root_(root), settled_(settled), listed_(listed) {}

  Bytes run() {
    struct stat status {};
    if (::lstat(root_.c_str(), &status) != 0) return {};
    if (S_ISREG(status.st_mode)) return of_file(status);
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
  Bytes of_file(const struct stat& status) {
    const FolderRecord record(status);
    if (record.newest_ns() >= settled_) return {};
    record.write("", stamp_);
    return std::move(stamp_.bytes());
  }

  bool add(const std::string& relative, std::vector<std::string>& waiting) {
    const Path path = relative.empty() ? root_ : root_ / relative;
    const Descriptor folder(::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC | O_NOFOLLOW));
    struct stat status {};
    if (!folder.open() || ::fstat(folder.get(), &status) != 0) return false;
    if (const FolderRecord* known = listed_.find(status)) return add(relative, *known, waiting);
    const std::unique_ptr<DIR, int (*)(DIR*)> listing(::fdopendir(::dup(folder.get())), ::closedir);
    if (listing == nullptr) return false;
    FolderRecord record(status);
    while (const dirent* entry = ::readdir(listing.get())) {
      const std::string_view name = entry->d_name;
      if (name == "." || name == "..") continue;
      if (::fstatat(folder.get(), entry->d_name, &status, AT_SYMLINK_NOFOLLOW) != 0 ||
          entries_ + record.size() > kMostEntries)
        return false;
      record.add(entry->d_name, status);
    }
    return add(relative, record, waiting);
  }

  bool add(const std::string& relative, const FolderRecord& record,
           std::vector<std::string>& waiting) {
    entries_ += record.size();
    if (record.newest_ns() >= settled_ || entries_ > kMostEntries) return false;
    for (const std::string& name : record.inner_folders())
      waiting.push_back(relative.empty() ? name : fmt::format("{}/{}", relative, name));
    record.write(relative.empty() ? "." : relative, stamp_);
    return true;
  }

  Path root_;
  std::int64_t settled_;
  const FolderRecords& listed_;
  std::size_t entries_ = 0;
  StampWriter stamp_;
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

}  // namespace

Bytes stamp_of_tree(const Path& root, std::int64_t before_ns, bool coarse_times,
                    const FolderRecords& listed) {
  return Stamper(root, before_ns - (coarse_times ? kCoarse : kFine), listed).run();
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
  std::atomic<bool> same = true;
  const auto check = [&](std::size_t i) {
    if (same && !folder_is_as(top.get(), folders[i])) same = false;
  };
  constexpr std::uint64_t kFew = 2000;  // entries; fewer are not worth a thread
  if (entries >= kFew)
    on_two_threads(folders.size(), check);
  else
    for (std::size_t i = 0; i < folders.size(); ++i) check(i);
  return same;
}

}  // namespace bayswap
