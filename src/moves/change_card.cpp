// Saves put on cards and dropped from them, as moves that undo() takes back.
#include <fmt/core.h>

#include <algorithm>
#include <optional>

#include "bayswap/card_file.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "files/clock.h"
#include "files/full_path.h"
#include "moves/carry_checks.h"
#include "moves/mover.h"
#include "moves/regions.h"
#include "moves/waiting.h"
#include "reading/card_saves.h"
#include "reading/open_card.h"

namespace bayswap {
namespace {

// The file has a sound card in it, the one that was planned when it is a container.
bool is_sound(const OpenCard& card, const Bytes& whole, const Bytes& planned) {
  if (card.container == nullptr) return !has_error(card.layout->validate(whole));
  const auto inside = card.card_in(whole);
  return inside && same_bytes(*inside, planned) && !has_error(card.layout->validate(*inside));
}

// Writes the changed card in one step: kept in history, read back, and compared with the plan.
// Gives the name of the move.
Result<std::string> write_change(Session& session, const OpenCard& card, const Bytes& changed,
                                 const std::string& kind, const std::string& source,
                                 const std::string& title) {
  Result<Bytes> whole =
      card.container == nullptr ? Result<Bytes>(changed) : card.file_with(changed);
  if (!whole) return tl::unexpected(whole.error());
  if (!is_sound(card, *whole, changed))
    return fail(Trouble::read_back, Code::read_back,
                fmt::format("{}: the changed card would be damaged", safe_text(card.name)),
                "nothing was written; please report this with the card");
  auto history = recovered_history(*session.storage, session.history_file());
  if (!history) return tl::unexpected(history.error());
  report_waiting(session, *history);
  MoveRecord move;
  move.kind = kind;
  move.source = source;
  move.title = title;
  move.source_modified_ns = now_ns();
  FileChange file;
  file.path = full_path(card.path);
  move.place = place_of(session, file.path);
  file.seen = card.seen;
  file.seen_digests = digests_of(*card.seen);
  file.before = file.seen_digests.whole;
  file.content = std::move(*whole);
  // What is written is read back byte by byte; that it is a sound card is known before.
  std::vector<FileChange> files;
  files.push_back(std::move(file));
  auto done = Mover(*session.storage, *history).apply(std::move(move), files, [] {
    return Result<void>{};
  });
  if (!done) return tl::unexpected(done.error());
  return move_name(done->id);
}

// What one command does to a card, checked save by save.
class Changer {
 public:
  Changer(Session& session, const OpenCard& opened, const std::set<Code>& accept)
      : session_(session), opened_(opened), accept_(accept) {}

  /// `names`: the saves whose data is_on_card() compares.
  Result<void> begin(const std::vector<std::string>& names) {
    reading_ = opened_.layout->reading(opened_.bytes());
    auto card = reading_->list(names);
    for (Finding& finding : reading_->validate())
      if (finding.level == Level::error) damage_.push_back(std::move(finding));
    if (!card) return tl::unexpected(card.error());
    card_ = std::move(*card);
    return {};
  }

  [[nodiscard]] const Card& card() const { return card_; }
  [[nodiscard]] const Catalog& catalog() const { return session_.catalog; }

  // Whether the save at a place is the same, byte by byte.
  [[nodiscard]] bool is_on_card(std::size_t place, const Save& save) const {
    return same_card_save(card_.saves[place].save, save);
  }

  // With its data, for those who show it.
  [[nodiscard]] CardSave read_save(std::size_t place) const {
    auto whole = opened_.layout->open(opened_.bytes());
    return whole && place < whole->saves.size() ? std::move(whole->saves[place]) : CardSave{};
  }

  MoveReport& add_line(const Save& save) {
    MoveReport line;
    line.to = opened_.name;
    line.label = save.name;
    line.system = save.system;
    line.to_layout = opened_.layout->info().id;
    Save titled = save;
    add_catalog_title(session_.catalog, titled);
    line.game = titled.game;
    line.comment = save.comment;
    line.replaces = true;
    report.moves.push_back(std::move(line));
    return report.moves.back();
  }

  // Adds the findings to the line; true when one of them stops the command.
  bool check(MoveReport& line, Findings findings) {
    Checks checks(accept_);
    for (Finding& finding : findings) (void)checks.add(std::move(finding));
    line.checks.insert(line.checks.end(), checks.found().begin(), checks.found().end());
    stopped = stopped || checks.stopped();
    return checks.stopped();
  }

  bool check_damage(MoveReport& line) {
    if (damage_.empty()) return false;
    Finding first = damage_.front();
    first.text = fmt::format("{}: {}", safe_text(opened_.name), first.text);
    first.hint = Hint{"rescue it first: ", Remedy::mend_card};
    return check(line, {std::move(first)});
  }

  // Says once what the change breaks for good.
  void check_seal() {
    if (stopped || (change.put.empty() && change.drop.empty())) return;
    auto broken = opened_.layout->broken_seal(opened_.bytes());
    if (!broken) return;
    MoveReport& line = *std::ranges::find(report.moves, false, &MoveReport::nothing_to_do);
    if (broken->level == Level::note)
      line.checks.push_back(std::move(*broken));
    else
      check(line, {std::move(*broken)});
  }

  // Plans and, unless only a plan is wanted, writes.
  Result<void> finish(bool plan, const std::string& kind) {
    check_seal();
    if (!stopped && (!change.put.empty() || !change.drop.empty())) {
      auto changed = reading_->change(change);
      if (!changed) {
        if (changed.error().trouble != Trouble::stopped) return tl::unexpected(changed.error());
        const Error& error = changed.error();
        check(report.moves.back(), {{Level::error, error.code, error.text, error.hint}});
        stopped = true;
      } else {
        for (const Finding& note : changed->notes) report.moves.back().checks.push_back(note);
        if (!plan) {
          auto move =
              write_change(session_, opened_, changed->bytes, kind, sources_text(), title_text());
          if (!move) return tl::unexpected(move.error());
          move_ = *move;
        }
      }
    }
    for (MoveReport& line : report.moves) {
      line.status = stopped ? MoveStatus::stopped : plan ? MoveStatus::planned : MoveStatus::done;
      line.size = opened_.file.bytes().size();
      if (!stopped && !line.nothing_to_do) line.move = move_;
    }
    return {};
  }

  CarryReport report;
  CardChange change;
  bool stopped = false;

 private:
  [[nodiscard]] std::string sources_text() const {
    std::vector<std::string> sources;
    for (const MoveReport& line : report.moves)
      for (const std::string& from : line.from)
        if (std::ranges::find(sources, from) == sources.end()) sources.push_back(from);
    return list_text(sources);
  }
  [[nodiscard]] std::string title_text() const {
    const MoveReport& first = report.moves.front();
    return first.game.title.empty() ? first.label : first.game.title;
  }

  Session& session_;
  const OpenCard& opened_;
  const std::set<Code>& accept_;
  std::unique_ptr<CardReading> reading_;
  Card card_;
  Findings damage_;  // why the card must not be changed
  std::string move_;
};

// Puts one save into the plan, after its checks.
void plan_put(Changer& changer, const OpenCard& opened, const Save& save, const std::string& from,
              const Findings& problems) {
  MoveReport& line = changer.add_line(save);
  line.from = {from};
  if (changer.check_damage(line)) return;
  Findings damage;
  for (const Finding& problem : problems)
    if (problem.level == Level::error)
      damage.push_back({Level::error, Code::damaged, problem.text, problem.hint});
  if (changer.check(line, std::move(damage))) return;
  const std::string identity = opened.layout->identity(save);
  const bool holds_it = std::ranges::any_of(changer.card().saves, [&](const CardSave& on_card) {
    return opened.layout->identity(on_card.save) == identity;
  });
  if (const auto differs = region_differs_on_card(
          save, changer.card(), common_region(changer.card()), holds_it, changer.catalog());
      differs && changer.check(line, {*differs}))
    return;
  const bool twice = std::ranges::any_of(changer.change.put, [&](const Save& other) {
    return opened.layout->identity(other) == identity;
  });
  const auto& saves = changer.card().saves;
  const auto there = std::ranges::find_if(saves, [&](const CardSave& on_card) {
    return on_card.save.system == save.system && opened.layout->identity(on_card.save) == identity;
  });
  if (there != saves.end() &&
      changer.is_on_card(static_cast<std::size_t>(there - saves.begin()), save)) {
    line.nothing_to_do = true;
    line.checks.push_back({Level::note, Code::already_there,
                           "the same progress is on the card already: nothing to do", ""});
    return;
  }
  if (there != saves.end() || twice) {
    const Finding taken{
        Level::error,
        Code::name_taken,
        twice ? fmt::format("two of the files are saves called {}", safe_text(save.name))
              : fmt::format(
                    "the card holds another save called {}{}", safe_text(save.name),
                    there->save.modified && save.modified && *there->save.modified > *save.modified
                        ? ", and that one is younger"
                        : ""),
        {"take that one out first, or replace it with ", accept_remedy(Code::name_taken),
         " (the card as it was stays in history)"}};
    if (changer.check(line, {taken}) || twice) {
      changer.stopped = true;
      return;
    }
    changer.change.drop.push_back(static_cast<std::size_t>(there - saves.begin()));
  }
  changer.change.put.push_back(save);
}

// The folders of the saves that go, of a card that is kept as a folder.
Result<void> drop_folders(Session& session, const OpenCard& opened, bool plan, Changer& changer) {
  std::int64_t command = 0;
  for (std::size_t i = 0; i < changer.change.drop.size(); ++i) {
    MoveReport& line = changer.report.moves.at(i);
    const Save& save = changer.card().saves.at(changer.change.drop[i]).save;
    const Path folder = full_path(opened.path) / save.name;
    line.to = folder.string();
    line.folder = true;
    line.status = changer.stopped ? MoveStatus::stopped
                  : plan          ? MoveStatus::planned
                                  : MoveStatus::done;
    if (changer.stopped || plan) continue;
    auto seen = files_seen(*session.storage, folder);
    if (!seen) return tl::unexpected(seen.error());
    FolderSwap swap;
    swap.folder = folder;
    swap.goes = true;
    std::vector<FileChange> changes;
    for (const auto& [name, file] : *seen) {
      const auto there = version_at(*session.storage, folder / name);
      if (!there) return tl::unexpected(there.error());
      FileChange change;
      change.path = folder / name;
      change.before = there->digest;
      changes.push_back(std::move(change));
    }
    swap.seen = std::move(*seen);
    auto history = recovered_history(*session.storage, session.history_file());
    if (!history) return tl::unexpected(history.error());
    MoveRecord move;
    move.kind = "card drop";
    move.command = command;
    move.title = line.game.title.empty() ? save.name : line.game.title;
    move.source = line.from.empty() ? std::string() : line.from.front();
    move.source_modified_ns = now_ns();
    move.place = place_of(session, folder);
    auto done = Mover(*session.storage, *history)
                    .apply(
                        std::move(move), changes, [] { return Result<void>{}; }, &swap);
    if (!done) return tl::unexpected(done.error());
    command = done->command;
    line.move = move_name(done->id);
  }
  return {};
}

// What a file holds for this card: a package takes any file as it is.
Result<CardSaves> saves_to_put(Session& session, const OpenCard& card, const std::string& file,
                               const std::string& is) {
  if (!card.layout->card_info().package || is_missing(*session.storage, file) || !is.empty()) {
    auto found = read_card_saves(session, file, is);
    if (found || is_missing(*session.storage, file)) return found;
    // An archive, or a folder of downloaded saves.
    auto among = read_saves_among(session, file, is);
    return among || among.error().code == Code::no_match ? among : found;
  }
  auto saves = read_plain_files(session, file, card.layout->info().system);
  if (!saves) return tl::unexpected(saves.error());
  CardSaves found;
  found.saves = std::move(*saves);
  return found;
}

// A card that is kept as a folder is a place with a folder for each save.
Result<CarryReport> put_into_folder(Session& session, const OpenCard& opened,
                                    const PutRequest& request) {
  const Layout* single = layouts().find("ps2-folder");
  Shelf shelf;
  shelf.system = single->info().system;
  shelf.pattern = "{label}";
  shelf.kind = kind_on_shelf(shelf.pattern, *single);
  shelf.layout = {single->info().id};
  Bay bay;
  bay.name = request.card;
  bay.place = full_path(opened.path);
  bay.shelves = {std::move(shelf)};
  session.bays.add_for_now(std::move(bay));
  CarryRequest carried;
  carried.saves = request.files;
  carried.to = request.card;
  carried.is = request.is;
  carried.plan = request.plan;
  carried.accept = request.accept;
  return carry(session, carried);
}

}  // namespace

Result<CarryReport> put_saves(Session& session, const PutRequest& request) {
  const auto opened = open_card(session, request.card, "");
  if (!opened) return tl::unexpected(opened.error());
  if (opened->folder) return put_into_folder(session, *opened, request);
  Changer changer(session, *opened, request.accept);
  std::vector<std::pair<std::string, CardSaves>> files;
  std::vector<std::string> names;
  for (const std::string& file : request.files) {
    auto found = saves_to_put(session, *opened, file, or_empty(request.is));
    if (!found) return tl::unexpected(found.error());
    if (found->saves.empty())
      return fail(Trouble::input, Code::no_match,
                  fmt::format("{}: holds no save", safe_text(file)));
    for (const Save& save : found->saves) names.push_back(save.name);
    files.emplace_back(file, std::move(*found));
  }
  if (auto begun = changer.begin(names); !begun) return tl::unexpected(begun.error());
  for (const auto& [file, found] : files)
    for (const Save& save : found.saves) plan_put(changer, *opened, save, file, found.findings);
  if (auto finished = changer.finish(request.plan, "card put"); !finished)
    return tl::unexpected(finished.error());
  return std::move(changer.report);
}

Result<DropReport> drop_saves(Session& session, const DropRequest& request) {
  const auto opened = open_card(session, request.card, or_empty(request.is));
  if (!opened) return tl::unexpected(opened.error());
  Changer changer(session, *opened, request.accept);
  if (auto begun = changer.begin({}); !begun) return tl::unexpected(begun.error());
  DropReport result;
  for (const std::string& name : request.names) {
    const auto place = find_on_card(changer.card().saves, name, changer.card().findings);
    if (!place) return tl::unexpected(place.error());
    if (std::ranges::find(changer.change.drop, *place) != changer.change.drop.end()) continue;
    CardSave on_card = changer.read_save(*place);
    MoveReport& line = changer.add_line(on_card.save);
    line.from = {request.card + ":" + on_card.save.name};
    (void)changer.check_damage(line);
    changer.change.drop.push_back(*place);
    result.saves.push_back(std::move(on_card));
    result.places.push_back(*place);
  }
  if (opened->folder) {
    if (auto dropped = drop_folders(session, *opened, request.plan, changer); !dropped)
      return tl::unexpected(dropped.error());
  } else if (auto finished = changer.finish(request.plan, "card drop"); !finished) {
    return tl::unexpected(finished.error());
  }
  result.report = std::move(changer.report);
  for (CardSave& on_card : result.saves) add_catalog_title(session.catalog, on_card.save);
  return result;
}

}  // namespace bayswap
