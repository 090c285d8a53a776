#include "bayswap/save.h"

#include <algorithm>
#include <utility>

namespace bayswap {

bool Game::known() const {
  return !title.empty() || !code.empty() || !serial.empty() || !title_id.empty();
}

const Part* Save::part(std::string_view wanted) const {
  const auto found =
      std::find_if(parts.begin(), parts.end(), [&](const Part& p) { return p.name == wanted; });
  return found == parts.end() ? nullptr : &*found;
}

Part* Save::part(std::string_view wanted) {
  return const_cast<Part*>(std::as_const(*this).part(wanted));
}

bool Save::blank() const {
  bool only_clock = true;
  for (const Part& p : parts) {
    if (p.name == "clock") continue;
    only_clock = false;
    if (!p.blank) return false;
  }
  if (!only_clock) return true;
  const Part* clock = part("clock");
  return clock == nullptr || clock->blank;
}

}  // namespace bayswap
