#include "places/path_reader.h"

#include <algorithm>
#include <iterator>

#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"
#include "files/atomic_write.h"
#include "places/name_fields.h"
#include "places/path_words.h"
#include "places/second_file.h"
#include "places/shelf_patterns.h"

namespace bayswap {
namespace {

bool has_letters(std::string_view word) {
  return lower_ascii(word) != upper_ascii(word);
}

// ROMs of one name, those first whose folders, or system, the path names most.
std::vector<std::pair<std::size_t, const RomFile*>> nearest_first(
    const std::string& relative, const std::vector<const RomFile*>& roms) {
  std::vector<std::pair<std::size_t, const RomFile*>> order;
  if (roms.size() == 1) return {{0, roms.front()}};
  const std::vector<std::string> names = names_in(relative);
  for (const RomFile* rom : roms) order.emplace_back(nearness(*rom, names), rom);
  std::ranges::stable_sort(order, std::greater{}, [](const auto& one) { return one.first; });
  return order;
}

bool has_system(const PathReading& reading, System system) {
  return reading.rom->info.system == system ||
         std::ranges::any_of(reading.others, [&](const PathReading& other) {
           return other.rom->info.system == system;
         });
}

}  // namespace

Result<FileView> view_of_file(Storage& storage, const WalkedFile& file) {
  if (file.info.size > kSaveLimit) return storage.view(file.path(), kSaveLimit);
  auto seen = storage.view_if(file.path(), file.info, 0, {});
  if (!seen) return tl::unexpected(seen.error());
  return std::move(**seen);
}

void PathReader::collect() const {
  std::set<std::string> unclear;
  for (const RomFile* rom : roms_.roms()) {
    for (const auto& [word, field] : lent_by(*rom)) {
      auto& [known, roms] = words_[word];
      if (!known.empty() && known != field) unclear.insert(word);
      known = field;
      if (std::ranges::find(roms, rom) == roms.end()) roms.push_back(rom);
    }
    for (const std::string& name :
         std::set{lower_ascii(rom->stem), lower_ascii(people_title(*rom, catalog_)),
                  lower_ascii(rom->info.game.title)})
      if (name.size() >= kLeastWord) folded_[name].push_back(rom);
  }
  for (const std::string& word : unclear) words_.erase(word);
}

std::optional<PathReading> PathReader::read(const WalkedFile& file,
                                            const std::string& relative) const {
  const std::string stem =
      word_of_path(relative, [&](std::string_view word) { return roms_.has_stem(word); });
  if (!stem.empty()) {
    std::vector<const RomFile*> roms = roms_.matching(stem, std::nullopt);
    std::erase_if(roms, [&](const RomFile* rom) { return rom->stem != stem; });
    return reading_for(file, relative, stem, "stem", roms);
  }
  std::call_once(collected_, [this] { collect(); });
  const std::string word =
      word_of_path(relative, [&](std::string_view text) { return words_.contains(text); });
  const std::string folded = name_in_any_letters(relative);
  if (folded.size() > word.size()) {
    auto reading = reading_for(file, relative, folded, "stem", folded_.at(lower_ascii(folded)));
    if (reading) {
      reading->folded = with_name_open(relative, folded, *reading->rom);
      reading->only_folded = true;
      return reading;
    }
  }
  if (word.empty()) return std::nullopt;
  const auto& [field, roms] = words_.at(word);
  auto reading = reading_for(file, relative, word, field, roms);
  if (reading && folded == word) reading->folded = with_name_open(relative, folded, *reading->rom);
  return reading;
}

// The path as far as all saves of one habit share it.
std::string PathReader::with_name_open(const std::string& relative, const std::string& name,
                                       const RomFile& rom) const {
  const std::string plain = lower_ascii(relative);
  const std::string folded = lower_ascii(name);
  PathReading reading;
  std::size_t from = 0;
  for (std::size_t at = plain.find(folded); at != std::string::npos;
       at = plain.find(folded, from)) {
    reading.pattern += literal_text(std::string_view(relative).substr(from, at - from)) + "…";
    from = at + folded.size();
  }
  reading.pattern += literal_text(std::string_view(relative).substr(from));
  reading.rom = &rom;
  open_other_words(reading);
  return reading.pattern;
}

// A ROM's name or title as it stands in a path, whatever its capitals and small letters.
std::string PathReader::name_in_any_letters(const std::string& relative) const {
  if (folded_.empty()) return {};
  const std::string plain = lower_ascii(relative);
  const std::string folded =
      word_of_path(plain, [&](std::string_view text) { return folded_.contains(text); });
  return folded.empty() ? folded : relative.substr(plain.rfind(folded), folded.size());
}

// Hashes only where some path has a word that looks like one, since whole ROMs are read for them.
std::vector<std::pair<std::string, std::string>> PathReader::lent_by(const RomFile& rom) const {
  auto words = words_of_rom(rom, catalog_);
  if (hashed_) {
    auto more = words_of_hashes(roms_.hashes_of(storage_, rom));
    std::ranges::move(more, std::back_inserter(words));
  }
  return words;
}

// Opens the other words of the ROM in a pattern, such as a folder that bears its code.
void PathReader::open_other_words(PathReading& reading) const {
  for (const auto& [word, field] : lent_by(*reading.rom)) {
    std::string more = with_field(reading.pattern, word, field);
    if (more == reading.pattern || !NamingPattern::parse(more)) continue;
    reading.pattern = std::move(more);
    if (field != "title" && has_letters(word)) reading.spelled.insert(field);
  }
}

std::optional<PathReading> PathReader::reading_for(const WalkedFile& file,
                                                   const std::string& relative,
                                                   const std::string& word,
                                                   const std::string& field,
                                                   const std::vector<const RomFile*>& roms) const {
  const auto view = view_of_file(storage_, file);
  if (!view) return std::nullopt;
  const std::string& name = file.name();
  std::optional<PathReading> best;
  std::size_t best_nearness = 0;
  for (const auto& [near, rom] : nearest_first(relative, roms)) {
    if (best && (near < best_nearness || has_system(*best, rom->info.system))) continue;
    Hints hints = hints_of(rom->info, catalog_);
    if (companions_) hints.second_file = read_second_file(storage_, file.path());
    auto [guesses, ordinary] = believable(view->bytes(), hints);
    const StateSign sign =
        state_sign(name, view->bytes(), guesses, {.hints = hints, .ordinary = ordinary});
    const bool save = !guesses.empty() && guesses.front().confidence != Confidence::possible;
    if (sign == StateSign::none && !save) continue;
    PathReading reading;
    reading.rom = rom;
    const std::size_t slash = relative.rfind('/');
    reading.folders = {relative.substr(0, slash == std::string::npos ? 0 : slash), folder_of(*rom)};
    reading.pattern = pattern_of(relative, word, field);
    reading.titled = word == rom->stem && word == people_title(*rom, catalog_);
    if (field != "stem" && field != "title" && has_letters(word)) reading.spelled.insert(field);
    if (has_words(reading.pattern)) {
      open_other_words(reading);
      reading.regional = with_region(reading.pattern, rom->info.game.region);
    }
    reading.sign = sign;
    if (sign == StateSign::none) reading.guess = std::move(guesses.front());
    if (best) {
      best->others.push_back(std::move(reading));
    } else {
      best = std::move(reading);
      best_nearness = near;
    }
  }
  return best;
}

std::string PathReader::folder_of(const RomFile& rom) const {
  const std::string folder(folder_text(rom.path));
  if (folder == place_.native()) return ".";
  return text_lies_in(place_.native(), folder) ? text_below(place_.native(), folder) : folder;
}

}  // namespace bayswap
