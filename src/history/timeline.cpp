#include "history/timeline.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/bytes/text.h"
#include "files/atomic_write.h"

namespace bayswap {
namespace {

Path common_folder(const std::vector<const Step*>& steps) {
  Path common = Path(steps.front()->path).parent_path();
  for (const Step* step : steps)
    while (!lies_in(common, step->path) && common.has_relative_path())
      common = common.parent_path();
  return common;
}

// The file that a move changed, or the folder of the files that it changed. Companions that lie far
// from the others do not count: they come last, and there are few.
Path root_of(const MoveRecord& move) {
  if (!move.folder.empty()) return move.folder;
  constexpr std::size_t kMostCompanions = 2;
  if (move.steps.size() == 1) return move.steps.front().path;
  std::vector<const Step*> all;
  for (const Step& step : move.steps) all.push_back(&step);
  const Path common = common_folder(all);
  const auto branch_of = [&](const Step& step) {
    return *Path(step.path).lexically_relative(common).begin();
  };
  std::vector<const Step*> near;
  for (const Step& step : move.steps)
    if (branch_of(step) == branch_of(move.steps.front())) near.push_back(&step);
  const Path folder = common_folder(near);
  const Path below = folder.lexically_relative(common);
  const bool deep = std::distance(below.begin(), below.end()) >= 2;
  return deep && all.size() - near.size() <= kMostCompanions ? folder : common;
}

std::string reason_of(const MoveRecord& move) {
  const std::string source = move.source.empty() ? "" : " of " + safe_text(move.source);
  if (move.state == MoveState::kept)
    return move.source.empty() ? "kept as it was" : "kept: " + safe_text(move.source);
  return fmt::format("written by {} {}{}", move.kind, move_name(move.id), source);
}

bool anything(const PastState& state) {
  return std::ranges::any_of(state.files,
                             [](const auto& file) { return file.second.digest.has_value(); });
}

bool same_files(const PastState& a, const PastState& b) {
  return std::ranges::equal(a.files, b.files, [](const auto& one, const auto& other) {
    return one.first == other.first && one.second.digest == other.second.digest;
  });
}

class TimelineBuilder {
 public:
  explicit TimelineBuilder(Timeline& timeline) : timeline_(timeline) {}

  void add(const MoveRecord& move) {
    const Step* first = nullptr;
    bool unseen = false;  // what was there had not been seen
    std::int64_t newest = 0;
    for (const Step& step : move.steps) {
      if (!lies_in(timeline_.root, step.path)) continue;
      if (first == nullptr) first = &step;
      if (move.state == MoveState::kept) continue;
      auto [known, fresh] = now_.files.try_emplace(step.path, step.before);
      unseen = unseen || fresh || known->second.digest != step.before.digest;
      known->second = step.before;
      newest = std::max(newest, step.before.modified_ns);
    }
    if (first == nullptr) return;
    if (unseen)
      add(first->id, false, newest == 0 ? move.time_ns : newest,
          fmt::format("was there before {} {}", move.kind, move_name(move.id)));
    for (const Step& step : move.steps)
      if (lies_in(timeline_.root, step.path)) now_.files[step.path] = step.after;
    add(first->id, true, move.time_ns, reason_of(move));
    if (!move.title.empty()) timeline_.title = move.title;
    if (!move.bay.empty()) timeline_.bay = move.bay;
    if (!move.place.empty()) {
      timeline_.place = move.place;
      timeline_.place_id = move.place_id;
    }
  }

 private:
  void add(std::int64_t step, bool after, std::int64_t time_ns, std::string reason) {
    now_.id = version_name(step, after);
    now_.time_ns = time_ns;
    now_.reason = std::move(reason);
    if (!anything(now_)) return;
    if (timeline_.states.empty() || !same_files(timeline_.states.back(), now_))
      timeline_.states.push_back(now_);
  }

  Timeline& timeline_;
  PastState now_;
};

bool means(const Timeline& timeline, const std::string& text, bool exact) {
  const std::string name = timeline.root.filename().string();
  if (exact) return timeline.title == text || name == text || timeline.root.stem().string() == text;
  const std::string plain = plain_title(text);
  return !plain.empty() && (plain_title(timeline.title).find(plain) != std::string::npos ||
                            plain_title(name).find(plain) != std::string::npos);
}

}  // namespace

std::string version_name(std::int64_t step, bool after) {
  return fmt::format("v{}", 2 * step + (after ? 1 : 0));
}

std::vector<Timeline> timelines_of(const std::vector<MoveRecord>& moves) {
  std::map<Path, Timeline> found;
  std::map<std::string, std::set<std::size_t>> by_path;
  for (std::size_t i = 0; i < moves.size(); ++i) {
    if (moves[i].steps.empty()) continue;
    const Path root = root_of(moves[i]);
    found[root].root = root;
    for (const Step& step : moves[i].steps) by_path[step.path].insert(i);
  }
  for (auto& [root, timeline] : found) {
    std::set<std::size_t> touching = by_path[root.string()];
    const std::string below = root.string() + "/";
    for (auto at = by_path.lower_bound(below); at != by_path.end() && at->first.starts_with(below);
         ++at)
      touching.insert(at->second.begin(), at->second.end());
    TimelineBuilder builder(timeline);
    for (const std::size_t move : touching) builder.add(moves[move]);
  }
  std::vector<Timeline> timelines;
  for (auto& [root, timeline] : found)
    if (!timeline.states.empty()) timelines.push_back(std::move(timeline));
  std::ranges::stable_sort(timelines, {}, &Timeline::title);
  return timelines;
}

Result<std::vector<Timeline>> find_timelines(const History& history, const SaveInHistory& save) {
  const auto moves = history.past_moves();
  if (!moves) return tl::unexpected(moves.error());
  auto all = timelines_of(*moves);
  if (save.path.empty() && save.name.empty()) return all;
  std::vector<Timeline> found;
  std::ranges::copy_if(all, std::back_inserter(found),
                       [&](const Timeline& timeline) { return timeline.root == save.path; });
  if (!found.empty()) return found;
  // A file inside of a folder that moved as a whole, or a folder with several saves in it.
  Timeline inside;
  inside.root = save.path;
  TimelineBuilder builder(inside);
  for (const MoveRecord& move : *moves) builder.add(move);
  if (!inside.states.empty()) return std::vector<Timeline>{std::move(inside)};
  for (const bool exact : {true, false}) {
    std::ranges::copy_if(all, std::back_inserter(found), [&](const Timeline& timeline) {
      return (save.bay.empty() || timeline.bay == save.bay) && means(timeline, save.name, exact);
    });
    if (!found.empty()) return found;
  }
  return fail(Trouble::stopped, Code::no_match,
              fmt::format("history knows no save '{}'", safe_text(save.name)),
              {"'", Remedy::show_history, "' lists those it knows; '", Remedy::keep,
               "' adds what is there now"});
}

}  // namespace bayswap
