// What is there now, put into history.
#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "bayswap/naming.h"
#include "bayswap/versions.h"
#include "core/bytes/text.h"
#include "core/naming/tags.h"
#include "files/atomic_write.h"
#include "files/clock.h"
#include "history/pack_ahead.h"
#include "history/timeline.h"
#include "moves/cart_target.h"
#include "moves/mover.h"
#include "moves/waiting.h"
#include "places/find_folders.h"
#include "places/rom_index.h"
#include "places/title_trees.h"
#include "places/walk.h"
#include "reading/bay_scan.h"
#include "reading/open_card.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kAhead = 1U << 20U;       // bytes; smaller files are packed ahead
constexpr std::uint64_t kInMemory = 8U << 20U;    // bytes; larger files are read in pieces
constexpr std::int64_t kSettled = 2'000'000'000;  // nanoseconds: coarser than any file's time

// One save: a file, or the files of a folder.
struct Found {
  Path root;
  std::string bay;
  std::string title;
  std::vector<std::pair<Path, FileInfo>> files;
};

class Keeper {
 public:
  Keeper(Session& session, History& history) : session_(session), history_(history) {}

  Result<void> find(const std::string& place) {
    Storage& storage = *session_.storage;
    // A folder that has a bay's name is meant by ./NAME.
    if (const auto bay = session_.bays.find(place))
      return (*bay)->port ? find_on_cartridge(**bay) : find_in_bay(**bay);
    std::error_code ignored;
    Path path = std::filesystem::canonical(place, ignored);
    if (ignored) path = place;
    const auto info = storage.info(path);
    if (!info) return tl::unexpected(info.error());
    if (info->type == FileType::file) {
      add_file(path, *info, {});
      return {};
    }
    if (const auto listed = storage.list(path); !listed) return tl::unexpected(listed.error());
    if (const auto whole = folder_at(storage, path)) {
      add_folder(*whole, {});
      return {};
    }
    find_below(path, {}, [](const Path&) { return true; });
    return {};
  }

  /// What history has already; to be called first.
  Result<void> recall() {
    auto newest = history_.newest_versions();
    if (!newest) return tl::unexpected(newest.error());
    newest_ = std::move(*newest);
    return {};
  }

  Result<KeepReport> keep(const std::string& reason) {
    auto transaction = Transaction::begin(history_.database());
    if (!transaction) return tl::unexpected(transaction.error());
    std::int64_t command = 0;
    PackAhead ahead(*session_.storage, files_to_pack());
    for (std::size_t i = 0; i < found_.size(); ++i) {
      const Found& save = found_[i];
      // What was kept up to here is complete, but none of it counts before the end.
      if (auto on = session_.proceed(Work::saves, i, found_.size()); !on)
        return tl::unexpected(on.error());
      MoveRecord move;
      move.kind = "keep";
      move.source = reason;
      move.bay = save.bay;
      move.title = save.title;
      move.place = place_of(session_, save.root);
      move.place_id = session_.storage->identity(move.place);
      move.time_ns = now_ns();
      move.state = MoveState::kept;
      std::uint64_t size = 0;
      for (const auto& [path, info] : save.files) {
        size += info.size;
        if (is_known(path, info)) continue;
        auto version = keep_file(path, info, ahead);
        if (!version) {
          report_.findings.push_back(
              {Level::warn, version.error().code, version.error().text, version.error().hint});
          continue;
        }
        const auto known = newest_.find(path.string());
        const bool same = known != newest_.end() && known->second.version.digest == version->digest;
        if (same) continue;
        Step step;
        step.path = path.string();
        step.before = *version;
        step.after = *version;
        move.source_modified_ns = std::max(move.source_modified_ns, version->modified_ns);
        move.steps.push_back(std::move(step));
      }
      if (move.steps.empty()) {
        ++report_.unchanged;
        continue;
      }
      if (command == 0) {
        const auto begun = history_.begin_command("keep", move.time_ns);
        if (!begun) return tl::unexpected(begun.error());
        command = *begun;
      }
      move.command = command;
      if (auto begun = history_.begin_move(move); !begun) return tl::unexpected(begun.error());
      report_.kept.push_back({save.root, version_name(move.steps.front().id, true), size});
    }
    for (const Source& source : on_cartridges_)
      if (auto kept = keep_cartridge(source, reason, command); !kept)
        return tl::unexpected(kept.error());
    if (auto committed = transaction->commit(); !committed)
      return tl::unexpected(committed.error());
    return std::move(report_);
  }

 private:
  using Newest = std::unordered_map<std::string, History::Newest>;

  // A file whose time and size are those of the newest version is not read again, unless it could
  // have changed within the same tick of its clock.
  [[nodiscard]] bool is_known(const Path& path, const FileInfo& info) const {
    const auto known = newest_.find(path.string());
    return known != newest_.end() && known->second.version.digest &&
           known->second.version.modified_ns == info.modified_ns &&
           known->second.size == info.size && info.modified_ns + kSettled < known->second.time_ns;
  }

  // Those that keep_file() asks for, in their order.
  [[nodiscard]] std::vector<PackAhead::File> files_to_pack() const {
    std::vector<PackAhead::File> files;
    for (const Found& save : found_)
      for (const auto& [path, info] : save.files)
        if (info.size <= kAhead && !is_known(path, info)) files.push_back({path, info});
    return files;
  }

  Result<FileVersion> keep_file(const Path& path, const FileInfo& info, PackAhead& ahead) {
    auto digest = info.size <= kAhead ? keep_packed(ahead.next()) : keep_large(path, info.size);
    if (!digest) return tl::unexpected(digest.error());
    const auto after = session_.storage->info(path);
    if (!after || after->modified_ns != info.modified_ns || after->size != info.size)
      return tl::unexpected(place_changed(path));
    return FileVersion{*digest, info.modified_ns, info.mode};
  }

  Result<Digest> keep_packed(Result<PackedContent> content) {
    if (!content) return tl::unexpected(content.error());
    return history_.keep(std::move(*content));
  }

  // Of a large file only the pieces that are new are packed, on two threads.
  Result<Digest> keep_large(const Path& path, std::uint64_t size) {
    if (size > kInMemory) return history_.keep_file(*session_.storage, path);
    const auto bytes = session_.storage->read(path, kInMemory);
    if (!bytes) return tl::unexpected(bytes.error());
    return history_.keep(*bytes);
  }

  Result<void> find_on_cartridge(const Bay& bay) {
    auto sources = read_cart(session_, bay);
    if (!sources) return tl::unexpected(sources.error());
    std::ranges::move(*sources, std::back_inserter(on_cartridges_));
    return {};
  }

  Result<void> keep_cartridge(const Source& source, const std::string& reason,
                              std::int64_t command) {
    const Bytes& bytes = source.save.parts.front().data;
    const auto digest = history_.keep(bytes);
    if (!digest) return tl::unexpected(digest.error());
    const std::string& name = source.part_files.front();
    if (const auto known = newest_.find(name);
        known != newest_.end() && known->second.version.digest == *digest) {
      ++report_.unchanged;
      return {};
    }
    MoveRecord move;
    move.kind = "keep";
    move.source = reason;
    move.title = source.stem;
    move.time_ns = now_ns();
    move.state = MoveState::kept;
    Step step;
    step.path = name;
    step.before = step.after = {*digest, move.time_ns, 0644};
    move.source_modified_ns = move.time_ns;
    move.steps.push_back(std::move(step));
    const auto begun =
        command != 0 ? Result<std::int64_t>(command) : history_.begin_command("keep", move.time_ns);
    if (!begun) return tl::unexpected(begun.error());
    move.command = *begun;
    if (auto recorded = history_.begin_move(move); !recorded)
      return tl::unexpected(recorded.error());
    report_.kept.push_back({name, version_name(move.steps.front().id, true), bytes.size()});
    return {};
  }

  Result<void> find_in_bay(const Bay& bay) {
    if (const auto listed = session_.storage->list(bay.place); !listed)
      return tl::unexpected(listed.error());
    std::vector<NamingPattern> patterns;
    for (const Shelf& shelf : bay.shelves)
      if (shelf.kind != Kind::folder)
        if (auto pattern = NamingPattern::parse(shelf.pattern))
          patterns.push_back(std::move(*pattern));
    RomFolders folders(session_);
    BayScan scan(session_, folders, bay);
    for (const Shelf& shelf : bay.shelves) {
      if (!is_title_tree(shelf)) continue;
      for (const BayScan::OnTree& save : scan.tree_saves(shelf)) {
        const Game& game = save.title.game;
        add_files_below(save.path, name_of(game, save.path.filename().string()), bay.name);
        // What all accounts of the title share is a save of its own.
        if (const Path shared = save.path.parent_path() / kSharedFolder;
            !game.account.empty() && !is_missing(*session_.storage, shared))
          add_files_below(shared, name_of(game, {}), bay.name);
      }
    }
    find_below(bay.place, bay.name, [&](const Path& path) {
      const std::string relative = path.lexically_relative(bay.place).generic_string();
      return std::ranges::any_of(patterns, [&](const NamingPattern& pattern) {
        return pattern.match(relative).has_value();
      });
    });
    return {};
  }

  // `wanted` says which of the files that lie in no save's folder are saves.
  void find_below(const Path& place, const std::string& bay,
                  const std::function<bool(const Path&)>& wanted) {
    std::set<Path> folders;
    for (const FoundFolder& folder : find_folders(*session_.storage, place)) {
      folders.insert(folder.path);
      add_folder(folder, bay);
    }
    walk_files(*session_.storage, place, true, [&](const Path& path, const FileInfo& info) {
      for (Path at = path.parent_path(); !folders.empty() && at != place && at.has_relative_path();
           at = at.parent_path())
        if (folders.contains(at)) return;
      if (wanted(path)) add_file(path, info, bay);
    });
  }

  void add_file(const Path& path, const FileInfo& info, const std::string& bay) {
    if (!seen_.insert(path).second || path.filename().string().starts_with(".bayswap-")) return;
    // What was a save before is one still.
    if (!is_known(path, info) && read_rom_file(*session_.storage, path, info, session_.catalog))
      return;
    found_.push_back({path, bay, untagged_name(path.stem().string()), {{path, info}}});
  }

  void add_folder(const FoundFolder& folder, const std::string& bay) {
    auto save = read_found(*session_.storage, folder);
    if (!save) return add_files_below(folder.path, {}, bay);
    add_catalog_title(session_.catalog, *save);
    add_files_below(folder.path, name_of(save->game, save->name), bay);
  }

  static std::string name_of(const Game& game, const std::string& name) {
    if (!game.title.empty()) return game.title;
    return game.title_id.empty() ? name : game.title_id;
  }

  void add_files_below(const Path& folder, std::string title, const std::string& bay) {
    if (!seen_.insert(folder).second) return;
    Found found{folder, bay, std::move(title), {}};
    walk_files(*session_.storage, folder, true, [&](const Path& path, const FileInfo& info) {
      found.files.emplace_back(path, info);
    });
    found_.push_back(std::move(found));
  }

  Session& session_;
  History& history_;
  Newest newest_;
  std::vector<Found> found_;
  std::vector<Source> on_cartridges_;
  std::set<Path> seen_;
  KeepReport report_;
};

}  // namespace

Result<KeepReport> keep(Session& session, const KeepRequest& request) {
  auto history = recovered_history(*session.storage, session.history_file());
  if (!history) return tl::unexpected(history.error());
  report_waiting(session, *history);
  Keeper keeper(session, *history);
  if (auto known = keeper.recall(); !known) return tl::unexpected(known.error());
  for (const std::string& place : request.places)
    if (auto found = keeper.find(place); !found) {
      if (found.error().code != Code::missing || place.find('/') != std::string::npos)
        return tl::unexpected(found.error());
      return fail(
          Trouble::input, Code::missing,
          fmt::format("{}: there is no such file, and no bay of that name", safe_text(place)),
          {"'", Remedy::list_bays, "' shows the bays"});
    }
  return keeper.keep(or_empty(request.reason));
}

}  // namespace bayswap
