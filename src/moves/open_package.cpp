#include "moves/open_package.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "bayswap/card.h"
#include "core/bytes/text.h"
#include "files/atomic_write.h"
#include "moves/folder_source.h"
#include "places/folder_parts.h"
#include "places/walk.h"

namespace bayswap {
namespace {

// Of one of the others: what the save does not have.
std::set<std::string> more_than(const Save& save, const std::vector<Part>& other) {
  std::set<std::string> more;
  for (const Part& part : other)
    if (save.part(part.name) == nullptr) more.insert(part.name);
  return more;
}

bool has_all_of(const std::vector<Part>& other, const Save& save) {
  return std::ranges::all_of(save.parts, [&](const Part& part) {
    return std::ranges::find(other, part.name, &Part::name) != other.end();
  });
}

Result<void> add_copy(Session& session, const Path& from, const Path& to, FilesBeside& found) {
  auto bytes = session.storage->read(from, session.limits.largest_file);
  if (!bytes) return tl::unexpected(bytes.error());
  found.changes.push_back(change_to(to, std::move(*bytes), std::nullopt));
  return {};
}

// Files of the title, outside of its saves' folders, that bear the name of one of them.
std::vector<Path> files_named_after(Session& session, const Path& world) {
  std::vector<Path> named;
  const std::string name = world.filename().string();
  const Path title = world.parent_path().parent_path();
  for (const WalkedFile& file : files_below(*session.storage, title))
    if (!lies_in(world.parent_path(), file.path()) || file.folder() == world.parent_path().native())
      if (Path(file.name()).stem() == name || file.name() == name) named.push_back(file.path());
  return named;
}

}  // namespace

Result<Source> opened_package(Session& session, const Source& source) {
  Source opened = source;
  const Part* whole = source.save.part("package");
  opened.save.kind = Kind::folder;
  opened.layouts.clear();
  opened.save.name = source.files.front().filename().string();
  const CardLayout* layout = as_card(layouts().find(source.layouts.front()));
  if (whole == nullptr) {
    // One file: its name in the package is its name in the folder. The package says whose it is.
    for (Part& part : opened.save.parts) part.name = source.save.name;
    const auto view = session.storage->view(source.files.front(), session.limits.largest_file);
    if (!view) return tl::unexpected(view.error());
    const auto package = layout->list(view->bytes(), {});
    if (!package) return tl::unexpected(package.error());
    opened.save.game = package->game;
    return opened;
  }
  auto card = layout->open(whole->data);
  if (!card) return tl::unexpected(card.error());
  opened.save.parts.clear();
  for (CardSave& file : card->saves) {
    if (file.save.parts.empty())
      return fail(Trouble::stopped, Code::damaged,
                  fmt::format("{}: its file {} can't be read whole", safe_text(opened.save.name),
                              safe_text(file.save.name)),
                  {"'", Remedy::mend_card, "' saves what can be read of a damaged package"});
    Part part = std::move(file.save.parts.front());
    part.name = file.save.name;
    opened.save.parts.push_back(std::move(part));
  }
  opened.part_files.assign(opened.save.parts.size(), source.files.front().string());
  return opened;
}

Result<FilledPackage> filled_package(const CardLayout& layout, ByteView package, const Save& save) {
  const auto card = layout.open(package);
  if (!card) return tl::unexpected(card.error());
  FilledPackage filled;
  CardChange change;
  for (const Part& part : save.parts) {
    Save file;
    file.system = layout.info().system;
    file.kind = Kind::card_save;
    file.name = part.name;
    file.parts = {{"data", part.data, false, {}}};
    const auto there = std::ranges::find_if(card->saves, [&](const CardSave& one) {
      return layout.identity(one.save) == layout.identity(file);
    });
    if (there == card->saves.end()) {
      filled.left.push_back(part.name);
      continue;
    }
    file.parts.front().name =
        there->save.parts.empty() ? std::string("data") : there->save.parts.front().name;
    change.drop.push_back(static_cast<std::size_t>(there - card->saves.begin()));
    change.put.push_back(std::move(file));
  }
  if (change.put.empty()) {
    std::vector<std::string> names;
    for (const CardSave& one : card->saves) names.push_back(safe_text(one.save.name));
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("the package there holds {}, and the save has no file of such a name",
                            list_text(names)),
                {"put a file into it under its name: ", Remedy::put_in_package});
  }
  auto changed = layout.change(package, change);
  if (!changed) return tl::unexpected(changed.error());
  filled.bytes = std::move(changed->bytes);
  return filled;
}

Result<FilesBeside> files_beside(Session& session, const std::vector<Path>& others,
                                 const Save& save, const Path& folder) {
  FilesBeside found;
  std::optional<std::set<std::string>> more;
  std::int64_t newest_ns = 0;
  for (const Path& other : others) {
    const auto parts = read_parts(*session.storage, other, Hold::small);
    if (!parts) return tl::unexpected(parts.error());
    // A save of other files says nothing about this one.
    if (!has_all_of(*parts, save)) continue;
    const std::set<std::string> own = more_than(save, *parts);
    if (!more)
      more = own;
    else
      std::erase_if(*more, [&](const std::string& name) { return !own.contains(name); });
    if (const std::int64_t time = newest_below(*session.storage, other);
        found.from.empty() || time > newest_ns) {
      found.from = other;
      newest_ns = time;
    }
  }
  if (!more) return found;
  for (const std::string& name : *more)
    if (auto added = add_copy(session, found.from / name, folder / name, found); !added)
      return tl::unexpected(added.error());
  for (const Path& file : files_named_after(session, found.from)) {
    std::string name = file.filename().string();
    name.replace(0, found.from.filename().string().size(), folder.filename().string());
    if (const Path to = file.parent_path() / name; is_missing(*session.storage, to))
      if (auto added = add_copy(session, file, to, found); !added)
        return tl::unexpected(added.error());
  }
  if (found.changes.empty()) found.from.clear();
  return found;
}

}  // namespace bayswap
