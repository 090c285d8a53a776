#include "storage/folder_record.h"

#include <algorithm>
#include <ctime>
#include <span>

#include "bytes/cursor.h"

namespace bayswap {
namespace {

constexpr std::int64_t kSecond = 1'000'000'000;
constexpr std::uint64_t kShare = 500;         // entries
constexpr std::size_t kMostKept = 1'000'000;  // entries of all folders, some 50 bytes each

}  // namespace

Look look_of(const struct stat& status) {
  const auto ns = [](const timespec& time) { return time.tv_sec * kSecond + time.tv_nsec; };
  Look look;
  look.kind = status.st_mode & S_IFMT;
  if (S_ISREG(status.st_mode)) look.kind |= static_cast<std::uint64_t>(status.st_size) << 16U;
  look.modified_ns = ns(status.st_mtim);
  look.changed_ns = ns(status.st_ctim);
  return look;
}

void StampWriter::text(std::string_view text) {
  append(std::as_bytes(std::span(text)));
  bytes_.push_back(std::byte{0});
}

void StampWriter::number(std::uint64_t value) {
  bytes_.resize(bytes_.size() + 8);
  store_le(std::span(bytes_).last(8), value);
}

void StampWriter::look(const Look& look) {
  number(look.kind);
  number(static_cast<std::uint64_t>(look.modified_ns));
  number(static_cast<std::uint64_t>(look.changed_ns));
}

void StampWriter::append(ByteView more) {
  bytes_.insert(bytes_.end(), more.begin(), more.end());
}

FolderRecord::FolderRecord(const struct stat& folder)
    : look_(look_of(folder)), newest_ns_(std::max(look_.modified_ns, look_.changed_ns)) {}

void FolderRecord::add(const char* name, const struct stat& entry) {
  ++size_;
  if (S_ISDIR(entry.st_mode)) {
    inner_.emplace_back(name);
    return;
  }
  const Look look = look_of(entry);
  newest_ns_ = std::max({newest_ns_, look.modified_ns, look.changed_ns});
  if (shares_.back().count == kShare) shares_.emplace_back();
  shares_.back().entries.text(name);
  shares_.back().entries.look(look);
  ++shares_.back().count;
}

void FolderRecord::write(std::string_view path, StampWriter& stamp) const {
  for (const Share& share : shares_) {
    stamp.text(path);
    stamp.look(look_);
    stamp.number(share.count);
    stamp.number(share.entries.bytes().size());
    stamp.append(share.entries.bytes());
  }
}

void FolderRecords::keep(const struct stat& folder, FolderRecord&& record) {
  const std::scoped_lock lock(guard_);
  if (entries_ + record.size() > kMostKept) return;
  const auto [place, fresh] = known_.try_emplace({folder.st_dev, folder.st_ino}, std::move(record));
  if (fresh) entries_ += place->second.size();
}

const FolderRecord* FolderRecords::find(const struct stat& folder) const {
  const std::scoped_lock lock(guard_);
  const auto known = known_.find({folder.st_dev, folder.st_ino});
  if (known == known_.end() || known->second.look() != look_of(folder)) return nullptr;
  return &known->second;
}

}  // namespace bayswap
