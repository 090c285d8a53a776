// How the commands that reach a cartridge reader say where it is.
#pragma once

#include <optional>
#include <string>

#include "bayswap/cart.h"
#include "cli/commands/commands.h"

namespace bayswap::cli {

struct PortArguments {
  std::optional<std::string> port;
  bool wait = false;
};

/// Adds `--port` and `--wait`.
void add_port(Command& command, PortArguments& port);
/// What an operation needs to reach the reader, and to speak to the person meanwhile.
[[nodiscard]] CartAccess access_of(const PortArguments& port, Run& run);

/// Prints how a write to a cartridge ended, and sets the status.
void show_written(const CarryReport& report, Run& run, bool undoing);

}  // namespace bayswap::cli
