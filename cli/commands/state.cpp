#include "bayswap/state.h"
#include "bayswap/dig.h"
#include "bayswap/slots.h"

#include <fmt/core.h>

#include <memory>

#include "cli/commands/commands.h"
#include "cli/render/json/json.h"
#include "cli/render/slot_board.h"
#include "cli/render/state.h"
#include "moves/outputs.h"

namespace bayswap::cli {
namespace {

void add_state_list(Command& state, Run& run) {
  auto place = std::make_shared<std::string>();
  auto picture = std::make_shared<std::string>();
  auto replace = std::make_shared<bool>(false);
  Command& command =
      add_command(state, run, "list", "List the save states of each game, slot by slot",
                  "bayswap state list wharf");
  command.add_option("PLACE", *place, "a bay, folder or file").required();
  command.add_option("--png", *picture, "also write the slots as a picture").type_name("FILE");
  command.add_flag("--replace", *replace, "overwrite the picture if it exists");
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto boards = list_states(session, *place);
      if (!boards) return tl::unexpected(boards.error());
      if (!picture->empty()) {
        const auto png = board_png(*boards);
        if (!png) return tl::unexpected(png.error());
        if (auto written = write_outputs(session, {"state list", *place, {}, *replace, true},
                                         {{*picture, *png}});
            !written)
          return tl::unexpected(written.error());
      }
      for (const SlotBoard& board : *boards)
        for (const StateSlot& slot : board.slots)
          if (has_error(slot.findings)) run.status = exit_status(Trouble::input);
      if (run.json) {
        run.print(json_text(*boards));
        return {};
      }
      run.print(boards_text(*boards, run.style()));
      if (!picture->empty()) run.print(fmt::format("the board is in {}\n", path_text(*picture)));
      return {};
    });
  });
}

void add_dig(Command& state, Run& run) {
  auto request = std::make_shared<DigRequest>();
  Command& command =
      add_command(state, run, "dig", "Find the save inside a save state, and write it to a file",
                  "bayswap state dig \"wreck/Lantern Drift.state4\" --like "
                  "\"wreck/Lantern Drift, last summer.srm\" -o found.srm");
  auto states = std::make_shared<std::vector<std::string>>();
  command
      .add_option("STATE", *states, "the state; more states of the same game help to find the save")
      .required();
  command.add_option("-o,--out", request->out, "the save's file").type_name("OUT").required();
  command.add_option("--like", request->like, "an older save of the same game").type_name("FILE");
  command.add_option("--rom", request->rom, "the game's ROM, which names the chip")
      .type_name("FILE");
  command.add_option("--is", request->is, "layout of the save that is looked for")
      .type_name("LAYOUT");
  command.add_option("--choose", request->choose, "number of one of the places that were listed")
      .type_name("N")
      .between(1, 1000);
  command.add_flag("--replace", request->replace, "overwrite an existing output");
  command.on_call([request, states, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      request->state = states->front();
      request->also.assign(states->begin() + 1, states->end());
      const auto dug = dig_state(session, *request);
      if (!dug) return tl::unexpected(dug.error());
      run.print(run.json ? json_text(*dug) : dug_text(*dug, run.style()));
      if (dug->stopped) run.status = exit_status(dug->stopped->trouble);
      return {};
    });
  });
}

}  // namespace

void add_state(Command& app, Run& run) {
  Command& state =
      app.add_command("state", "Save states: list their slots, dig out the save inside");
  state.needs_command();
  state.footer("Example:\n  bayswap state list wharf");
  add_state_list(state, run);
  add_dig(state, run);
}

}  // namespace bayswap::cli
