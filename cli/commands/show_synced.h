// A sync's report on the terminal, for the commands that end in one.
#pragma once

#include "bayswap/sync.h"
#include "cli/commands/commands.h"

namespace bayswap::cli {

/// Prints the report, and sets the exit status that it means.
void show_synced(const SyncReport& report, Run& run);

}  // namespace bayswap::cli
