#include <fmt/core.h>

#include <memory>

#include "bayswap/card_file.h"
#include "bayswap/look.h"
#include "cli/commands/commands.h"
#include "cli/render/card.h"
#include "cli/render/json/json.h"
#include "cli/render/page.h"
#include "cli/render/text.h"

namespace bayswap::cli {
namespace {

constexpr const char* kCard = "a card's file, or FILE:PART for one inside a container";
constexpr const char* kName = "a save's name, game code or serial, or #1, #2 … by position";

void show_moves(const CarryReport& report, Run& run) {
  for (const MoveReport& move : report.moves)
    if (move.status == MoveStatus::stopped) run.status = exit_status(Trouble::stopped);
}

void add_new(Command& card, Run& run) {
  auto request = std::make_shared<NewCardRequest>();
  Command& command = add_command(card, run, "new", "Make a formatted empty card",
                                 "bayswap card new new.card --as ps1-card");
  command.add_option("CARD", request->out, "the new card's file").required();
  command.add_option("--as", request->as, "the card's layout").type_name("LAYOUT").required();
  command.add_option("--blocks", request->blocks,
                     "blocks that can be filled; without it the usual card");
  command.add_flag("--replace", request->replace, "replace the file when it exists");
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto made = new_card(session, *request);
      if (!made) return tl::unexpected(made.error());
      if (run.json) {
        run.print(json_text(*made));
        return {};
      }
      Reshaped shown;
      shown.outputs.push_back(*made);
      run.print(reshaped_text(shown, run.style()));
      return {};
    });
  });
}

void add_card_show(Command& card, Run& run) {
  auto name = std::make_shared<std::string>();
  auto is = std::make_shared<std::string>();
  auto icons = std::make_shared<std::string>();
  auto replace = std::make_shared<bool>(false);
  Command& command =
      add_command(card, run, "show", "Show a card's saves, and which blocks they fill",
                  "bayswap card show den/cards/left.card --icons pictures");
  command.add_option("CARD", *name, kCard).required();
  command.add_option("--is", *is, "the card's layout, if it can't be recognised")
      .type_name("LAYOUT");
  command.add_flag("--replace", *replace, "overwrite pictures and pages that exist");
  command.add_option("--icons", *icons, "write the saves' pictures there as PNG").type_name("DIR");
  auto page = std::make_shared<PageChoice>();
  add_page(command, *page);
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      page->replace = *replace;
      const auto shown = show_card(session, *name, *is);
      if (!shown) return tl::unexpected(shown.error());
      std::vector<Path> pictures;
      if (!icons->empty()) {
        auto written = write_icons(session, *shown, *icons, *replace);
        if (!written) return tl::unexpected(written.error());
        pictures = std::move(*written);
      }
      if (page->file)
        if (auto written = write_page(session, run, "card show", *page, card_page(*shown));
            !written)
          return written;
      const Item item = item_of(*shown, run.json);
      if (has_error(item.findings)) run.status = exit_status(Trouble::input);
      if (run.json) {
        run.print(card_json(item, pictures));
        return {};
      }
      run.print(card_text(*shown, run.style()));
      if (!icons->empty())
        run.print(std::to_string(pictures.size()) + " pictures written to " + path_text(*icons) +
                  "\n");
      return {};
    });
  });
}

void add_card_take(Command& card, Run& run) {
  auto request = std::make_shared<TakeRequest>();
  auto codes = std::make_shared<std::vector<std::string>>();
  Command& command = add_command(card, run, "take", "Copy saves out of a card",
                                 "bayswap card take den/cards/left.card '#1' -o saves");
  command.add_option("CARD", request->card, kCard).required();
  command.add_option("NAME", request->names, fmt::format("{}; default: all", kName));
  command.add_option("-o,--out", request->out, "the folder to copy to").type_name("DIR").required();
  command.add_option("--as", request->as, "the layout of the files").type_name("LAYOUT");
  command.add_option("--is", request->is, "the card's layout, if it can't be recognised")
      .type_name("LAYOUT");
  command.add_flag("--deleted", request->deleted, "take deleted saves that can still be read");
  command.add_flag("--replace", request->replace, "replace files that exist");
  add_accept(command, *codes);
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      auto accept = accepted_codes(*codes);
      if (!accept) return tl::unexpected(accept.error());
      request->accept = std::move(*accept);
      const auto taken = take_saves(session, *request);
      if (!taken) return tl::unexpected(taken.error());
      run.print(run.json ? json_text(*taken) : reshaped_text(*taken, run.style()));
      if (taken->stopped) run.status = exit_status(taken->stopped->trouble);
      return {};
    });
  });
}

void add_card_put(Command& card, Run& run) {
  auto request = std::make_shared<PutRequest>();
  auto codes = std::make_shared<std::vector<std::string>>();
  Command& command = add_command(card, run, "put", "Copy saves into a card",
                                 "bayswap card put \"closet/meridian cartridge.bram\" "
                                 "\"closet/meridian internal.bram:MERIDIAN_02\"");
  command.add_option("CARD", request->card, kCard).required();
  command.add_option("FILE", request->files, "files, folders of saves, or CARD:NAME").required();
  command.add_option("--is", request->is, "the files' layout, if it can't be recognised")
      .type_name("LAYOUT");
  command.add_flag("--plan", request->plan, "show what would be done, and change nothing");
  add_accept(command, *codes);
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      auto accept = accepted_codes(*codes);
      if (!accept) return tl::unexpected(accept.error());
      request->accept = std::move(*accept);
      const auto report = put_saves(session, *request);
      if (!report) return tl::unexpected(report.error());
      run.print(run.json ? json_text(*report) : report_text(*report, run.style(), Doing::putting));
      show_moves(*report, run);
      return {};
    });
  });
}

void add_drop(Command& card, Run& run) {
  auto request = std::make_shared<DropRequest>();
  auto codes = std::make_shared<std::vector<std::string>>();
  Command& command =
      add_command(card, run, "drop", "Delete saves from a card; undo brings them back",
                  "bayswap card drop den/cards/left.card '#2' --plan");
  command.add_option("CARD", request->card, kCard).required();
  command.add_option("NAME", request->names, kName).required();
  command.add_option("--is", request->is, "the card's layout, if it can't be recognised")
      .type_name("LAYOUT");
  command.add_flag("--plan", request->plan, "show what would be deleted, and change nothing");
  add_accept(command, *codes);
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      auto accept = accepted_codes(*codes);
      if (!accept) return tl::unexpected(accept.error());
      request->accept = std::move(*accept);
      const auto dropped = drop_saves(session, *request);
      if (!dropped) return tl::unexpected(dropped.error());
      run.print(run.json ? json_text(dropped->report) : drop_text(*dropped, run.style()));
      show_moves(dropped->report, run);
      return {};
    });
  });
}

void add_mend(Command& card, Run& run) {
  auto request = std::make_shared<MendRequest>();
  Command& command =
      add_command(card, run, "mend", "Rescue what a damaged card still holds into a new card",
                  "bayswap card mend downloads/failed.card -o rescued.card");
  command.add_option("CARD", request->card, "the damaged card").required();
  command.add_option("-o,--out", request->out, "the new card's file")
      .type_name("NEWCARD")
      .required();
  command.add_option("--is", request->is, "the card's layout, if it can't be recognised")
      .type_name("LAYOUT");
  command.add_flag("--replace", request->replace, "replace the file when it exists");
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto report = mend_card(session, *request);
      if (!report) return tl::unexpected(report.error());
      run.print(run.json ? json_text(*report) : mend_text(*report, request->card, run.style()));
      if (report->incomplete()) run.status = exit_status(Trouble::input);
      return {};
    });
  });
}

}  // namespace

void add_card(Command& app, Run& run) {
  Command& card = app.add_command("card", "Memory cards: new, show, take, put, drop, mend");
  card.needs_command();
  card.footer("Example:\n  bayswap card show den/cards/left.card");
  add_new(card, run);
  add_card_show(card, run);
  add_card_take(card, run);
  add_card_put(card, run);
  add_drop(card, run);
  add_mend(card, run);
}

}  // namespace bayswap::cli
