#include "answers/answer_book.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <set>

#include "bytes/cursor.h"
#include "bytes/text.h"
#include "storage/atomic_write.h"
#include "storage/clock.h"
#include "storage/two_threads.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kMark = 0x0001'7265'7773'6E61;  // and its version
constexpr std::size_t kLargestText = 24U << 20U;        // bytes; longer answers are not kept
constexpr std::uint64_t kLargestFile = 256U << 20U;
constexpr std::size_t kMostAnswers = 32;

class Writer {
 public:
  explicit Writer(std::size_t room) { bytes_.reserve(room); }
  void number(std::uint64_t value) {
    bytes_.resize(bytes_.size() + 8);
    store_le(std::span(bytes_).last(8), value);
  }
  void block(ByteView bytes) {
    number(bytes.size());
    bytes_.insert(bytes_.end(), bytes.begin(), bytes.end());
  }
  [[nodiscard]] const Bytes& bytes() const { return bytes_; }

 private:
  Bytes bytes_;
};

class Reader {
 public:
  explicit Reader(ByteView bytes) : bytes_(bytes), cursor_(bytes) {}
  std::uint64_t number() {
    const std::uint64_t value = cursor_.u64le(at_);
    at_ += 8;
    return value;
  }
  ByteView block() {
    const std::uint64_t size = number();
    const ByteView found = cursor_.bytes(at_, size);
    at_ += found.size();
    return found;
  }
  [[nodiscard]] bool fine() const { return !cursor_.overrun(); }
  [[nodiscard]] bool at_end() const { return at_ == bytes_.size(); }

 private:
  ByteView bytes_;
  Cursor cursor_;
  std::uint64_t at_ = 0;
};

std::string text_of(ByteView bytes) {
  return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

// Folders of ROMs that may have told a game, and do not lie in the folder that was read.
std::set<Path> rom_folders_elsewhere(const Session& session, const Path& folder) {
  std::set<Path> found;
  for (const Bay& bay : session.bays.bays())
    for (const Shelf& shelf : bay.shelves) {
      if (shelf.roms.empty()) continue;
      const Path roms = (shelf.roms == "." ? bay.place : bay.place / shelf.roms).lexically_normal();
      if (!lies_in(folder, roms)) found.insert(roms);
    }
  return found;
}

}  // namespace

Path AnswerBook::file_of(const std::string& question) const {
  // Two questions of one name would only take each other's place: the file holds the question.
  return places_.cache / fmt::format("{:016x}.answer", std::hash<std::string>{}(question));
}

std::optional<Answer> AnswerBook::recall(const std::string& question,
                                         const std::function<void(Answer&)>& prepare) {
  if (places_.cache.empty()) return std::nullopt;
  const auto file = storage_.view(file_of(question), kLargestFile);
  if (!file) return std::nullopt;
  Reader reader(file->bytes());
  if (reader.number() != kMark || text_of(reader.block()) != question) return std::nullopt;
  Answer answer;
  answer.status = static_cast<int>(reader.number() & 0xFFU);
  const std::uint64_t count = reader.number();
  constexpr std::uint64_t kMostTrees = 10'000;
  if (!reader.fine() || count > kMostTrees) return std::nullopt;
  std::vector<std::pair<Path, ByteView>> trees;
  for (std::uint64_t i = 0; i < count && reader.fine(); ++i) {
    const Path root = text_of(reader.block());
    trees.emplace_back(root, reader.block());
  }
  const ByteView text = reader.block();
  const std::uint64_t ages = reader.number();
  if (!reader.fine() || ages > file->bytes().size() / 16) return std::nullopt;
  // A long text is made ready meanwhile.
  constexpr std::size_t kLong = 1U << 16U;
  const auto unchanged = [&] {
    return std::ranges::all_of(trees, [&](const auto& tree) {
      const auto& [root, stamp] = tree;
      return stamp.empty() ? is_missing(storage_, root) : storage_.is_as(root, stamp);
    });
  };
  std::optional<Meanwhile<bool>> checked;
  if (text.size() >= kLong) checked.emplace(unchanged);
  answer.text = text_of(text);
  answer.ages.reserve(static_cast<std::size_t>(ages));
  for (std::uint64_t i = 0; i < ages; ++i) {
    const std::uint64_t offset = reader.number();
    answer.ages.push_back(
        {static_cast<std::size_t>(offset), static_cast<std::int64_t>(reader.number())});
  }
  const bool whole = reader.fine() && reader.at_end();
  if (whole && prepare) prepare(answer);
  if (!(checked ? checked->get() : unchanged()) || !whole) return std::nullopt;
  return answer;
}

void AnswerBook::begin(const Path& folder) {
  folder_.clear();
  if (places_.cache.empty()) return;
  std::error_code ignored;
  folder_ = std::filesystem::canonical(folder, ignored);
  // What changes from now on, while it is read, spoils the stamp that is taken when it was read.
  begun_ns_ = now_ns();
  storage_.note_entries();
}

void AnswerBook::remember(const std::string& question, const Session& session, const Answer& answer,
                          const std::vector<Path>& read_too) {
  if (folder_.empty() || answer.text.size() > kLargestText) return;
  std::vector<std::pair<Path, Bytes>> trees{{folder_, storage_.stamp(folder_, begun_ns_)}};
  if (trees.front().second.empty()) return;
  const auto add = [&](const Path& other, std::int64_t before_ns) {
    const bool missing = is_missing(storage_, other);
    trees.emplace_back(other, missing ? Bytes{} : storage_.stamp(other, before_ns));
    return missing || !trees.back().second.empty();
  };
  std::set<Path> others = rom_folders_elsewhere(session, folder_);
  others.insert(read_too.begin(), read_too.end());
  for (const Path& other : others)
    if (!add(other, begun_ns_)) return;
  // The command may have written there itself, as learning a bay does.
  if (!add(places_.config, now_ns())) return;
  std::size_t room = answer.text.size() + answer.ages.size() * 16;
  for (const auto& [root, stamp] : trees) room += stamp.size() + 4096;
  Writer writer(room);
  writer.number(kMark);
  writer.block(as_bytes(question));
  writer.number(static_cast<std::uint64_t>(answer.status));
  writer.number(trees.size());
  for (const auto& [root, stamp] : trees) {
    writer.block(as_bytes(root.string()));
    writer.block(stamp);
  }
  writer.block(as_bytes(answer.text));
  writer.number(answer.ages.size());
  for (const AgeCell& cell : answer.ages) {
    writer.number(cell.offset);
    writer.number(static_cast<std::uint64_t>(cell.modified_ns));
  }
  // Nothing is lost when it cannot be written.
  if (!make_folders(storage_, places_.cache)) return;
  make_room(places_.cache);
  (void)replace_own_file(storage_, file_of(question), writer.bytes());
}

// The oldest answers go.
void AnswerBook::make_room(const Path& folder) {
  const auto names = storage_.list(folder);
  if (!names || names->size() < kMostAnswers) return;
  std::vector<std::pair<std::int64_t, Path>> files;
  for (const std::string& name : *names)
    if (name.ends_with(".answer"))
      if (const auto info = storage_.info(folder / name))
        files.emplace_back(info->modified_ns, folder / name);
  std::ranges::sort(files);
  for (std::size_t i = 0; i + kMostAnswers <= files.size(); ++i)
    (void)storage_.remove(files[i].second);
}

}  // namespace bayswap
