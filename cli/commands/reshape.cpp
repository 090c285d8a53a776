#include "bayswap/reshape.h"

#include <memory>

#include "cli/commands/commands.h"
#include "cli/render/json.h"
#include "cli/render/text.h"

namespace bayswap::cli {
namespace {

struct ReshapeArguments {
  std::vector<std::string> inputs;
  std::vector<std::string> is;
  std::vector<std::string> as;
  std::vector<std::string> accept;
  std::string like;
  std::string rom;
  std::string code;
  std::string out;
  bool split = false;
  bool replace = false;
};

}  // namespace

void add_reshape(CLI::App& app, Run& run) {
  auto arguments = std::make_shared<ReshapeArguments>();
  CLI::App* command =
      add_command(app, run, "reshape", "Convert bytes from one layout to another",
                  "bayswap reshape \"Copper Tide.srm\" --as n64-sram -o \"Copper Tide.sra\"");
  command->add_option("IN", arguments->inputs, "one save, or several that are joined")->required();
  command->add_option("--as", arguments->as, "wanted layout; several with commas")
      ->type_name("LAYOUT")
      ->delimiter(',')
      ->expected(1)
      ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
  command->add_option("--like", arguments->like, "an existing file to imitate")->type_name("FILE");
  command->add_flag("--split", arguments->split, "one file for each part that holds something");
  command->add_option("-o,--out", arguments->out, "output file, or folder for several")
      ->type_name("OUT");
  command->add_option("--is", arguments->is, "layout of the input, once or once for each")
      ->type_name("LAYOUT")
      ->delimiter(',')
      ->expected(1)
      ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
  command
      ->add_option("--code", arguments->code,
                   "label a card's save for another region: the code or serial of the game")
      ->type_name("CODE");
  command->add_option("--rom", arguments->rom, "the ROM of the game")->type_name("FILE");
  command->add_flag("--replace", arguments->replace, "overwrite existing outputs");
  add_accept(*command, arguments->accept);
  command->callback([arguments, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      ReshapeRequest request;
      request.inputs.assign(arguments->inputs.begin(), arguments->inputs.end());
      request.is = arguments->is;
      request.as = arguments->as;
      request.code = arguments->code;
      request.split = arguments->split;
      request.out = arguments->out;
      request.replace = arguments->replace;
      if (!arguments->like.empty()) request.like = arguments->like;
      if (!arguments->rom.empty()) request.rom = arguments->rom;
      auto accept = accepted_codes(arguments->accept);
      if (!accept) return tl::unexpected(accept.error());
      request.accept = std::move(*accept);
      const auto reshaped = reshape(session, request);
      if (!reshaped) return tl::unexpected(reshaped.error());
      run.print(run.json ? dump(to_json(*reshaped)) + "\n" : reshaped_text(*reshaped, run.style()));
      if (reshaped->stopped) run.status = static_cast<int>(reshaped->stopped->trouble);
      return {};
    });
  });
}

}  // namespace bayswap::cli
