#include "bayswap/fields.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"
#include "core/fields/value_text.h"
#include "files/clock.h"
#include "files/version_digest.h"
#include "moves/carry_sources.h"
#include "moves/field_maps.h"
#include "moves/outputs.h"

namespace bayswap {
namespace {

using fields::FieldAt;
using fields::FieldView;

ShownField shown_field(FieldView& view, const FieldAt& at) {
  ShownField shown{at.path(), at.field->label, "", at.field->unit, {}};
  const auto text = fields::text_of(view, at);
  shown.value = text ? *text : "?";
  if (const auto number = view.number(at)) shown.number = *number;
  return shown;
}

std::vector<BrokenRule> rules_of(const std::vector<FieldView::Broken>& broken) {
  std::vector<BrokenRule> rules;
  for (const FieldView::Broken& one : broken) rules.push_back({one.rule, one.path, one.text});
  return rules;
}

FieldReport begun_report(const FieldRequest& request, const MappedSave& save) {
  FieldReport report;
  report.save = request.save;
  report.map = save.map->name;
  report.map_file = save.map->file;
  report.part = save.part;
  report.game = save.game;
  if (report.game.title.empty()) report.game.title = safe_text(save.source.stem);
  report.system = save.source.save.system;
  for (const FieldView::Copy& copy : save.view->copies())
    report.copies.push_back({copy.at, copy.sound, copy.counter, copy.counts});
  return report;
}

Result<void> add_sums(FieldView& view, FieldReport& report) {
  const auto sums = view.sums();
  if (!sums) return tl::unexpected(sums.error());
  for (const FieldView::SumState& sum : *sums)
    if (sum.stored == sum.right)
      ++report.sums_right;
    else
      report.sums.push_back({sum.path, sum.stored, sum.right});
  return {};
}

// Something that wrote to the file since it was read would be lost.
std::function<std::optional<Finding>()> unchanged(Session& session,
                                                  const std::vector<Path>& files) {
  std::vector<std::pair<Path, Digest>> seen;
  for (const Path& file : files)
    if (const auto bytes = session.storage->read(file, session.limits.largest_file))
      seen.emplace_back(file, version_digest(*bytes));
  return [&session, seen = std::move(seen)]() -> std::optional<Finding> {
    for (const auto& [file, digest] : seen) {
      const auto bytes = session.storage->read(file, session.limits.largest_file);
      if (bytes && version_digest(*bytes) == digest) continue;
      return Finding{Level::error, Code::in_use,
                     fmt::format("{}: was changed in the meantime", safe_text(file.string())),
                     "run the command again"};
    }
    return std::nullopt;
  };
}

// `pack.zip:NAME`: what stands before the colon is a file.
bool lies_in_an_archive(const Session& session, const Path& path) {
  const std::string& text = path.native();
  for (auto colon = text.find(':'); colon != std::string::npos; colon = text.find(':', colon + 1)) {
    const auto info = session.storage->info(Path(text.substr(0, colon)));
    if (info && info->type == FileType::file) return true;
  }
  return false;
}

// One change of a save, from its values to what is written.
class Editing {
 public:
  Editing(Session& session, const FieldEdit& edit, MappedSave& save)
      : session_(session), edit_(edit), save_(save), view_(*save.view) {}

  Result<FieldEdited> run() {
    const Bytes before = view_.bytes();
    const auto broken = view_.broken_rules();
    if (!broken) return tl::unexpected(broken.error());
    broken_before_ = *broken;
    if (auto begun = begin_copy(); !begun) return tl::unexpected(begun.error());
    if (auto put = put_values(); !put) return tl::unexpected(put.error());
    const auto sums = view_.make_sums_right();
    if (!sums) return tl::unexpected(sums.error());
    if (edit_.values.empty() && !edit_.structure)
      for (const FieldView::SumState& sum : *sums)
        edited_.sums.push_back({sum.path, sum.stored, sum.right});
    if (auto same = check_values(); !same) return tl::unexpected(same.error());
    if (auto legal = check_rules(); !legal) return tl::unexpected(legal.error());
    auto changes = changes_between(save_.map, before, view_.bytes());
    edited_.changes = std::move(changes).value_or(std::vector<FieldChange>{});
    edited_.nothing_to_do = view_.bytes() == before || (!set_.empty() && !changed_);
    const bool stopped = !edited_.illegal.empty() && !edit_.accept.contains(Code::not_legal);
    if (stopped || edited_.nothing_to_do) return std::move(edited_);
    if (auto written = write(); !written) return tl::unexpected(written.error());
    return std::move(edited_);
  }

 private:
  // Where nothing would change, no new copy is begun either.
  Result<void> begin_copy() {
    if (edit_.values.empty() && !edit_.structure) return {};
    return view_.begin_next_copy();
  }

  Result<void> put_values() {
    if (edit_.structure) {
      const auto bytes =
          session_.storage->read(edit_.structure->second, session_.limits.largest_file);
      if (!bytes) return tl::unexpected(bytes.error());
      const auto structure = view_.structure_at(edit_.structure->first);
      if (!structure) return tl::unexpected(structure.error());
      if (bytes->size() != (*structure)->size)
        return fail(Trouble::input, Code::wrong_size,
                    fmt::format("{}: has {} bytes, and {} has {}",
                                safe_text(edit_.structure->second.string()), bytes->size(),
                                safe_text(edit_.structure->first), (*structure)->size),
                    "take it from a save of the same map");
      return view_.put_structure(*structure, *bytes);
    }
    for (const auto& [path, typed] : edit_.values) {
      const auto found = view_.find(path);
      if (!found) return tl::unexpected(found.error());
      for (const FieldAt& one : *found) {
        // What was written may have moved it.
        const auto now = view_.find(one.path());
        if (!now) return tl::unexpected(now.error());
        const auto before = view_.raw(now->front());
        if (auto put = fields::put_text(view_, now->front(), typed); !put) return put;
        const auto after = view_.raw(now->front());
        changed_ = changed_ || !before || !after || *before != *after;
        set_.push_back(one.path());
      }
    }
    for (const std::string& path : set_) {
      const auto at = view_.find(path);
      if (!at) return tl::unexpected(at.error());
      values_.push_back(fields::text_of(view_, at->front()).value_or(""));
    }
    return {};
  }

  // A map that says two things of one place is found out before anything is written.
  Result<void> check_values() {
    for (std::size_t i = 0; i < set_.size(); ++i) {
      const auto at = view_.find(set_[i]);
      const auto text = at ? fields::text_of(view_, at->front()) : Result<std::string>("");
      if (text && *text == values_[i]) continue;
      return fail(
          Trouble::input, Code::bad_map,
          fmt::format("{}: {} does not keep its value: something else of the map lies there",
                      safe_text(save_.map->file), safe_text(set_[i])),
          "nothing was written; mend the map");
    }
    return {};
  }

  Result<void> check_rules() {
    const auto broken = view_.broken_rules();
    if (!broken) return tl::unexpected(broken.error());
    for (const FieldView::Broken& one : *broken) {
      if (std::ranges::find(broken_before_, one) != broken_before_.end()) continue;
      FieldEdited::Illegal illegal{{one.rule, one.path, one.text}, ""};
      // The field that the rule is about, else the one that was set.
      const std::string path =
          std::ranges::find(set_, one.path) != set_.end() || set_.empty() ? one.path : set_.front();
      if (set_.size() == 1)
        if (const auto at = view_.find(path))
          illegal.legal = fields::legal_values(view_, at->front(), broken_before_);
      edited_.illegal.push_back(std::move(illegal));
    }
    return {};
  }

  Result<void> write() {
    Source source = save_.source;
    source.save.part(save_.part)->data = view_.bytes();
    source.save.part(save_.part)->blank = false;
    source.modified_ns = now_ns();
    source.several_roms.clear();  // it goes back where it lies, whichever game that is
    source.last_look = unchanged(session_, source.files);
    std::string place = save_.place;
    if (edit_.output) return write_copy(std::move(source));
    const bool packed = std::ranges::any_of(
        source.files, [&](const Path& file) { return lies_in_an_archive(session_, file); });
    if (packed)
      return fail(
          Trouble::usage, Code::usage,
          fmt::format("{}: a save in an archive is not changed there", safe_text(edit_.of.save)),
          {"write a changed copy with ", Remedy::output_file});
    const auto bay = session_.bays.find(place);
    if (!bay) return tl::unexpected(bay.error());
    CarryRequest request;
    request.plan = edit_.plan;
    request.accept = edit_.accept;
    // It is the save that lies there, with other values.
    request.accept.insert({Code::newer_there, Code::both_changed, Code::much_smaller});
    request.wait_seconds = edit_.wait_seconds;
    std::int64_t command = 0;
    auto carried = carry_sources(session_, request, **bay, {source}, "field set", command);
    if (!carried) return tl::unexpected(carried.error());
    if (carried->report.failed) return tl::unexpected(*carried->report.failed);
    edited_.moves = std::move(carried->report.moves);
    for (MoveReport& move : edited_.moves)
      if (move.to.empty()) move.to = edit_.of.save;
    return {};
  }

  // The file with the save changed in it, beside the old one.
  Result<void> write_copy(Source source) {
    if (source.files.size() != 1 || source.layouts.size() != 1)
      return fail(Trouble::usage, Code::usage, "only a save in one file can be changed as a copy",
                  "leave the output out: the save is changed in place, and undo takes it back");
    const auto old = session_.storage->read(source.files.front(), session_.limits.largest_file);
    if (!old) return tl::unexpected(old.error());
    const auto layout = find_layout(source.layouts.front());
    if (!layout) return tl::unexpected(layout.error());
    const std::vector<Save> saves{source.save};
    WriteRequest request;
    request.saves = saves;
    request.mould = *old;
    auto written = (*layout)->write(request);
    if (!written) return tl::unexpected(written.error());
    edited_.copy = edit_.output->string();
    if (edit_.plan) return {};
    const OutputKind kind{"field set", source.shown(), save_.game.title, false};
    const auto move = write_outputs(session_, kind, {{*edit_.output, std::move(written->bytes)}});
    if (!move) return tl::unexpected(move.error());
    return {};
  }

  Session& session_;
  const FieldEdit& edit_;
  MappedSave& save_;
  FieldView& view_;
  FieldEdited edited_;
  std::vector<FieldView::Broken> broken_before_;
  std::vector<std::string> set_;     // paths
  std::vector<std::string> values_;  // what each shows after it was set
  bool changed_ = false;             // any of them
};

}  // namespace

Result<FieldReport> show_fields(Session& session, const FieldRequest& request,
                                const std::vector<std::string>& paths) {
  auto save = open_mapped(session, request);
  if (!save) return tl::unexpected(save.error());
  FieldReport report = begun_report(request, *save);
  std::vector<FieldAt> fields;
  for (const std::string& path : paths) {
    const auto found = save->view->find(path);
    if (!found) return tl::unexpected(found.error());
    fields.insert(fields.end(), found->begin(), found->end());
  }
  if (paths.empty()) {
    auto all = save->view->all();
    if (!all) return tl::unexpected(all.error());
    fields = std::move(*all);
  }
  for (const FieldAt& at : fields) report.fields.push_back(shown_field(*save->view, at));
  if (auto added = add_sums(*save->view, report); !added) return tl::unexpected(added.error());
  return report;
}

Result<FieldReport> check_fields(Session& session, const FieldRequest& request) {
  auto save = open_mapped(session, request);
  if (!save) return tl::unexpected(save.error());
  FieldReport report = begun_report(request, *save);
  if (auto added = add_sums(*save->view, report); !added) return tl::unexpected(added.error());
  const auto broken = save->view->broken_rules();
  if (!broken) return tl::unexpected(broken.error());
  report.broken = rules_of(*broken);
  return report;
}

Result<std::vector<FieldChange>> diff_fields(Session& session, const FieldRequest& older,
                                             const FieldRequest& newer) {
  const auto before = open_mapped(session, older);
  if (!before) return tl::unexpected(before.error());
  const auto after = open_mapped(session, newer);
  if (!after) return tl::unexpected(after.error());
  if (before->map->file != after->map->file)
    return fail(Trouble::stopped, Code::other_game,
                fmt::format("the saves have two field maps: {} and {}",
                            safe_text(before->map->file), safe_text(after->map->file)),
                {"compare saves of one game, or name one map for both with ", Remedy::field_map});
  auto changes = changes_between(before->map, before->view->bytes(), after->view->bytes());
  if (changes) return std::move(*changes);
  return fail(Trouble::input, Code::bad_map,
              fmt::format("{}: does not fit both saves", safe_text(before->map->file)));
}

Result<FieldEdited> set_fields(Session& session, const FieldEdit& edit) {
  auto save = open_mapped(session, edit.of);
  if (!save) return tl::unexpected(save.error());
  return Editing(session, edit, *save).run();
}

Result<std::uint64_t> take_structure(Session& session, const FieldRequest& request,
                                     const std::string& path, const Path& output) {
  auto save = open_mapped(session, request);
  if (!save) return tl::unexpected(save.error());
  const auto structure = save->view->structure_at(path);
  if (!structure) return tl::unexpected(structure.error());
  auto bytes = save->view->raw_of(*structure);
  if (!bytes) return tl::unexpected(bytes.error());
  const std::uint64_t size = bytes->size();
  const OutputKind kind{"field take", save->source.shown(), save->game.title, false};
  const auto move = write_outputs(session, kind, {{output, std::move(*bytes)}});
  if (!move) return tl::unexpected(move.error());
  return size;
}

}  // namespace bayswap
