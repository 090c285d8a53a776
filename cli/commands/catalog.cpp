#include <fmt/core.h>

#include <memory>

#include "bayswap/catalog_edit.h"
#include "cli/commands/commands.h"
#include "cli/render/catalog.h"
#include "cli/render/json/json.h"
#include "core/bytes/text.h"

namespace bayswap::cli {

Result<System> said_system(const std::string& id) {
  if (const auto system = parse_system(lower_ascii(id))) return *system;
  std::vector<std::string> known;
  for (const System system : all_systems()) known.emplace_back(to_string(system));
  return fail(Trouble::usage, Code::usage, fmt::format("there is no system '{}'", safe_text(id)),
              "the systems are " + list_text(known));
}

namespace {

// `europe=NHPP`
Result<void> add_regions(const std::vector<std::string>& texts,
                         std::map<Region, std::string>& values) {
  for (const std::string& text : texts) {
    const std::size_t equals = text.find('=');
    const auto region = parse_region(lower_ascii(text.substr(0, equals)));
    if (!region || equals == std::string::npos || equals + 1 == text.size())
      return fail(Trouble::usage, Code::usage,
                  fmt::format("'{}' is not a region with a code", safe_text(text)),
                  "write it as europe=ABCP; the regions are america, europe, japan, korea, other "
                  "and any");
    values[*region] = text.substr(equals + 1);
  }
  return {};
}

struct AddArguments {
  CatalogGame game;
  std::string system;
  std::vector<std::string> codes;
  std::vector<std::string> title_ids;
};

void add_add(Command& catalog, Run& run) {
  auto arguments = std::make_shared<AddArguments>();
  Command& command =
      add_command(catalog, run, "add", "Add a game: its codes, its save chip, what it needs",
                  "bayswap catalog add \"Harbour Post\" --system n64 --chip sram --code "
                  "america=NHPE --code europe=NHPP");
  command.add_option("TITLE", arguments->game.title, "the game's title").required();
  command.add_option("--system", arguments->system, "its console family")
      .type_name("ID")
      .required();
  command.add_option("--chip", arguments->game.chip, "its save chip, as in a layout id")
      .type_name("CHIP");
  command.add_option("--code", arguments->codes, "code or serial of a region: europe=NHPP")
      .type_name("REGION=CODE");
  command.add_option("--title-id", arguments->title_ids, "title id of a region")
      .type_name("REGION=ID");
  command
      .add_option("--companion", arguments->game.companions,
                  "a shared file that its saves need, relative to the bay")
      .type_name("PATH");
  command.on_call([arguments, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto system = said_system(arguments->system);
      if (!system) return tl::unexpected(system.error());
      CatalogGame& game = arguments->game;
      game.system = *system;
      if (auto codes = add_regions(arguments->codes, game.codes); !codes) return codes;
      if (auto ids = add_regions(arguments->title_ids, game.title_ids); !ids) return ids;
      if (auto added = add_catalog_game(session, game); !added) return added;
      run.print(run.json ? json_text({&game}) : games_text({&game}, 1, run.style()));
      return {};
    });
  });
}

void add_catalog_show(Command& catalog, Run& run) {
  auto text = std::make_shared<std::string>();
  auto system = std::make_shared<std::string>();
  Command& command = add_command(catalog, run, "show", "List the games in the catalog",
                                 "bayswap catalog show copper");
  command.add_option("TEXT", *text, "part of a title, a code, or a hash");
  command.add_option("--system", *system, "only this console family").type_name("ID");
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      std::optional<System> wanted;
      if (!system->empty()) {
        const auto said = said_system(*system);
        if (!said) return tl::unexpected(said.error());
        wanted = *said;
      }
      std::vector<const CatalogGame*> shown;
      for (const CatalogGame& game : session.catalog.games())
        if ((!wanted || game.system == *wanted) && is_meant(game, *text)) shown.push_back(&game);
      run.print(run.json ? json_text(shown)
                         : games_text(shown, session.catalog.games().size(), run.style()));
      return {};
    });
  });
}

void add_import(Command& catalog, Run& run) {
  auto request = std::make_shared<ImportRequest>();
  auto system = std::make_shared<std::string>();
  Command& command = add_command(catalog, run, "import", "Import a game list, XML or CSV",
                                 "bayswap catalog import drawer/games.xml --system gb");
  command.add_option("FILE", request->file, "the list").required();
  command.add_option("--system", *system, "its console family, if the list doesn't say")
      .type_name("ID");
  command.add_option("--name", request->name, "name of the list here; default: its file's name")
      .type_name("NAME");
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      if (!system->empty()) {
        const auto said = said_system(*system);
        if (!said) return tl::unexpected(said.error());
        request->system = *said;
      }
      const auto imported = import_catalog(session, *request);
      if (!imported) return tl::unexpected(imported.error());
      run.print(run.json ? json_text(*imported) : imported_text(*imported, run.style()));
      return {};
    });
  });
}

}  // namespace

void add_catalog(Command& app, Run& run) {
  Command& catalog = app.add_command("catalog", "Your list of games: add, show, import");
  catalog.needs_command();
  catalog.footer("Example:\n  bayswap catalog show");
  add_add(catalog, run);
  add_catalog_show(catalog, run);
  add_import(catalog, run);
}

}  // namespace bayswap::cli
