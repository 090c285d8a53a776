// Shared files that a title needs and that lie elsewhere in the tree.
#include <fmt/core.h>

#include "core/bytes/text.h"
#include "files/version_digest.h"
#include "moves/inside.h"
#include "moves/title_companions.h"

namespace bayswap {

Result<std::vector<CompanionFile>> make_companions(Session& session, const Bay& bay,
                                                   const Source& source) {
  std::vector<CompanionFile> companions;
  const Game& game = source.save.game;
  const CatalogGame* known = session.catalog.find_code(source.save.system, game.title_id);
  if (known == nullptr) known = session.catalog.find_code(source.save.system, game.code);
  if (known == nullptr) return companions;
  for (const std::string& relative : known->companions) {
    CompanionFile companion;
    companion.to = bay.place / Path(relative).lexically_normal();
    if (!inside(bay.place, companion.to)) continue;
    std::error_code ignored;
    for (Path at = std::filesystem::absolute(source.files.front(), ignored).parent_path();
         companion.from.empty() && at != at.parent_path(); at = at.parent_path())
      if (!is_missing(*session.storage, at / relative)) companion.from = at / relative;
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

}  // namespace bayswap
