// Working out from a folder where a program keeps its saves.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <functional>
#include <iterator>
#include <map>
#include <mutex>
#include <optional>
#include <set>
#include <unordered_map>

#include "bays/file_names.h"
#include "bays/name_fields.h"
#include "bays/path_words.h"
#include "bays/rom_folders.h"
#include "bays/rom_index.h"
#include "bays/shelf_groups.h"
#include "bays/shelf_patterns.h"
#include "bays/slot_shelves.h"
#include "bays/survey.h"
#include "bays/walk.h"
#include "bayswap/bay.h"
#include "bayswap/card.h"
#include "bayswap/layout.h"
#include "bayswap/naming.h"
#include "bytes/text.h"
#include "cards/companion.h"
#include "folders/find_folders.h"
#include "layouts/folders/path_text.h"
#include "look/inspect.h"
#include "storage/atomic_write.h"
#include "storage/two_threads.h"

namespace bayswap {
namespace {

struct Candidate {
  const WalkedFile* file = nullptr;
  std::string relative;
  std::vector<Guess> guesses = {};  // of its content alone, once no ROM's name was found
  bool state = false;               // its bytes or name say so
};

// What a file's path and content say of it together.
struct Naming {
  std::string pattern;
  const RomFile* rom = nullptr;
  SaveAndRomFolder folders;
  StateSign sign = StateSign::none;
  std::optional<Guess> guess;     // none: a save state
  bool titled = false;            // the ROM's title is the same as its stem
  std::set<std::string> spelled;  // fields whose letters tell capitals from small ones
  std::string regional;           // the pattern with the ROM's region open; empty where it has none
  std::string folded;             // the path but for a ROM's name in whatever letters
  bool only_folded = false;       // they are not those of the ROM
  std::vector<Naming> others;     // of other systems' ROMs that are called so and lie no farther
};

bool has_letters(std::string_view word) {
  return lower_ascii(word) != upper_ascii(word);
}

// What ROMs are called in other words than their files' names: the field of each word, and the ROMs
// that have it. A word that two ROMs share in different fields says nothing.
using Words =
    std::map<std::string, std::pair<std::string, std::vector<const RomFile*>>, std::less<>>;

// The words that a ROM can lend to a path, with the field of each.
using LentWords = std::function<std::vector<std::pair<std::string, std::string>>(const RomFile&)>;

Words words_of(const RomIndex& index, const LentWords& lent) {
  Words words;
  std::set<std::string> unclear;
  for (const RomFile* rom : index.roms())
    for (const auto& [word, field] : lent(*rom)) {
      auto& [known, roms] = words[word];
      if (!known.empty() && known != field) unclear.insert(word);
      known = field;
      if (std::ranges::find(roms, rom) == roms.end()) roms.push_back(rom);
    }
  for (const std::string& word : unclear) words.erase(word);
  return words;
}

// ROMs by their names and titles in small letters.
using FoldedNames = std::map<std::string, std::vector<const RomFile*>, std::less<>>;

FoldedNames folded_names_of(const RomIndex& index, const Catalog& catalog) {
  FoldedNames folded;
  for (const RomFile* rom : index.roms())
    for (const std::string& name :
         std::set{lower_ascii(rom->stem), lower_ascii(people_title(*rom, catalog)),
                  lower_ascii(rom->info.game.title)})
      if (name.size() >= kLeastWord) folded[name].push_back(rom);
  return folded;
}

class Learner {
 public:
  [[nodiscard]] const std::vector<std::string>& questions() const { return questions_; }

  Learner(Storage& storage, const Catalog& catalog, const Path& place)
      : storage_(storage),
        catalog_(catalog),
        place_(place),
        files_(files_below(storage, place)),
        roms_(RomIndex::of(storage, files_, catalog)),
        companions_(std::ranges::any_of(
            files_, [](const WalkedFile& file) { return is_companion_name(file.path); })) {}

  [[nodiscard]] const std::vector<WalkedFile>& files() const { return files_; }
  [[nodiscard]] const RomIndex& roms() const { return roms_; }

  std::vector<Shelf> shelves() {
    sort_in_folders();
    std::vector<Candidate> candidates(files_.size());
    on_two_threads(files_.size(), [&](std::size_t i) {
      const Path& path = files_[i].path;
      if (!roms_.has_path(path) && !in_folder(path))
        candidates[i] = {&files_[i], below(place_, path)};
    });
    std::erase_if(candidates, [](const Candidate& one) { return one.file == nullptr; });
    hashed_ = std::ranges::any_of(candidates,
                                  [](const Candidate& one) { return has_hash_word(one.relative); });
    std::vector<std::optional<Naming>> namings(candidates.size());
    on_two_threads(candidates.size(),
                   [&](std::size_t i) { namings[i] = naming_of(candidates[i]); });
    for (const std::optional<Naming>& naming : namings)
      if (naming && naming->only_folded) unreadable_.emplace(naming->folded, 0);
    std::vector<Candidate> nameless;
    std::vector<std::size_t> unsure;
    for (std::size_t i = 0; i < candidates.size(); ++i) {
      if (namings[i] && !namings[i]->others.empty())
        unsure.push_back(i);
      else if (!namings[i] || !sort_in_named(*namings[i]))
        nameless.push_back(candidates[i]);
    }
    if (!unsure.empty()) settle();
    for (const std::size_t i : unsure)
      if (!sort_in_unsure(std::move(*namings[i]))) nameless.push_back(candidates[i]);
    on_two_threads(nameless.size(), [&](std::size_t i) { look_alone(nameless[i]); });
    std::vector<Candidate> left;
    for (Candidate& candidate : nameless)
      if (!sort_in_card(candidate)) left.push_back(std::move(candidate));
    groups_.merge();
    sort_in_alone(left);
    for (const auto& [key, saves] : groups_.unruly()) ask_of_words(key, saves);
    for (const auto& [key, files] : of_several_systems_)
      ask_of_systems(key.first, key.second, files);
    shelve_cards();
    std::vector<Shelf> found;
    for (const auto& [key, group] : groups_.all()) {
      Shelf shelf;
      shelf.system = key.second;
      shelf.pattern = key.first;
      shelf.layout = group.layouts();
      if (const auto layout = find_layout(shelf.layout.front()))
        shelf.kind = kind_on_shelf(shelf.pattern, **layout);
      if (!group.folders.empty()) shelf.roms = common_rom_folder(group.folders);
      found.push_back(std::move(shelf));
    }
    add_state_shelves(found);
    // One file may be called so by a slip; then other shelves say how it should be called.
    for (const auto& [path, files] : unreadable_)
      if (files > 1 || found.empty()) ask_of_letters(path, files);
    return found;
  }

 private:
  // Saves that are folders: their path, or a file in them, says so.
  void sort_in_folders() {
    for (const FoundFolder& found : find_folders(storage_, place_, files_)) {
      folders_.push_back(found.path);
      if (found.place.shared) continue;
      const auto save = read_found(storage_, found);
      if (!save) continue;
      const std::string relative = found.path.lexically_relative(place_).generic_string();
      const auto pattern = found.layout->pattern_of(relative, *save);
      if (!pattern || !NamingPattern::parse(*pattern)) continue;
      ShelfGroup& group = groups_.of(*pattern, found.layout->info().system);
      ++group.files;
      ++group.votes[found.layout->info().id];
    }
  }

  bool in_folder(const Path& path) const {
    return std::ranges::any_of(folders_, [&](const Path& folder) { return lies_in(folder, path); });
  }

  // A card that all games of a system share lies under one fixed name; a file of one save bears
  // that save's name.
  bool sort_in_card(const Candidate& candidate) {
    for (const Guess& guess : candidate.guesses) {
      const LayoutInfo& info = guess.layout->info();
      if (info.kind != Kind::card_save || guess.confidence == Confidence::possible) continue;
      const auto view = view_of(candidate);
      if (!view) return false;
      Hints hints;
      hints.file_name = candidate.file->path.filename().string();
      if (companions_) hints.companion = read_companion(storage_, candidate.file->path);
      std::string pattern = literal_text(candidate.relative);
      const CardLayout* card = as_card(guess.layout);
      if (card != nullptr && card->card_info().package) {
        const auto listed = card->list(view->bytes(), {});
        if (!listed) return false;
        pattern = package_pattern(candidate.relative, listed->game);
      }
      if (card == nullptr) {
        const auto content = guess.layout->read(view->bytes(), hints);
        if (!content || content->saves.empty()) return false;
        const std::string& label = content->saves.front().name;
        if (label.size() < 4 || hints.file_name.find(label) == std::string::npos) return false;
        pattern = label_pattern(candidate.relative, label);
      }
      if (!NamingPattern::parse(pattern)) return false;
      if (card != nullptr && !card->card_info().package) {
        cards_.push_back({pattern, info.system, info.id, true});
        return true;
      }
      ShelfGroup& group = groups_.of(pattern, info.system);
      ++group.files;
      ++group.votes[info.id];
      return true;
    }
    return false;
  }

  // Cards whose names differ in a number only share a shelf.
  void shelve_cards() {
    for (const SlotShelf& shelf : shelves_of_cards(cards_)) {
      const SlotFile& first = cards_[shelf.files.front()];
      if (!NamingPattern::parse(shelf.pattern)) continue;
      ShelfGroup& group = groups_.of(shelf.pattern, first.system);
      group.files += shelf.files.size();
      group.votes[first.layout] += static_cast<unsigned>(shelf.files.size());
    }
  }

  void add_state_shelves(std::vector<Shelf>& found) const {
    std::vector<PlacedPattern> placed;
    for (const SlotShelf& numbered : shelves_of_states(states_)) {
      if (!NamingPattern::parse(numbered.pattern)) continue;
      placed.push_back({numbered.pattern, states_[numbered.files.front()].system, {}});
      for (const std::size_t file : numbered.files)
        placed.back().folders.insert(state_folders_[file]);
    }
    const std::vector<std::string> read = with_rom_folders(placed);
    std::map<PatternOfSystem, std::set<SaveAndRomFolder>> shelves;
    for (std::size_t i = 0; i < placed.size(); ++i)
      shelves[{read[i], placed[i].system}].merge(placed[i].folders);
    for (const auto& [key, folders] : shelves) {
      Shelf shelf;
      shelf.system = key.second;
      shelf.kind = Kind::state;
      shelf.pattern = key.first;
      shelf.roms = common_rom_folder(folders);
      found.push_back(std::move(shelf));
    }
  }

  // What the content says without any ROM.
  void look_alone(Candidate& candidate) const {
    const auto view = view_of(candidate);
    if (!view) return;
    Hints hints;
    hints.file_name = candidate.file->path.filename().string();
    if (companions_) hints.companion = read_companion(storage_, candidate.file->path);
    candidate.guesses = identify(view->bytes(), hints);
    candidate.state = state_sign(hints.file_name, view->bytes(), {}, {}) >= StateSign::form;
  }

  // The ROM whose name, or other word, stands in the path, and that can have left the content.
  std::optional<Naming> naming_of(const Candidate& candidate) const {
    const std::string stem = word_of_path(
        candidate.relative, [&](std::string_view word) { return roms_.has_stem(word); });
    if (!stem.empty()) {
      std::vector<const RomFile*> roms = roms_.matching(stem, std::nullopt);
      std::erase_if(roms, [&](const RomFile* rom) { return rom->stem != stem; });
      auto naming = naming_for(candidate, stem, "stem", roms);
      if (naming) naming->titled = people_title(*naming->rom, catalog_) == stem;
      return naming;
    }
    std::call_once(collected_, [this] {
      words_ = words_of(roms_, [this](const RomFile& rom) { return lent_by(rom); });
      folded_ = folded_names_of(roms_, catalog_);
    });
    const std::string word = word_of_path(
        candidate.relative, [&](std::string_view text) { return words_.contains(text); });
    const std::string folded = name_in_any_letters(candidate.relative);
    if (folded.size() > word.size()) {
      auto naming = naming_for(candidate, folded, "stem", folded_.at(lower_ascii(folded)));
      if (naming) {
        naming->folded = with_name_open(candidate.relative, folded, *naming->rom);
        naming->only_folded = true;
        return naming;
      }
    }
    if (word.empty()) return std::nullopt;
    const auto& [field, roms] = words_.at(word);
    auto naming = naming_for(candidate, word, field, roms);
    if (naming && folded == word)
      naming->folded = with_name_open(candidate.relative, folded, *naming->rom);
    return naming;
  }

  // The path as far as all saves of one habit share it.
  std::string with_name_open(const std::string& relative, const std::string& name,
                             const RomFile& rom) const {
    const std::string plain = lower_ascii(relative);
    const std::string folded = lower_ascii(name);
    Naming naming;
    std::size_t from = 0;
    for (std::size_t at = plain.find(folded); at != std::string::npos;
         at = plain.find(folded, from)) {
      naming.pattern += literal_text(std::string_view(relative).substr(from, at - from)) + "…";
      from = at + folded.size();
    }
    naming.pattern += literal_text(std::string_view(relative).substr(from));
    naming.rom = &rom;
    open_other_words(naming);
    return naming.pattern;
  }

  // A ROM's name or title as it stands in a path, whatever its capitals and small letters.
  std::string name_in_any_letters(const std::string& relative) const {
    if (folded_.empty()) return {};
    const std::string plain = lower_ascii(relative);
    const std::string folded =
        word_of_path(plain, [&](std::string_view text) { return folded_.contains(text); });
    return folded.empty() ? folded : relative.substr(plain.rfind(folded), folded.size());
  }

  // Hashes only where some path has a word that looks like one, since whole ROMs are read for them.
  std::vector<std::pair<std::string, std::string>> lent_by(const RomFile& rom) const {
    auto words = words_of_rom(rom, catalog_);
    if (hashed_) {
      auto more = words_of_hashes(roms_.hashes_of(storage_, rom));
      std::ranges::move(more, std::back_inserter(words));
    }
    return words;
  }

  // Opens the other words of the ROM in a pattern, such as a folder that bears its code.
  void open_other_words(Naming& naming) const {
    for (const auto& [word, field] : lent_by(*naming.rom)) {
      std::string more = with_field(naming.pattern, word, field);
      if (more == naming.pattern || !NamingPattern::parse(more)) continue;
      naming.pattern = std::move(more);
      if (field != "title" && has_letters(word)) naming.spelled.insert(field);
    }
  }

  // The same for its region, which may stand there by chance.
  static std::string with_region(const std::string& pattern, Region region) {
    if (region == Region::unknown || region == Region::other || region == Region::any) return {};
    const std::string word(to_string(region));
    for (const auto& [text, field] :
         {std::pair(word, "region"), std::pair(upper_ascii(word), "region:upper")}) {
      std::string regional = with_field(pattern, text, field);
      if (regional != pattern && NamingPattern::parse(regional)) return regional;
    }
    return {};
  }

  Result<FileView> view_of(const Candidate& candidate) const {
    const auto& [path, info] = *candidate.file;
    if (info.size > kSaveLimit) return storage_.view(path, kSaveLimit);
    auto seen = storage_.view_if(path, info, 0, {});
    if (!seen) return tl::unexpected(seen.error());
    return std::move(**seen);
  }

  std::optional<Naming> naming_for(const Candidate& candidate, const std::string& word,
                                   const std::string& field,
                                   const std::vector<const RomFile*>& roms) const {
    const auto view = view_of(candidate);
    if (!view) return std::nullopt;
    const std::string name = candidate.file->path.filename().string();
    std::optional<Naming> best;
    std::size_t best_nearness = 0;
    for (const auto& [near, rom] : nearest_first(candidate.relative, roms)) {
      if (best && (near < best_nearness || has_system(*best, rom->info.system))) continue;
      const Hints hints = hints_of(rom->info, catalog_);
      auto guesses = identify(view->bytes(), hints);
      const StateSign sign = state_sign(name, view->bytes(), guesses, hints);
      const bool save = !guesses.empty() && guesses.front().confidence != Confidence::possible;
      if (sign == StateSign::none && !save) continue;
      Naming naming;
      naming.rom = rom;
      const std::size_t slash = candidate.relative.rfind('/');
      naming.folders = {candidate.relative.substr(0, slash == std::string::npos ? 0 : slash),
                        folder_of(*rom)};
      naming.pattern = pattern_of(candidate.relative, word, field);
      if (field != "stem" && field != "title" && has_letters(word)) naming.spelled.insert(field);
      if (has_words(naming.pattern)) {
        open_other_words(naming);
        naming.regional = with_region(naming.pattern, rom->info.game.region);
      }
      naming.sign = sign;
      if (sign == StateSign::none) naming.guess = std::move(guesses.front());
      if (best) {
        best->others.push_back(std::move(naming));
      } else {
        best = std::move(naming);
        best_nearness = near;
      }
    }
    return best;
  }

  static bool has_system(const Naming& naming, System system) {
    return naming.rom->info.system == system ||
           std::ranges::any_of(naming.others, [&](const Naming& other) {
             return other.rom->info.system == system;
           });
  }

  static std::vector<std::pair<std::size_t, const RomFile*>> nearest_first(
      const std::string& relative, const std::vector<const RomFile*>& roms) {
    std::vector<std::pair<std::size_t, const RomFile*>> order;
    if (roms.size() == 1) return {{0, roms.front()}};
    const std::vector<std::string> names = names_in(relative);
    for (const RomFile* rom : roms) order.emplace_back(nearness(*rom, names), rom);
    std::ranges::stable_sort(order, std::greater{}, [](const auto& one) { return one.first; });
    return order;
  }

  // Counts the habits of the files that are surely of one system.
  void settle() {
    for (const auto& [key, group] : groups_.all()) {
      settled_[{any_reading(key.first), key.second}] += group.files;
      for (FolderHabit& habit : folder_habits({key.first, key.second, group.folders}))
        settled_in_folders_[{std::move(habit), key.second}] += group.files;
    }
    for (const SlotFile& state : states_) ++settled_[{any_reading(state.pattern), state.system}];
  }

  // Of systems that have a ROM of that name, the one whose other files lie there.
  bool sort_in_unsure(Naming&& naming) {
    const auto known = [&](const Naming& one) {
      const System system = one.rom->info.system;
      const auto exact = settled_.find({any_reading(one.pattern), system});
      std::size_t files = exact == settled_.end() ? 0 : exact->second;
      for (const FolderHabit& habit : folder_habits({one.pattern, system, {one.folders}}))
        if (const auto other = settled_in_folders_.find({habit, system});
            other != settled_in_folders_.end())
          files = std::max(files, other->second);
      return files;
    };
    std::vector<Naming> readings = std::move(naming.others);
    naming.others.clear();
    readings.insert(readings.begin(), std::move(naming));
    const auto best = std::ranges::max_element(readings, {}, known);
    if (known(*best) > 0) return sort_in_named(*best);
    std::vector<std::string> systems;
    for (const Naming& one : readings) systems.emplace_back(to_string(one.rom->info.system));
    ++of_several_systems_[{best->pattern, systems}];
    return true;
  }

  bool sort_in_named(const Naming& naming) {
    if (const auto letters = unreadable_.find(naming.folded); letters != unreadable_.end()) {
      ++letters->second;
      return true;
    }
    if (!is_pattern(naming.pattern)) return false;
    const RomFile& rom = *naming.rom;
    if (!naming.guess) {
      states_.push_back(
          {with_tags_as_stem(naming.pattern), rom.info.system, {}, naming.sign != StateSign::size});
      state_folders_.push_back(naming.folders);
      return true;
    }
    if (!naming.regional.empty())
      groups_.note_region(naming.pattern, rom.info.system, naming.regional, rom.info.game.region);
    ShelfGroup& group = groups_.of(naming.pattern, rom.info.system);
    ++group.files;
    group.folders.insert(naming.folders);
    if (naming.titled) ++group.titled;
    group.spelled.insert(naming.spelled.begin(), naming.spelled.end());
    const std::string& id = naming.guess->layout->info().id;
    ++group.votes[id];
    if (naming.guess->by_content) ++group.evidence[id];
    return true;
  }

  std::string folder_of(const RomFile& rom) const {
    const std::string folder(folder_text(rom.path));
    return folder == place_.native() ? "." : text_below(place_.native(), folder);
  }

  // Saves without any ROM near them: where their content says what they are, their folder and
  // extension make the shelf.
  void sort_in_alone(const std::vector<Candidate>& left) {
    std::map<PatternOfSystem, ShelfGroup> groups;
    std::map<std::string, std::map<std::string, std::size_t>> unclear;  // pattern, layouts, files
    std::map<PatternOfSystem, std::size_t> hashed;  // files by paths with `…` for a strange hash
    for (const Candidate& candidate : left) {
      const auto pattern = pattern_alone(candidate);
      const std::vector<Guess>& guesses = candidate.guesses;
      if (!pattern || candidate.state || guesses.empty() || !holds_chips(*guesses.front().layout))
        continue;
      const Guess& best = guesses.front();
      const bool several = std::ranges::any_of(guesses, [&](const Guess& other) {
        return other.confidence == best.confidence &&
               other.layout->info().system != best.layout->info().system;
      });
      if (several || best.confidence == Confidence::possible) {
        for (const Guess& guess : guesses)
          if (guess.confidence == best.confidence) ++unclear[*pattern][guess.layout->info().id];
        continue;
      }
      const System system = best.layout->info().system;
      if (has_hash_word(candidate.file->path.stem().string())) {
        ++hashed[{replaced(*pattern, "{stem}", "…"), system}];
        continue;
      }
      ShelfGroup& group = groups[{*pattern, system}];
      ++group.files;
      ++group.votes[best.layout->info().id];
      if (best.by_content) ++group.evidence[best.layout->info().id];
    }
    groups_.add_new(std::move(groups));
    for (const auto& [pattern, layouts] : unclear) ask(pattern, layouts);
    for (const auto& [key, saves] : hashed)
      if (saves > 1) ask_of_words(key, saves);
  }

  // Files of one folder share theirs.
  bool is_pattern(const std::string& text) {
    const auto [known, fresh] = patterns_.try_emplace(text, false);
    if (fresh) known->second = NamingPattern::parse(text).has_value();
    return known->second;
  }

  std::optional<std::string> pattern_alone(const Candidate& candidate) {
    const std::string extension = candidate.file->path.extension().string();
    if (extension.size() < 2) return std::nullopt;
    const std::string folder = Path(candidate.relative).parent_path().generic_string();
    std::string pattern =
        (folder.empty() ? "" : literal_text(folder) + "/") + "{stem}" + literal_text(extension);
    if (!is_pattern(pattern)) return std::nullopt;
    return pattern;
  }

  // Names whose case is lost cannot be read back, so no pattern has them.
  void ask_of_letters(const std::string& path, std::size_t files) {
    questions_.push_back(fmt::format(
        "{}: {} {} a ROM's name or title, but in other capitals and small letters, and such a name "
        "cannot be read back; give one of them the ROM's exact name, see whether the program still "
        "finds it, and learn again",
        path, counted(files, "file"), files == 1 ? "has" : "have"));
  }

  void ask_of_words(const PatternOfSystem& key, std::size_t saves) {
    questions_.push_back(fmt::format(
        "{}: {} saves of {} lie there, each under a word of its own in the place of '…'; no ROM "
        "has that word, so where another game's save belongs cannot be told; if you know, write "
        "the shelf by hand in bays.toml",
        key.first, saves, to_string(key.second)));
  }

  void ask_of_systems(const std::string& pattern, const std::vector<std::string>& systems,
                      std::size_t files) {
    questions_.push_back(fmt::format(
        "{}: {} could be of {}: each has a ROM of that name; start a game there that only "
        "one of them has, save in it, and learn again; or write the shelf by hand in bays.toml",
        pattern, counted(files, "file"), fmt::join(systems, " or ")));
  }

  // A question is asked only where one shelf would hold several files, and readings fit equally.
  void ask(const std::string& pattern, const std::map<std::string, std::size_t>& layouts) {
    std::size_t most = 0;
    for (const auto& [id, files] : layouts) most = std::max(most, files);
    if (most < 2) return;
    std::vector<std::string> ids;
    for (const auto& [id, files] : layouts)
      if (files == most) ids.push_back(id);
    constexpr std::size_t kShown = 6;
    const bool more = ids.size() > kShown;
    ids.resize(std::min(ids.size(), kShown));
    questions_.push_back(fmt::format(
        "{}: {} could be {}{}; name their ROMs' folder by learning a place that holds "
        "both, or write the shelf by hand in bays.toml",
        pattern, counted(most, "file"), fmt::join(ids, " or "), more ? " or others" : ""));
  }

  Storage& storage_;
  const Catalog& catalog_;
  Path place_;
  std::vector<WalkedFile> files_;
  RomIndex roms_;
  bool companions_;                                 // some file there is called as second files are
  std::unordered_map<std::string, bool> patterns_;  // whether a text is one
  bool hashed_ = false;                             // whether hashes of ROMs may stand in paths
  mutable std::once_flag collected_;
  mutable Words words_;  // asked for only where a path holds no ROM's stem
  mutable FoldedNames folded_;
  std::map<std::string, std::size_t> unreadable_;   // files by paths with names of lost case
  std::map<PatternOfSystem, std::size_t> settled_;  // sure files by their habits, see settle()
  std::map<std::pair<FolderHabit, System>, std::size_t> settled_in_folders_;
  std::map<std::pair<std::string, std::vector<std::string>>, std::size_t> of_several_systems_;
  std::vector<std::string> questions_;
  std::vector<Path> folders_;  // that are saves of their own
  std::vector<SlotFile> cards_;
  std::vector<SlotFile> states_;
  std::vector<SaveAndRomFolder> state_folders_;  // of `states_`
  ShelfGroups groups_;
};

}  // namespace

Result<Bay> learn_bay(Storage& storage, const Catalog& catalog, std::string name,
                      const Path& place) {
  if (!is_bay_name(name))
    return fail(Trouble::usage, "usage", fmt::format("'{}' cannot name a bay", safe_text(name)),
                "use letters, digits, '-' and '_'");
  std::error_code problem;
  Bay bay;
  bay.name = std::move(name);
  bay.place = std::filesystem::canonical(place, problem);
  if (problem) bay.place = place;
  if (const auto listed = storage.list(bay.place); !listed) return tl::unexpected(listed.error());
  Learner learner(storage, catalog, bay.place);
  bay.shelves = learner.shelves();
  bay.questions = learner.questions();
  const FileNames names = names_kept_by(storage, bay.place);
  for (Shelf& shelf : bay.shelves) shelf.names = names;
  survey_files(storage, catalog, bay, learner.files(), learner.roms());
  if (bay.shelves.empty())
    return fail(
        Trouble::stopped, "no-match",
        fmt::format("{}: {}", safe_text(bay.place.string()),
                    bay.questions.empty()
                        ? "nothing there is a memory card or a title's folder, and no save there "
                          "carries the name of a ROM beside it"
                        : "where saves belong there could not be told for sure"),
        !bay.questions.empty()
            ? bay.questions.front()
            : "start a game there once and save in it, so that an example exists, then learn "
              "again; or write the shelf by hand in bays.toml");
  return bay;
}

}  // namespace bayswap
