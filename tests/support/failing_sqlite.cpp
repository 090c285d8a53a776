#include "support/failing_sqlite.h"

#include <algorithm>
#include <fstream>
#include <new>
#include <random>

namespace bayswap::test {
namespace {

FailingSqlite* active = nullptr;

// The usual file lies behind it in the same memory.
struct File {
  sqlite3_file base;
  std::string* path;
};
File& own(sqlite3_file* file) {
  return *reinterpret_cast<File*>(file);
}
sqlite3_file* usual(sqlite3_file* file) {
  return reinterpret_cast<sqlite3_file*>(reinterpret_cast<std::byte*>(file) + sizeof(File));
}

int close_file(sqlite3_file* file) {
  delete own(file).path;
  return usual(file)->pMethods->xClose(usual(file));
}
int read_file(sqlite3_file* file, void* into, int size, sqlite3_int64 at) {
  return usual(file)->pMethods->xRead(usual(file), into, size, at);
}
int write_file(sqlite3_file* file, const void* data, int size, sqlite3_int64 at) {
  return active->write(*own(file).path, usual(file), data, size, at);
}
int truncate_file(sqlite3_file* file, sqlite3_int64 size) {
  return active->truncate(*own(file).path, usual(file), size);
}
int sync_file(sqlite3_file* file, int flags) {
  return active->sync(*own(file).path, usual(file), flags);
}
int size_of_file(sqlite3_file* file, sqlite3_int64* size) {
  return usual(file)->pMethods->xFileSize(usual(file), size);
}
int lock_file(sqlite3_file* file, int level) {
  return usual(file)->pMethods->xLock(usual(file), level);
}
int unlock_file(sqlite3_file* file, int level) {
  return usual(file)->pMethods->xUnlock(usual(file), level);
}
int is_reserved(sqlite3_file* file, int* answer) {
  return usual(file)->pMethods->xCheckReservedLock(usual(file), answer);
}
int control_file(sqlite3_file* file, int what, void* value) {
  return usual(file)->pMethods->xFileControl(usual(file), what, value);
}
int sector_size(sqlite3_file* file) {
  return usual(file)->pMethods->xSectorSize(usual(file));
}
int characteristics(sqlite3_file* file) {
  return usual(file)->pMethods->xDeviceCharacteristics(usual(file));
}

const sqlite3_io_methods kMethods = [] {
  sqlite3_io_methods methods{};
  methods.iVersion = 1;
  methods.xClose = close_file;
  methods.xRead = read_file;
  methods.xWrite = write_file;
  methods.xTruncate = truncate_file;
  methods.xSync = sync_file;
  methods.xFileSize = size_of_file;
  methods.xLock = lock_file;
  methods.xUnlock = unlock_file;
  methods.xCheckReservedLock = is_reserved;
  methods.xFileControl = control_file;
  methods.xSectorSize = sector_size;
  methods.xDeviceCharacteristics = characteristics;
  return methods;
}();

int open_file(sqlite3_vfs*, const char* name, sqlite3_file* file, int flags, int* out) {
  sqlite3_vfs* const vfs = active->usual();
  // Files without a name are scratch, which nothing depends on.
  if (name == nullptr) return vfs->xOpen(vfs, name, file, flags, out);
  file->pMethods = nullptr;
  const int result = vfs->xOpen(vfs, name, usual(file), flags, out);
  if (usual(file)->pMethods == nullptr) return result;
  own(file).path = new std::string(name);
  file->pMethods = &kMethods;
  return result;
}
int delete_file(sqlite3_vfs*, const char* name, int sync_folder) {
  return active->remove(name, sync_folder);
}

Bytes content_of(sqlite3_file* file) {
  sqlite3_int64 size = 0;
  if (file->pMethods->xFileSize(file, &size) != SQLITE_OK) return {};
  Bytes bytes(static_cast<std::size_t>(size));
  if (size > 0) (void)file->pMethods->xRead(file, bytes.data(), static_cast<int>(size), 0);
  return bytes;
}

}  // namespace

FailingSqlite::FailingSqlite(std::size_t at, Fault fault)
    : at_(at), fault_(fault), usual_(sqlite3_vfs_find(nullptr)), own_(*usual_) {
  active = this;
  own_.zName = "failing";
  own_.pNext = nullptr;
  own_.szOsFile = static_cast<int>(sizeof(File)) + usual_->szOsFile;
  own_.xOpen = open_file;
  own_.xDelete = delete_file;
  sqlite3_vfs_register(&own_, 1);
}

FailingSqlite::~FailingSqlite() {
  sqlite3_vfs_unregister(&own_);
  sqlite3_vfs_register(usual_, 1);
  active = nullptr;
}

// SQLITE_OK, or what this operation ends with.
int FailingSqlite::next() {
  ++count_;
  const bool now = count_ == at_ || (fault_ == Fault::power_loss && count_ > at_);
  failed_ = failed_ || now;
  if (!now) return SQLITE_OK;
  return fault_ == Fault::full || fault_ == Fault::half ? SQLITE_FULL : SQLITE_IOERR;
}

void FailingSqlite::note(const std::string& path, sqlite3_file* file) {
  if (!unflushed_.contains(path)) unflushed_[path].base = content_of(file);
}

int FailingSqlite::write(const std::string& path, sqlite3_file* file, const void* data, int size,
                         sqlite3_int64 at) {
  const int problem = next();
  if (problem != SQLITE_OK && fault_ != Fault::half) return problem;
  if (problem != SQLITE_OK) size /= 2;
  note(path, file);
  const auto* bytes = static_cast<const std::byte*>(data);
  unflushed_[path].writes.push_back({at, Bytes(bytes, bytes + size), false});
  const int result = file->pMethods->xWrite(file, data, size, at);
  return problem != SQLITE_OK ? problem : result;
}

int FailingSqlite::truncate(const std::string& path, sqlite3_file* file, sqlite3_int64 size) {
  if (const int problem = next(); problem != SQLITE_OK) return problem;
  note(path, file);
  unflushed_[path].writes.push_back({size, {}, true});
  return file->pMethods->xTruncate(file, size);
}

int FailingSqlite::sync(const std::string& path, sqlite3_file* file, int flags) {
  if (const int problem = next(); problem != SQLITE_OK) return problem;
  unflushed_.erase(path);
  return file->pMethods->xSync(file, flags);
}

int FailingSqlite::remove(const char* path, int sync_folder) {
  if (const int problem = next(); problem != SQLITE_OK) return problem;
  unflushed_.erase(path);
  return usual_->xDelete(usual_, path, sync_folder);
}

void FailingSqlite::lose_what_was_not_flushed(std::uint32_t seed) const {
  std::minstd_rand numbers(seed);
  for (const auto& [path, unflushed] : unflushed_) {
    Bytes image = unflushed.base;
    for (const Write& write : unflushed.writes) {
      const auto at = static_cast<std::size_t>(write.at);
      const auto chance = numbers() % 4;
      if (chance == 0) continue;
      if (write.cuts) {
        image.resize(at);
        continue;
      }
      const std::size_t size = chance == 1 ? write.bytes.size() / 2 : write.bytes.size();
      image.resize(std::max(image.size(), at + size));
      std::copy_n(write.bytes.begin(), size, image.begin() + static_cast<std::ptrdiff_t>(at));
    }
    std::ofstream(path, std::ios::binary | std::ios::trunc)
        .write(reinterpret_cast<const char*>(image.data()),
               static_cast<std::streamsize>(image.size()));
  }
}

}  // namespace bayswap::test
