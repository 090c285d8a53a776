#include "core/states/whole_save.h"

#include <algorithm>
#include <cmath>

namespace bayswap {
namespace {

constexpr std::size_t kBlock = 16;       // telling bytes that are judged together
constexpr std::size_t kBlockAgrees = 7;  // of them; records of one form agree in some by chance

// Bytes of the known save, and those at the place in the same order.
struct Compared {
  ByteView known;
  Bytes there;

  [[nodiscard]] bool agrees(std::size_t at) const { return known[at] == there[at]; }
};

// Whether the filler behind the last changed byte shows that the save ends where it should: a block
// of it has changed, and what is behind the block has not.
bool ends_as_known(const Compared& bytes, const std::vector<std::size_t>& behind) {
  constexpr std::size_t kLeast = 32;
  std::size_t at = 0;
  std::size_t run = 0;
  for (; at < behind.size() && run < kLeast; ++at) run = bytes.agrees(behind[at]) ? run + 1 : 0;
  if (run < kLeast) return false;
  std::size_t same = 0;
  for (std::size_t i = at; i < behind.size(); ++i) same += bytes.agrees(behind[i]) ? 1 : 0;
  return same * 10 >= (behind.size() - at) * 6;
}

// Whether the bytes from one end of the save on are another thing's. `order`: all places, from that
// end.
bool is_cut_at(const Compared& bytes, const std::vector<std::size_t>& order) {
  std::vector<std::size_t> missing;  // telling bytes that disagree, from the end on
  std::vector<std::size_t> block;
  std::size_t last = 0;
  for (std::size_t i = 0; i < order.size(); ++i) {
    if (is_filler(bytes.known[order[i]])) continue;
    block.push_back(order[i]);
    if (block.size() < kBlock) continue;
    const auto same =
        std::ranges::count_if(block, [&](std::size_t at) { return bytes.agrees(at); });
    if (static_cast<std::size_t>(same) >= kBlockAgrees) break;
    if (missing.empty()) last = i;
    missing.insert(missing.end(), block.begin(), block.end());
    block.clear();
  }
  if (missing.empty()) return false;
  const std::byte first = bytes.there[missing.front()];
  if (is_filler(first) &&
      std::ranges::all_of(missing, [&](std::size_t at) { return bytes.there[at] == first; }))
    return true;  // nothing is there
  // The filler between this end and the first telling bytes, from the inside outwards.
  std::vector<std::size_t> behind;
  for (std::size_t i = 0; i < last; ++i)
    if (is_filler(bytes.known[order[i]])) behind.push_back(order[i]);
  std::ranges::reverse(behind);
  return !ends_as_known(bytes, behind);
}

// Places that share most of their bytes.
bool overlap(const Sighting& a, const Sighting& b, std::size_t size) {
  return (std::max(a.offset, b.offset) - std::min(a.offset, b.offset)) * 2 < size;
}

// Where less than half of what tells agrees, the filler around it has to agree too.
bool is_enough(const Sighting& place, std::size_t size) {
  const bool half = place.telling_agree * 2 >= place.telling;
  return half || (place.telling_agree * 10 >= place.telling * 3 && place.agree * 3 >= size * 2);
}

// A save of like records is like itself one record further on: chance has to be ruled out.
bool clearly_less(const Sighting& other, const Sighting& best) {
  const double clear = 4.0 * std::sqrt(static_cast<double>(best.telling_agree));
  return static_cast<double>(best.telling_agree) - static_cast<double>(other.telling_agree) > clear;
}

}  // namespace

bool is_cut(ByteView known, const LikeSave& like) {
  if (like.ends_known) return false;
  const Compared bytes{known, bytes_there(like.where, known.size(), like.place)};
  std::vector<std::size_t> order(known.size());
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
  if (is_cut_at(bytes, order)) return true;
  std::ranges::reverse(order);
  return is_cut_at(bytes, order);
}

std::optional<std::size_t> only_save(ByteView known, const std::vector<LikeSave>& likes) {
  std::vector<std::size_t> whole;
  for (std::size_t i = 0; i < likes.size(); ++i)
    if (is_enough(likes[i].place, known.size()) && !is_cut(known, likes[i])) whole.push_back(i);
  if (whole.empty()) return std::nullopt;
  const std::size_t chosen = *std::ranges::max_element(
      whole, {}, [&](std::size_t i) { return likes[i].place.telling_agree; });
  const LikeSave& best = likes[chosen];
  const Bytes bytes = bytes_there(best.where, known.size(), best.place);
  for (std::size_t i = 0; i < likes.size(); ++i) {
    const LikeSave& other = likes[i];
    if (i == chosen || other.place.telling_agree * 2 < best.place.telling_agree) continue;
    if (other.where.data() == best.where.data() && overlap(best.place, other.place, known.size())) {
      if (!clearly_less(other.place, best.place)) return std::nullopt;
    } else if (std::ranges::find(whole, i) != whole.end() &&
               bytes_there(other.where, known.size(), other.place) != bytes) {
      return std::nullopt;
    }
  }
  if (!best.ends_known && stands_elsewhere(best.where, known, best.place)) return std::nullopt;
  return chosen;
}

}  // namespace bayswap
