#include "bayswap/reshape.h"

#include <fmt/core.h>

#include <charconv>
#include <memory>

#include "cli/commands/commands.h"
#include "cli/render/json/json.h"
#include "cli/render/text.h"
#include "core/bytes/text.h"

namespace bayswap::cli {
namespace {

struct ReshapeArguments {
  ReshapeRequest request;
  std::vector<std::string> accept;
  std::optional<std::string> file_size;
};

// `131072`, `128K` or `1M`.
Result<std::uint64_t> parse_size(const std::string& text) {
  std::uint64_t number = 0;
  const char* end = text.data() + text.size();
  const auto [rest, problem] = std::from_chars(text.data(), end, number);
  const std::string_view unit(rest, end);
  const unsigned shift = unit == "K" || unit == "k" ? 10 : unit == "M" || unit == "m" ? 20 : 0;
  if (problem != std::errc{} || (shift == 0 && !unit.empty()) || number > 1ULL << 40U)
    return fail(Trouble::usage, Code::usage, fmt::format("'{}' is no size", safe_text(text)),
                "write bytes, or kibibytes with a K behind: 131072 or 128K");
  return number << shift;
}

}  // namespace

void add_reshape(Command& app, Run& run) {
  auto arguments = std::make_shared<ReshapeArguments>();
  Command& command = add_command(app, run, "reshape", "Convert a save from one layout to another",
                                 "bayswap reshape \"den/saves/Copper Tide (America).srm\" --as "
                                 "n64-sram -o \"Copper Tide.sra\"");
  command.add_option("IN", arguments->request.inputs, "a save, or several to join into one")
      .required();
  command.add_option("--as", arguments->request.as, "layout to write; separate several with commas")
      .type_name("LAYOUT")
      .with_commas();
  command.add_option("--like", arguments->request.like, "an existing file to imitate")
      .type_name("FILE");
  command.add_flag("--split", arguments->request.split,
                   "write one file for each part that holds something");
  command.add_option("-o,--out", arguments->request.out, "output file; a folder for several")
      .type_name("OUT");
  command
      .add_option("--is", arguments->request.is,
                  "layout of the input: one for all, or one for each")
      .type_name("LAYOUT")
      .with_commas();
  command
      .add_option("--code", arguments->request.code,
                  "label a card's save for another region, with this code or serial")
      .type_name("CODE");
  command.add_option("--rom", arguments->request.rom, "the ROM of the game").type_name("FILE");
  command
      .add_option("--file-size", arguments->file_size,
                  "size of the written file; erased bytes are added or cut off at its end")
      .type_name("SIZE");
  command.add_flag("--replace", arguments->request.replace, "overwrite existing outputs");
  add_accept(command, arguments->accept);
  command.on_call([arguments, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      auto accept = accepted_codes(arguments->accept);
      if (!accept) return tl::unexpected(accept.error());
      arguments->request.accept = std::move(*accept);
      if (arguments->file_size) {
        const auto size = parse_size(*arguments->file_size);
        if (!size) return tl::unexpected(size.error());
        arguments->request.file_size = *size;
      }
      const auto reshaped = reshape(session, arguments->request);
      if (!reshaped) return tl::unexpected(reshaped.error());
      run.print(run.json ? json_text(*reshaped) : reshaped_text(*reshaped, run.style()));
      if (reshaped->stopped) run.status = exit_status(reshaped->stopped->trouble);
      return {};
    });
  });
}

}  // namespace bayswap::cli
