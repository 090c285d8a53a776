#include "bayswap/carry.h"

#include <algorithm>
#include <memory>

#include "cli/commands/cart_access.h"
#include "cli/commands/commands.h"
#include "cli/interrupt.h"
#include "cli/render/json/json.h"
#include "cli/render/summary.h"
#include "cli/render/text.h"

namespace bayswap::cli {
namespace {

struct CarryArguments {
  CarryRequest request;
  std::vector<std::string> accept;
};

// Saves that are left alone because nothing is to be gained are no failure of --all.
bool is_failure(const MoveReport& move, bool all) {
  if (move.status != MoveStatus::stopped) return false;
  if (!all) return true;
  for (const Finding& check : move.checks)
    if (check.level == Level::error && check.code != Code::newer_there) return true;
  return false;
}

void show(const CarryReport& report, Run& run, bool all, Doing doing) {
  if (!run.json)
    for (const PlaceReport& place : report.understood)
      run.print(understood_text(place, run.style()) + "\n");
  if (run.json)
    run.print(json_text(report));
  else if (all)
    run.print(summary_text(report, run.style()));
  else
    run.print(report_text(report, run.style(), doing));
  if (!run.json)
    for (const Finding& note : report.notes) run.print(finding_text(note, run.style(), 0));
  for (const MoveReport& move : report.moves)
    if (is_failure(move, all)) run.status = exit_status(Trouble::stopped);
  if (!report.failed) return;
  if (!run.json) run.fail(*report.failed);
  run.status = exit_status(report.failed->trouble);
}

}  // namespace

void show_written(const CarryReport& report, Run& run, bool undoing) {
  show(report, run, false, undoing ? Doing::undoing : Doing::writing);
  const bool written = std::ranges::any_of(report.moves, [](const MoveReport& move) {
    return move.status == MoveStatus::done && !move.nothing_to_do;
  });
  if (written && !run.json)
    run.print(
        "every page reads back, also after power off and on: it is safe to take the "
        "cartridge out\n");
}

void add_carry(Command& app, Run& run) {
  auto arguments = std::make_shared<CarryArguments>();
  CarryRequest& request = arguments->request;
  Command& command = add_command(
      app, run, "carry",
      "Carry a save to another place: it is checked, converted, written and read back",
      "bayswap carry dumps:\"Copper Tide\" --to den --plan\n  bayswap carry --all --from ferry "
      "--to den");
  command.add_option(
      "SAVE", request.saves,
      "a file, a folder, an archive, CARD:NAME, BAY:NAME, or a name in the place of --from");
  command.add_option("--to", request.to, "a bay, or any path: a folder, a card, an existing save")
      .type_name("PLACE")
      .required();
  command.add_option("--from", request.from, "the bay or folder to take from").type_name("PLACE");
  command.add_option("--game", request.game, "title, code or ROM name of the game")
      .type_name("GAME");
  command.add_option("--rom", request.rom, "the ROM of the game").type_name("FILE");
  command.add_option("--account", request.account, "the account at the destination")
      .type_name("ID");
  command.add_option("--code", request.code, "title id or code of the game over there")
      .type_name("CODE");
  command.add_option("--copy", request.copy, "which copy, in a place that keeps named copies")
      .type_name("NAME");
  command.add_option("--slot", request.slot, "slot for a save state: a number, or free")
      .type_name("SLOT");
  command.add_option("--is", request.is, "layout of the save, if its bytes don't tell")
      .type_name("LAYOUT");
  command.add_flag("--all", request.all, "every save in --from");
  command
      .add_option("--wait", request.wait_seconds, "wait this long for programs to close the files")
      .type_name("SECONDS")
      .between(0, 86'400);
  command.add_flag("--whole", request.whole,
                   "make the folder there exactly like the save: its other files go into history");
  command.add_flag("--plan", request.plan, "show what would be done, and change nothing");
  add_accept(command, arguments->accept);
  command.on_call([arguments, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      auto accept = accepted_codes(arguments->accept);
      if (!accept) return tl::unexpected(accept.error());
      arguments->request.accept = std::move(*accept);
      const auto to = session.bays.find(arguments->request.to);
      // A cartridge that is being written is put back before the end.
      const auto watch = to && (*to)->port ? std::make_unique<InterruptWatch>() : nullptr;
      const auto report = carry(session, arguments->request);
      if (!report) return tl::unexpected(report.error());
      show(*report, run, arguments->request.all, Doing::carrying);
      return {};
    });
  });
}

void add_undo(Command& app, Run& run) {
  auto move = std::make_shared<std::string>();
  auto codes = std::make_shared<std::vector<std::string>>();
  Command& command = add_command(app, run, "undo", "Undo the last command, byte for byte",
                                 "bayswap undo\n  bayswap undo m1");
  command.add_option("MOVE", *move, "a move, such as m12; default: the last command");
  auto port = std::make_shared<PortArguments>();
  add_accept(command, *codes);
  add_port(command, *port);
  command.on_call([move, codes, port, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto accept = accepted_codes(*codes);
      if (!accept) return tl::unexpected(accept.error());
      if (wrote_cart(session, *move)) {
        const InterruptWatch watch;
        const auto put_back = undo_cart(session, access_of(*port, run), *move, *accept);
        if (!put_back) return tl::unexpected(put_back.error());
        show_written(*put_back, run, true);
        return {};
      }
      const auto report = undo(session, *move, *accept);
      if (!report) return tl::unexpected(report.error());
      show(*report, run, false, Doing::undoing);
      return {};
    });
  });
}

}  // namespace bayswap::cli
