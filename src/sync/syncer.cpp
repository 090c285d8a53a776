#include "sync/syncer.h"

#include <fmt/core.h>

#include <algorithm>
#include <iterator>
#include <map>
#include <utility>

#include "core/bytes/text.h"
#include "files/atomic_write.h"
#include "files/clock.h"
#include "moves/carry_sources.h"
#include "moves/field_maps.h"
#include "moves/mover.h"
#include "sync/bay_view.h"
#include "sync/joined_hub.h"
#include "sync/lost_objects.h"
#include "sync/sync_items.h"
#include "sync/taken_version.h"
#include "sync/version_content.h"

namespace bayswap {
namespace {

constexpr std::size_t kMostInEntry = 5000;  // versions

class Syncer {
 public:
  Syncer(Session& session, const SyncRequest& request, JoinedHub& joined)
      : session_(session), request_(request), joined_(joined), items_(joined), maps_(session) {
    report_.plan = request.plan;
    report_.notes = joined.notes();
    report_.damaged =
        !report_.notes.empty() && std::ranges::any_of(report_.notes, [](const Finding& note) {
          return note.code == Code::hub_damaged;
        });
  }

  Result<SyncReport> run(const std::vector<const Bay*>& bays) {
    for (const Bay* bay : bays) read_bay_view(*bay);
    if (!request_.plan)
      if (auto put = put_back_lost(joined_, bays_); !put) return tl::unexpected(put.error());
    for (BayView& bay : bays_)
      for (LocalUnit& unit : bay.units) decide(unit);
    if (auto published = publish(); !published) return tl::unexpected(published.error());
    if (auto settled = settle(); !settled) return tl::unexpected(settled.error());
    if (auto forgotten = forget(); !forgotten) return tl::unexpected(forgotten.error());
    find_saves();
    note_missing();
    for (const SyncedSave& save : joined_.graph().saves()) place(save);
    if (request_.bring && !brought_) return tl::unexpected(nothing_to_bring());
    for (BayView& bay : bays_) bring(bay);
    if (!request_.plan) {
      if (auto asked = joined_.ask_for(unreadable_, now_ns()); !asked) fail_with(asked.error());
      if (auto kept = joined_.folder().save(joined_.state()); !kept)
        return tl::unexpected(kept.error());
      if (auto noted = note_quiet_bays(); !noted) return tl::unexpected(noted.error());
    }
    return std::move(report_);
  }

 private:
  void read_bay_view(const Bay& bay) {
    auto view = BayView::read(session_, bay, request_.states);
    if (view)
      bays_.push_back(std::move(*view));
    else
      fail_with(view.error());
  }

  void fail_with(const Error& error) {
    if (!report_.failed) report_.failed = error;
    report_.notes.push_back({Level::error, error.code, error.text, error.hint});
  }

  LocalRecord* record_of(const LocalUnit& unit) {
    const auto found = joined_.state().saves.find(unit.key);
    return found == joined_.state().saves.end() ? nullptr : &found->second;
  }

  const SyncedSave* history_of(const LocalUnit& unit) {
    if (const LocalRecord* record = record_of(unit))
      if (const SyncedSave* save = joined_.graph().save_of(record->agreed.version)) return save;
    return joined_.graph().save_named(names_of(unit.save.identity));
  }

  void decide(LocalUnit& unit) {
    LocalRecord* record = record_of(unit);
    if (record != nullptr) unit.save.agreed = record->agreed;
    const bool changed = record != nullptr && record->agreed.progress != unit.save.progress;
    if (changed) unit.save.put_on_purpose = was_put_on_purpose(unit);
    const LocalDecision decision =
        decide_local(unit.save, joined_.graph(), history_of(unit), request_.accept);
    switch (decision.step) {
      case LocalStep::same:
      case LocalStep::adopt: agree(unit, decision.version); break;
      case LocalStep::publish:
        publish_.push_back({&unit, version_of(unit)});
        publish_.back().second.parents = decision.parents;
        publish_.back().second.on_purpose = unit.save.put_on_purpose;
        break;
      case LocalStep::leave: break;
      case LocalStep::hold:
        if (record != nullptr) record->agreed.interrupted = true;
        held_.insert(unit.key);
        report_.held.push_back(items_.of(unit));
        report_.held.back().reason = decision.reason;
        break;
    }
  }

  void agree(const LocalUnit& unit, const std::string& version) {
    joined_.state().saves[unit.key] = {{version, unit.save.progress, false}, false, false};
  }

  // Undo and restore put older progress there on purpose: a command of ours wrote it last.
  bool was_put_on_purpose(const LocalUnit& unit) {
    if (!past_) {
      past_.emplace();
      const auto history = History::open_to_read(*session_.storage, session_.history_file());
      if (history && *history)
        if (auto moves = (*history)->past_moves()) past_ = std::move(*moves);
    }
    const auto is_here = [&](const Step& step) {
      return std::ranges::any_of(unit.source.part_files, [&](const std::string& file) {
        return step.path == file || text_lies_in(file, step.path);
      });
    };
    const auto last = std::find_if(past_->rbegin(), past_->rend(), [&](const MoveRecord& move) {
      return std::ranges::any_of(move.steps, is_here);
    });
    return last != past_->rend() &&
           (last->state == MoveState::undone || last->kind == "undo" || last->kind == "restore");
  }

  Result<void> publish() {
    Hub& hub = joined_.hub();
    std::uint64_t all = 0;
    std::uint64_t sent = 0;
    for (const auto& [unit, version] : publish_) all += version.size();
    for (std::size_t begin = 0; begin < publish_.size(); begin += kMostInEntry) {
      const auto batch =
          std::span(publish_).subspan(begin, std::min(kMostInEntry, publish_.size() - begin));
      std::vector<SaveVersion> versions;
      for (const auto& [unit, version] : batch) {
        if (auto go_on = session_.proceed(Work::hub, sent, all); !go_on) return go_on;
        sent += version.size();
        if (!request_.plan)
          if (auto put = put_content(hub, unit->source.save); !put) return put;
        versions.push_back(version);
      }
      const auto ids = joined_.make_known(std::move(versions), request_.plan, now_ns());
      if (!ids) return tl::unexpected(ids.error());
      for (std::size_t i = 0; i < batch.size(); ++i) {
        agree(*batch[i].first, (*ids)[i]);
        report_.published.push_back(items_.of(*batch[i].first));
        report_.published.back().version = (*ids)[i];
      }
    }
    return {};
  }

  // A conflict that the user settles: the chosen content follows every newest version.
  Result<void> settle() {
    if (!request_.take) return {};
    auto taken = find_taken(joined_, *request_.take, or_empty(request_.take_from));
    if (!taken) return tl::unexpected(taken.error());
    // What was let go, or is damaged, would be a newest version that nobody can have.
    if (const auto content = content_of(joined_.hub(), *taken->version); !content)
      return tl::unexpected(content.error());
    SaveVersion version = *taken->version;
    version.parents.clear();
    for (const std::size_t tip : taken->save->tips)
      version.parents.push_back(joined_.graph().versions()[tip].id);
    version.on_purpose = true;
    report_.settled.push_back(items_.of(version));
    const auto ids = joined_.make_known({version}, request_.plan, now_ns());
    if (!ids) return tl::unexpected(ids.error());
    report_.settled.back().version = ids->front();
    return {};
  }

  [[nodiscard]] bool is_here(const std::string& key) const {
    return std::ranges::any_of(bays_, [&](const BayView& bay) { return bay.has_key(key); });
  }

  Result<void> forget() {
    if (!request_.forget) return {};
    bool found = false;
    for (auto& [key, record] : joined_.state().saves) {
      const SaveVersion* version = joined_.graph().find(record.agreed.version);
      if (version == nullptr || is_here(key) || !is_named(version->identity, *request_.forget))
        continue;
      record.forgotten = true;
      found = true;
    }
    if (found) return {};
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("no save called '{}' is missing here", safe_text(*request_.forget)),
                "this save is here; to give it up, delete its file first");
  }

  // Which save each file is of; from here on no version comes.
  void find_saves() {
    for (BayView& bay : bays_)
      for (std::size_t i = 0; i < bay.units.size(); ++i)
        if (const SyncedSave* save = history_of(bay.units[i])) bay.of_save.emplace(save, i);
  }

  // What was here at the last sync and is not: unless it only has another name now.
  void note_missing() {
    std::vector<std::string> moved;
    for (auto& [key, record] : joined_.state().saves) {
      const std::string bay = key.substr(0, key.find('|'));
      const auto view =
          std::ranges::find_if(bays_, [&](const BayView& one) { return one.bay->name == bay; });
      if (view == bays_.end() || view->has_key(key)) continue;
      const SyncedSave* save = joined_.graph().save_of(record.agreed.version);
      if (save == nullptr || is_state_left_out(*save)) continue;
      if (view->of_save.contains(save)) {
        moved.push_back(key);
        continue;
      }
      record.missing = true;
      record.agreed.interrupted = true;
      gone_[{view->bay->name, save}] = key;
    }
    for (const std::string& key : moved) joined_.state().saves.erase(key);
  }

  bool is_state_left_out(const SyncedSave& save) const {
    return !request_.states && newest(save).identity.kind == Kind::state;
  }

  const SaveVersion& newest(const SyncedSave& save) const {
    return joined_.graph().versions()[save.heads.front()];
  }

  // What becomes of one save in all bays.
  void place(const SyncedSave& save) {
    if (is_state_left_out(save)) return;
    bool has_place = false;
    bool conflict = false;
    for (BayView& bay : bays_) {
      bool here = false;
      for (const LocalUnit* unit : bay.units_of(save)) {
        here = has_place = true;
        if (held_.contains(unit->key)) continue;
        const LocalRecord* record = record_of(*unit);
        const PlaceDecision decision = decide_place(
            joined_.graph(), save, record == nullptr ? std::string() : record->agreed.version);
        conflict = conflict || decision.step == PlaceStep::conflict;
        if (decision.step == PlaceStep::bring) bay.wanted.push_back({&save, nullptr, unit});
        if (decision.step == PlaceStep::in_step) ++report_.in_step;
      }
      if (!here && place_where_none_is(save, bay)) has_place = true;
    }
    if (conflict) {
      report_.conflicts.push_back(items_.conflict(save));
      report_.conflicts.back().differs = what_differs(save);
    }
    if (has_place) return;
    report_.unmatched.push_back(items_.of(newest(save)));
    report_.unmatched.back().reason =
        Finding{Level::note,
                Code::no_match,
                "no game here has its names or codes",
                {"copy the game here, or bring the save by name: '",
                 HintPiece{Remedy::bring_save, title_of(newest(save).identity)}, "'"}};
  }

  // Between the first two sides of a conflict, where somebody wrote a field map for the game.
  std::string what_differs(const SyncedSave& save) {
    if (!maps_.has_any()) return {};  // their contents are not asked for
    const auto content = [&](std::size_t side) {
      return content_of(joined_.hub(), joined_.graph().versions()[save.heads[side]]);
    };
    const auto first = content(0);
    const auto second = first ? content(1) : first;
    if (!second) return {};
    Game game = newest(save).identity.game;
    if (game.title.empty()) game.title = newest(save).identity.stem;
    return maps_.change_in_words(game, *first, *second).value_or("");
  }

  // Whether a bay that has no such save is to have it, or had it.
  bool place_where_none_is(const SyncedSave& save, BayView& bay) {
    const bool wanted = request_.bring && is_named(newest(save).identity, *request_.bring);
    const RomFile* rom = bay.rom_of(session_, joined_.graph(), save);
    const auto gone = gone_.find({bay.bay->name, &save});
    if (gone != gone_.end() && !wanted) {
      if (joined_.state().saves.at(gone->second).forgotten) return true;
      report_.missing.push_back(items_.of(newest(save)));
      SyncItem& item = report_.missing.back();
      item.bay = bay.bay->name;
      const std::string title = title_of(newest(save).identity);
      item.reason =
          Finding{Level::warn,
                  Code::missing,
                  "it was here at the last sync, and has been deleted or moved since",
                  {"bring it back with '", HintPiece{Remedy::bring_save, title},
                   "', or give it up with '", HintPiece{Remedy::forget_save, title}, "'"}};
      return true;
    }
    if (rom == nullptr && !wanted) return false;
    if (save.heads.size() > 1) return rom != nullptr;
    brought_ = brought_ || wanted;
    bay.wanted.push_back({&save, rom, nullptr});
    return true;
  }

  Error nothing_to_bring() const {
    return {Trouble::stopped,
            Code::no_match,
            fmt::format("no save called '{}' is missing here", safe_text(*request_.bring)),
            {"see what the hub has: '", Remedy::show_hub, "'"}};
  }

  // Carries what is newer elsewhere to one bay, as much at a time as fits into memory.
  void bring(BayView& bay) {
    constexpr std::uint64_t kMostAtOnce = 64U << 20U;  // bytes
    std::vector<Source> sources;
    std::vector<const SaveVersion*> versions;
    std::uint64_t size = 0;
    for (const WantedHere& wanted : bay.wanted) {
      const SaveVersion& version = newest(*wanted.save);
      if (request_.plan && version.id.starts_with("planned-")) {
        report_.carried.push_back(items_.of(version));  // its content is not on the hub yet
        report_.carried.back().bay = bay.bay->name;
        continue;
      }
      auto source = source_of(wanted, version, bay);
      if (!source) continue;
      sources.push_back(std::move(*source));
      versions.push_back(&version);
      size += version.size();
      if (size < kMostAtOnce) continue;
      carry_all(std::exchange(sources, {}), std::exchange(versions, {}), bay);
      size = 0;
    }
    if (!sources.empty()) carry_all(sources, versions, bay);
  }

  std::optional<Source> source_of(const WantedHere& wanted, const SaveVersion& version,
                                  const BayView& bay) {
    auto source = bay.source_of(joined_, *wanted.save, version, wanted.rom);
    if (!source) {
      const Error& error = source.error();
      if (error.code == Code::hub_damaged) {
        report_.damaged = true;
        std::ranges::copy(objects_of(version), std::back_inserter(unreadable_));
      }
      hold(version, bay, {Level::error, error.code, error.text, error.hint});
      if (error.trouble == Trouble::place) fail_with(error);
      return std::nullopt;
    }
    // What was made known is what may be replaced, and nothing that came later.
    source->last_look = [this, replaces = wanted.replaces]() -> std::optional<Finding> {
      if (replaces == nullptr || replaces->stamp == stamp_of(session_, *replaces)) return {};
      if (is_as_carried(*replaces)) return {};
      return Finding{Level::error, Code::in_use, "the save here changed while it was being synced",
                     "sync again when the program has saved"};
    };
    return std::move(*source);
  }

  // Whether the files are just as this run left them: another save of the same card went there.
  bool is_as_carried(const LocalUnit& unit) {
    const auto history = History::open_to_read(*session_.storage, session_.history_file());
    if (!history || !*history) return false;
    return std::ranges::all_of(unit.source.files, [&](const Path& file) {
      const auto info = session_.storage->info(file);
      return info && info->type == FileType::file &&
             info->modified_ns == (*history)->written_ns(file.string());
    });
  }

  void carry_all(const std::vector<Source>& sources,
                 const std::vector<const SaveVersion*>& versions, BayView& bay) {
    CarryRequest request;
    request.to = bay.bay->name;
    request.plan = request_.plan;
    request.accept = request_.accept;
    // Parents tell what is newer, and nothing else does.
    request.accept.insert({Code::newer_there, Code::both_changed});
    const auto carried = carry_sources(session_, request, *bay.bay, sources, "sync", command_);
    if (!carried) return fail_with(carried.error());
    const CarryReport& lines = carried->report;
    for (std::size_t i = 0; i < carried->first_line.size(); ++i) {
      const std::size_t end =
          i + 1 < carried->first_line.size() ? carried->first_line[i + 1] : lines.moves.size();
      take_outcome(
          *versions[i], bay,
          std::span(lines.moves).subspan(carried->first_line[i], end - carried->first_line[i]));
    }
    if (lines.failed) fail_with(*lines.failed);
    if (!lines.safe_to_remove.empty()) report_.safe_to_remove = lines.safe_to_remove;
    if (request_.plan) return;
    bay.changed = true;
    agree_on_carried(bay, versions);
  }

  void take_outcome(const SaveVersion& version, const BayView& bay,
                    std::span<const MoveReport> lines) {
    for (const MoveReport& line : lines) {
      if (line.status != MoveStatus::stopped) continue;
      for (const Finding& check : line.checks)
        if (check.level == Level::error) return hold(version, bay, check);
      for (const Finding& loss : line.losses)
        if (loss.level == Level::error) return hold(version, bay, loss);
      return hold(version, bay, {Level::error, Code::no_match, "it can't be written there", ""});
    }
    if (lines.empty()) return;
    report_.carried.push_back(items_.of(version));
    report_.carried.back().bay = bay.bay->name;
    report_.carried.back().move = lines.front().move;
    report_.in_step += request_.plan ? 0 : 1;
  }

  void hold(const SaveVersion& version, const BayView& bay, const Finding& reason) {
    // A state of another program has no place here: nothing is wrong with it.
    auto& list = reason.code == Code::other_program ? report_.unmatched : report_.held;
    list.push_back(items_.of(version));
    list.back().bay = bay.bay->name;
    list.back().reason = reason;
  }

  // The bay is read again: what lies there now is what was carried.
  void agree_on_carried(BayView& bay, const std::vector<const SaveVersion*>& versions) {
    auto now = BayView::read(session_, *bay.bay, request_.states);
    if (!now) return fail_with(now.error());
    std::map<const SyncedSave*, const SaveVersion*> carried;
    for (const SaveVersion* version : versions)
      carried.emplace(joined_.graph().save_of(version->id), version);
    for (const LocalUnit& unit : now->units) {
      const auto found = carried.find(history_of(unit));
      if (found != carried.end() && unit.save.progress == found->second->progress)
        agree(unit, found->second->id);
    }
  }

  // A bay in which nothing is left to do needs no reading until a file changes.
  Result<void> note_quiet_bays() {
    const bool done = !report_.needs_somebody() && report_.missing.empty() &&
                      report_.unmatched.empty() && !report_.failed && !report_.damaged &&
                      request_.states;
    const LocalState& state = joined_.state();
    const auto entries = joined_.folder().entries_stamp(state.hub);
    if (!entries) return tl::unexpected(entries.error());
    QuietState quiet{state.where, state.hub, state.device, state.objects_seen_ns, *entries, {}};
    for (const BayView& bay : bays_) {
      // What changed since it was read is looked at again.
      const std::string stamp = done && !bay.changed ? stamp_of_bay(session_, *bay.bay) : "";
      if (!stamp.empty() && stamp == bay.stamp)
        quiet.bays[bay.bay->name] = {stamp, bay.units.size()};
    }
    return joined_.folder().save_quiet(quiet);
  }

  Session& session_;
  const SyncRequest& request_;
  JoinedHub& joined_;
  SyncItems items_;
  FieldMaps maps_;
  SyncReport report_;
  std::vector<BayView> bays_;
  std::vector<std::pair<const LocalUnit*, SaveVersion>> publish_;
  std::set<std::string> held_;                                             // keys
  std::map<std::pair<std::string, const SyncedSave*>, std::string> gone_;  // keys
  std::vector<Digest> unreadable_;  // objects of versions that can't be carried
  std::optional<std::vector<MoveRecord>> past_;
  bool brought_ = false;
  std::int64_t command_ = 0;  // in history: the whole sync is undone as one
};

}  // namespace

Result<SyncReport> sync_bays(Session& session, const SyncRequest& request, JoinedHub& joined,
                             const std::vector<const Bay*>& bays) {
  return Syncer(session, request, joined).run(bays);
}

}  // namespace bayswap
