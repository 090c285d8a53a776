// Working out from a folder where a program keeps its saves.
#include <fmt/core.h>

#include <algorithm>
#include <iterator>
#include <map>
#include <optional>
#include <set>
#include <unordered_map>

#include "bayswap/bay.h"
#include "bayswap/card.h"
#include "bayswap/layout.h"
#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"
#include "core/layouts/x360/x360_folder.h"
#include "files/atomic_write.h"
#include "files/full_path.h"
#include "files/two_threads.h"
#include "places/file_names.h"
#include "places/find_folders.h"
#include "places/folder_cards.h"
#include "places/game_cards.h"
#include "places/inspect.h"
#include "places/learn_questions.h"
#include "places/path_reader.h"
#include "places/path_words.h"
#include "places/rom_folders.h"
#include "places/rom_index.h"
#include "places/second_file.h"
#include "places/shelf_groups.h"
#include "places/shelf_patterns.h"
#include "places/slot_shelves.h"
#include "places/survey.h"
#include "places/title_trees.h"
#include "places/walk.h"

namespace bayswap {
namespace {

struct Candidate {
  const WalkedFile* file = nullptr;
  std::string relative;
  std::vector<Guess> guesses = {};  // of its content alone, once no ROM's name was found
  bool state = false;               // its bytes or name say so
};

// The files of a place, and those of a folder elsewhere. The one may lie inside the other.
std::vector<WalkedFile> with_files_of(Storage& storage, std::vector<WalkedFile> files,
                                      const Path& place, const Path& folder) {
  if (folder.empty() || text_lies_in(place.native(), folder.native())) return files;
  std::vector<WalkedFile> more = files_below(storage, folder);
  std::erase_if(
      more, [&](const WalkedFile& file) { return text_lies_in(place.native(), file.folder()); });
  std::ranges::move(more, std::back_inserter(files));
  return files;
}

class Learner {
 public:
  [[nodiscard]] const std::vector<std::string>& questions() const { return questions_.all(); }

  /// `roms`: another folder with ROMs of the saves; may be empty.
  Learner(Storage& storage, const Catalog& catalog, const Path& place, std::optional<System> system,
          const Path& roms)
      : system_(system),
        storage_(storage),
        catalog_(catalog),
        place_(place),
        files_(files_below(storage, place)),
        roms_(RomIndex::of(storage, with_files_of(storage, files_, place, roms), catalog)),
        companions_(std::ranges::any_of(
            files_, [](const WalkedFile& file) { return is_second_file_name(file.name()); })) {}

  [[nodiscard]] const std::vector<WalkedFile>& files() const { return files_; }
  [[nodiscard]] const RomIndex& roms() const { return roms_; }

  std::vector<Shelf> shelves() {
    sort_in_folders();
    TitleTrees trees = find_title_trees(
        place_, files_, catalog_, [&](const Path& folder) { return in_folder(folder); }, system_);
    folders_.insert(folders_.end(), trees.titles.begin(), trees.titles.end());
    std::vector<Candidate> candidates(files_.size());
    on_two_threads(files_.size(), [&](std::size_t i) {
      const Path path = files_[i].path();
      if (!roms_.has_path(path) && !in_folder(path) &&
          !(companions_ && !first_file_of(storage_, path).empty()))
        candidates[i] = {&files_[i], below(place_, path)};
    });
    std::erase_if(candidates, [](const Candidate& one) { return one.file == nullptr; });
    const std::vector<Candidate> left = sort_in_by_path(std::move(candidates));
    groups_.merge();
    sort_in_alone(left);
    for (const auto& [key, saves] : groups_.unruly())
      questions_.ask_of_words(key.first, saves, key.second);
    for (const auto& [key, files] : of_several_systems_)
      questions_.ask_of_systems(key.first, key.second, files);
    shelve_cards();
    std::vector<Shelf> found = shelves_of_groups();
    std::ranges::move(trees.shelves, std::back_inserter(found));
    add_state_shelves(found);
    // One file may be called so by a slip; then other shelves say how it should be called.
    for (const auto& [path, files] : unreadable_)
      if (files > 1 || found.empty()) questions_.ask_of_letters(path, files);
    return found;
  }

 private:
  // What paths, and then contents alone, say. Gives back what neither of them does.
  std::vector<Candidate> sort_in_by_path(std::vector<Candidate> candidates) {
    const PathReader reader(
        storage_, catalog_, place_, roms_,
        std::ranges::any_of(candidates,
                            [](const Candidate& one) { return has_hash_word(one.relative); }),
        companions_);
    std::vector<std::optional<PathReading>> namings(candidates.size());
    on_two_threads(candidates.size(), [&](std::size_t i) {
      namings[i] = reader.read(*candidates[i].file, candidates[i].relative);
    });
    for (const std::optional<PathReading>& naming : namings)
      if (naming && naming->only_folded) unreadable_.emplace(naming->folded, 0);
    std::vector<Candidate> nameless;
    std::vector<std::size_t> unsure;
    for (std::size_t i = 0; i < candidates.size(); ++i) {
      if (namings[i] && !namings[i]->others.empty())
        unsure.push_back(i);
      else if (!namings[i] || !sort_in_named(*namings[i]))
        nameless.push_back(candidates[i]);
    }
    if (!unsure.empty()) decide_unsure();
    for (const std::size_t i : unsure)
      if (!sort_in_unsure(std::move(*namings[i]))) nameless.push_back(candidates[i]);
    on_two_threads(nameless.size(), [&](std::size_t i) { look_alone(nameless[i]); });
    std::vector<Candidate> left;
    for (Candidate& candidate : nameless)
      if (!sort_in_card(candidate)) left.push_back(std::move(candidate));
    return left;
  }

  std::vector<Shelf> shelves_of_groups() const {
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
    return found;
  }

  // Saves that are folders: their path, or a file in them, says so.
  void sort_in_folders() {
    for (const FoundFolder& found : find_folders(storage_, place_, files_)) {
      folders_.push_back(found.path);
      if (found.place.shared) continue;
      const auto save = read_found(storage_, found);
      if (!save) continue;
      const std::string relative = found.path.lexically_relative(place_).generic_string();
      auto pattern = found.layout->pattern_of(relative, *save);
      // The place may begin below the high half of the ids, or within one title.
      if (!pattern && !found.place.game.title_id.empty() && !relative.empty() && relative != ".")
        pattern = below_high_half(relative, save->game);
      if (!pattern || !NamingPattern::parse(*pattern)) continue;
      ShelfGroup& group = groups_.of(*pattern, found.layout->info().system);
      ++group.files;
      ++group.votes[found.layout->info().id];
    }
  }

  static std::string below_high_half(const std::string& relative, const Game& game) {
    std::vector<std::string> names = names_in(relative);
    const bool low = lower_ascii(names.front()) == game.title_id.substr(8);
    for (std::string& name : names)
      name = !game.account.empty() && lower_ascii(name) == game.account
                 ? std::string(name == game.account ? "{account}" : "{account:upper}")
                 : literal_text(name);
    if (low) names.front() = "{title}";
    return joined(names);
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
      const auto view = view_of_file(storage_, *candidate.file);
      if (!view) return false;
      Hints hints;
      hints.file_name = candidate.file->name();
      if (companions_) hints.second_file = read_second_file(storage_, candidate.file->path());
      std::string pattern = literal_text(candidate.relative);
      const CardLayout* card = as_card(guess.layout);
      if (card != nullptr && card->card_info().package) {
        const auto listed = card->list(view->bytes(), {});
        if (!listed) return false;
        pattern = content_pattern(candidate.relative, listed->game);
      }
      if (card == nullptr) {
        const auto content = guess.layout->read(view->bytes(), hints);
        if (!content || content->saves.empty()) return false;
        const std::string& label = content->saves.front().name;
        if (label.size() < 4 || hints.file_name.find(label) == std::string::npos) return false;
        const Game& game = content->saves.front().game;
        pattern = single_pattern(candidate.relative, label, game);
        if (const std::string regional = with_region(pattern, game.region); !regional.empty())
          groups_.note_region(pattern, info.system, regional, game.region);
      }
      if (!NamingPattern::parse(pattern)) return false;
      if (card != nullptr && !card->card_info().package) {
        add_card(candidate.relative, *card, view->bytes());
        return true;
      }
      ShelfGroup& group = groups_.of(pattern, info.system);
      ++group.files;
      ++group.votes[info.id];
      return true;
    }
    return false;
  }

  void add_card(const std::string& relative, const CardLayout& layout, ByteView bytes) {
    CardThere there{relative, layout.info().system, layout.info().id, {}};
    if (const auto card = layout.list(bytes, {}))
      for (const CardSave& on_card : card->saves) there.games.push_back(shown_game(on_card.save));
    cards_.push_back(std::move(there));
  }

  // Cards that bear the names of their games share a shelf, and so do those of which only a number
  // differs.
  void shelve_cards() {
    std::vector<bool> done(cards_.size());
    const auto add = [&](const SlotShelf& shelf, const CardThere& first) {
      if (!NamingPattern::parse(shelf.pattern)) return;
      ShelfGroup& group = groups_.of(shelf.pattern, first.system);
      group.files += shelf.files.size();
      group.votes[first.layout] += static_cast<unsigned>(shelf.files.size());
    };
    for (const SlotShelf& shelf : shelves_of_game_cards(cards_, catalog_)) {
      add(shelf, cards_[shelf.files.front()]);
      for (const std::size_t file : shelf.files) done[file] = true;
    }
    std::vector<SlotFile> others;
    std::vector<std::size_t> places;
    for (std::size_t i = 0; i < cards_.size(); ++i) {
      if (done[i]) continue;
      others.push_back(
          {literal_text(cards_[i].relative), cards_[i].system, cards_[i].layout, true});
      places.push_back(i);
    }
    for (const SlotShelf& shelf : shelves_of_cards(others))
      add(shelf, cards_[places[shelf.files.front()]]);
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
    const auto view = view_of_file(storage_, *candidate.file);
    if (!view) return;
    Hints hints;
    hints.file_name = candidate.file->name();
    if (companions_) hints.second_file = read_second_file(storage_, candidate.file->path());
    auto [guesses, ordinary] = believable(view->bytes(), hints);
    if (is_piece_of_folder_card(storage_, candidate.file->path(), guesses)) return;
    candidate.guesses = std::move(guesses);
    candidate.state =
        state_sign(hints.file_name, view->bytes(), {}, {.ordinary = ordinary}) >= StateSign::form;
  }

  // Counts the habits of the files that are surely of one system.
  void decide_unsure() {
    for (const auto& [key, group] : groups_.all()) {
      settled_[{any_reading(key.first), key.second}] += group.files;
      for (FolderHabit& habit : folder_habits({key.first, key.second, group.folders}))
        settled_in_folders_[{std::move(habit), key.second}] += group.files;
    }
    for (const SlotFile& state : states_) ++settled_[{any_reading(state.pattern), state.system}];
  }

  // Of systems that have a ROM of that name, the one whose other files lie there.
  bool sort_in_unsure(PathReading&& naming) {
    const auto known = [&](const PathReading& one) {
      const System system = one.rom->info.system;
      const auto exact = settled_.find({any_reading(one.pattern), system});
      std::size_t files = exact == settled_.end() ? 0 : exact->second;
      for (const FolderHabit& habit : folder_habits({one.pattern, system, {one.folders}}))
        if (const auto other = settled_in_folders_.find({habit, system});
            other != settled_in_folders_.end())
          files = std::max(files, other->second);
      return files;
    };
    std::vector<PathReading> readings = std::move(naming.others);
    naming.others.clear();
    readings.insert(readings.begin(), std::move(naming));
    const auto best = std::ranges::max_element(readings, {}, known);
    if (known(*best) > 0) return sort_in_named(*best);
    std::vector<std::string> systems;
    for (const PathReading& one : readings) systems.emplace_back(to_string(one.rom->info.system));
    ++of_several_systems_[{best->pattern, systems}];
    return true;
  }

  bool sort_in_named(const PathReading& naming) {
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
    if (naming.guess->basis != Basis::size) ++group.evidence[id];
    return true;
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
        // Sizes alone raise no questions: ordinary files have the size of a chip, too.
        if (!has_save_extension(candidate.file->name())) continue;
        for (const Guess& guess : guesses)
          if (guess.confidence == best.confidence) ++unclear[*pattern][guess.layout->info().id];
        continue;
      }
      const System system = best.layout->info().system;
      if (has_hash_word(candidate.file->path().stem().string())) {
        ++hashed[{replaced(*pattern, "{stem}", "…"), system}];
        continue;
      }
      ShelfGroup& group = groups[{*pattern, system}];
      ++group.files;
      ++group.votes[best.layout->info().id];
      if (best.basis != Basis::size) ++group.evidence[best.layout->info().id];
    }
    groups_.add_new(std::move(groups));
    for (const auto& [pattern, layouts] : unclear) questions_.ask_of_layouts(pattern, layouts);
    for (const auto& [key, saves] : hashed)
      if (saves > 1) questions_.ask_of_words(key.first, saves, key.second);
  }

  // Files of one folder share theirs.
  bool is_pattern(const std::string& text) {
    const auto [known, fresh] = patterns_.try_emplace(text, false);
    if (fresh) known->second = NamingPattern::parse(text).has_value();
    return known->second;
  }

  std::optional<std::string> pattern_alone(const Candidate& candidate) {
    const std::string extension = candidate.file->path().extension().string();
    if (extension.size() < 2) return std::nullopt;
    const std::string folder = Path(candidate.relative).parent_path().generic_string();
    std::string pattern =
        (folder.empty() ? "" : literal_text(folder) + "/") + "{stem}" + literal_text(extension);
    if (!is_pattern(pattern)) return std::nullopt;
    return pattern;
  }

  std::optional<System> system_;  // that the user says
  Storage& storage_;
  const Catalog& catalog_;
  Path place_;
  std::vector<WalkedFile> files_;
  RomIndex roms_;
  bool companions_;                                 // some file there is called as second files are
  std::unordered_map<std::string, bool> patterns_;  // whether a text is one
  std::map<std::string, std::size_t> unreadable_;   // files by paths with names of lost case
  std::map<PatternOfSystem, std::size_t>
      settled_;  // sure files by their habits, see decide_unsure()
  std::map<std::pair<FolderHabit, System>, std::size_t> settled_in_folders_;
  std::map<std::pair<std::string, std::vector<std::string>>, std::size_t> of_several_systems_;
  LearnQuestions questions_;
  std::vector<Path> folders_;  // that are saves of their own
  std::vector<CardThere> cards_;
  std::vector<SlotFile> states_;
  std::vector<SaveAndRomFolder> state_folders_;  // of `states_`
  ShelfGroups groups_;
};

// What lies in a folder that no shelf could be made of.
struct Seen {
  std::string words;
  bool titles = false;       // folders that may be of titles
  bool saves_alone = false;  // files named like saves, and no ROM
};
Seen what_lies_in(const Path& folder, const std::vector<WalkedFile>& files, const RomIndex& roms) {
  std::map<std::string, std::size_t> systems;
  for (const RomFile* rom : roms.roms()) ++systems[std::string(to_string(rom->info.system))];
  std::size_t titles = 0;
  std::size_t hashes = 0;
  std::size_t saves = 0;
  std::set<std::string> seen;
  for (const WalkedFile& file : files) {
    if (has_save_extension(file.name())) ++saves;
    for (const std::string& name : names_in(below(folder, file.path())))
      if (const bool hash = is_hash_name(name);
          (hash || is_hex_name(name, 8) || is_hex_name(name, 16)) && seen.insert(name).second)
        ++(hash ? hashes : titles);
  }
  std::vector<std::string> words{counted(files.size(), "file")};
  for (const auto& [system, count] : systems) words.push_back(counted(count, system + " ROM"));
  if (saves > 0) words.push_back(fmt::format("{} of them named like a save", saves));
  if (titles > 0) words.push_back(counted(titles, "folder") + " named like a title id");
  if (hashes > 0) words.push_back(counted(hashes, "folder") + " named by a hash");
  return {files.empty() ? std::string("nothing lies there") : list_text(words), titles + hashes > 0,
          saves > 0 && systems.empty()};
}

// Where no shelf could be made. `said`: the user said the system.
Hint what_to_do(const Seen& seen, const std::vector<std::string>& questions, bool said) {
  if (seen.saves_alone)
    return {"if the ROMs of these saves lie elsewhere, say where: '", Remedy::learn_with_roms,
            "'; or name the very file that is to be replaced"};
  if (!questions.empty()) return questions.front();
  if (seen.titles && !said)
    return {"say which console the folders are of: learn the place with ", Remedy::system};
  return "start a game there once and save in it, so that an example exists; or name the very file "
         "that is to be replaced";
}

}  // namespace

Result<Bay> learn_bay(Storage& storage, const Catalog& catalog, std::string name, const Path& place,
                      Progress* progress, std::optional<System> system,
                      const std::optional<Path>& roms) {
  if (!is_bay_name(name))
    return fail(Trouble::usage, Code::usage, fmt::format("'{}' cannot name a bay", safe_text(name)),
                "use letters, digits, '-' and '_'");
  Bay bay;
  bay.name = std::move(name);
  bay.place = full_path(place);
  if (const auto listed = storage.list(bay.place); !listed) return tl::unexpected(listed.error());
  const Path elsewhere = roms ? full_path(*roms) : Path();
  if (roms)
    if (const auto listed = storage.list(elsewhere); !listed) return tl::unexpected(listed.error());
  Learner learner(storage, catalog, bay.place, system, elsewhere);
  const auto asked_to_stop = [&](std::size_t done) {
    return progress != nullptr && !progress->report(Work::files, done, learner.files().size());
  };
  const auto stopped = [] {
    return fail(Trouble::stopped, Code::cancelled, "stopped, as you asked", "nothing was learned");
  };
  if (asked_to_stop(0)) return stopped();
  bay.shelves = learner.shelves();
  if (asked_to_stop(learner.files().size())) return stopped();
  bay.questions = learner.questions();
  const FileNames names = names_kept_by(storage, bay.place);
  for (Shelf& shelf : bay.shelves) shelf.names = names;
  survey_files(storage, catalog, bay, learner.files(), learner.roms());
  if (bay.shelves.empty()) {
    const Seen seen = what_lies_in(bay.place, learner.files(), learner.roms());
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("{}: could not work out where saves belong there; seen: {}",
                            safe_text(bay.place.string()), seen.words),
                what_to_do(seen, bay.questions, system.has_value()));
  }
  return bay;
}

}  // namespace bayswap
