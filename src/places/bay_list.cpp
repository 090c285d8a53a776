// bays.toml: read, and changed one bay at a time.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <sstream>

#include "bayswap/bay.h"
#include "bayswap/card.h"
#include "bayswap/folder.h"
#include "bayswap/layout.h"
#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "core/bytes/toml_file.h"
#include "files/atomic_write.h"
#include "files/turn_lock.h"
#include "places/bay_text.h"

namespace bayswap {
namespace {

Result<std::string> text_of(const TomlValue& table, std::string_view key, bool needed,
                            const std::string& file) {
  const TomlValue* node = table.get(key);
  if (node == nullptr) {
    if (!needed) return std::string{};
    return toml_error(table, file, Code::bad_bays, fmt::format("'{}' is missing", key));
  }
  if (!node->is_text())
    return toml_error(*node, file, Code::bad_bays, fmt::format("'{}' must be a text", key));
  return node->text;
}

Result<std::vector<std::string>> layouts_of(const TomlValue& table, const std::string& file) {
  const TomlValue* node = table.get("layout");
  if (node == nullptr || !node->is_list() || node->items.empty())
    return toml_error(node == nullptr ? table : *node, file, Code::bad_bays,
                      "'layout' must be a list of layout ids");
  std::vector<std::string> ids;
  for (const TomlValue& entry : node->items) {
    if (!entry.is_text()) return toml_error(entry, file, Code::bad_bays, "a layout id is a text");
    const std::string& id = entry.text;
    if (const auto known = find_layout(id); !known)
      return toml_error(entry, file, Code::bad_bays,
                        fmt::format("{}; {}", known.error().text, known.error().hint.text()));
    ids.push_back(id);
  }
  return ids;
}

Result<Shelf> shelf_of(const TomlValue& table, const std::string& file) {
  Shelf shelf;
  const auto system = text_of(table, "system", true, file);
  if (!system) return tl::unexpected(system.error());
  const auto parsed = parse_system(*system);
  if (!parsed)
    return toml_error(*table.get("system"), file, Code::bad_bays,
                      fmt::format("there is no system '{}'", safe_text(*system)));
  shelf.system = *parsed;
  const auto kind = text_of(table, "kind", false, file);
  if (!kind) return tl::unexpected(kind.error());
  if (!kind->empty()) {
    const auto known = parse_kind(*kind);
    if (!known)
      return toml_error(*table.get("kind"), file, Code::bad_bays,
                        fmt::format("there is no kind '{}'", safe_text(*kind)));
    shelf.kind = *known;
  }
  auto pattern = text_of(table, "pattern", true, file);
  if (!pattern) return tl::unexpected(pattern.error());
  if (const auto usable = NamingPattern::parse(*pattern); !usable)
    return toml_error(*table.get("pattern"), file, Code::bad_bays, usable.error().text);
  shelf.pattern = std::move(*pattern);
  // States have no layout: no program's form of them is known.
  if (shelf.kind != Kind::state || table.get("layout") != nullptr) {
    auto ids = layouts_of(table, file);
    if (!ids) return tl::unexpected(ids.error());
    shelf.layout = std::move(*ids);
  }
  // The layouts tell the kind where nobody says it.
  if (kind->empty() && !shelf.layout.empty())
    if (const auto layout = find_layout(shelf.layout.front()))
      shelf.kind = kind_on_shelf(shelf.pattern, **layout);
  auto roms = text_of(table, "roms", false, file);
  if (!roms) return tl::unexpected(roms.error());
  shelf.roms = std::move(*roms);
  const auto names = text_of(table, "names", false, file);
  if (!names) return tl::unexpected(names.error());
  if (!names->empty()) {
    const auto known = parse_file_names(*names);
    if (!known)
      return toml_error(*table.get("names"), file, Code::bad_bays,
                        "'names' is what the file system keeps of them: exact, any-case or fat");
    shelf.names = *known;
  }
  return shelf;
}

// Empty for what is not a hex text.
std::string text_from_hex(const std::string& hex) {
  std::string text;
  for (std::size_t at = 0; at + 1 < hex.size(); at += 2) {
    unsigned byte = 0;
    const auto [end, problem] = std::from_chars(hex.data() + at, hex.data() + at + 2, byte, 16);
    if (problem != std::errc{} || end != hex.data() + at + 2) return {};
    text.push_back(static_cast<char>(byte));
  }
  return text;
}

Result<Bay> bay_of(std::string name, const TomlValue& node, const std::string& file) {
  if (!node.is_table())
    return toml_error(node, file, Code::bad_bays, "a bay is a table: [bay.NAME]");
  Bay bay;
  bay.name = std::move(name);
  if (node.get("port") != nullptr) {
    const auto port = text_of(node, "port", true, file);
    if (!port) return tl::unexpected(port.error());
    return reader_bay(std::move(bay.name), *port);
  }
  const bool in_bytes = node.get("place_bytes") != nullptr;
  const auto place = text_of(node, in_bytes ? "place_bytes" : "place", true, file);
  if (!place) return tl::unexpected(place.error());
  bay.place = in_bytes ? text_from_hex(*place) : *place;
  if (!bay.place.is_absolute())
    return toml_error(node, file, Code::bad_bays, "'place' must be an absolute path");
  const TomlValue* shelves = node.get("shelf");
  if (shelves == nullptr) return bay;
  if (!shelves->is_list_of_tables())
    return toml_error(*shelves, file, Code::bad_bays, "shelves are written as [[bay.NAME.shelf]]");
  for (const TomlValue& entry : shelves->items) {
    auto shelf = shelf_of(entry, file);
    if (!shelf) return tl::unexpected(shelf.error());
    bay.shelves.push_back(std::move(*shelf));
  }
  return bay;
}

// Whether a pattern fits everything that was seen on a learned shelf.
bool explains_all(const std::string& pattern, const Shelf& learned) {
  if (pattern == learned.pattern) return true;
  const auto own = NamingPattern::parse(pattern);
  return own && !learned.examples.empty() &&
         std::ranges::all_of(learned.examples, [&](const std::string& example) {
           return own->match(example).has_value();
         });
}

// True for the lines `[bay.NAME…]` and `[[bay.NAME…]]` of this bay.
bool heads_bay(std::string_view line, std::string_view name) {
  const std::size_t start = line.find_first_not_of(" \t[");
  if (start == std::string_view::npos || start == 0) return false;
  std::string key;
  for (const char c : line.substr(start)) {
    if (c == ']') break;
    if (c != ' ' && c != '\t' && c != '"' && c != '\'') key.push_back(c);
  }
  const std::string wanted = fmt::format("bay.{}", name);
  return key == wanted || key.starts_with(wanted + ".");
}

bool heads_table(std::string_view line) {
  const std::size_t start = line.find_first_not_of(" \t");
  return start != std::string_view::npos && line[start] == '[';
}

// The file without the lines of one bay; comments right above other tables stay with them.
std::string without_bay(const std::string& text, std::string_view name) {
  std::istringstream lines(text);
  std::string kept;
  std::string line;
  bool inside = false;
  while (std::getline(lines, line)) {
    if (heads_table(line)) inside = heads_bay(line, name);
    if (!inside) kept += line + "\n";
  }
  return kept;
}

}  // namespace

std::string_view to_string(FileNames names) {
  switch (names) {
    case FileNames::exact: return "exact";
    case FileNames::any_case: return "any-case";
    case FileNames::fat: return "fat";
  }
  return {};
}

std::optional<FileNames> parse_file_names(std::string_view id) {
  for (const FileNames names : {FileNames::exact, FileNames::any_case, FileNames::fat})
    if (to_string(names) == id) return names;
  return std::nullopt;
}

Kind kind_on_shelf(std::string_view pattern, const Layout& layout) {
  if (as_folder(&layout) != nullptr) return Kind::folder;
  if (!holds_chips(layout)) return layout.info().kind;
  const auto fields = NamingPattern::parse(pattern);
  const bool own =
      fields && std::ranges::any_of(std::array{"stem", "title", "code", "serial", "label"},
                                    [&](const char* field) { return fields->uses(field); });
  return own ? Kind::battery : layout.info().kind;
}

bool is_bay_name(std::string_view name) {
  return !name.empty() && name.size() <= 64 && std::all_of(name.begin(), name.end(), [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '-' ||
           c == '_';
  });
}

Result<BayList> BayList::load(Storage& storage, const Path& file) {
  if (is_missing(storage, file)) return BayList{};
  const auto view = storage.view(file, 1ULL << 24U);
  if (!view) return tl::unexpected(view.error());
  const ByteView bytes = view->bytes();
  return parse({reinterpret_cast<const char*>(bytes.data()), bytes.size()}, file.string());
}

Result<BayList> BayList::parse(std::string_view toml, const std::string& name) {
  const auto table = parse_toml(toml, name, Code::bad_bays);
  if (!table) return tl::unexpected(table.error());
  BayList list;
  list.text_ = std::string(toml);
  const TomlValue* bays = table->get("bay");
  if (bays == nullptr) return list;
  if (!bays->is_table())
    return toml_error(*bays, name, Code::bad_bays, "bays are written as [bay.NAME]");
  for (std::size_t i = 0; i < bays->items.size(); ++i) {
    const std::string& key = bays->keys[i];
    const TomlValue& node = bays->items[i];
    if (!is_bay_name(key))
      return toml_error(node, name, Code::bad_bays, "bay names are letters, digits, '-' and '_'");
    auto bay = bay_of(key, node, name);
    if (!bay) return tl::unexpected(bay.error());
    list.bays_.push_back(std::move(*bay));
  }
  return list;
}

Result<const Bay*> BayList::find(std::string_view name) const {
  std::vector<std::string> names;
  for (const Bay& bay : bays_) {
    if (bay.name == name) return &bay;
    names.push_back(bay.name);
  }
  return fail(
      Trouble::usage, Code::unknown_bay, fmt::format("there is no bay '{}'", safe_text(name)),
      names.empty() ? Hint{"make one: ", Remedy::learn_bay}
                    : Hint{fmt::format("known are {}; or: ", list_text(names)), Remedy::learn_bay});
}

// Another run may have changed the file since it was read: one at a time reads it anew, changes it
// and writes it.
Result<void> BayList::change(Storage& storage, const Path& file,
                             const std::function<Result<std::string>(const BayList&)>& edit) {
  if (auto made = make_private_folders(storage, file.parent_path()); !made)
    return tl::unexpected(made.error());
  const auto turn = take_turn(file);
  if (!turn) return tl::unexpected(turn.error());
  const auto now = load(storage, file);
  if (!now) return tl::unexpected(now.error());
  const auto text = edit(*now);
  if (!text) return tl::unexpected(text.error());
  auto checked = parse(*text, file.string());
  if (!checked) return tl::unexpected(checked.error());
  if (*text != now->text_)
    if (auto written = replace_own_file(storage, file, as_bytes(*text)); !written) return written;
  *this = std::move(*checked);
  return {};
}

Result<void> BayList::put(Storage& storage, const Path& file, const Bay& bay) {
  return change(storage, file, [&](const BayList& now) -> Result<std::string> {
    std::string text = without_bay(now.text_, bay.name);
    if (!text.empty() && !text.ends_with("\n\n")) text += "\n";
    return text + bay_text(bay);
  });
}

void BayList::add_for_now(Bay bay) {
  std::erase_if(bays_, [&](const Bay& other) { return other.name == bay.name; });
  bays_.push_back(std::move(bay));
}

Result<Bay> BayList::put_learned(Storage& storage, const Path& file, const Bay& learned) {
  Bay kept = learned;
  const auto done = change(storage, file, [&](const BayList& now) -> Result<std::string> {
    const auto there = now.find(learned.name);
    if (!there || (*there)->place != learned.place) {
      std::string text = without_bay(now.text_, learned.name);
      if (!text.empty() && !text.ends_with("\n\n")) text += "\n";
      return text + bay_text(learned);
    }
    kept = **there;
    std::string text = now.text_;
    for (const Shelf& shelf : learned.shelves) {
      const bool known = std::ranges::any_of(kept.shelves, [&](const Shelf& own) {
        return own.system == shelf.system && own.kind == shelf.kind &&
               explains_all(own.pattern, shelf);
      });
      if (known) continue;
      kept.shelves.push_back(shelf);
      if (!text.empty() && !text.ends_with('\n')) text += "\n";
      text += shelf_text(learned.name, shelf);
    }
    kept.questions = learned.questions;
    return text;
  });
  if (!done) return tl::unexpected(done.error());
  return kept;
}

Result<void> BayList::remove(Storage& storage, const Path& file, std::string_view name) {
  return change(storage, file, [&](const BayList& now) -> Result<std::string> {
    if (const auto known = now.find(name); !known) return tl::unexpected(known.error());
    return without_bay(now.text_, name);
  });
}

Result<Bay> reader_bay(std::string name, const std::string& port) {
  if (!is_bay_name(name))
    return fail(Trouble::usage, Code::usage, fmt::format("'{}' cannot name a bay", safe_text(name)),
                "use letters, digits, '-' and '_'");
  Bay bay;
  bay.name = std::move(name);
  bay.place = "cartridge reader at " + port;
  bay.port = port;
  return bay;
}

}  // namespace bayswap
