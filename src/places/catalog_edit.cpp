#include "bayswap/catalog_edit.h"

#include <fmt/core.h>

#include "core/bytes/text.h"
#include "core/bytes/toml_file.h"
#include "core/naming/file_name.h"
#include "files/archive_storage.h"
#include "files/atomic_write.h"
#include "places/game_list.h"

namespace bayswap {
namespace {

std::string regions_text(const char* name, const std::map<Region, std::string>& values) {
  if (values.empty()) return {};
  std::string text = fmt::format("[game.{}]\n", name);
  for (const auto& [region, value] : values)
    text += fmt::format("{} = {}\n", to_string(region), toml_string(value));
  return text;
}

std::string game_text(const CatalogGame& game) {
  std::string text = fmt::format("[[game]]\ntitle = {}\nsystem = {}\n", toml_string(game.title),
                                 toml_string(to_string(game.system)));
  if (!game.chip.empty()) text += fmt::format("chip = {}\n", toml_string(game.chip));
  text += regions_text("codes", game.codes) + regions_text("title_ids", game.title_ids);
  for (const std::string& path : game.companions)
    text += fmt::format("[[game.companion]]\npath = {}\n", toml_string(path));
  for (const CatalogDump& dump : game.dumps) {
    text += fmt::format("[[game.dump]]\nname = {}\n", toml_string(dump.name));
    if (dump.region != Region::unknown)
      text += fmt::format("region = {}\n", toml_string(to_string(dump.region)));
    if (dump.size != 0) text += fmt::format("size = {}\n", dump.size);
    if (!dump.crc32.empty()) text += fmt::format("crc32 = \"{}\"\n", dump.crc32);
    if (!dump.sha1.empty()) text += fmt::format("sha1 = \"{}\"\n", dump.sha1);
  }
  return text;
}

// What cannot be read again is not written.
Result<void> write_catalog(Storage& storage, const Path& file, const std::string& text) {
  if (const auto read = Catalog::parse(text, file.string()); !read)
    return tl::unexpected(read.error());
  if (auto made = make_folders(storage, file.parent_path()); !made)
    return tl::unexpected(made.error());
  return replace_own_file(storage, file, as_bytes(text));
}

}  // namespace

Result<void> add_catalog_game(Session& session, const CatalogGame& game) {
  if (plain_title(game.title).empty())
    return fail(Trouble::usage, Code::usage,
                fmt::format("'{}' is not a title", safe_text(game.title)),
                "write the game's title");
  if (!game.chip.empty() && !game.chips())
    return fail(
        Trouble::usage, Code::usage,
        fmt::format("there is no chip '{}' for {}", safe_text(game.chip), to_string(game.system)),
        {"a chip is what follows the system in a layout id, such as sram; '", Remedy::list_layouts,
         "' lists them"});
  const Path file = session.catalog_file();
  std::string text;
  if (!is_missing(*session.storage, file)) {
    const auto bytes = session.storage->read(file, kSaveLimit);
    if (!bytes) return tl::unexpected(bytes.error());
    for (const std::byte byte : *bytes) text.push_back(static_cast<char>(byte));
    const auto own = Catalog::parse(text, file.string());
    if (!own) return tl::unexpected(own.error());
    if (own->find(game.system, game.title) != nullptr)
      return fail(Trouble::stopped, Code::name_taken,
                  fmt::format("{}: {} ({}) is there already", safe_text(file.string()),
                              safe_text(game.title), to_string(game.system)),
                  "change the entry in the file; it is plain text");
    if (!text.empty()) text += text.ends_with('\n') ? "\n" : "\n\n";
  }
  return write_catalog(*session.storage, file, text + game_text(game));
}

Result<Imported> import_catalog(Session& session, const ImportRequest& request) {
  const auto view = session.storage->view(request.file, kSaveLimit);
  if (!view) return tl::unexpected(view.error());
  const auto listed = read_game_list(view->bytes(), request.file.string());
  if (!listed) return tl::unexpected(listed.error());
  const auto games = grouped_games(listed->games, request.system);
  Imported imported;
  for (const ListedGame& game : listed->games)
    if (!request.system && !parse_system(lower_ascii(game.system))) ++imported.left_out;
  if (games.empty())
    return fail(
        Trouble::usage, Code::usage,
        fmt::format("{}: does not say for which system it is", safe_text(request.file.string())),
        {"add ", Remedy::system, ", such as ", HintPiece{Remedy::system, "snes"}});
  const std::string name =
      safe_file_name(or_empty(request.name).empty() ? Path(inner_name(request.file)).stem().string()
                                                    : or_empty(request.name));
  imported.file = session.catalog_file().replace_extension() / (name + ".toml");
  std::string text = fmt::format("# Imported from {}; importing it again replaces this file.\n",
                                 safe_text(inner_name(request.file)));
  for (const CatalogGame& game : games) {
    text += "\n" + game_text(game);
    imported.dumps += game.dumps.size();
  }
  imported.games = games.size();
  for (const ListedGame& game : listed->games)
    if (const auto system = parse_system(lower_ascii(game.system)); system || request.system)
      imported.chips +=
          chip_of_words(system.value_or(request.system.value_or(System::snes)), game.chip).empty()
              ? 0
              : 1;
  imported.unused = listed->unused;
  imported.replaced = !is_missing(*session.storage, imported.file);
  if (auto written = write_catalog(*session.storage, imported.file, text); !written)
    return tl::unexpected(written.error());
  return imported;
}

}  // namespace bayswap
