// Writing an area until one knows that it took.
#include <algorithm>
#include <set>

#include "readers/cartridge.h"

namespace bayswap {
namespace {

constexpr int kMostTries = 5;   // of a page
constexpr int kMostRounds = 3;  // of power off and on
constexpr int kMostFailed = 4;  // pages in a row that never take: a chip of another kind, or none
constexpr Milliseconds kFirstPause{20};  // before the second try; each is twice the last

}  // namespace

class Cartridge::Writer {
 public:
  Writer(Cartridge& cartridge, const CartridgeArea& area, ByteView before)
      : cartridge_(cartridge), area_(area), now_(before.begin(), before.end()) {
    unit_ = static_cast<std::size_t>(std::max<std::uint64_t>(1, area.page));
    if (area.erase_page > 0)
      block_ = static_cast<std::size_t>(std::max<std::uint64_t>(area.erase_page, unit_));
  }

  /// The pages that do not hold what is wanted, also after power off and on.
  Result<std::set<std::uint64_t>> run(ByteView wanted) {
    std::set<std::uint64_t> wrong;
    gave_up_ = false;
    for (int round = 0; round < kMostRounds; ++round) {
      if (auto written = write_all(wanted); !written) return tl::unexpected(written.error());
      if (auto cycled = cartridge_.cycle_power(); !cycled) return tl::unexpected(cycled.error());
      if (auto read = read_all(); !read) return tl::unexpected(read.error());
      wrong = differing(wanted);
      if (wrong.empty() || gave_up_) break;
    }
    return wrong;
  }

  [[nodiscard]] std::uint64_t pages_written() const { return pages_written_; }
  [[nodiscard]] std::uint64_t pages_again() const { return again_; }

 private:
  [[nodiscard]] std::size_t page_size(std::size_t at) const {
    return std::min(unit_, now_.size() - at);
  }

  [[nodiscard]] std::set<std::uint64_t> differing(ByteView wanted) const {
    std::set<std::uint64_t> pages;
    for (std::size_t at = 0; at < now_.size(); at += unit_)
      if (!std::ranges::equal(ByteView(now_).subspan(at, page_size(at)),
                              wanted.subspan(at, page_size(at))))
        pages.insert(at / unit_);
    return pages;
  }

  Result<void> write_all(ByteView wanted) {
    const std::size_t step = block_ > 0 ? block_ : unit_;
    int failed = 0;  // in a row
    for (std::size_t at = 0; at < now_.size(); at += step) {
      const std::size_t size = std::min(step, now_.size() - at);
      if (auto written = write_block(at, wanted.subspan(at, size)); !written) return written;
      const bool took =
          std::ranges::equal(ByteView(now_).subspan(at, size), wanted.subspan(at, size));
      failed = took ? 0 : failed + 1;
      gave_up_ = failed >= kMostFailed;
      if (gave_up_) return {};
      if (cartridge_.watch_.progress) cartridge_.watch_.progress(at + size, now_.size());
    }
    return {};
  }

  // A page, or the pages that are erased together.
  Result<void> write_block(std::size_t start, ByteView wanted) {
    Milliseconds pause = kFirstPause;
    for (int tried = 0; tried < kMostTries; ++tried) {
      if (std::ranges::equal(ByteView(now_).subspan(start, wanted.size()), wanted)) return {};
      if (tried > 0) {
        again_ += tried == 1 ? 1 : 0;
        cartridge_.reader_.link().transport().pause(pause);
        pause *= 2;
      }
      if (block_ > 0 && needs_erasing(start, wanted))
        if (auto erased = erase(start, wanted.size()); !erased) return erased;
      for (std::size_t at = 0; at < wanted.size(); at += unit_) {
        const ByteView page = wanted.subspan(at, std::min(unit_, wanted.size() - at));
        if (std::ranges::equal(ByteView(now_).subspan(start + at, page.size()), page)) continue;
        if (auto written = write_page(start + at, page); !written) return written;
      }
    }
    return {};
  }

  // Writing only clears bits.
  [[nodiscard]] bool needs_erasing(std::size_t start, ByteView wanted) const {
    for (std::size_t i = 0; i < wanted.size(); ++i)
      if ((now_[start + i] & wanted[i]) != wanted[i]) return true;
    return false;
  }

  Result<void> erase(std::size_t start, std::size_t size) {
    cartridge_.touched_ = true;
    const auto erased = cartridge_.reader_.erase(area_, start, size, cartridge_.slot_.session);
    if (!erased) return tl::unexpected(erased.error());
    return read_back(start, size);
  }

  Result<void> write_page(std::size_t at, ByteView page) {
    ++pages_written_;
    cartridge_.touched_ = true;
    const std::size_t chunk = cartridge_.info_.chunk;
    for (std::size_t done = 0; done < page.size(); done += chunk) {
      const ByteView piece = page.subspan(done, std::min(chunk, page.size() - done));
      const auto wrote =
          cartridge_.reader_.write(area_, at + done, piece, cartridge_.slot_.session);
      if (!wrote) return tl::unexpected(wrote.error());
    }
    return read_back(at, page.size());
  }

  // What the reader says of a write is not believed: what it reads is.
  Result<void> read_back(std::size_t start, std::size_t size) {
    const std::size_t chunk = cartridge_.info_.chunk;
    for (std::size_t at = start; at < start + size; at += chunk) {
      const auto bytes = cartridge_.steady(area_, at, std::min(chunk, start + size - at));
      if (!bytes) return tl::unexpected(bytes.error());
      if (!*bytes)
        return fail(Trouble::place, Code::reader_failed, "the chip ends earlier than its size says",
                    "is this the right reader for the cartridge?");
      std::ranges::copy(**bytes, now_.begin() + static_cast<std::ptrdiff_t>(at));
    }
    return {};
  }
  Result<void> read_all() { return read_back(0, now_.size()); }

  Cartridge& cartridge_;
  const CartridgeArea& area_;
  Bytes now_;  // what the area holds, as far as it was read
  std::size_t unit_ = 1;
  std::size_t block_ = 0;  // pages that are erased together, in bytes; 0: nothing is erased
  std::uint64_t pages_written_ = 0;
  std::uint64_t again_ = 0;
  bool gave_up_ = false;
};

Result<WriteOutcome> Cartridge::write(const CartridgeArea& area, ByteView before, ByteView wanted) {
  if (before.size() != wanted.size())
    return fail(Trouble::usage, Code::wrong_size, "the save is not as large as the chip",
                "convert it to the chip's size first");
  WriteOutcome outcome;
  Writer writer(*this, area, before);
  const auto wrong = writer.run(wanted);
  if (!wrong) return tl::unexpected(wrong.error());
  outcome.pages_written = writer.pages_written();
  outcome.pages_again = writer.pages_again();
  if (wrong->empty()) return outcome;
  outcome.wrong_pages.assign(wrong->begin(), wrong->end());
  const auto old = writer.run(before);
  if (!old) return tl::unexpected(old.error());
  outcome.end = old->empty() ? WriteEnd::restored : WriteEnd::broken;
  return outcome;
}

}  // namespace bayswap
