#include "reading/found_states.h"

#include <fmt/core.h>

#include <algorithm>
#include <charconv>
#include <map>

#include "bayswap/slots.h"
#include "bayswap/state.h"
#include "core/bytes/text.h"
#include "core/naming/tags.h"
#include "files/archive_storage.h"
#include "places/walk.h"

namespace bayswap {
namespace {

bool on_state_shelf(const Inspection& found) {
  return found.shelf && found.shelf->shelf->kind == Kind::state;
}

unsigned number_of(const std::string& slot) {
  unsigned number = 0;
  std::from_chars(slot.data(), slot.data() + slot.size(), number);
  return number;
}

class Lister {
 public:
  explicit Lister(Session& session) : session_(session), folders_(session) {}

  Result<void> add_place(const Path& place, const Bay* bay) {
    const auto info = session_.storage->info(place);
    if (!info) return tl::unexpected(info.error());
    if (info->type == FileType::file) {
      add_file(place, *info, bay);
      return {};
    }
    if (const auto listed = session_.storage->list(place); !listed)
      return tl::unexpected(listed.error());
    const auto files = files_below(*session_.storage, place);
    for (std::size_t i = 0; i < files.size(); ++i) {
      if (auto on = session_.proceed(Work::files, i, files.size()); !on) return on;
      add_file(files[i].path(), files[i].info, bay);
    }
    return {};
  }

  std::vector<SlotBoard> boards() {
    std::vector<SlotBoard> boards;
    for (auto& [key, board] : boards_) {
      std::ranges::stable_sort(board.slots, {}, [](const StateSlot& slot) {
        return std::pair(number_of(slot.slot), slot.slot);
      });
      boards.push_back(std::move(board));
    }
    std::ranges::stable_sort(boards, {}, &SlotBoard::title);
    return boards;
  }

 private:
  void add_file(const Path& path, const FileInfo& info, const Bay* bay) {
    const auto found = inspect(session_, folders_, path, {});
    if (!found || !found->state) return;
    if (bay != nullptr && (!on_state_shelf(*found) || found->shelf->bay->name != bay->name)) return;
    StateSlot slot;
    slot.slot = slot_of(*found);
    slot.path = path;
    slot.size = info.size;
    slot.modified_ns = info.modified_ns;
    if (auto read = read_state(found->view.bytes(), path.string()))
      slot.info = std::move(*read);
    else
      slot.findings.push_back(
          {Level::error, read.error().code, read.error().text, read.error().hint});
    SlotBoard& board = boards_[{found->hints.system, stem_of_state(*found)}];
    board.title = title_of_state(*found, session_.catalog);
    board.system = found->hints.system;
    board.slots.push_back(std::move(slot));
  }

  Session& session_;
  RomFolders folders_;
  std::map<std::pair<std::optional<System>, std::string>, SlotBoard> boards_;
};

}  // namespace

std::string slot_of(const Inspection& found) {
  if (on_state_shelf(found) && found.shelf->slot) return *found.shelf->slot;
  return state_name_of(inner_name(found.path)).slot;
}

std::string stem_of_state(const Inspection& found) {
  if (found.rom) return found.rom->stem;
  if (on_state_shelf(found)) return found.shelf->stem;
  return state_name_of(inner_name(found.path)).stem;
}

std::string title_of_state(const Inspection& found, const Catalog& catalog) {
  if (found.rom) return game_of(*found.rom, catalog).title;
  const std::string name = untagged_name(stem_of_state(found));
  return name.empty() ? inner_name(found.path) : name;
}

Result<std::vector<SlotBoard>> list_states(Session& session, const std::string& place) {
  Lister lister(session);
  const auto bay = session.bays.find(place);
  if (auto added = bay ? lister.add_place((*bay)->place, *bay) : lister.add_place(place, nullptr);
      !added)
    return tl::unexpected(added.error());
  auto boards = lister.boards();
  if (boards.empty())
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("{}: holds no save states", safe_text(place)),
                {"'", Remedy::look, "' says what is there"});
  return boards;
}

}  // namespace bayswap
