#include "moves/target.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"
#include "core/bytes/time_text.h"
#include "moves/card_target.h"
#include "moves/cart_target.h"
#include "moves/file_target.h"
#include "moves/folder_target.h"
#include "moves/last_equal.h"
#include "moves/package_target.h"
#include "moves/state_target.h"
#include "places/file_names.h"
#include "places/second_file.h"

namespace bayswap {

std::vector<std::unique_ptr<Target>> targets_for(const CarryContext& context) {
  std::vector<std::unique_ptr<Target>> targets;
  targets.push_back(make_cart_target(context));
  targets.push_back(make_state_target(context));
  targets.push_back(make_package_target(context));
  targets.push_back(make_folder_target(context));
  targets.push_back(make_card_target(context));
  targets.push_back(make_file_target(context));
  return targets;
}

std::optional<Finding> newer_there(const ReplacedFile& replaced,
                                   const std::optional<Digest>& becomes, const Source& source,
                                   const History* history) {
  const std::string path = replaced.path.string();
  // What follows what is known better than any clock tells.
  const SinceEqual since = history != nullptr && becomes
                               ? file_since_equal(*history, replaced.path, replaced.now,
                                                  replaced.modified_ns, *becomes, source)
                               : replaced.since;
  if (since.there && since.here)
    return both_changed(replaced.path, replaced.modified_ns, replaced.size, source);
  if (history != nullptr && becomes) {
    const auto older = history->replaced_at(path);
    if (older && std::ranges::find(*older, *becomes) != older->end())
      return Finding{Level::error,
                     Code::newer_there,
                     fmt::format("{}: history knows this save as an older version of what is there",
                                 safe_text(path)),
                     {"keep what is there, or go back with ", accept_remedy(Code::newer_there)}};
  }
  if (since.known && since.here) return std::nullopt;
  if (since.there)
    return Finding{Level::error,
                   Code::newer_there,
                   fmt::format("{}: changed since it was last equal to the save, which did not",
                               safe_text(path)),
                   {"keep what is there, or go back with ", accept_remedy(Code::newer_there)}};
  std::int64_t made_ns = replaced.modified_ns;
  if (history != nullptr && becomes)
    if (const auto made = history->progress_time(path, replaced.now); made && *made)
      made_ns = **made;
  if (made_ns <= source.modified_ns + time_slack_ns(replaced.names)) return std::nullopt;
  return Finding{Level::error,
                 Code::newer_there,
                 fmt::format("{}: is younger ({} UTC) than the save ({} UTC) and differs",
                             safe_text(path), utc_text(made_ns), utc_text(source.modified_ns)),
                 {"compare both with '", Remedy::compare, "'; replace it with ",
                  accept_remedy(Code::newer_there), " (the old one stays in history)"}};
}

tl::unexpected<Error> reads_back_as_another(const Path& path) {
  return fail(Trouble::read_back, Code::read_back,
              fmt::format("{}: reads back as another save", safe_text(path.string())),
              "the old content is back; please report this with the file");
}

Result<FileChange> change_beside(Storage& storage, const Path& path, const Layout& layout,
                                 Bytes second_file) {
  const Path beside = second_file_path(storage, path, layout.info());
  const auto there = version_at(storage, beside);
  if (!there) return tl::unexpected(there.error());
  return change_to(beside, std::move(second_file), there->digest);
}

FileChange change_to(Path path, Bytes content, std::optional<Digest> before) {
  FileChange change;
  change.path = std::move(path);
  change.content = std::move(content);
  change.before = before;
  return change;
}

Result<PlacedUnit> place_whole_file(const CarryContext& context, const Source& source,
                                    const MoveReport& line, const Path& path, FileNames names,
                                    Bytes bytes) {
  const auto version = version_at(*context.session.storage, path);
  if (!version) return tl::unexpected(version.error());
  const Digest becomes = version_digest(bytes);
  PlacedUnit unit;
  unit.line = line;
  unit.line.from = {source.shown()};
  unit.line.to = path.string();
  unit.line.size = bytes.size();
  unit.line.replaces = version->digest.has_value();
  unit.line.nothing_to_do = version->digest == becomes;
  unit.names = names;
  unit.room = bytes.size();
  if (unit.line.nothing_to_do) return unit;
  const auto there = context.session.storage->info(path);
  if (version->digest)
    unit.newer =
        newer_there({path, *version->digest, version->modified_ns, names, there ? there->size : 0},
                    becomes, source, context.history);
  unit.changes.push_back(change_to(path, std::move(bytes), version->digest));
  return unit;
}

}  // namespace bayswap
