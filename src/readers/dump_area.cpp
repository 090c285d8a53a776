// Reading an area until one knows what is in it.
#include <algorithm>

#include "readers/cartridge.h"

namespace bayswap {
namespace {

constexpr std::size_t kMostReadings = 6;
constexpr std::size_t kFewPages = 2;        // so many get twice as many readings
constexpr std::size_t kLargestPage = 1024;  // bytes that settle together
constexpr Milliseconds kBetweenParts{5000};

// All readings of one page.
struct Page {
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

}  // namespace

class Cartridge::Dumper {
 public:
  Dumper(Cartridge& cartridge, const CartridgeArea& area, std::uint64_t size)
      : cartridge_(cartridge), area_(area), size_(size) {
    page_ = std::min(kLargestPage, cartridge.info_.chunk);
  }

  Result<AreaDump> run(const DumpOptions& how) {
    if (auto first = read_once(how); !first) return failed(first.error());
    AreaDump dump;
    dump.page = page_;
    dump.readings = 1;
    if (how.enough && how.enough(first_)) {
      dump.bytes = std::move(first_);
      return dump;
    }
    if (auto again = read_again(); !again) return failed(again.error());
    dump.bytes = std::move(first_);
    dump.readings = 2;
    for (const auto& [at, page] : doubtful_) {
      dump.readings = std::max(dump.readings, static_cast<unsigned>(page.readings.size()));
      const Bytes& bytes = page.best();
      std::ranges::copy(bytes, dump.bytes.begin() + static_cast<std::ptrdiff_t>(at));
      if (!page.settled()) dump.unsure.push_back(at);
    }
    return dump;
  }

 private:
  tl::unexpected<Error> failed(const Error& error) {
    cartridge_.partial_ = std::move(first_);
    return tl::unexpected(error);
  }

  Result<Bytes> read(std::uint64_t at, std::size_t size) {
    auto bytes = cartridge_.reader_.read(area_, at, size, cartridge_.slot_.session);
    if (!bytes) return tl::unexpected(bytes.error());
    if (!*bytes)
      return fail(Trouble::input, Code::wrong_size, "the area ends earlier than its size says",
                  "the size in the header or the catalog may be wrong");
    return std::move(**bytes);
  }

  void report(std::uint64_t done) {
    if (cartridge_.watch_.progress) cartridge_.watch_.progress(done, 2 * size_);
  }

  Result<void> read_once(const DumpOptions& how) {
    const Bytes& known = how.known;
    Milliseconds told = now();
    first_.assign(known.begin(),
                  known.begin() + static_cast<std::ptrdiff_t>(std::min<std::uint64_t>(
                                      known.size() / page_ * page_, size_)));
    while (first_.size() < size_) {
      const auto size = static_cast<std::size_t>(
          std::min<std::uint64_t>(cartridge_.info_.chunk, size_ - first_.size()));
      const auto bytes = read(first_.size(), size);
      if (!bytes) return tl::unexpected(bytes.error());
      first_.insert(first_.end(), bytes->begin(), bytes->end());
      report(first_.size());
      if (how.so_far && now() - told >= kBetweenParts) {
        how.so_far(first_);
        told = now();
      }
    }
    return {};
  }

  Milliseconds now() { return cartridge_.reader_.link().transport().now(); }

  // A second reading of everything, and more of what differs. Readings of a page are far apart in
  // time, so that a contact that fails for a moment is noticed.
  Result<void> read_again() {
    for (std::uint64_t at = 0; at < size_; at += cartridge_.info_.chunk) {
      const auto size =
          static_cast<std::size_t>(std::min<std::uint64_t>(cartridge_.info_.chunk, size_ - at));
      const auto bytes = read(at, size);
      if (!bytes) return tl::unexpected(bytes.error());
      compare(at, *bytes);
      report(size_ + at + size);
    }
    for (std::size_t reading = 2; reading < 2 * kMostReadings; ++reading) {
      const auto open = static_cast<std::size_t>(
          std::ranges::count_if(doubtful_, [](const auto& one) { return !one.second.settled(); }));
      if (open == 0 || (reading >= kMostReadings && open > kFewPages)) break;
      for (auto& [at, page] : doubtful_) {
        if (page.settled()) continue;
        auto bytes = read(at, page.readings.front().size());
        if (!bytes) return tl::unexpected(bytes.error());
        page.readings.push_back(std::move(*bytes));
      }
    }
    return {};
  }

  void compare(std::uint64_t start, const Bytes& second) {
    for (std::size_t at = 0; at < second.size(); at += page_) {
      const std::size_t size = std::min(page_, second.size() - at);
      const ByteView now = ByteView(second).subspan(at, size);
      const ByteView before = ByteView(first_).subspan(static_cast<std::size_t>(start) + at, size);
      if (std::ranges::equal(now, before)) continue;
      Page page;
      page.readings.emplace_back(before.begin(), before.end());
      page.readings.emplace_back(now.begin(), now.end());
      doubtful_.emplace_back(start + at, std::move(page));
    }
  }

  Cartridge& cartridge_;
  const CartridgeArea& area_;
  std::uint64_t size_;
  std::size_t page_ = 0;
  Bytes first_;
  std::vector<std::pair<std::uint64_t, Page>> doubtful_;  // by offset
};

Result<AreaDump> Cartridge::dump(const CartridgeArea& area, DumpOptions how) {
  bool by_repeat = false;
  if (area.size) how.size = area.size;
  if (!how.size) {
    const auto found = size_by_repeat(area);
    if (!found) return tl::unexpected(found.error());
    how.size = *found;
    by_repeat = true;
  }
  auto dump = Dumper(*this, area, *how.size).run(how);
  if (dump) dump->size_by_repeat = by_repeat;
  return dump;
}

}  // namespace bayswap
