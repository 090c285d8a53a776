// Which stored number is the checksum of which bytes: plausible ranges and kinds are tried.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

#include "core/fields/bits.h"
#include "core/fields/search.h"
#include "core/fields/sums.h"

namespace bayswap::fields {
namespace {

constexpr std::size_t kMostMarks = 48;   // places where ranges may begin or end
constexpr std::size_t kLeastRange = 16;  // bytes
constexpr std::size_t kLarge = 64U << 10U;
constexpr double kSameEverywhere = 8;  // taken off a likelihood

// A way to make a checksum, without its place.
std::vector<Checksum> kinds(unsigned width) {
  std::vector<Checksum> all;
  for (const std::endian order : {std::endian::little, std::endian::big}) {
    Checksum sum;
    sum.width = width;
    sum.order = order;
    for (const unsigned unit : {8U, 16U, 32U}) {
      if (unit > width) continue;
      for (const auto complement :
           {Checksum::Complement::none, Checksum::Complement::ones, Checksum::Complement::twos}) {
        sum.unit = unit;
        sum.complement = complement;
        sum.kind = Checksum::Kind::sum;
        all.push_back(sum);
      }
      sum.complement = Checksum::Complement::none;
      if (unit != width) continue;
      sum.kind = Checksum::Kind::exclusive_or;
      all.push_back(sum);
    }
    sum = Checksum{};
    sum.width = sum.crc_bits = width;
    sum.order = order;
    sum.kind = Checksum::Kind::crc;
    const auto add = [&](std::uint64_t polynomial, bool reflected, std::uint64_t start,
                         std::uint64_t final_xor) {
      sum.polynomial = polynomial;
      sum.reflected = sum.reflected_out = reflected;
      sum.start = start;
      sum.final_xor = final_xor;
      all.push_back(sum);
    };
    if (width == 16) {
      add(0x1021, false, 0xFFFF, 0);
      add(0x1021, false, 0, 0);
      add(0xA001, true, 0, 0);
      add(0xA001, true, 0xFFFF, 0);
      add(0x8408, true, 0xFFFF, 0xFFFF);
    }
    if (width == 32) {
      add(0xEDB88320, true, 0xFFFFFFFF, 0xFFFFFFFF);
      add(0x04C11DB7, false, 0xFFFFFFFF, 0);
    }
  }
  return all;
}

// A checksum that takes one byte after the other, so that it is known at each end of a range.
class Running {
 public:
  explicit Running(const Checksum& sum)
      : sum_(sum), table_(sum), unit_bytes_(sum.kind == Checksum::Kind::crc ? 1 : sum.unit / 8) {}
  void begin() {
    value_ = sum_.start;
    filled_ = 0;
    pending_ = 0;
  }
  void add(std::byte byte) {
    if (sum_.kind == Checksum::Kind::crc) {
      value_ = table_.next(value_, to_u8(byte));
      return;
    }
    const unsigned shift = sum_.order == std::endian::big ? unit_bytes_ - 1 - filled_ : filled_;
    pending_ |= static_cast<std::uint64_t>(to_u8(byte)) << (8 * shift);
    if (++filled_ < unit_bytes_) return;
    value_ = sum_.kind == Checksum::Kind::sum ? value_ + pending_ : value_ ^ pending_;
    filled_ = 0;
    pending_ = 0;
  }
  /// False in the middle of a unit.
  [[nodiscard]] bool is_whole() const { return filled_ == 0; }
  [[nodiscard]] std::uint64_t value() const {
    std::uint64_t value = value_ ^ sum_.final_xor;
    if (sum_.complement == Checksum::Complement::ones) value = ~value;
    if (sum_.complement == Checksum::Complement::twos) value = 0 - value;
    return value & low_bits(sum_.width);
  }

 private:
  const Checksum& sum_;
  CrcTable table_;
  unsigned unit_bytes_;
  std::uint64_t value_ = 0;
  std::uint64_t pending_ = 0;
  unsigned filled_ = 0;
};

// Where ranges may begin or end: round places, and where filler begins and ends.
std::vector<std::size_t> marks_in(ByteView save) {
  std::set<std::size_t> marks{0, save.size()};
  std::size_t step = 0x100;
  while (save.size() / step > kMostMarks) step *= 2;
  for (std::size_t at = step; at < save.size(); at += step) marks.insert(at);
  for (std::size_t at = 0x10; at <= 0x200 && at < save.size(); at *= 2) marks.insert(at);
  return {marks.begin(), marks.end()};
}

bool is_round(std::size_t at, std::size_t size) {
  return at == 0 || at == size || at % 0x100 == 0;
}

class Guesser {
 public:
  explicit Guesser(const std::vector<ByteView>& saves)
      : saves_(saves), save_(saves.front()), marks_(marks_in(save_)) {}

  std::vector<GuessedSum> run(std::size_t most) {
    for (const unsigned width : {16U, 32U, 8U}) {
      if (width == 8 && saves_.size() < 3) continue;  // chance alone gives hundreds
      for (const Checksum& sum : kinds(width)) {
        Running running(sum);
        for (const std::size_t from : begins(sum)) try_from(running, sum, from);
      }
    }
    std::ranges::stable_sort(found_, std::ranges::greater{}, &GuessedSum::likelihood);
    drop_twins();
    if (found_.size() > most) found_.resize(most);
    return std::move(found_);
  }

 private:
  // Ranges begin at marks, or just behind a checksum that stands at one.
  std::vector<std::size_t> begins(const Checksum& sum) const {
    std::set<std::size_t> begins(marks_.begin(), marks_.end());
    const std::size_t width = sum.width / 8;
    const bool is_large = save_.size() > kLarge;  // there only at the beginning
    for (const std::size_t mark : marks_)
      for (std::size_t at = mark + width; at <= mark + 16 && (mark == 0 || !is_large); at += width)
        begins.insert(at);
    begins.erase(save_.size());
    return {begins.begin(), begins.end()};
  }

  void try_from(Running& running, const Checksum& sum, std::size_t from) {
    const std::size_t width = sum.width / 8;
    running.begin();
    std::size_t mark = 0;
    for (std::size_t end = from; end <= save_.size(); ++end) {
      if (end > from) running.add(save_[end - 1]);
      while (mark < marks_.size() && marks_[mark] < end) ++mark;
      if (end - from < kLeastRange) continue;
      if (!running.is_whole()) continue;
      const std::uint64_t value = running.value();
      // Stored behind what it covers, or in front of it where that ends at a mark.
      if (end + width <= save_.size()) try_place(sum, from, end, end, value);
      const bool at_mark = mark < marks_.size() && marks_[mark] == end;
      if (at_mark && from >= width) try_place(sum, from, end, from - width, value);
      // A little in front of it: one save alone has too many such numbers by chance.
      constexpr std::size_t kNear = 32;  // bytes
      const bool from_mark = std::ranges::binary_search(marks_, from);
      if (at_mark && from_mark && saves_.size() > 1)
        for (std::size_t at = from - std::min(from, kNear); at + 2 * width <= from; at += width)
          try_place(sum, from, end, at, value);
      if (at_mark && end + 2 * width <= save_.size() && width == 2) {
        // Beside its complement.
        try_place(sum, from, end, end + width, value);
      }
    }
  }

  void try_place(const Checksum& sum, std::size_t from, std::size_t end, std::size_t at,
                 std::uint64_t value) {
    const std::size_t width = sum.width / 8;
    if (number_in(save_.subspan(at, width), sum.order) != value) return;
    if (value == 0 || value == low_bits(sum.width)) return;
    for (std::size_t i = 1; i < saves_.size(); ++i)
      if (number_in(saves_[i].subspan(at, width), sum.order) !=
          sum_of(sum, saves_[i].subspan(from, end - from)))
        return;
    if (!says_something(from, end)) return;
    GuessedSum guess;
    guess.sum = sum;
    guess.at = at;
    guess.from = from;
    guess.size = end - from;
    guess.likelihood = likelihood(guess) - (is_same_in_all(from, end) ? kSameEverywhere : 0);
    found_.push_back(std::move(guess));
  }

  // A second save in which nothing of it differs tells nothing more.
  bool is_same_in_all(std::size_t from, std::size_t end) const {
    const ByteView first = save_.subspan(from, end - from);
    return saves_.size() > 1 && std::ranges::all_of(saves_, [&](ByteView other) {
             return std::ranges::equal(first, other.subspan(from, end - from));
           });
  }

  // Filler has the same sum as more filler.
  bool says_something(std::size_t from, std::size_t end) const {
    std::array<std::size_t, 256> counts{};
    for (const std::byte byte : save_.subspan(from, end - from)) ++counts[to_u8(byte)];
    return end - from - std::ranges::max(counts) >= 8;
  }

  double likelihood(const GuessedSum& guess) const {
    const std::size_t size = save_.size();
    const std::size_t width = guess.sum.width / 8;
    const std::size_t end = guess.from + guess.size;
    double likelihood = std::log2(static_cast<double>(guess.size)) / 2;
    likelihood += width == 4 ? 6 : 0;  // chance hits are rare
    likelihood += width == 1 ? -4 : 0;
    likelihood += guess.from == 0 || end == size ? 2 : 0;
    likelihood += is_round(guess.from, size) ? 2 : 0;
    likelihood += is_round(end, size) ? 2 : 0;
    likelihood += is_round(guess.at, size) || is_round(guess.at + width, size) ? 3 : 0;
    likelihood += guess.at % width == 0 ? 1 : 0;
    likelihood += guess.at == end && is_filler_behind(guess.at + width) ? 4 : 0;
    likelihood += guess.at == end || guess.at + width == guess.from ? 1 : 0;
    likelihood += guess.sum.complement == Checksum::Complement::none ? 1 : 0;
    likelihood -= guess.sum.kind == Checksum::Kind::exclusive_or ? 1 : 0;
    return likelihood;
  }

  // Where nothing follows, a checksum ends what the game writes.
  bool is_filler_behind(std::size_t at) const {
    constexpr std::size_t kEnough = 8;  // bytes
    if (at + kEnough > save_.size()) return false;
    const ByteView behind = save_.subspan(at, kEnough);
    return std::ranges::all_of(behind, [&](std::byte byte) { return byte == behind[0]; });
  }

  // The same place with a shorter or longer run of filler is the same checksum.
  void drop_twins() {
    std::set<std::pair<std::uint64_t, unsigned>> seen;
    std::vector<GuessedSum> kept;
    for (GuessedSum& guess : found_)
      if (seen.emplace(guess.at, guess.sum.width).second) kept.push_back(std::move(guess));
    found_ = std::move(kept);
  }

  const std::vector<ByteView>& saves_;
  ByteView save_;
  std::vector<std::size_t> marks_;
  std::vector<GuessedSum> found_;
};

}  // namespace

std::vector<GuessedSum> guess_sums(const std::vector<ByteView>& saves, std::size_t most) {
  if (saves.empty() || saves[0].size() < 2 * kLeastRange) return {};
  for (const ByteView save : saves)
    if (save.size() != saves[0].size()) return {};
  return Guesser(saves).run(most);
}

std::vector<GuessedCopies> guess_copies(ByteView save) {
  std::vector<GuessedCopies> found;
  for (std::size_t size = save.size() / 2; size >= 0x100; size /= 2) {
    for (std::size_t first = 0; first + 2 * size <= save.size(); first += size) {
      const ByteView one = save.subspan(first, size);
      const ByteView other = save.subspan(first + size, size);
      std::size_t differing = 0;
      std::array<std::size_t, 256> counts{};
      for (std::size_t i = 0; i < size; ++i) {
        differing += one[i] != other[i] ? 1 : 0;
        ++counts[to_u8(one[i])];
      }
      const std::size_t content = size - std::ranges::max(counts);
      if (content >= size / 16 && differing <= content / 4)
        found.push_back({first, first + size, size, differing});
    }
    if (!found.empty()) break;
  }
  return found;
}

std::string map_lines(const GuessedSum& guess) {
  const Checksum& sum = guess.sum;
  std::string text = fmt::format(
      "[[checksum]]\nname = \"sum_{:x}\"\nat = 0x{:x}\ntype = \"u{}\"\norder = \"{}\"\n", guess.at,
      guess.at, sum.width, sum.order == std::endian::big ? "big" : "little");
  switch (sum.kind) {
    case Checksum::Kind::sum: text += fmt::format("kind = \"sum\"\nunit = {}\n", sum.unit); break;
    case Checksum::Kind::exclusive_or:
      text += fmt::format("kind = \"xor\"\nunit = {}\n", sum.unit);
      break;
    case Checksum::Kind::crc:
      text += fmt::format("kind = \"crc\"\npolynomial = 0x{:x}\nreflected = {}\n", sum.polynomial,
                          sum.reflected);
      if (sum.start != 0) text += fmt::format("start = 0x{:x}\n", sum.start);
      if (sum.final_xor != 0) text += fmt::format("final_xor = 0x{:x}\n", sum.final_xor);
      break;
  }
  if (sum.complement == Checksum::Complement::ones) text += "complement = \"ones\"\n";
  if (sum.complement == Checksum::Complement::twos) text += "complement = \"twos\"\n";
  return text + fmt::format("over = [{{ at = 0x{:x}, size = 0x{:x} }}]\n", guess.from, guess.size);
}

std::string map_lines(const GuessedCopies& copies) {
  return fmt::format("[copies]\nat = [0x{:x}, 0x{:x}]\nsize = 0x{:x}\n", copies.first,
                     copies.second, copies.size);
}

}  // namespace bayswap::fields
