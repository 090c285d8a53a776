#include "bayswap/carry.h"

#include <fmt/core.h>

#include <algorithm>
#include <map>

#include "bayswap/card_file.h"
#include "core/bytes/text.h"
#include "files/archive_storage.h"
#include "files/clock.h"
#include "moves/carry_checks.h"
#include "moves/carry_source.h"
#include "moves/carry_sources.h"
#include "moves/in_use.h"
#include "moves/mover.h"
#include "moves/target.h"
#include "moves/wanted_saves.h"
#include "places/file_names.h"
#include "places/understood.h"

namespace bayswap {
namespace {

// One change as a plan showed it.
struct Shown {
  Path path;
  std::optional<Digest> before;
  std::optional<Digest> after;

  bool operator==(const Shown&) const = default;
};

std::vector<Shown> shown_changes(const Placement& placement) {
  std::vector<Shown> shown;
  for (const PlacedUnit& unit : placement.units)
    for (const FileChange& change : unit.changes)
      shown.push_back(
          {change.path, change.before,
           change.content ? std::optional(version_digest(*change.content)) : std::nullopt});
  return shown;
}

// Carries saves to one bay, one after the other: each is placed by the target of its kind, checked,
// and written unless only a plan is wanted.
class Carrier {
 public:
  Carrier(Session& session, const CarryRequest& request, const Bay& bay)
      : session_(session),
        request_(request),
        bay_(bay),
        folders_(session),
        scan_(session, folders_, bay),
        context_{session, request, folders_, scan_},
        targets_(targets_for(context_)) {}

  /// Finds the saves that are asked for. Errors: those of find_wanted(); `place-failed`.
  Result<std::vector<Source>> find() {
    if (auto ready = get_ready(); !ready) return tl::unexpected(ready.error());
    auto wanted = find_wanted(session_, folders_, scan_, request_);
    if (!wanted) return tl::unexpected(wanted.error());
    report_.notes = std::move(wanted->notes);
    return std::move(wanted->saves);
  }

  /// What history calls the command, and its id where it has begun already; else 0.
  void call(const std::string& words, std::int64_t command) {
    words_ = words;
    command_ = command;
  }
  [[nodiscard]] std::int64_t command() const { return command_; }
  /// Where the lines of each source begin in the report.
  [[nodiscard]] const std::vector<std::size_t>& first_lines() const { return first_lines_; }

  /// The place is there, and what an earlier run left is settled. Errors: `place-failed`.
  Result<void> get_ready() {
    if (auto there = check_bay_is_there(session_, bay_); !there) return there;
    return request_.plan ? Result<void>{} : recover(session_);
  }

  /// Carries them, or plans it. `shown`: what a plan showed of each, which must be as it was; null
  /// without a plan.
  Result<CarryReport> run(const std::vector<Source>& sources,
                          const std::vector<std::vector<Shown>>* shown) {
    for (std::size_t i = 0; i < sources.size(); ++i) {
      expected_ = shown != nullptr ? &(*shown)[i] : nullptr;
      auto moved = session_.proceed(Work::saves, i, sources.size());
      if (moved) moved = carry_one(sources[i]);
      if (moved) continue;
      if (report_.moves.empty()) return tl::unexpected(moved.error());
      report_.failed = moved.error();
      name_what_is_left(std::span(sources).subspan(i));
      break;
    }
    flush_place();
    return std::move(report_);
  }

  /// What the plan showed, one list for each save.
  [[nodiscard]] std::vector<std::vector<Shown>> take_shown() { return std::move(shown_); }

 private:
  // What a place that failed midway has not got.
  void name_what_is_left(std::span<const Source> left) {
    constexpr std::size_t kShown = 6;
    std::vector<std::string> names;
    for (const Source& source : left) names.push_back(safe_text(source.stem));
    const std::size_t more = names.size() > kShown ? names.size() - kShown : 0;
    names.resize(names.size() - more);
    report_.failed->hint +=
        fmt::format("; not done: {}{}", list_text(names),
                    more > 0 ? fmt::format(" and {} more; what is named above is done", more)
                             : "; what is named above is done");
  }

  // What people may take out is complete before it is said to be.
  void flush_place() {
    const bool wrote = std::ranges::any_of(
        report_.moves, [](const MoveReport& move) { return !move.move.empty(); });
    Storage& storage = *session_.storage;
    if (!wrote || report_.failed || bay_.port || !storage.is_removable(bay_.place)) return;
    if (storage.flush_medium(bay_.place)) report_.safe_to_remove = bay_.place.string();
  }

  Result<void> carry_one(const Source& source) {
    first_lines_.push_back(report_.moves.size());
    Checks checks(request_.accept);
    MoveReport line = first_line(source);
    Target& target = target_of(source);
    check_source(source, target, checks);
    if (source.last_look)
      if (auto found = source.last_look()) (void)checks.add(std::move(*found));
    shown_.emplace_back();
    const bool readable = !source.save.parts.empty() || target.moves_unread();
    if (checks.stopped() || !readable) return stop(line, checks);
    if (auto known = open_history(); !known) return known;
    auto placement = target.place(source, line, checks);
    if (!placement) {
      const Error& error = placement.error();
      if (error.trouble != Trouble::stopped) return tl::unexpected(error);
      (void)checks.add({Level::error, error.code, error.text, error.hint});
      return stop(line, checks);
    }
    if (!*placement || (*placement)->units.empty()) return stop(line, checks);
    for (const Finding& loss : (*placement)->losses) (void)checks.add(loss);
    for (const PlacedUnit& unit : (*placement)->units) check_unit(unit, checks);
    check_as_shown(**placement, checks);
    return checks.stopped() ? stop_all(**placement, checks) : do_all(source, **placement, checks);
  }

  MoveReport first_line(const Source& source) const {
    MoveReport line;
    for (const Path& file : source.files) line.from.push_back(archive_name(file));
    if (line.from.empty()) line.from.push_back(source.shown());
    line.system = source.save.system;
    if (source.save.kind != Kind::battery && !source.state) {
      line.label = source.save.name;
      line.comment = source.save.comment;
      line.game = source.save.game;
    }
    line.from_layout = list_text(source.layouts);
    if (source.rom) line.game = game_of(*source.rom, session_.catalog);
    if (line.game.title.empty() && line.label.empty()) line.game.title = safe_text(source.stem);
    return line;
  }

  // The last kind takes what no other takes.
  Target& target_of(const Source& source) {
    for (const auto& target : targets_)
      if (target->takes(source)) return *target;
    return *targets_.back();
  }

  void check_source(const Source& source, const Target& target, Checks& checks) const {
    for (const Finding& problem : source.problems)
      if (problem.level == Level::note)
        checks.note(problem);
      else if (!target.moves_unread() || problem.code != Code::state_not_save)
        (void)checks.add(problem);
    if (!source.save.parts.empty() && source.save.blank())
      (void)checks.add(
          {Level::error, Code::blank_source,
           "the save is blank: a new file, or a dump from a cartridge with a dead battery",
           "nothing would be gained, and progress could be lost; check the battery and "
           "dump again"});
    if (!source.several_roms.empty() && !request_.rom && or_empty(request_.game).empty())
      (void)checks.add(
          {Level::error,
           Code::many_match,
           fmt::format("several ROMs fit the save: {}", safe_text(list_text(source.several_roms))),
           {"choose one with ", Remedy::rom}});
  }

  void check_unit(const PlacedUnit& unit, Checks& checks) {
    for (const FileChange& change : unit.changes) {
      check_in_use(change.path, checks);
      check_attributes(change, checks);
    }
    if (!unit.changes.empty()) check_room(unit.line.to, unit.room, checks);
    if (unit.line.nothing_to_do) return;
    if (unit.newer) (void)checks.add(*unit.newer);
    if (unit.shared) return;
    // Two saves of one command can't go to one place.
    const auto [taken, free] =
        claimed_.emplace(folded_path(unit.names, unit.line.to), list_text(unit.line.from));
    if (!free)
      (void)checks.add({Level::error, Code::name_taken,
                        fmt::format("{} goes to the same {}", safe_text(taken->second),
                                    unit.line.folder ? "folder" : "file"),
                        "carry the one that you want by its name"});
  }

  // A plan does not wait: it tells how things are.
  void check_in_use(const Path& path, Checks& checks) const {
    const int wait = request_.plan ? 0 : request_.wait_seconds;
    if (auto held = in_use(*session_.storage, path, wait)) {
      (void)checks.add(std::move(*held));
      return;
    }
    // Who lets younger progress go has seen that the file is young.
    if (request_.accept.contains(Code::newer_there)) return;
    const std::int64_t own = history_ ? history_->written_ns(path.string()) : 0;
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
          {Level::error,
           Code::read_only,
           fmt::format("{}: is protected against writing", safe_text(change.path.string())),
           {"if it may be replaced: ", accept_remedy(Code::read_only)}});
    if (!info->own)
      checks.note({Level::note, Code::owner,
                   fmt::format("{}: belongs to another user; the new file will be yours",
                               safe_text(change.path.string())),
                   ""});
    if (info->links > 1)
      checks.note({Level::note, Code::linked,
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
        {Level::error, Code::no_room,
         fmt::format("{}: {} are free there, and {} are needed (the old file stays "
                     "until the new one is complete)",
                     safe_text(bay_.place.string()), size_text(*free), size_text(bytes + kSpare)),
         "make room there, and try again"});
  }

  // A plan that was shown is done as it was shown, or not at all.
  void check_as_shown(const Placement& placement, Checks& checks) {
    auto changes = shown_changes(placement);
    if (expected_ != nullptr && changes != *expected_)
      (void)checks.add({Level::error, Code::in_use,
                        "what is there is no longer what the plan saw: another program wrote to it",
                        "make a new plan"});
    shown_.back() = std::move(changes);
  }

  // What history knows of files there; once this carry writes, its own handle.
  Result<void> open_history() {
    if (!history_) {
      auto opened = History::open_to_read(*session_.storage, session_.history_file());
      if (!opened) return tl::unexpected(opened.error());
      history_ = std::move(*opened);
    }
    context_.history = history_ ? &*history_ : nullptr;
    return {};
  }

  Result<void> do_all(const Source& source, Placement& placement, const Checks& checks) {
    std::vector<FileChange> changes;
    std::vector<bool> changed;  // for each unit
    for (PlacedUnit& unit : placement.units) {
      changed.push_back(!unit.changes.empty());
      std::ranges::move(unit.changes, std::back_inserter(changes));
    }
    PlacedMove move;
    const bool own_way = placement.perform != nullptr;
    if (!request_.plan && (!changes.empty() || own_way)) {
      auto done = write(source, placement, changes);
      if (!done) return tl::unexpected(done.error());
      move = std::move(*done);
    }
    for (std::size_t i = 0; i < placement.units.size(); ++i) {
      MoveReport& line = placement.units[i].line;
      if (line.nothing_to_do)
        line.checks.push_back({Level::note, Code::already_there,
                               "the same progress is there already: nothing to do", ""});
      if (changed[i] || own_way) line.move = move.name;
      std::ranges::copy(move.notes, std::back_inserter(line.checks));
      line.losses = placement.losses;
      finish(line, checks, request_.plan ? MoveStatus::planned : MoveStatus::done);
    }
    for (FileChange& change : changes) scan_.put(change.path, std::move(change.content));
    return {};
  }

  Result<PlacedMove> write(const Source& source, Placement& placement,
                           const std::vector<FileChange>& changes) {
    if (!may_write_) {
      auto opened = recovered_history(*session_.storage, session_.history_file());
      if (!opened) return tl::unexpected(opened.error());
      history_ = std::move(*opened);
      may_write_ = true;
    }
    if (command_ == 0) {
      auto begun = history_->begin_command(words_, now_ns());
      if (!begun) return tl::unexpected(begun.error());
      command_ = *begun;
    }
    MoveRecord move;
    move.command = command_;
    move.kind = words_;
    move.source = recorded_source(source);
    move.bay = bay_.name;
    move.place = bay_.place.string();
    move.title = placement.units.front().line.game.title;
    move.source_modified_ns = source.modified_ns;
    if (placement.perform) return placement.perform(*history_, std::move(move));
    std::uint64_t outside = 0;  // bytes of files that are too large to be held
    for (const Part& part : source.save.parts) outside += part.outside;
    if (placement.swap && outside > 0) placement.swap->progress = session_.copy_progress(outside);
    Mover mover(*session_.storage, *history_);
    if (request_.accept.contains(Code::in_use)) mover.allow_in_use();
    const auto verify = [&]() -> Result<void> {
      for (const PlacedUnit& unit : placement.units)
        if (unit.verify)
          if (auto same = unit.verify(*session_.storage); !same) return same;
      return {};
    };
    auto done =
        mover.apply(std::move(move), changes, verify, placement.swap ? &*placement.swap : nullptr);
    if (!done) return tl::unexpected(done.error());
    return PlacedMove{move_name(done->id), {}};
  }

  Result<void> stop(MoveReport line, const Checks& checks) {
    finish(line, checks, MoveStatus::stopped);
    return {};
  }

  Result<void> stop_all(Placement& placement, const Checks& checks) {
    for (PlacedUnit& unit : placement.units) {
      unit.line.losses = placement.losses;
      finish(unit.line, checks, MoveStatus::stopped);
    }
    return {};
  }

  void finish(MoveReport& line, const Checks& checks, MoveStatus status) {
    line.status = status;
    line.checks.insert(line.checks.end(), checks.found().begin(), checks.found().end());
    report_.moves.push_back(std::move(line));
  }

  Session& session_;
  const CarryRequest& request_;
  const Bay& bay_;
  RomFolders folders_;
  BayScan scan_;
  CarryContext context_;
  std::vector<std::unique_ptr<Target>> targets_;
  CarryReport report_;
  std::optional<History> history_;
  std::string words_ = "carry";
  std::int64_t command_ = 0;
  bool may_write_ = false;  // the history is open for that
  std::vector<std::size_t> first_lines_;
  std::map<std::string, std::string> claimed_;
  std::vector<std::vector<Shown>> shown_;
  const std::vector<Shown>* expected_ = nullptr;
};

Result<void> check_request(const CarryRequest& request) {
  const auto wrong = [](const char* text, const Hint& hint) {
    return fail(Trouble::usage, Code::usage, text, hint);
  };
  const bool named = !request.saves.empty() || !request.given.empty();
  if (request.to.empty()) return wrong("the destination is not named", {"add ", Remedy::to_bay});
  if (request.all && or_empty(request.from).empty())
    return wrong("all saves are wanted, but no bay is named to take them from",
                 {"add ", Remedy::from_bay});
  if (request.all && named)
    return wrong("all saves are wanted, and some are named as well",
                 {"leave the names out, or leave ", Remedy::all_saves, " out"});
  if (!request.all && !named && or_empty(request.from).empty())
    return wrong("no save is named", {"name a file or BAY:NAME, or use ", Remedy::from_bay,
                                      " with ", Remedy::game, " or ", Remedy::all_saves});
  if (!or_empty(request.from).empty() && or_empty(request.from) == request.to)
    return wrong("the save is in that bay already", {"name another bay with ", Remedy::to_bay});
  return {};
}

// The request with the places as bays of the session.
struct Resolved {
  CarryRequest request;
  std::vector<PlaceReport> understood;
};

Result<Resolved> with_places(Session& session, const CarryRequest& request) {
  if (auto right = check_request(request); !right) return tl::unexpected(right.error());
  Resolved resolved{request, {}};
  const auto resolve = [&](std::string& name, const std::optional<Path>& rom) -> Result<void> {
    auto place = understand_place(session, name, rom);
    if (!place) return tl::unexpected(place.error());
    name = place->bay;
    if (!place->known)
      resolved.understood.push_back(
          {place->path, std::move(place->words), place->exact, place->roms});
    return {};
  };
  if (!or_empty(request.from).empty())
    if (auto done = resolve(*resolved.request.from, {}); !done) return tl::unexpected(done.error());
  if (auto done = resolve(resolved.request.to, request.rom); !done)
    return tl::unexpected(done.error());
  if (auto right = check_request(resolved.request); !right) return tl::unexpected(right.error());
  return resolved;
}

}  // namespace

std::string_view to_string(MoveStatus status) {
  switch (status) {
    case MoveStatus::done: return "done";
    case MoveStatus::planned: return "planned";
    case MoveStatus::stopped: return "stopped";
  }
  return {};
}

Result<void> check_bay_is_there(Session& session, const Bay& bay) {
  if (bay.port) return {};  // a reader tells by itself whether it is there
  const auto place = session.storage->list(bay.place);
  if (place && (!place->empty() || bay.shelves.empty())) return {};
  return fail(Trouble::place, Code::place_failed,
              fmt::format("bay {}: {} {}", bay.name, safe_text(bay.place.string()),
                          place ? "is empty: its medium is not in, or everything was moved away"
                                : "cannot be reached"),
              "plug in or mount the place, or learn the bay again");
}

Result<CarriedSources> carry_sources(Session& session, const CarryRequest& request, const Bay& bay,
                                     const std::vector<Source>& sources, const std::string& words,
                                     std::int64_t& command) {
  Carrier carrier(session, request, bay);
  carrier.call(words, command);
  if (auto ready = carrier.get_ready(); !ready) return tl::unexpected(ready.error());
  auto report = carrier.run(sources, nullptr);
  command = carrier.command();
  if (!report) return tl::unexpected(report.error());
  return CarriedSources{std::move(*report), carrier.first_lines()};
}

Result<CarryReport> carry(Session& session, const CarryRequest& request) {
  auto resolved = with_places(session, request);
  if (!resolved) return tl::unexpected(resolved.error());
  const auto bay = session.bays.find(resolved->request.to);
  if (!bay) return tl::unexpected(bay.error());
  Carrier carrier(session, resolved->request, **bay);
  const auto sources = carrier.find();
  if (!sources) return tl::unexpected(sources.error());
  auto report = carrier.run(*sources, nullptr);
  if (report) report->understood = std::move(resolved->understood);
  return report;
}

struct CarryPlan::Made {
  CarryRequest request;
  std::vector<Source> sources;
  std::vector<std::vector<Shown>> shown;
  CarryReport report;
};

CarryPlan::CarryPlan(Session& session, std::unique_ptr<Made> made)
    : session_(&session), made_(std::move(made)) {}
CarryPlan::CarryPlan(CarryPlan&&) noexcept = default;
CarryPlan& CarryPlan::operator=(CarryPlan&&) noexcept = default;
CarryPlan::~CarryPlan() = default;

Result<CarryPlan> CarryPlan::make(Session& session, CarryRequest request) {
  request.plan = true;
  auto resolved = with_places(session, request);
  if (!resolved) return tl::unexpected(resolved.error());
  auto made = std::make_unique<Made>();
  made->request = std::move(resolved->request);
  const auto bay = session.bays.find(made->request.to);
  if (!bay) return tl::unexpected(bay.error());
  Carrier carrier(session, made->request, **bay);
  auto sources = carrier.find();
  if (!sources) return tl::unexpected(sources.error());
  made->sources = std::move(*sources);
  auto report = carrier.run(made->sources, nullptr);
  if (!report) return tl::unexpected(report.error());
  made->report = std::move(*report);
  made->report.understood = std::move(resolved->understood);
  made->shown = carrier.take_shown();
  return CarryPlan(session, std::move(made));
}

const CarryReport& CarryPlan::report() const {
  return made_->report;
}

Result<CarryReport> CarryPlan::execute() {
  const auto bay = session_->bays.find(made_->request.to);
  if (!bay) return tl::unexpected(bay.error());
  if (auto recovered = recover(*session_); !recovered) return tl::unexpected(recovered.error());
  CarryRequest request = made_->request;
  request.plan = false;
  return Carrier(*session_, request, **bay).run(made_->sources, &made_->shown);
}

}  // namespace bayswap
