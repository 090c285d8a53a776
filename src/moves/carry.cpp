#include "bayswap/carry.h"

#include <fmt/core.h>

#include <algorithm>
#include <map>

#include "places/file_names.h"
#include "bayswap/card_file.h"
#include "core/bytes/text.h"
#include "core/bytes/time_text.h"
#include "places/companion.h"
#include "moves/carry_cards.h"
#include "moves/carry_checks.h"
#include "moves/carry_folders.h"
#include "moves/carry_source.h"
#include "moves/carry_target.h"
#include "moves/in_use.h"
#include "moves/mover.h"
#include "moves/package_target.h"
#include "moves/state_target.h"
#include "moves/wanted_saves.h"
#include "files/archive_storage.h"
#include "files/clock.h"

namespace bayswap {
namespace {

// The card that a file is, when one of its saves is what changes; null otherwise.
const CardLayout* onto_card(const TargetFile& file) {
  const CardLayout* card = file.carried.kind == Kind::card_save ? as_card(file.layout) : nullptr;
  return is_package(card) ? nullptr : card;
}

class Carrier {
 public:
  Carrier(Session& session, const CarryRequest& request)
      : session_(session), request_(request), folders_(session) {}

  Result<CarryReport> run() {
    const auto to = session_.bays.find(request_.to);
    if (!to) return tl::unexpected(to.error());
    bay_ = *to;
    const auto place = session_.storage->list(bay_->place);
    // Where saves were seen before there is something; an empty folder is where a medium was.
    if (!place || (place->empty() && !bay_->shelves.empty()))
      return fail(Trouble::place, "place-failed",
                  fmt::format("bay {}: {} {}", bay_->name, safe_text(bay_->place.string()),
                              place ? "is empty: its medium is out, or everything was moved away"
                                    : "cannot be reached"),
                  "plug in or mount the place, or learn the bay again");
    if (!request_.plan)
      if (auto recovered = recover(session_); !recovered) return tl::unexpected(recovered.error());
    auto sources = find_wanted(session_, folders_, *bay_, request_);
    if (!sources) return tl::unexpected(sources.error());
    for (const Source& source : *sources) {
      if (auto moved = carry_one(source); !moved) {
        if (report_.moves.empty()) return tl::unexpected(moved.error());
        report_.failed = moved.error();
        name_what_is_left(*sources, source);
        break;
      }
    }
    settle_place();
    return std::move(report_);
  }

 private:
  // What a place that failed midway has not got.
  void name_what_is_left(const std::vector<Source>& sources, const Source& failed) {
    constexpr std::size_t kShown = 6;
    std::vector<std::string> left;
    for (const Source* at = &failed; at != sources.data() + sources.size(); ++at)
      left.push_back(safe_text(at->stem));
    const std::size_t more = left.size() > kShown ? left.size() - kShown : 0;
    left.resize(left.size() - more);
    report_.failed->hint +=
        fmt::format("; not done: {}{}", list_text(left),
                    more > 0 ? fmt::format(" and {} more; what is named above is done", more)
                             : "; what is named above is done");
  }

  // What people may take out is complete before it is said to be.
  void settle_place() {
    const bool wrote = std::ranges::any_of(
        report_.moves, [](const MoveReport& move) { return !move.move.empty(); });
    Storage& storage = *session_.storage;
    if (!wrote || report_.failed || !storage.is_removable(bay_->place)) return;
    if (storage.settle(bay_->place)) report_.safe_to_remove = bay_->place.string();
  }

  Result<void> carry_one(const Source& source) {
    Checks checks(request_.accept);
    MoveReport line;
    for (const Path& file : source.files) line.from.push_back(file.string());
    line.system = source.save.system;
    if (source.save.kind != Kind::battery && !source.state) {
      line.label = source.save.name;
      line.comment = source.save.comment;
      line.game = source.save.game;
    }
    line.from_layout = list_text(source.layouts);
    if (source.rom) line.game = game_of(*source.rom, session_.catalog);
    if (line.game.title.empty() && line.label.empty()) line.game.title = safe_text(source.stem);
    bool readable = !source.save.parts.empty();
    const bool moves_as_state = source.state && keeps_states(*bay_, source.save.system);
    for (const Finding& problem : source.problems)
      if (!moves_as_state || problem.code != "state-not-save") (void)checks.add(problem);
    if (readable && source.save.blank())
      (void)checks.add(
          {Level::error, "blank-source",
           "the save is blank: a new file, or a dump of a cartridge with a dead battery",
           "nothing would be gained and progress could be lost; check the battery and "
           "dump again"});
    if (!source.several_roms.empty() && !request_.rom && request_.game.empty())
      (void)checks.add(
          {Level::error, "many-match",
           fmt::format("several ROMs fit the save: {}", safe_text(list_text(source.several_roms))),
           "say which with --rom FILE"});
    if (moves_as_state && !checks.stopped()) return carry_state(source, line, checks);
    if (checks.stopped() || !readable) return stop(line, checks);
    if (source.save.kind == Kind::folder || goes_to_folders(source))
      return carry_folder(source, line, checks);
    if (source.save.kind == Kind::card_save) return carry_card_save(source, line, checks);

    const auto game = find_target_game(session_, folders_, *bay_, source, request_, checks);
    if (!game) return stop(line, checks);
    Hints hints;
    hints.system = source.save.system;
    if (game->rom) {
      hints = hints_of(game->rom->info, session_.catalog);
      line.game = game_of(*game->rom, session_.catalog);
    } else if (const CatalogGame* known = session_.catalog.find(source.save.system, game->stem)) {
      hints.chips = known->chips();
    }
    line.chip = chip_text(source.save, hints);
    if (auto differs = compare_chips(source, hints)) (void)checks.add(std::move(*differs));
    if (checks.stopped()) return stop(line, checks);
    // Chips that the user let through differ from the hints, which must then not shape the file.
    if (has_code(checks.found(), "chip-differs")) hints.chips.reset();

    auto targets = make_targets(session_, folders_, *bay_, source, *game, hints, checks);
    if (!targets) {
      if (targets.error().trouble != Trouble::stopped) return tl::unexpected(targets.error());
      const Error& error = targets.error();
      (void)checks.add({Level::error, error.code, error.text, error.hint});
      return stop(line, checks);
    }
    line.losses = targets->losses;
    shortened_ = !targets->losses.empty();
    for (const Finding& loss : targets->losses) (void)checks.add(loss);
    return carry_files(source, *targets, line, checks);
  }

  // A card's save, where the bay has no card for it but keeps such saves as folders.
  bool goes_to_folders(const Source& source) const {
    if (source.save.kind != Kind::card_save) return false;
    const auto has = [&](Kind kind) {
      return std::ranges::any_of(bay_->shelves, [&](const Shelf& shelf) {
        return shelf.system == source.save.system && shelf.kind == kind;
      });
    };
    return has(Kind::folder) && !has(Kind::card_save);
  }

  Result<void> carry_card_save(const Source& source, MoveReport& line, Checks& checks) {
    auto target = source.save.system == System::x360
                      ? make_package_target(session_, *bay_, source, request_, checks)
                      : make_card_target(session_, folders_, *bay_, source, planned_cards_, checks);
    if (!target) return tl::unexpected(target.error());
    if (!*target) return stop(line, checks);
    Targets targets;
    targets.files.push_back(std::move(**target));
    shortened_ = false;
    const TargetFile& file = targets.files.front();
    auto carried = carry_files(source, targets, line, checks);
    // The plan for the next save sees this one on its card.
    if (carried && request_.plan && !checks.stopped() && onto_card(file) != nullptr)
      planned_cards_[file.path.string()] = file.bytes;
    return carried;
  }

  Result<void> carry_state(const Source& source, MoveReport& line, Checks& checks) {
    const auto game = find_target_game(session_, folders_, *bay_, source, request_, checks);
    if (!game) return stop(line, checks);
    if (game->rom) line.game = game_of(*game->rom, session_.catalog);
    auto target = make_state_target(session_, folders_, *bay_, source, *game, request_, checks);
    if (!target) return tl::unexpected(target.error());
    if (!*target) return stop(line, checks);
    line.slot = (*target)->slot;
    Targets targets;
    targets.files.push_back(std::move((*target)->file));
    return carry_files(source, targets, line, checks);
  }

  Result<void> carry_folder(const Source& source, MoveReport& line, Checks& checks) {
    auto target = make_folder_target(session_, *bay_, source, request_, checks);
    if (!target) {
      if (target.error().trouble != Trouble::stopped) return tl::unexpected(target.error());
      const Error& error = target.error();
      (void)checks.add({Level::error, error.code, error.text, error.hint});
      return stop(line, checks);
    }
    if (!*target) return stop(line, checks);
    FolderTarget& there = **target;
    line.to = there.folder.string();
    line.to_layout = there.layout->info().id;
    line.game = there.game;
    line.size = there.size;
    line.folder = true;
    line.replaces = there.replaces;
    line.nothing_to_do = there.already_there;
    line.files = there.files;
    if (!there.already_there && !claim(there.names, line.to, source.shown()))
      (void)checks.add(
          {Level::error, "name-taken",
           fmt::format("{} goes to the same folder", safe_text(claimed_by(there.names, line.to))),
           "carry the one that you want by its name"});
    auto companions = make_companions(session_, *bay_, source);
    if (!companions) return tl::unexpected(companions.error());
    for (CompanionFile& companion : *companions) {
      checks.note(companion.note);
      if (companion.change) there.changes.push_back(std::move(*companion.change));
    }
    for (const FileChange& change : there.changes) {
      check_in_use(change.path, checks);
      check_attributes(change, checks);
    }
    if (!there.changes.empty()) check_room(there.folder, there.size, checks);
    if (checks.stopped()) return stop(line, checks);
    if (there.already_there)
      line.checks.push_back(
          {Level::note, "already-there", "the same progress is there already: nothing to do", ""});
    if (!request_.plan && !there.changes.empty()) {
      FolderSwap swap;
      swap.folder = there.folder;
      swap.seen = std::move(there.seen);
      swap.progress = progress_of(source.save);
      // A companion alone needs no swap of a folder that stays as it is.
      auto done = write_changes(
          source, line, there.changes, [] { return Result<void>{}; },
          there.already_there ? nullptr : &swap);
      if (!done) return tl::unexpected(done.error());
      line.move = *done;
    }
    finish(line, checks, request_.plan ? MoveStatus::planned : MoveStatus::done);
    return {};
  }

  // A plan does not wait: it tells how things are.
  void check_in_use(const Path& path, Checks& checks) const {
    const int wait = request_.plan ? 0 : request_.wait_seconds;
    if (auto held = in_use(*session_.storage, path, wait)) {
      (void)checks.add(std::move(*held));
      return;
    }
    // Who lets younger progress go has seen that the file is young.
    if (request_.accept.contains("newer-there")) return;
    const auto history = History::open_to_read(*session_.storage, session_.history_file());
    std::int64_t own = 0;
    if (history && *history) own = (*history)->written_ns(path.string());
    if (auto fresh = changed_just_now(*session_.storage, path, own, wait))
      (void)checks.add(std::move(*fresh));
  }

  // What a replaced file can't keep, or what says that it is not to be replaced.
  void check_attributes(const FileChange& change, Checks& checks) const {
    const auto info = session_.storage->info(change.path);
    if (!info || info->type != FileType::file || !change.before) return;
    constexpr std::uint32_t kOwnerWrites = 0200;
    if ((info->mode & kOwnerWrites) == 0)
      (void)checks.add(
          {Level::error, "read-only",
           fmt::format("{}: is protected against writing", safe_text(change.path.string())),
           "if it may be replaced: --accept read-only"});
    if (!info->own)
      checks.note({Level::note, "owner",
                   fmt::format("{}: belongs to another user; the new file will be yours",
                               safe_text(change.path.string())),
                   ""});
    if (info->links > 1)
      checks.note({Level::note, "linked",
                   fmt::format("{}: has {} names; the others keep the old content",
                               safe_text(change.path.string()), info->links),
                   ""});
  }

  // A nearly full place is found out before anything is written there.
  void check_room(const Path& path, std::uint64_t bytes, Checks& checks) const {
    constexpr std::uint64_t kSpare = 64U << 10U;  // for folders and the file system's own
    const auto free = session_.storage->free_space(path);
    if (!free || *free >= bytes + kSpare) return;
    (void)checks.add(
        {Level::error, "no-room",
         fmt::format("{}: {} are free there, and {} are needed (the old file stays "
                     "until the new one is complete)",
                     safe_text(bay_->place.string()), size_text(*free), size_text(bytes + kSpare)),
         "make room there, and try again"});
  }

  // Two saves of one command cannot go to one place.
  bool claim(FileNames names, const std::string& path, const std::string& source) {
    return claimed_.emplace(folded_path(names, path), source).second;
  }
  std::string claimed_by(FileNames names, const std::string& path) {
    return claimed_[folded_path(names, path)];
  }

  // Tells the caller how much of a large folder is copied.
  [[nodiscard]] std::function<void(std::uint64_t)> progress_of(const Save& save) const {
    std::uint64_t total = 0;
    for (const Part& part : save.parts) total += part.outside;
    if (total == 0 || !request_.progress) return {};
    return [tell = request_.progress, total, done = std::uint64_t{0}](std::uint64_t more) mutable {
      done += more;
      tell(done, total);
    };
  }

  Result<void> carry_files(const Source& source, Targets& targets, const MoveReport& base,
                           Checks& checks) {
    auto history = History::open_to_read(*session_.storage, session_.history_file());
    if (!history) return tl::unexpected(history.error());
    std::vector<MoveReport> lines;
    std::vector<const TargetFile*> work;
    for (const TargetFile& file : targets.files) {
      MoveReport line = base;
      line.from = file.from;
      line.to = file.path.string();
      if (file.layout != nullptr) line.to_layout = file.layout->info().id;
      line.size = file.bytes.size();
      line.replaces = file.before.has_value();
      if (!is_package(file.layout))
        for (const Part& part : file.carried.parts) line.parts.push_back(part.name);
      line.nothing_to_do = file.already_there;
      if (!file.already_there) {
        check_in_use(file.path, checks);
        FileChange change;
        change.path = file.path;
        change.before = file.before;
        check_attributes(change, checks);
        check_room(file.path, file.bytes.size(), checks);
        work.push_back(&file);
        if (auto newer = newer_there(source, file, history->has_value() ? &**history : nullptr))
          (void)checks.add(std::move(*newer));
        if (onto_card(file) == nullptr && !claim(file.names, line.to, list_text(line.from)))
          (void)checks.add(
              {Level::error, "name-taken",
               fmt::format("{} goes to the same file", safe_text(claimed_by(file.names, line.to))),
               "carry the one that you want by its name"});
      }
      lines.push_back(std::move(line));
    }
    if (checks.stopped() || lines.empty()) {
      if (lines.empty()) return stop(base, checks);
      for (MoveReport& line : lines) finish(line, checks, MoveStatus::stopped);
      return {};
    }
    for (MoveReport& line : lines)
      if (line.nothing_to_do)
        line.checks.push_back({Level::note, "already-there",
                               "the same progress is there already: nothing to do", ""});
    std::string move;
    if (!work.empty() && !request_.plan) {
      auto done = write(source, base, work);
      if (!done) return tl::unexpected(done.error());
      move = *done;
    }
    for (MoveReport& line : lines) {
      if (!line.nothing_to_do) line.move = move;
      finish(line, checks, request_.plan ? MoveStatus::planned : MoveStatus::done);
    }
    return {};
  }

  std::optional<Finding> newer_there(const Source& source, const TargetFile& file,
                                     const History* history) {
    if (!file.before || !file.replaces_progress) return std::nullopt;
    // What history knows of a card is about all of its saves.
    if (onto_card(file) != nullptr) history = nullptr;
    const std::string path = file.path.string();
    if (history != nullptr) {
      const auto replaced = history->replaced_at(path);
      const Digest ours = version_digest(file.bytes);
      if (replaced && std::find(replaced->begin(), replaced->end(), ours) != replaced->end())
        return Finding{
            Level::error, "newer-there",
            fmt::format("{}: history knows this save as an older version of what is there",
                        safe_text(path)),
            "keep what is there, or go back with --accept newer-there"};
    }
    std::int64_t there = file.before_modified_ns;
    if (history != nullptr)
      if (const auto made = history->progress_time(path, *file.before); made && *made)
        there = **made;
    if (there <= source.modified_ns + time_slack_ns(file.names)) return std::nullopt;
    return Finding{
        Level::error, "newer-there",
        fmt::format("{}: is younger ({} UTC) than the save ({} UTC) and differs", safe_text(path),
                    utc_text(there), utc_text(source.modified_ns)),
        "compare both with 'bayswap look'; replace it with --accept newer-there (the old "
        "one stays in history)"};
  }

  // Gives the name of the move.
  Result<std::string> write(const Source& source, const MoveReport& base,
                            const std::vector<const TargetFile*>& work) {
    std::vector<FileChange> changes;
    for (const TargetFile* file : work) {
      FileChange change;
      change.path = file->path;
      change.content = file->bytes;
      change.before = file->before;
      changes.push_back(std::move(change));
      if (file->companion.empty()) continue;
      FileChange beside;
      beside.path = file->path.string() + file->layout->info().companion;
      beside.content = file->companion;
      const auto there = version_at(*session_.storage, beside.path);
      if (!there) return tl::unexpected(there.error());
      beside.before = there->digest;
      changes.push_back(std::move(beside));
    }
    return write_changes(source, base, changes, [&] { return compare_as_saves(work); });
  }

  Result<std::string> write_changes(const Source& source, const MoveReport& base,
                                    const std::vector<FileChange>& changes,
                                    const std::function<Result<void>()>& verify,
                                    const FolderSwap* swap = nullptr) {
    if (!history_) {
      auto opened = settled_history(*session_.storage, session_.history_file());
      if (!opened) return tl::unexpected(opened.error());
      history_ = std::move(*opened);
    }
    if (command_ == 0) {
      auto begun = history_->begin_command("carry", now_ns());
      if (!begun) return tl::unexpected(begun.error());
      command_ = *begun;
    }
    MoveRecord move;
    move.command = command_;
    move.kind = "carry";
    move.source = source.shown();
    move.bay = bay_->name;
    move.place = bay_->place.string();
    move.title = base.game.title;
    move.source_modified_ns = source.modified_ns;
    Mover mover(*session_.storage, *history_);
    if (request_.accept.contains("in-use")) mover.allow_in_use();
    auto done = mover.apply(std::move(move), changes, verify, swap);
    if (!done) return tl::unexpected(done.error());
    return move_name(done->id);
  }

  Result<void> compare_as_saves(const std::vector<const TargetFile*>& work) {
    for (const TargetFile* file : work) {
      if (file->layout == nullptr) continue;  // its bytes were compared
      const auto view = session_.storage->view(file->path, kSaveLimit);
      if (!view) return tl::unexpected(view.error());
      Hints hints;
      hints.system = file->carried.system;
      hints.companion = read_companion(*session_.storage, file->path);
      const CardLayout* card = onto_card(*file);
      const auto content = card != nullptr ? card->CardLayout::read(view->bytes(), hints)
                                           : file->layout->read(view->bytes(), hints);
      bool same = content && !content->saves.empty();
      if (same && file->carried.kind == Kind::card_save)
        same = std::any_of(content->saves.begin(), content->saves.end(), [&](const Save& save) {
          return card != nullptr
                     ? same_card_save(save, file->carried)
                     : save.parts == file->carried.parts || same_card_save(save, file->carried);
        });
      else if (same && !shortened_)
        for (const Part& part : file->carried.parts) {
          const Part* there = content->saves.front().part(part.name);
          same = same && there != nullptr && same_progress(file->carried.system, *there, part);
        }
      if (!same)
        return fail(Trouble::read_back, "read-back",
                    fmt::format("{}: reads back as another save", safe_text(file->path.string())),
                    "the old content is back; please report this with the file");
    }
    return {};
  }

  Result<void> stop(MoveReport line, const Checks& checks) {
    finish(line, checks, MoveStatus::stopped);
    return {};
  }

  void finish(MoveReport& line, const Checks& checks, MoveStatus status) {
    line.status = status;
    line.checks.insert(line.checks.end(), checks.found().begin(), checks.found().end());
    report_.moves.push_back(std::move(line));
  }

  Session& session_;
  const CarryRequest& request_;
  RomFolders folders_;
  const Bay* bay_ = nullptr;
  CarryReport report_;
  bool shortened_ = false;  // the user accepted losses, so less comes back than was carried
  std::optional<History> history_;
  std::int64_t command_ = 0;
  std::map<std::string, std::string> claimed_;
  PlannedCards planned_cards_;
};

}  // namespace

std::string_view to_string(MoveStatus status) {
  switch (status) {
    case MoveStatus::done: return "done";
    case MoveStatus::planned: return "planned";
    case MoveStatus::stopped: return "stopped";
  }
  return {};
}

Result<CarryReport> carry(Session& session, const CarryRequest& request) {
  const auto wrong = [](const char* text, const char* hint) {
    return fail(Trouble::usage, "usage", text, hint);
  };
  if (request.to.empty()) return wrong("the destination is not named", "add --to BAY");
  if (request.all && request.from.empty())
    return wrong("--all needs a bay to take from", "add --from BAY");
  if (request.all && !request.saves.empty())
    return wrong("--all goes without names of saves", "leave the names out, or leave --all out");
  if (!request.all && request.saves.empty() && request.from.empty())
    return wrong("no save is named",
                 "name a file or BAY:NAME, or use --from BAY with --game or --all");
  if (!request.from.empty() && request.from == request.to)
    return wrong("the save is in that bay already", "name another bay with --to");
  return Carrier(session, request).run();
}

}  // namespace bayswap
