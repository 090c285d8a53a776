#include "bayswap/state.h"

#include <fmt/format.h>

#include <memory>

#include "cli/commands/commands.h"
#include "cli/render/json.h"
#include "cli/render/slot_board.h"
#include "cli/render/state.h"
#include "moves/outputs.h"

namespace bayswap::cli {
namespace {

void add_list(CLI::App& state, Run& run) {
  auto place = std::make_shared<std::string>();
  auto picture = std::make_shared<std::string>();
  auto replace = std::make_shared<bool>(false);
  CLI::App* command = add_command(state, run, "list", "The slots of each game, with their pictures",
                                  "bayswap state list den");
  command->add_option("PLACE", *place, "a bay, a folder or a file")->required();
  command->add_option("--png", *picture, "write the board as a picture, too")->type_name("FILE");
  command->add_flag("--replace", *replace, "overwrite the picture if it exists");
  command->callback([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto boards = list_states(session, *place);
      if (!boards) return tl::unexpected(boards.error());
      if (!picture->empty()) {
        const auto png = board_png(*boards);
        if (!png) return tl::unexpected(png.error());
        if (auto written =
                write_outputs(session, {"state list", *place, {}, *replace}, {{*picture, *png}});
            !written)
          return tl::unexpected(written.error());
      }
      for (const SlotBoard& board : *boards)
        for (const StateSlot& slot : board.slots)
          if (has_error(slot.findings)) run.status = static_cast<int>(Trouble::input);
      if (run.json) {
        Json list = Json::array();
        for (const SlotBoard& board : *boards) list.push_back(to_json(board));
        run.print(dump(with_schema("boards", std::move(list))) + "\n");
        return {};
      }
      run.print(boards_text(*boards, run.style()));
      if (!picture->empty()) run.print(fmt::format("the board is in {}\n", path_text(*picture)));
      return {};
    });
  });
}

void add_dig(CLI::App& state, Run& run) {
  struct Arguments {
    DigRequest request;
    std::string state;
    std::string like;
    std::string rom;
    std::string out;
  };
  auto arguments = std::make_shared<Arguments>();
  CLI::App* command =
      add_command(state, run, "dig", "Find the save inside a state, and write it",
                  "bayswap state dig \"Lantern Drift.st0\" --like older.srm -o found.srm");
  command->add_option("STATE", arguments->state, "the state")->required();
  command->add_option("-o,--out", arguments->out, "the save's file")->type_name("OUT")->required();
  command->add_option("--like", arguments->like, "an older save of the same game")
      ->type_name("FILE");
  command->add_option("--rom", arguments->rom, "the game's ROM, which names the chip")
      ->type_name("FILE");
  command
      ->add_option("--is", arguments->request.is,
                   "layout of the older save, or of what is looked for")
      ->type_name("LAYOUT");
  command
      ->add_option("--choose", arguments->request.choose,
                   "one of the places that were listed, by its number")
      ->type_name("N")
      ->check(CLI::Range(1, 1000));
  command->add_flag("--replace", arguments->request.replace, "overwrite an existing output");
  command->callback([arguments, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      DigRequest& request = arguments->request;
      request.state = arguments->state;
      request.out = arguments->out;
      if (!arguments->like.empty()) request.like = arguments->like;
      if (!arguments->rom.empty()) request.rom = arguments->rom;
      const auto dug = dig_state(session, request);
      if (!dug) return tl::unexpected(dug.error());
      run.print(run.json ? dump(to_json(*dug)) + "\n" : dug_text(*dug, run.style()));
      if (dug->stopped) run.status = static_cast<int>(dug->stopped->trouble);
      return {};
    });
  });
}

}  // namespace

void add_state(CLI::App& app, Run& run) {
  CLI::App* state = app.add_subcommand("state", "Save states: their slots, and the saves in them");
  state->require_subcommand(1);
  state->footer("Example:\n  bayswap state list den");
  add_list(*state, run);
  add_dig(*state, run);
}

}  // namespace bayswap::cli
