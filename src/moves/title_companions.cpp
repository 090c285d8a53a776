// Shared files that a title needs and that lie elsewhere in the tree.
#include <fmt/core.h>

#include <optional>

#include "core/bytes/text.h"
#include "files/atomic_write.h"
#include "files/version_digest.h"
#include "moves/inside.h"
#include "moves/title_companions.h"
#include "places/folder_parts.h"
#include "places/title_trees.h"

namespace bayswap {
namespace {

// The folder above a title's that a shared file's path begins in.
struct Above {
  Path folder;
  std::size_t levels = 0;  // above the title's folder
};

// As the shared file lies at the source, beside the tree that holds the title.
std::optional<Above> find_above(Storage& storage, const Path& title, const std::string& relative) {
  std::error_code ignored;
  Above above{std::filesystem::absolute(title, ignored).parent_path(), 1};
  for (; above.folder != above.folder.parent_path();
       above.folder = above.folder.parent_path(), ++above.levels)
    if (!is_missing(storage, above.folder / relative)) return above;
  return std::nullopt;
}

// Where the program at the destination looks: where the file lies already, else where its folder
// does, else as many levels above the title's folder as at the source.
Path place_there(Storage& storage, const Bay& bay, const Path& title, const Path& relative,
                 std::size_t levels) {
  std::vector<Path> above;
  for (Path at = title.parent_path(); lies_in(bay.place, at) || at == bay.place;
       at = at.parent_path()) {
    above.push_back(at);
    if (at == bay.place) break;
  }
  for (const Path& at : above)
    if (!is_missing(storage, at / relative)) return at / relative;
  if (relative.has_parent_path())
    for (const Path& at : above)
      if (!is_missing(storage, at / *relative.begin())) return at / relative;
  return (levels > 0 && levels <= above.size() ? above[levels - 1] : bay.place) / relative;
}

}  // namespace

Result<std::vector<CompanionFile>> make_companions(Session& session, const Bay& bay,
                                                   const Source& source, const Path& title) {
  std::vector<CompanionFile> companions;
  const Game& game = source.save.game;
  const CatalogGame* known = session.catalog.find_code(source.save.system, game.title_id);
  if (known == nullptr) known = session.catalog.find_code(source.save.system, game.code);
  if (known == nullptr) return companions;
  for (const std::string& relative : known->companions) {
    CompanionFile companion;
    const Path wanted = Path(relative).lexically_normal();
    // A save that comes from no folder here has nothing beside it.
    const auto above = source.files.empty()
                           ? std::nullopt
                           : find_above(*session.storage, source.files.front(), relative);
    if (above) companion.from = above->folder / relative;
    companion.to = place_there(*session.storage, bay, title, wanted, above ? above->levels : 0);
    if (!inside(bay.place, companion.to)) continue;
    if (companion.from.empty()) {
      companion.note = {Level::warn, Code::companion_left,
                        fmt::format("{} needs {}, which was not found beside the save",
                                    safe_text(known->title), safe_text(relative)),
                        "carry that file by hand if the game asks for it"};
      companions.push_back(std::move(companion));
      continue;
    }
    const auto ours = session.storage->read(companion.from, session.limits.largest_file);
    if (!ours) return tl::unexpected(ours.error());
    const auto there = version_at(*session.storage, companion.to);
    if (!there) return tl::unexpected(there.error());
    const auto info = session.storage->info(companion.from);
    if (there->digest == version_digest(*ours)) {
      companion.note = {Level::note, Code::already_there,
                        fmt::format("{} is there already", safe_text(relative)), ""};
    } else if (there->digest && info && there->modified_ns > info->modified_ns) {
      companion.note = {Level::warn, Code::companion_left,
                        fmt::format("{} there is younger and was left as it is: other games use it "
                                    "too",
                                    safe_text(relative)),
                        "the game may ask for the one that lay beside the save"};
    } else {
      FileChange change;
      change.path = companion.to;
      change.content = *ours;
      change.before = there->digest;
      companion.change = std::move(change);
      companion.note = {Level::note, Code::companion,
                        fmt::format("{} goes along: the game needs it", safe_text(relative)), ""};
    }
    companions.push_back(std::move(companion));
  }
  return companions;
}

Result<std::vector<CompanionFile>> make_shared_files(Session& session, const Source& source,
                                                     const Path& folder) {
  std::vector<CompanionFile> companions;
  const bool by_account = !source.save.game.account.empty() && !source.files.empty();
  if (source.save.kind != Kind::folder || !by_account || source.folder_there) return companions;
  std::error_code ignored;
  const Path own = std::filesystem::absolute(source.files.front(), ignored).lexically_normal();
  const Path from = own.parent_path() / kSharedFolder;
  const Path to = folder.parent_path() / kSharedFolder;
  if (own.filename() == kSharedFolder || !is_missing(*session.storage, to)) return companions;
  const auto parts = read_parts(*session.storage, from, Hold::small);
  if (!parts || parts->empty()) return companions;
  for (const Part& part : *parts) {
    CompanionFile companion;
    companion.from = from / part.name;
    companion.to = to / part.name;
    FileChange change;
    change.path = companion.to;
    auto content = part.outside == 0
                       ? Result<Bytes>(part.data)
                       : session.storage->read(companion.from, session.limits.largest_file);
    if (!content) return tl::unexpected(content.error());
    change.content = std::move(*content);
    companion.change = std::move(change);
    companions.push_back(std::move(companion));
  }
  companions.front().note = {
      Level::note, Code::companion,
      fmt::format("{} of {} goes along: all accounts of the title share it, and there is none "
                  "there yet",
                  counted(parts->size(), "file"), kSharedFolder),
      ""};
  return companions;
}

}  // namespace bayswap
