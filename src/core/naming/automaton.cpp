#include "core/naming/automaton.h"

#include <algorithm>
#include <utility>

namespace bayswap::naming {
namespace {

void merge(std::vector<std::size_t>& into, const std::vector<std::size_t>& more) {
  into.insert(into.end(), more.begin(), more.end());
  std::sort(into.begin(), into.end());
  into.erase(std::unique(into.begin(), into.end()), into.end());
}

}  // namespace

void Automaton::append_run(const Run& run, Ends& ends) {
  const bool endless = run.max == 0;
  const std::size_t copies = endless ? std::max<std::size_t>(run.min, 1) : run.max;
  Ends reached = run.min == 0 ? ends : Ends{};
  Ends current = ends;
  for (std::size_t i = 1; i <= copies; ++i) {
    const std::size_t position = positions_.size();
    positions_.push_back({run.chars, elements_, {}});
    for (const std::size_t end : current) positions_[end].next.push_back(position);
    if (endless && i == copies) positions_[position].next.push_back(position);
    current = {position};
    if (i >= run.min) merge(reached, current);
  }
  ends = std::move(reached);
}

void Automaton::append(const std::vector<Spelling>& spellings) {
  Ends all;
  for (const Spelling& spelling : spellings) {
    Ends ends = ends_;
    for (const Run& run : spelling) append_run(run, ends);
    merge(all, ends);
  }
  ends_ = std::move(all);
  ++elements_;
}

bool Automaton::accepts_at(std::size_t position) const {
  return std::binary_search(ends_.begin(), ends_.end(), position);
}

std::optional<std::size_t> Automaton::ambiguous_element() const {
  // Pairs of positions that two readings of one text can be in at the same time. A pair of two
  // different positions from which both readings can finish together is an ambiguity.
  const std::size_t count = positions_.size();
  const auto index = [&](std::size_t a, std::size_t b) { return a * count + b; };
  std::vector<bool> reached(count * count, false);
  std::vector<std::pair<std::size_t, std::size_t>> order{{0, 0}};
  reached[index(0, 0)] = true;
  std::vector<std::vector<std::size_t>> sources(count * count);
  for (std::size_t at = 0; at < order.size(); ++at) {
    const auto [a, b] = order[at];
    for (const std::size_t x : positions_[a].next) {
      for (const std::size_t y : positions_[b].next) {
        if ((positions_[x].chars & positions_[y].chars).none()) continue;
        sources[index(x, y)].push_back(index(a, b));
        if (reached[index(x, y)]) continue;
        reached[index(x, y)] = true;
        order.emplace_back(x, y);
      }
    }
  }
  std::vector<bool> finishes(count * count, false);
  std::vector<std::size_t> work;
  for (const auto& [a, b] : order) {
    if (!accepts_at(a) || !accepts_at(b)) continue;
    finishes[index(a, b)] = true;
    work.push_back(index(a, b));
  }
  while (!work.empty()) {
    const std::size_t pair = work.back();
    work.pop_back();
    for (const std::size_t source : sources[pair]) {
      if (finishes[source]) continue;
      finishes[source] = true;
      work.push_back(source);
    }
  }
  for (const auto& [a, b] : order)
    if (a != b && finishes[index(a, b)])
      return std::min(positions_[a].element, positions_[b].element);
  return std::nullopt;
}

std::optional<std::vector<std::string_view>> Automaton::read(std::string_view text) const {
  // The positions that the first i characters can lead to stand from starts[i] to starts[i + 1].
  std::vector<std::size_t> possible{0};
  std::vector<std::size_t> starts{0, 1};
  possible.reserve(4 * (text.size() + 1));
  starts.reserve(text.size() + 2);
  for (std::size_t i = 0; i < text.size(); ++i) {
    for (std::size_t k = starts[i]; k < starts[i + 1]; ++k)
      for (const std::size_t follower : positions_[possible[k]].next)
        if (positions_[follower].chars.test(static_cast<unsigned char>(text[i])))
          possible.push_back(follower);
    const auto fresh = possible.begin() + static_cast<std::ptrdiff_t>(starts[i + 1]);
    std::sort(fresh, possible.end());
    possible.erase(std::unique(fresh, possible.end()), possible.end());
    if (possible.size() == starts.back()) return std::nullopt;
    starts.push_back(possible.size());
  }
  const auto last =
      std::find_if(possible.begin() + static_cast<std::ptrdiff_t>(starts[text.size()]),
                   possible.end(), [&](std::size_t position) { return accepts_at(position); });
  if (last == possible.end()) return std::nullopt;
  // Walk back along the one reading and note the element of each character.
  std::vector<std::size_t> element_of(text.size());
  std::size_t position = *last;
  for (std::size_t i = text.size(); i > 0; --i) {
    element_of[i - 1] = positions_[position].element;
    for (std::size_t k = starts[i - 1]; k < starts[i]; ++k) {
      const auto& next = positions_[possible[k]].next;
      if (std::find(next.begin(), next.end(), position) == next.end()) continue;
      position = possible[k];
      break;
    }
  }
  std::vector<std::string_view> pieces(elements_);
  for (std::size_t i = 0; i < text.size();) {
    std::size_t end = i;
    while (end < text.size() && element_of[end] == element_of[i]) ++end;
    pieces[element_of[i]] = text.substr(i, end - i);
    i = end;
  }
  return pieces;
}

}  // namespace bayswap::naming
