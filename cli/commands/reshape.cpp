#include "bayswap/reshape.h"

#include <memory>

#include "cli/commands/commands.h"
#include "cli/render/json.h"
#include "cli/render/text.h"

namespace bayswap::cli {
namespace {

struct ReshapeArguments {
  ReshapeRequest request;
  std::vector<std::string> accept;
};

}  // namespace

void add_reshape(Command& app, Run& run) {
  auto arguments = std::make_shared<ReshapeArguments>();
  Command& command =
      add_command(app, run, "reshape", "Convert bytes from one layout to another",
                  "bayswap reshape \"Copper Tide.srm\" --as n64-sram -o \"Copper Tide.sra\"");
  command.add_option("IN", arguments->request.inputs, "one save, or several that are joined")
      .required();
  command.add_option("--as", arguments->request.as, "wanted layout; several with commas")
      .type_name("LAYOUT")
      .with_commas();
  command.add_option("--like", arguments->request.like, "an existing file to imitate")
      .type_name("FILE");
  command.add_flag("--split", arguments->request.split,
                   "one file for each part that holds something");
  command.add_option("-o,--out", arguments->request.out, "output file, or folder for several")
      .type_name("OUT");
  command.add_option("--is", arguments->request.is, "layout of the input, once or once for each")
      .type_name("LAYOUT")
      .with_commas();
  command
      .add_option("--code", arguments->request.code,
                  "label a card's save for another region: the code or serial of the game")
      .type_name("CODE");
  command.add_option("--rom", arguments->request.rom, "the ROM of the game").type_name("FILE");
  command.add_flag("--replace", arguments->request.replace, "overwrite existing outputs");
  add_accept(command, arguments->accept);
  command.on_call([arguments, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      auto accept = accepted_codes(arguments->accept);
      if (!accept) return tl::unexpected(accept.error());
      arguments->request.accept = std::move(*accept);
      const auto reshaped = reshape(session, arguments->request);
      if (!reshaped) return tl::unexpected(reshaped.error());
      run.print(run.json ? json_text(*reshaped) : reshaped_text(*reshaped, run.style()));
      if (reshaped->stopped) run.status = exit_status(reshaped->stopped->trouble);
      return {};
    });
  });
}

}  // namespace bayswap::cli
