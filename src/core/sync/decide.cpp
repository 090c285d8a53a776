#include "core/sync/decide.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"

namespace bayswap {
namespace {

const SaveVersion& at(const VersionGraph& graph, std::size_t place) {
  return graph.versions()[place];
}

// The head that holds this; null when none does.
const SaveVersion* head_with(const VersionGraph& graph, const SyncedSave& history,
                             const Digest& progress) {
  for (const std::size_t head : history.heads)
    if (at(graph, head).progress == progress) return &at(graph, head);
  return nullptr;
}

// The last version that holds this and was followed by others.
const SaveVersion* older_with(const VersionGraph& graph, const SyncedSave& history,
                              const Digest& progress) {
  const auto found =
      std::find_if(history.versions.rbegin(), history.versions.rend(),
                   [&](std::size_t place) { return at(graph, place).progress == progress; });
  return found == history.versions.rend() ? nullptr : &at(graph, *found);
}

// A save that lost most of what it held.
std::optional<Finding> much_smaller(const LocalSave& save, const SaveVersion& before) {
  const bool file = save.size < before.size() / 2;
  const bool filled = save.filled < before.filled / 4;
  if (!file && !filled) return std::nullopt;
  return Finding{Level::error,
                 Code::much_smaller,
                 fmt::format("it holds {} where it held {}: most of the progress is gone",
                             size_text(file ? save.size : save.filled),
                             size_text(file ? before.size() : before.filled)),
                 {"if the game was begun anew on purpose: ", accept_remedy(Code::much_smaller)}};
}

std::optional<Finding> what_is_wrong(const LocalSave& save, const SaveVersion* before) {
  if (save.problem) return save.problem;
  if (save.blank)
    return Finding{Level::error,
                   Code::blank_source,
                   "it is blank: a game that was begun and not saved, or a dead battery",
                   {"if it is meant to be empty: ", accept_remedy(Code::blank_source)}};
  return before == nullptr ? std::nullopt : much_smaller(save, *before);
}

}  // namespace

LocalDecision decide_local(const LocalSave& save, const VersionGraph& graph,
                           const SyncedSave* history, const std::set<Code>& accept) {
  LocalDecision decision;
  if (save.agreed && save.agreed->progress == save.progress) {
    decision.version = save.agreed->version;
    return decision;
  }
  if (history != nullptr) {
    if (const SaveVersion* head = head_with(graph, *history, save.progress)) {
      decision.step = LocalStep::adopt;
      decision.version = head->id;
      return decision;
    }
  }
  const SaveVersion* before = save.agreed ? graph.find(save.agreed->version) : nullptr;
  if (save.blank && !save.problem && !save.agreed && !accept.contains(Code::blank_source)) {
    decision.step = LocalStep::leave;
    return decision;
  }
  const auto wrong = what_is_wrong(save, before);
  if (wrong && !accept.contains(wrong->code)) {
    decision.step = LocalStep::hold;
    decision.reason = *wrong;
    return decision;
  }
  if (history != nullptr && !wrong && !save.put_on_purpose) {
    if (const SaveVersion* older = older_with(graph, *history, save.progress)) {
      decision.step = LocalStep::adopt;
      decision.version = older->id;
      return decision;
    }
  }
  decision.step = LocalStep::publish;
  const bool follows = before != nullptr && (!save.agreed->interrupted || wrong);
  if (!follows) return decision;
  decision.parents.push_back(before->id);
  // Others that made the same known are followed too.
  for (const std::size_t tip : history != nullptr ? history->tips : std::vector<std::size_t>{})
    if (at(graph, tip).progress == before->progress && at(graph, tip).id != before->id)
      decision.parents.push_back(at(graph, tip).id);
  return decision;
}

PlaceDecision decide_place(const VersionGraph& graph, const SyncedSave& history,
                           const std::string& version) {
  PlaceDecision decision;
  if (history.heads.size() > 1) {
    decision.step = PlaceStep::conflict;
    return decision;
  }
  const SaveVersion& newest = at(graph, history.heads.front());
  decision.version = newest.id;
  const SaveVersion* here = graph.find(version);
  if (here == nullptr || here->progress != newest.progress) decision.step = PlaceStep::bring;
  return decision;
}

}  // namespace bayswap
