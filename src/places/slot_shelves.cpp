#include "places/slot_shelves.h"

#include <algorithm>
#include <map>
#include <optional>
#include <set>
#include <tuple>

#include "places/path_words.h"

namespace bayswap {
namespace {

// What files of one shelf have in common.
using Shape = std::tuple<System, std::string, std::vector<std::string>>;

struct Like {
  std::vector<std::size_t> files;
  std::vector<std::set<std::string>> numbers;  // the texts at each opening
  NumberedPath first;
  bool sure = false;  // one of them is a state by its name or bytes
};

std::map<Shape, Like> alike(const std::vector<SlotFile>& files) {
  std::map<Shape, Like> found;
  for (std::size_t i = 0; i < files.size(); ++i) {
    NumberedPath path = numbered_path(files[i].pattern);
    Like& like = found[{files[i].system, files[i].layout, path.texts}];
    like.files.push_back(i);
    like.sure = like.sure || files[i].surely_a_state;
    like.numbers.resize(path.numbers.size());
    for (std::size_t k = 0; k < path.numbers.size(); ++k) like.numbers[k].insert(path.numbers[k]);
    if (like.files.size() == 1) like.first = std::move(path);
  }
  return found;
}

// The only opening whose text differs between files; nothing when several do, or none.
std::optional<std::size_t> differing(const Like& like, std::size_t& count) {
  std::optional<std::size_t> place;
  count = 0;
  for (std::size_t k = 0; k < like.numbers.size(); ++k)
    if (like.numbers[k].size() > 1) {
      place = k;
      ++count;
    }
  return count == 1 ? place : std::nullopt;
}

// The last number, where it follows the game's name in the file's own name.
std::optional<std::size_t> last_number(const NumberedPath& path) {
  if (path.numbers.empty()) return std::nullopt;
  const std::string& before = path.texts[path.texts.size() - 2];
  const std::string& behind = path.texts.back();
  const bool in_name = behind.find('/') == std::string::npos &&
                       behind.find('}') == std::string::npos &&
                       before.find('}') != std::string::npos &&
                       before.find('/', before.rfind('}')) == std::string::npos;
  return in_name ? std::optional(path.numbers.size() - 1) : std::nullopt;
}

// The same name with nothing or a letter for the number, whose slot is then the first.
Shape with_first(const Shape& shape, std::size_t place, const std::string& text) {
  Shape other = shape;
  auto& texts = std::get<2>(other);
  texts[place] += text + texts[place + 1];
  texts.erase(texts.begin() + static_cast<std::ptrdiff_t>(place) + 1);
  return other;
}

// What programs write for the first slot where the later ones have digits.
const std::vector<std::string>& first_texts() {
  static const std::vector<std::string> kTexts = [] {
    std::vector<std::string> texts{""};
    for (char letter = 'a'; letter <= 'z'; ++letter) {
      texts.emplace_back(1, letter);
      texts.emplace_back(1, static_cast<char>(letter - 'a' + 'A'));
    }
    return texts;
  }();
  return kTexts;
}

// The same name with a letter for the tens: `.ks1` beside `.k10`, and `.kst` for the first one.
Shape with_letter(const Shape& shape, std::size_t place, char letter) {
  Shape other = shape;
  std::get<2>(other)[place] += letter;
  return other;
}

bool has_same_rest(const Like& like, const Like& first, std::size_t place) {
  std::size_t other = 0;
  for (std::size_t k = 0; k < like.numbers.size(); ++k) {
    if (k == place) continue;
    if (like.numbers[k] != first.numbers.at(other)) return false;
    ++other;
  }
  return true;
}

// Brings states below slot ten, with a letter for the tens, to those from ten on.
void add_tens(std::map<Shape, Like>& found, const Shape& shape, std::size_t place,
              std::set<std::string>& texts, std::vector<std::size_t>& members,
              std::set<const Like*>& taken) {
  const auto is_ten = [](const std::string& text) { return text.size() == 2 && text[0] != '0'; };
  if (!std::ranges::all_of(texts, is_ten)) return;
  for (char letter = 'a'; letter <= 'z'; ++letter) {
    const Shape small = with_letter(shape, place, letter);
    const auto ones = found.find(small);
    if (ones == found.end() || ones->second.numbers.size() <= place ||
        !std::ranges::all_of(ones->second.numbers[place],
                             [](const std::string& text) { return text.size() == 1; }))
      continue;
    for (const std::string& number : ones->second.numbers[place]) texts.insert(letter + number);
    members.insert(members.end(), ones->second.files.begin(), ones->second.files.end());
    taken.insert(&ones->second);
    for (char last = 'a'; last <= 'z'; ++last) {
      const auto first = found.find(with_first(small, place, std::string(1, last)));
      if (first == found.end() || !first->second.numbers.empty()) continue;
      texts.insert(std::string{letter, last});
      members.insert(members.end(), first->second.files.begin(), first->second.files.end());
      taken.insert(&first->second);
    }
    return;
  }
}

}  // namespace

std::vector<SlotShelf> shelves_of_states(const std::vector<SlotFile>& files) {
  auto found = alike(files);
  std::vector<SlotShelf> shelves;
  std::set<const Like*> taken;
  for (auto& [shape, like] : found) {
    if (taken.contains(&like)) continue;
    std::size_t count = 0;
    auto place = differing(like, count);
    if (count == 0 && like.sure) place = last_number(like.first);
    if (!place) continue;
    std::set<std::string> texts = like.numbers[*place];
    std::vector<std::size_t> members = like.files;
    add_tens(found, shape, *place, texts, members, taken);
    for (const std::string& text : first_texts()) {
      const auto first = found.find(with_first(shape, *place, text));
      if (first == found.end() || !has_same_rest(like, first->second, *place)) continue;
      texts.insert(text);
      if (slot_field(texts).empty()) {
        texts.erase(text);
        continue;
      }
      members.insert(members.end(), first->second.files.begin(), first->second.files.end());
      taken.insert(&first->second);
    }
    const std::string field = slot_field(texts);
    if (field.empty()) continue;
    taken.insert(&like);
    shelves.push_back({with_slot(like.first, *place, field), std::move(members)});
  }
  // States without any number: one for each game.
  for (auto& [shape, like] : found) {
    std::size_t count = 0;
    if (taken.contains(&like) || !like.sure || differing(like, count) || count > 0) continue;
    shelves.push_back({with_slot(like.first, like.first.numbers.size(), {}), like.files});
  }
  return shelves;
}

std::vector<SlotShelf> shelves_of_cards(const std::vector<SlotFile>& files) {
  std::vector<SlotShelf> shelves;
  for (auto& [shape, like] : alike(files)) {
    std::size_t count = 0;
    const auto place = differing(like, count);
    const std::string field = place ? slot_field(like.numbers[*place]) : std::string();
    if (!field.empty()) {
      shelves.push_back({with_slot(like.first, *place, field), like.files});
      continue;
    }
    for (const std::size_t file : like.files) shelves.push_back({files[file].pattern, {file}});
  }
  return shelves;
}

}  // namespace bayswap
