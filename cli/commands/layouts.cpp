#include "cli/commands/commands.h"
#include "cli/render/json/json.h"
#include "cli/render/text.h"

namespace bayswap::cli {

void add_layouts(Command& app, Run& run) {
  Command& command = add_command(
      app, run, "layouts", "List the layouts that can be read and written", "bayswap layouts");
  command.on_call([&run] { run.print(run.json ? layouts_json() : layouts_text(run.style())); });
}

}  // namespace bayswap::cli
