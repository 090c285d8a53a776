// The game and slot in the name of a state's file.
#include <algorithm>

#include "bayswap/state.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

std::string without_zeros(std::string digits) {
  digits.erase(0, std::min(digits.find_first_not_of('0'), digits.size() - 1));
  return digits;
}

// The digits that a text ends with, taken off it.
std::string take_number(std::string& text) {
  constexpr std::size_t kMostDigits = 3;  // more are a year or a part of the title
  std::size_t start = text.size();
  while (start > 0 && is_digit(text[start - 1])) --start;
  if (start == text.size() || text.size() - start > kMostDigits) return {};
  std::string digits = text.substr(start);
  text.resize(start);
  return without_zeros(std::move(digits));
}

bool drop_end(std::string& text, std::string_view end) {
  if (!lower_ascii(text).ends_with(end)) return false;
  text.resize(text.size() - end.size());
  return true;
}

// `Game (3)`, `Game [3]`, `Game slot 3`, `Game_3`, `Game-3`, `Game.3`: what sets a number apart
// from a title that ends with one.
bool take_from_name(std::string& stem, std::string& slot) {
  std::string rest = stem;
  const bool bracket = drop_end(rest, ")") || drop_end(rest, "]");
  std::string number = take_number(rest);
  if (number.empty() || rest.empty()) return false;
  bool apart = false;
  if (bracket) {
    apart = drop_end(rest, "(") || drop_end(rest, "[") || drop_end(rest, "(slot ");
  } else {
    for (const std::string_view mark : {"_", "-", ".", "#"}) apart = apart || drop_end(rest, mark);
    (void)drop_end(rest, " ");
    apart = drop_end(rest, "slot") || apart;
  }
  while (drop_end(rest, " ") || drop_end(rest, "-") || drop_end(rest, "_")) {
  }
  if (!apart || rest.empty()) return false;
  stem = std::move(rest);
  slot = std::move(number);
  return true;
}

// `Game.state.auto`, `Game.s01.sav`, `Game.state3.gz`: the slot, or that there is none, stands in
// the extension before the last.
bool take_inner_extension(StateName& name) {
  constexpr std::size_t kMostLetters = 6;
  const std::size_t dot = name.stem.rfind('.');
  if (dot == std::string::npos || dot == 0) return false;
  std::string inner = lower_ascii(name.stem.substr(dot + 1));
  const std::string slot = take_number(inner);
  const bool letters = !inner.empty() && inner.size() <= kMostLetters &&
                       std::ranges::all_of(inner, [](char c) { return c >= 'a' && c <= 'z'; });
  if (!letters || (slot.empty() && inner != "state")) return false;
  name.stem.resize(dot);
  name.slot = slot;
  return true;
}

}  // namespace

StateName state_name_of(std::string_view file_name) {
  StateName name;
  const std::size_t dot = file_name.rfind('.');
  if (dot == std::string_view::npos || dot == 0) {
    name.stem = std::string(file_name);
    (void)take_from_name(name.stem, name.slot);
    return name;
  }
  name.stem = std::string(file_name.substr(0, dot));
  std::string extension = lower_ascii(file_name.substr(dot + 1));
  name.slot = take_number(extension);
  if (name.slot.empty() && take_inner_extension(name)) return name;
  if (name.slot.empty() && !take_from_name(name.stem, name.slot) && extension == "state")
    name.slot = "0";  // the first slot, where the later ones have numbers
  return name;
}

}  // namespace bayswap
