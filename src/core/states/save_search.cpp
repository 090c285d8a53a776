#include "core/states/save_search.h"

#include <algorithm>
#include <array>
#include <cstdint>
#include <cstring>
#include <future>

#include "core/bytes/order.h"

namespace bayswap {
namespace {

constexpr std::array<std::size_t, 4> kUnits{1, 2, 4, 8};
constexpr std::size_t kMostWindows = 32'768;  // of one byte order
constexpr std::size_t kSegments = 64;         // of a large save, each gives some windows
constexpr std::size_t kLargeSave = 4096;      // bytes; places of these are sampled
constexpr std::size_t kMostHits = 32;         // more often than this, a run says nothing
constexpr std::size_t kMostPlaces = 64;       // that are compared as a whole
constexpr std::size_t kLeastTelling = 12;     // bytes that must agree

std::uint64_t word_at(ByteView bytes, std::size_t at) {
  std::uint64_t word = 0;
  std::memcpy(&word, bytes.data() + at, sizeof word);
  return word;
}

// Runs of few different values stand in many places by chance.
bool says_something(std::uint64_t word) {
  std::array<std::uint8_t, 8> bytes{};
  std::memcpy(bytes.data(), &word, sizeof word);
  std::size_t filler = 0;
  for (const std::uint8_t byte : bytes) filler += byte == 0x00 || byte == 0xFF ? 1U : 0U;
  std::ranges::sort(bytes);
  const auto values = std::unique(bytes.begin(), bytes.end()) - bytes.begin();
  return filler <= 5 && values >= 3;
}

std::uint64_t mixed(std::uint64_t word) {
  return word * 0x9E3779B97F4A7C15ULL;
}

// Where one run of the save stands in it.
struct Window {
  std::uint64_t word = 0;
  std::uint32_t at = 0;
  std::uint32_t unit = 0;  // place in kUnits
};

void collect_windows(ByteView known, std::uint32_t unit, std::vector<Window>& windows) {
  const std::size_t count = known.size() - kSearchRun + 1;
  const std::size_t segment = (count + kSegments - 1) / kSegments;
  const std::size_t each = count <= kMostWindows ? segment : kMostWindows / kSegments;
  std::vector<Window> found;
  for (std::size_t start = 0; start < count; start += segment) {
    std::size_t taken = 0;
    for (std::size_t at = start; at < std::min(count, start + segment) && taken < each; ++at) {
      const std::uint64_t word = word_at(known, at);
      if (!says_something(word)) continue;
      found.push_back({word, static_cast<std::uint32_t>(at), unit});
      ++taken;
    }
  }
  // A run that the save holds twice votes for two offsets, one of them wrong.
  std::ranges::sort(found, {}, &Window::word);
  for (std::size_t i = 0; i < found.size();) {
    std::size_t end = i + 1;
    while (end < found.size() && found[end].word == found[i].word) ++end;
    if (end - i == 1) windows.push_back(found[i]);
    i = end;
  }
}

// Finds a word among the windows: a small filter first, which most words do not pass.
class WindowTable {
 public:
  explicit WindowTable(const std::vector<Window>& windows) : windows_(windows) {
    while ((std::size_t{1} << bits_) < windows.size() * 2) ++bits_;
    slots_.assign(std::size_t{1} << bits_, 0);
    filter_.assign((std::size_t{1} << (bits_ + 3)) / 64, 0);
    for (std::size_t i = 0; i < windows.size(); ++i) {
      const std::uint64_t hash = mixed(windows[i].word);
      const std::size_t bit = hash >> (61U - bits_);
      filter_[bit / 64] |= std::uint64_t{1} << (bit % 64);
      std::size_t slot = hash >> (64U - bits_);
      while (slots_[slot] != 0) slot = (slot + 1) & (slots_.size() - 1);
      slots_[slot] = static_cast<std::uint32_t>(i + 1);
    }
  }
  [[nodiscard]] bool may_have(std::uint64_t hash) const {
    const std::size_t bit = hash >> (61U - bits_);
    return (filter_[bit / 64] >> (bit % 64) & 1U) != 0;
  }
  /// Calls with the place of every window of this word: one for each byte order at most.
  template <class Visit>
  void visit(std::uint64_t word, std::uint64_t hash, Visit visit) const {
    std::size_t slot = hash >> (64U - bits_);
    for (; slots_[slot] != 0; slot = (slot + 1) & (slots_.size() - 1))
      if (windows_[slots_[slot] - 1].word == word) visit(slots_[slot] - 1);
  }

 private:
  const std::vector<Window>& windows_;
  unsigned bits_ = 6;
  std::vector<std::uint32_t> slots_;  // place in windows_ plus 1; 0: none
  std::vector<std::uint64_t> filter_;
};

// An offset and a byte order in one number, so that equal votes sort together.
using Vote = std::uint64_t;

std::vector<Vote> votes_between(ByteView where, std::size_t known_size, std::size_t from,
                                std::size_t to, std::size_t step, const WindowTable& table,
                                const std::vector<Window>& windows) {
  std::vector<Vote> votes;
  std::vector<std::uint8_t> hits(windows.size());
  for (std::size_t at = from; at < to; at += step) {
    const std::uint64_t word = word_at(where, at);
    const std::uint64_t hash = mixed(word);
    if (!table.may_have(hash)) continue;
    table.visit(word, hash, [&](std::size_t place) {
      const Window& window = windows[place];
      if (hits[place] >= kMostHits || window.at > at) return;
      const std::size_t offset = at - window.at;
      if (known_size > where.size() - offset) return;
      ++hits[place];
      votes.push_back(Vote{offset} << 2U | window.unit);
    });
  }
  return votes;
}

std::vector<Vote> most_voted(std::vector<Vote> votes) {
  std::ranges::sort(votes);
  std::vector<std::pair<std::size_t, Vote>> counted;
  for (std::size_t i = 0; i < votes.size();) {
    std::size_t end = i + 1;
    while (end < votes.size() && votes[end] == votes[i]) ++end;
    counted.emplace_back(end - i, votes[i]);
    i = end;
  }
  const std::size_t kept = std::min(kMostPlaces, counted.size());
  std::partial_sort(counted.begin(), counted.begin() + static_cast<std::ptrdiff_t>(kept),
                    counted.end(), std::greater<>());
  counted.resize(kept);
  std::vector<Vote> best;
  for (const auto& [count, vote] : counted) best.push_back(vote);
  return best;
}

}  // namespace

Sighting compare_at(ByteView where, ByteView known, std::size_t offset, std::size_t unit) {
  Sighting place;
  place.offset = offset;
  place.unit = unit;
  const Bytes there = bytes_there(where, known.size(), place);
  for (std::size_t at = 0; at < there.size(); at += kSearchRun) {
    const std::size_t end = std::min(at + kSearchRun, there.size());
    bool whole = true;
    for (std::size_t i = at; i < end; ++i) {
      const bool same = there[i] == known[i];
      whole = whole && same;
      place.agree += same ? 1 : 0;
      if (is_filler(known[i])) continue;
      ++place.telling;
      place.telling_agree += same ? 1 : 0;
    }
    ++place.runs;
    place.runs_agree += whole ? 1 : 0;
  }
  return place;
}

std::vector<Sighting> find_like(ByteView where, ByteView known) {
  std::vector<Sighting> found;
  if (known.size() < kSearchRun || known.size() > where.size() || known.size() > ~std::uint32_t{0})
    return found;
  std::vector<Window> windows;
  Bytes turned(known.begin(), known.end());
  for (std::uint32_t i = 0; i < kUnits.size(); ++i) {
    if (kUnits[i] > 1) {
      turned.assign(known.begin(), known.end());
      reverse_units(turned, kUnits[i]);
    }
    collect_windows(turned, i, windows);
  }
  if (windows.empty()) return found;
  const WindowTable table(windows);
  const std::size_t step = known.size() >= kLargeSave ? kSearchRun : 1;
  const std::size_t end = where.size() - kSearchRun + 1;
  const std::size_t middle = end / 2 / kSearchRun * kSearchRun;
  auto front = std::async(std::launch::async, [&] {
    return votes_between(where, known.size(), 0, middle, step, table, windows);
  });
  std::vector<Vote> votes = votes_between(where, known.size(), middle, end, step, table, windows);
  const std::vector<Vote> others = front.get();
  votes.insert(votes.end(), others.begin(), others.end());
  for (const Vote vote : most_voted(std::move(votes))) {
    const Sighting place =
        compare_at(where, known, static_cast<std::size_t>(vote >> 2U), kUnits[vote & 3U]);
    if (place.telling_agree >= kLeastTelling && place.telling_agree * 4 >= place.telling)
      found.push_back(place);
  }
  std::ranges::stable_sort(found, std::greater<>(), &Sighting::telling_agree);
  return found;
}

namespace {

// Shifts at which runs of the save stand that a place does not have; those with many runs.
std::vector<std::uint64_t> other_shifts(ByteView where, const std::vector<Window>& windows) {
  constexpr std::size_t kLeast = 8;  // runs that overlap: a stretch of 15 bytes
  constexpr std::size_t kMost = 32;  // shifts
  std::vector<std::uint64_t> shifts;
  const WindowTable table(windows);
  std::vector<std::uint8_t> hits(windows.size());
  for (std::size_t at = 0; at + kSearchRun <= where.size(); ++at) {
    const std::uint64_t word = word_at(where, at);
    const std::uint64_t hash = mixed(word);
    if (!table.may_have(hash)) continue;
    table.visit(word, hash, [&](std::size_t found) {
      if (hits[found] >= kMostHits) return;
      ++hits[found];
      // Shifts may lead before the beginning; equal ones are equal all the same.
      shifts.push_back(std::uint64_t{at} - windows[found].at);
    });
  }
  std::ranges::sort(shifts);
  std::vector<std::pair<std::size_t, std::uint64_t>> counted;
  for (std::size_t i = 0; i < shifts.size();) {
    std::size_t end = i + 1;
    while (end < shifts.size() && shifts[end] == shifts[i]) ++end;
    if (end - i >= kLeast) counted.emplace_back(end - i, shifts[i]);
    i = end;
  }
  std::ranges::sort(counted, std::greater<>());
  std::vector<std::uint64_t> most;
  for (const auto& [count, shift] : counted)
    if (most.size() < kMost) most.push_back(shift);
  return most;
}

// Telling bytes of the save in blocks that are much more like what stands at the other shift. Where
// a game went on, some bytes have changed and most have not: an older copy is not much more like.
std::size_t better_at(ByteView where, ByteView turned, ByteView there, std::uint64_t shift) {
  constexpr std::size_t kBlock = 64;
  constexpr std::size_t kLeastTellingInBlock = 8;
  std::size_t better = 0;
  for (std::size_t start = 0; start < turned.size(); start += kBlock) {
    std::size_t telling = 0;
    std::size_t here = 0;
    std::size_t other = 0;
    for (std::size_t i = start; i < std::min(start + kBlock, turned.size()); ++i) {
      if (is_filler(turned[i])) continue;
      ++telling;
      here += there[i] == turned[i] ? 1 : 0;
      const std::uint64_t at = shift + i;
      other += at < where.size() && where[static_cast<std::size_t>(at)] == turned[i] ? 1 : 0;
    }
    if (telling >= kLeastTellingInBlock && other * 10 >= telling * 6 && here * 10 < other * 6)
      better += telling;
  }
  return better;
}

}  // namespace

bool stands_elsewhere(ByteView where, ByteView known, const Sighting& place) {
  constexpr std::size_t kLeast = 24;  // telling bytes
  const auto unit =
      static_cast<std::uint32_t>(std::ranges::find(kUnits, place.unit) - kUnits.begin());
  Bytes turned(known.begin(), known.end());
  if (place.unit > 1) reverse_units(turned, place.unit);
  const ByteView there = where.subspan(place.offset, known.size());
  std::vector<Window> windows;
  collect_windows(turned, unit, windows);
  std::erase_if(windows,
                [&](const Window& window) { return word_at(there, window.at) == window.word; });
  if (windows.empty()) return false;
  return std::ranges::any_of(other_shifts(where, windows), [&](std::uint64_t shift) {
    return shift != place.offset && better_at(where, turned, there, shift) >= kLeast;
  });
}

Bytes bytes_there(ByteView where, std::size_t size, const Sighting& place) {
  const ByteView there = where.subspan(place.offset, size);
  Bytes bytes(there.begin(), there.end());
  if (place.unit > 1) reverse_units(bytes, place.unit);
  return bytes;
}

}  // namespace bayswap
