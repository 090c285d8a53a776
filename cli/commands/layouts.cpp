#include "bayswap/layout.h"
#include "bayswap/state.h"

#include "cli/commands/commands.h"
#include "cli/render/json.h"
#include "cli/render/text.h"

namespace bayswap::cli {

void add_layouts(CLI::App& app, Run& run) {
  CLI::App* command =
      add_command(app, run, "layouts", "What can be read and written", "bayswap layouts");
  command->callback([&run] {
    if (!run.json) {
      run.print(layouts_text(run.style()));
      return;
    }
    Json list = Json::array();
    for (const auto& layout : layouts().all()) list.push_back(to_json(layout->info()));
    for (const Packing packing : all_packings())
      list.push_back({{"id", "state-" + std::string(to_string(packing))},
                      {"kind", to_string(Kind::state)},
                      {"summary", "save state of any program"}});
    run.print(dump(with_schema("layouts", std::move(list))) + "\n");
  });
}

}  // namespace bayswap::cli
