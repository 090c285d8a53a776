#include "places/path_words.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"

namespace bayswap {
namespace {

bool word_char(char c) {
  return is_digit(c) || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') ||
         static_cast<unsigned char>(c) >= 0x80;
}

std::string word_in(std::string_view component,
                    const std::function<bool(std::string_view)>& known) {
  for (std::size_t length = component.size(); length > 0; --length) {
    for (std::size_t start = 0; start + length <= component.size(); ++start) {
      const bool whole_left =
          start == 0 || !word_char(component[start - 1]) || !word_char(component[start]);
      const std::size_t end = start + length;
      const bool whole_right =
          end == component.size() || !word_char(component[end]) || !word_char(component[end - 1]);
      if (whole_left && whole_right && known(component.substr(start, length)))
        return std::string(component.substr(start, length));
    }
  }
  return {};
}

}  // namespace

std::string word_of_path(const std::string& relative,
                         const std::function<bool(std::string_view)>& known) {
  std::string_view rest = relative;
  while (true) {
    const std::size_t slash = rest.rfind('/');
    const std::string_view component =
        slash == std::string_view::npos ? rest : rest.substr(slash + 1);
    std::string word = word_in(component, known);
    if (!word.empty() || slash == std::string_view::npos) return word;
    rest = rest.substr(0, slash);
  }
}

bool has_hash_word(std::string_view relative) {
  std::size_t length = 0;
  bool digit = false;
  bool small = false;
  bool capital = false;
  bool other = false;
  for (std::size_t at = 0; at <= relative.size(); ++at) {
    const char c = at < relative.size() ? relative[at] : '/';
    if (word_char(c)) {
      ++length;
      if (is_digit(c))
        digit = true;
      else if (c >= 'a' && c <= 'f')
        small = true;
      else if (c >= 'A' && c <= 'F')
        capital = true;
      else
        other = true;
      continue;
    }
    const bool long_enough = length == 8 || length == 32 || length == 40;
    // Digits alone are a date.
    if (long_enough && !other && digit && small != capital) return true;
    length = 0;
    digit = small = capital = other = false;
  }
  return false;
}

std::string pattern_of(const std::string& relative, const std::string& word,
                       const std::string& field) {
  std::string pattern;
  std::size_t at = 0;
  while (true) {
    const std::size_t found = relative.find(word, at);
    pattern += literal_text(
        std::string_view(relative).substr(at, found == std::string::npos ? found : found - at));
    if (found == std::string::npos) return pattern;
    pattern += "{" + field + "}";
    at = found + word.size();
  }
}

std::string with_field(const std::string& pattern, std::string_view word,
                       const std::string& field) {
  std::string changed;
  bool in_field = false;
  for (std::size_t at = 0; at < pattern.size();) {
    const char c = pattern[at];
    const bool doubled = at + 1 < pattern.size() && pattern[at + 1] == c;
    if (!in_field && doubled && (c == '{' || c == '}')) {
      changed.append(2, c);
      at += 2;
      continue;
    }
    if (c == '{') in_field = true;
    if (c == '}') in_field = false;
    const std::size_t end = at + word.size();
    const bool whole =
        !in_field && pattern.compare(at, word.size(), word) == 0 &&
        (at == 0 || !word_char(pattern[at - 1]) || !word_char(word.front())) &&
        (end == pattern.size() || !word_char(pattern[end]) || !word_char(word.back()));
    if (whole) {
      changed += "{" + field + "}";
      at = end;
    } else {
      changed += c;
      ++at;
    }
  }
  return changed;
}

bool has_words(const std::string& pattern) {
  std::size_t letters = 0;
  bool in_field = false;
  for (const char c : pattern) {
    if (c == '{') in_field = true;
    if (c == '}') in_field = false;
    letters = !in_field && word_char(c) ? letters + 1 : 0;
    if (letters == kLeastWord) return true;
  }
  return false;
}

std::vector<std::string> with_a_word_open(const std::string& pattern) {
  std::vector<std::string> open;
  bool in_field = false;
  std::size_t from = 0;
  const auto add = [&](std::size_t to) {
    const bool extension = from < pattern.size() && pattern[from] == '.' && from > 0;
    if (to > from && !extension) open.push_back(pattern.substr(0, from) + "…" + pattern.substr(to));
  };
  for (std::size_t at = 0; at < pattern.size(); ++at) {
    const char c = pattern[at];
    if (!in_field && (c == '{' || c == '/')) {
      add(at);
      from = at + 1;
    }
    if (in_field && c == '}') from = at + 1;
    if (c == '{') in_field = true;
    if (c == '}') in_field = false;
  }
  add(pattern.size());
  return open;
}

NumberedPath numbered_path(const std::string& pattern) {
  NumberedPath path;
  path.texts.emplace_back();
  bool in_field = false;
  for (std::size_t i = 0; i < pattern.size(); ++i) {
    const char c = pattern[i];
    const bool doubled = i + 1 < pattern.size() && pattern[i + 1] == c;
    if ((c == '{' || c == '}') && doubled && !in_field) {
      path.texts.back() += {c, c};
      ++i;
      continue;
    }
    if (c == '{') in_field = true;
    if (c == '}') in_field = false;
    if (in_field || !is_digit(c)) {
      path.texts.back() += c;
      continue;
    }
    std::string number;
    for (; i < pattern.size() && is_digit(pattern[i]); ++i) number += pattern[i];
    --i;
    path.numbers.push_back(std::move(number));
    path.texts.emplace_back();
  }
  return path;
}

std::string with_slot(const NumberedPath& path, std::size_t place, const std::string& field) {
  std::string pattern = path.texts.front();
  for (std::size_t i = 0; i < path.numbers.size(); ++i)
    pattern += (i == place ? field : path.numbers[i]) + path.texts[i + 1];
  return pattern;
}

namespace {

// Slots of one character each, with letters behind the nine; empty when they are none.
std::string letter_slots(const std::set<std::string>& texts) {
  bool digit = false;
  bool small = false;
  bool capital = false;
  std::size_t letters = 0;
  for (const std::string& text : texts) {
    if (text.size() != 1) return {};
    const char c = text.front();
    digit = digit || is_digit(c);
    small = small || (c >= 'a' && c <= 'z');
    capital = capital || (c >= 'A' && c <= 'Z');
    if (!is_digit(c)) ++letters;
  }
  // One letter beside numbers that do not begin with nothing is the first slot's.
  const bool many = letters > 1 || texts.contains("0");
  if (!digit || !many || small == capital) return {};
  return small ? "{slot:letters a}" : "{slot:letters A}";
}

// Slots of which those below ten have a letter for the tens; empty when they are none. The first
// one may have two letters.
std::string tens_slots(const std::set<std::string>& texts) {
  std::string letter;
  std::string first;
  bool tens = false;
  for (const std::string& text : texts) {
    if (text.size() != 2 || is_digit(text.front()) != is_digit(text.back())) {
      if (text.size() != 2 || !is_digit(text.back())) return {};
      if (!letter.empty() && letter.front() != text.front()) return {};
      letter = text.substr(0, 1);
    } else if (is_digit(text.front())) {
      if (text.front() == '0') return {};
      tens = true;
    } else if (first.empty()) {
      first = text;
    } else {
      return {};
    }
  }
  if (!tens || letter.empty()) return {};
  if (first.empty()) return "{slot:tens " + letter + "}";
  return first.front() == letter.front() ? "{slot:tens " + letter + ":first " + first + "}"
                                         : std::string();
}

}  // namespace

std::string slot_field(const std::set<std::string>& texts) {
  constexpr std::size_t kMostDigits = 4;
  for (const auto form : {letter_slots, tens_slots})
    if (std::string field = form(texts); !field.empty()) return field;
  const bool nameless = texts.contains("");
  std::string letter;  // of the first slot
  for (const std::string& text : texts)
    if (text.size() == 1 && !is_digit(text.front())) {
      if (!letter.empty() || nameless) return {};
      letter = text;
    }
  std::size_t shortest = kMostDigits + 1;
  std::size_t longest = 0;
  bool zeros = false;
  for (const std::string& text : texts) {
    if (text.empty() || text == letter) continue;
    shortest = std::min(shortest, text.size());
    longest = std::max(longest, text.size());
    zeros = zeros || (text.size() > 1 && text.front() == '0');
    // Without a number is the first slot, so that no other one can be it.
    if ((nameless || !letter.empty()) && text.find_first_not_of('0') == std::string::npos)
      return {};
  }
  if (longest == 0 || longest > kMostDigits || (zeros && shortest != longest)) return {};
  const bool padded = zeros && longest > 1;
  return fmt::format("{{slot{}{}}}", padded ? fmt::format(":pad {}", longest) : "",
                     nameless || !letter.empty() ? ":first " + letter : "");
}

}  // namespace bayswap
