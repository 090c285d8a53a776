// Reading an area until one knows what is in it.
#include <algorithm>

#include "readers/cartridge.h"

namespace bayswap {
namespace {

constexpr std::size_t kMostReadings = 6;
constexpr std::size_t kFewPages = 2;         // so many get twice as many readings
constexpr std::size_t kLargestPage = 1024;   // bytes that settle together
constexpr std::size_t kMostDoubtful = 1024;  // pages whose readings are remembered

// All readings of one page.
struct Page {
  std::uint64_t at = 0;
  std::vector<Bytes> readings;

  // Two readings in a row agree, and most readings do.
  [[nodiscard]] bool settled() const {
    if (readings.size() < 2 || readings.back() != readings[readings.size() - 2]) return false;
    const auto agree = std::ranges::count(readings, readings.back());
    return static_cast<std::size_t>(agree) * 2 > readings.size();
  }
  [[nodiscard]] const Bytes& best() const {
    return *std::ranges::max_element(
        readings, {}, [&](const Bytes& one) { return std::ranges::count(readings, one); });
  }
};

class MemoryStore final : public DumpStore {
 public:
  Result<void> put(std::uint64_t at, ByteView bytes) override {
    const auto from = static_cast<std::size_t>(at);
    bytes_.resize(std::max(bytes_.size(), from + bytes.size()));
    std::ranges::copy(bytes, bytes_.begin() + static_cast<std::ptrdiff_t>(from));
    return {};
  }
  Result<void> get(std::uint64_t at, std::span<std::byte> into) override {
    std::ranges::copy(ByteView(bytes_).subspan(static_cast<std::size_t>(at), into.size()),
                      into.begin());
    return {};
  }
  Bytes take() { return std::move(bytes_); }

 private:
  Bytes bytes_;
};

}  // namespace

class Cartridge::Dumper {
 public:
  Dumper(Cartridge& cartridge, DumpStore& store, const CartridgeArea& area, std::uint64_t size)
      : cartridge_(cartridge), store_(store), area_(area), size_(size) {
    chunk_ = cartridge.info_.chunk;
    page_ = std::min(kLargestPage, chunk_);
  }

  Result<AreaDump> run(const DumpOptions& how) {
    AreaDump dump;
    dump.size = size_;
    dump.readings = 1;
    if (how.begins) how.begins(size_);
    if (auto first = read_once(how); !first) return tl::unexpected(first.error());
    if (how.enough && how.enough()) return dump;
    dump.readings = 2;
    if (auto second = read_again(); !second) return tl::unexpected(second.error());
    if (auto settled = settle_pages(); !settled) return tl::unexpected(settled.error());
    for (const Page& page : doubtful_) {
      dump.readings = std::max(dump.readings, static_cast<unsigned>(page.readings.size()));
      if (auto put = store_.put(page.at, page.best()); !put) return tl::unexpected(put.error());
      if (!page.settled()) unsure_.push_back(page.at);
    }
    std::ranges::sort(unsure_);
    dump.unsure = std::move(unsure_);
    return dump;
  }

 private:
  Result<Bytes> read(std::uint64_t at, std::size_t size) {
    auto bytes = cartridge_.reader_.read(area_, at, size, cartridge_.slot_.session);
    if (!bytes) return tl::unexpected(bytes.error());
    if (!*bytes)
      return fail(Trouble::input, Code::wrong_size, "the area ends earlier than its size says",
                  "the size in the header or the catalog may be wrong");
    return std::move(**bytes);
  }

  // A chunk; the reader then begins with the next one while this one is worked on.
  Result<Bytes> read_chunk(std::uint64_t at) {
    auto bytes = read(at, size_at(at));
    if (!bytes) return bytes;
    if (const std::uint64_t next = at + bytes->size(); next < size_)
      cartridge_.reader_.read_ahead(area_, next, size_at(next), cartridge_.slot_.session);
    return bytes;
  }

  [[nodiscard]] std::size_t size_at(std::uint64_t at) const {
    return static_cast<std::size_t>(std::min<std::uint64_t>(chunk_, size_ - at));
  }

  void report(std::uint64_t done) {
    if (cartridge_.watch_.progress) cartridge_.watch_.progress(done, 2 * size_);
  }

  // What an earlier run read is taken from the store.
  Result<void> read_once(const DumpOptions& how) {
    const std::uint64_t known = std::min(how.known, size_) / page_ * page_;
    Bytes piece;
    for (std::uint64_t at = 0; at < size_; at += piece.size()) {
      if (at < known) {
        piece.resize(static_cast<std::size_t>(std::min<std::uint64_t>(chunk_, known - at)));
        if (auto got = store_.get(at, piece); !got) return got;
      } else {
        auto bytes = read_chunk(at);
        if (!bytes) return tl::unexpected(bytes.error());
        piece = std::move(*bytes);
        if (auto put = store_.put(at, piece); !put) return put;
      }
      if (how.first_reading) how.first_reading(piece);
      report(at + piece.size());
    }
    return {};
  }

  // A second reading of everything. Readings of a page are far apart in time, so that a contact
  // that fails for a moment is noticed.
  Result<void> read_again() {
    Bytes first;
    for (std::uint64_t at = 0; at < size_; at += first.size()) {
      first.resize(size_at(at));
      const auto second = read_chunk(at);
      if (!second) return tl::unexpected(second.error());
      if (auto got = store_.get(at, first); !got) return got;
      if (*second != first) compare(at, first, *second);
      report(size_ + at + first.size());
    }
    return {};
  }

  void compare(std::uint64_t start, ByteView first, ByteView second) {
    for (std::size_t at = 0; at < second.size(); at += page_) {
      const std::size_t size = std::min(page_, second.size() - at);
      const ByteView before = first.subspan(at, size);
      const ByteView now = second.subspan(at, size);
      if (std::ranges::equal(now, before)) continue;
      // So many cannot come from a little dirt.
      if (doubtful_.size() == kMostDoubtful)
        unsure_.push_back(start + at);
      else
        doubtful_.push_back(
            {start + at, {{before.begin(), before.end()}, {now.begin(), now.end()}}});
    }
  }

  // More readings of what differs.
  Result<void> settle_pages() {
    for (std::size_t reading = 2; reading < 2 * kMostReadings; ++reading) {
      const auto open = static_cast<std::size_t>(
          std::ranges::count_if(doubtful_, [](const Page& page) { return !page.settled(); }));
      if (open == 0 || (reading >= kMostReadings && open > kFewPages)) break;
      for (Page& page : doubtful_) {
        if (page.settled()) continue;
        auto bytes = read(page.at, page.readings.front().size());
        if (!bytes) return tl::unexpected(bytes.error());
        page.readings.push_back(std::move(*bytes));
      }
    }
    return {};
  }

  Cartridge& cartridge_;
  DumpStore& store_;
  const CartridgeArea& area_;
  std::uint64_t size_;
  std::size_t chunk_ = 0;
  std::size_t page_ = 0;
  std::vector<Page> doubtful_;
  std::vector<std::uint64_t> unsure_;  // offsets of pages that cannot be remembered as well
};

Result<AreaDump> Cartridge::dump(const CartridgeArea& area) {
  MemoryStore store;
  auto dump = dump_into(store, area);
  if (dump) dump->bytes = store.take();
  return dump;
}

Result<AreaDump> Cartridge::dump_into(DumpStore& store, const CartridgeArea& area,
                                      DumpOptions how) {
  bool by_repeat = false;
  if (area.size) how.size = area.size;
  if (!how.size) {
    const auto found = size_by_repeat(area);
    if (!found) return tl::unexpected(found.error());
    how.size = *found;
    by_repeat = true;
  }
  auto dump = Dumper(*this, store, area, *how.size).run(how);
  if (dump) dump->size_by_repeat = by_repeat;
  return dump;
}

}  // namespace bayswap
