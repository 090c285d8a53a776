#include "moves/folder_target.h"

#include <fmt/core.h>

#include <algorithm>
#include <iterator>

#include "bayswap/card.h"
#include "bayswap/folder.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "files/version_digest.h"
#include "moves/folder_destination.h"
#include "moves/folder_source.h"
#include "moves/open_package.h"
#include "moves/title_companions.h"
#include "places/file_names.h"
#include "places/find_folders.h"
#include "places/folder_parts.h"

namespace bayswap {
namespace {

struct FolderChanges {
  std::uint64_t size = 0;  // bytes of the save's files
  std::vector<FileChange> changes;
  std::map<std::string, FolderSwap::Seen> seen;  // what the plan saw there
  MoveReport::Files files;
  bool replaces = false;
  std::int64_t there_modified_ns = 0;  // of the newest file that it replaces
};

Result<bool> same_part(Storage& storage, const Part& part, const Path& from, const Part* old,
                       const Path& to) {
  if (old == nullptr || old->size() != part.size()) return false;
  if (part.outside == 0 && old->outside == 0) return same_bytes(old->data, part.data);
  return storage.same(from, to);
}

// What the plan sees at a file of the folder there.
Result<Digest> digest_there(Storage& storage, const Part& old, const Path& path) {
  return old.outside == 0 ? Result<Digest>(version_digest(old.data)) : storage.digest(path);
}

// Files of the save that are new or differ.
Result<void> plan_files(Session& session, const Source& source, const Path& folder,
                        const std::vector<Part>& there, FolderChanges& planned) {
  for (const Part& part : source.save.parts) {
    planned.size += part.size();
    const Path from = source.files.empty() ? Path() : source.files.front() / part.name;
    const Path to = folder / part.name;
    const auto old = std::ranges::find(there, part.name, &Part::name);
    auto same = same_part(*session.storage, part, from, old == there.end() ? nullptr : &*old, to);
    if (!same) return tl::unexpected(same.error());
    if (*same) {
      ++planned.files.same;
      if (old->outside == 0) planned.seen[part.name].digest = version_digest(old->data);
      continue;
    }
    FileChange change;
    change.path = to;
    if (part.outside != 0)
      change.from = from;
    else
      change.content = part.data;
    if (old != there.end()) {
      const auto seen = digest_there(*session.storage, *old, to);
      if (!seen) return tl::unexpected(seen.error());
      change.before = *seen;
    }
    ++(change.before ? planned.files.replaced : planned.files.added);
    planned.changes.push_back(std::move(change));
  }
  return {};
}

// Files there that the save does not have. A save of fewer files than are there is a part of one,
// and leaves the others alone.
Result<void> plan_others(Session& session, const Source& source, const Path& folder,
                         const std::vector<Part>& there, bool whole, FolderChanges& planned) {
  const bool part_of_it = source.save.parts.size() < there.size();
  for (const Part& old : there) {
    if (source.save.part(old.name) != nullptr) continue;
    if (part_of_it && !whole) {
      planned.files.stay.push_back(old.name);
      continue;
    }
    FileChange change;
    change.path = folder / old.name;
    const auto seen = digest_there(*session.storage, old, change.path);
    if (!seen) return tl::unexpected(seen.error());
    change.before = *seen;
    planned.files.going.push_back(old.name);
    planned.changes.push_back(std::move(change));
  }
  return {};
}

Result<FolderChanges> plan_changes(Session& session, const Source& source, const Path& folder,
                                   bool whole) {
  Storage& storage = *session.storage;
  FolderChanges planned;
  std::vector<Part> there;
  if (!is_missing(storage, folder)) {
    auto seen = files_seen(storage, folder);
    if (!seen) return tl::unexpected(seen.error());
    planned.seen = std::move(*seen);
    auto read = read_parts(storage, folder, Hold::small);
    if (!read) return tl::unexpected(read.error());
    there = std::move(*read);
    planned.there_modified_ns = newest_below(storage, folder);
  }
  planned.replaces = !there.empty();
  if (auto done = plan_files(session, source, folder, there, planned); !done)
    return tl::unexpected(done.error());
  if (auto done = plan_others(session, source, folder, there, whole, planned); !done)
    return tl::unexpected(done.error());
  return planned;
}

class FolderTarget final : public Target {
 public:
  explicit FolderTarget(const CarryContext& context) : context_(context) {}

  bool takes(const Source& source) const override {
    return source.save.kind == Kind::folder || keeps_as_folder(source);
  }

  Result<std::optional<Placement>> place(const Source& given, MoveReport& line,
                                         Checks& checks) override {
    // A package becomes the files inside of it.
    const bool package =
        !given.layouts.empty() && is_package(layouts().find(given.layouts.front()));
    const auto source_or =
        package ? opened_package(context_.session, given) : Result<Source>(given);
    if (!source_or) return tl::unexpected(source_or.error());
    const Source& source = *source_or;
    auto place = find_folder_destination(context_, source, checks);
    if (!place) return tl::unexpected(place.error());
    if (!*place) return std::optional<Placement>{};
    const FolderDestination& there = **place;
    auto planned = plan_changes(context_.session, source, there.folder, context_.request.whole);
    if (!planned) return tl::unexpected(planned.error());
    if (!planned->replaces)
      if (auto added = add_files_beside(source, there, *planned, checks); !added)
        return tl::unexpected(added.error());
    PlacedUnit unit = unit_of(there, *planned, line);
    if (planned->replaces && !unit.line.nothing_to_do) check_newer(source, there, *planned, checks);
    Placement placement;
    // A companion alone needs no swap of a folder that stays as it is.
    if (!unit.line.nothing_to_do) {
      placement.swap.emplace();
      placement.swap->folder = there.folder;
      placement.swap->seen = std::move(planned->seen);
    }
    if (auto added = add_companions(source, there, unit, checks); !added)
      return tl::unexpected(added.error());
    placement.units.push_back(std::move(unit));
    return std::optional<Placement>(std::move(placement));
  }

 private:
  // A card's save, where the bay has no card for it but keeps such saves as folders.
  [[nodiscard]] bool keeps_as_folder(const Source& source) const {
    const auto has = [&](Kind kind) {
      return std::ranges::any_of(context_.bay().shelves, [&](const Shelf& shelf) {
        return shelf.system == source.save.system && shelf.kind == kind;
      });
    };
    return source.save.kind == Kind::card_save && has(Kind::folder) && !has(Kind::card_save);
  }

  void check_newer(const Source& source, const FolderDestination& there,
                   const FolderChanges& planned, Checks& checks) const {
    const SinceEqual since = context_.history == nullptr
                                 ? SinceEqual{}
                                 : folder_since_equal(*context_.history, *context_.session.storage,
                                                      there.folder, source);
    if (since.there && since.here) {
      std::uint64_t size = 0;
      for (const auto& [name, seen] : planned.seen) size += seen.info.size;
      (void)checks.add(both_changed(there.folder, planned.there_modified_ns, size, source));
      return;
    }
    if (since.known && since.here) return;
    const bool younger =
        planned.there_modified_ns > source.modified_ns + time_slack_ns(there.names);
    if (!since.there && !younger) return;
    (void)checks.add(
        {Level::error,
         Code::newer_there,
         safe_text(there.folder.string()) +
             (since.there ? ": changed since it was last equal to the save, which did not"
                          : ": files there are younger than the save, and differ"),
         {"compare both with '", Remedy::compare, "'; replace them with ",
          accept_remedy(Code::newer_there), " (the old ones stay in history)"}});
  }

  // A save under a new name gets what its program keeps beside each of them.
  Result<void> add_files_beside(const Source& source, const FolderDestination& there,
                                FolderChanges& planned, Checks& checks) {
    auto beside = files_beside(context_.session, there.others, source.save, there.folder);
    if (!beside) return tl::unexpected(beside.error());
    if (beside->changes.empty()) return {};
    std::vector<std::string> names;
    for (FileChange& change : beside->changes) {
      names.push_back(safe_text(change.path.filename().string()));
      planned.changes.push_back(std::move(change));
    }
    checks.note({Level::note, Code::companion,
                 fmt::format("{} {} taken from {} there, as a template: the program keeps such "
                             "files beside each save",
                             list_text(names), names.size() == 1 ? "is" : "are",
                             safe_text(beside->from.filename().string())),
                 "a name or picture in them may still be that save's until the game saves again"});
    return {};
  }

  PlacedUnit unit_of(const FolderDestination& there, FolderChanges& planned, MoveReport& line) {
    line.game = there.game;
    // The name may stand beside the save there.
    if (line.game.title.empty()) {
      Save named;
      named.system = there.layout->info().system;
      named.game = there.game;
      add_title_beside(*context_.session.storage, there.folder, named);
      line.game.title = named.game.title;
    }
    PlacedUnit unit;
    unit.line = line;
    unit.line.to = there.folder.string();
    unit.line.to_layout = there.layout->info().id;
    unit.line.size = unit.room = planned.size;
    unit.line.folder = true;
    unit.line.replaces = planned.replaces;
    unit.line.nothing_to_do = planned.changes.empty();
    unit.line.files = planned.files;
    unit.names = there.names;
    unit.changes = std::move(planned.changes);
    return unit;
  }

  Result<void> add_companions(const Source& source, const FolderDestination& there,
                              PlacedUnit& unit, Checks& checks) {
    auto companions = make_companions(context_.session, context_.bay(), source, unit.line.to);
    if (!companions) return tl::unexpected(companions.error());
    if (!there.game.account.empty()) {
      auto shared = make_shared_files(context_.session, source, there.folder);
      if (!shared) return tl::unexpected(shared.error());
      std::ranges::move(*shared, std::back_inserter(*companions));
    }
    for (CompanionFile& companion : *companions) {
      if (!companion.note.text.empty()) checks.note(companion.note);
      if (companion.change) unit.changes.push_back(std::move(*companion.change));
    }
    return {};
  }

  const CarryContext& context_;
};

}  // namespace

std::unique_ptr<Target> make_folder_target(const CarryContext& context) {
  return std::make_unique<FolderTarget>(context);
}

}  // namespace bayswap
