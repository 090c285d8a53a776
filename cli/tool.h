// The command-line tool as a function, so that the demo story and tests can call it too.
#pragma once

#include <iosfwd>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/storage.h"
#include "cli/parser.h"

namespace bayswap::cli {

struct Surroundings {
  Places places;
  std::ostream& out;
  std::ostream& err;
  bool colour = false;
  std::size_t width = 100;              ///< columns of the terminal
  bool terminal = false;                ///< a person reads it there; else names are never shortened
  std::optional<Error> no_places = {};  ///< why there are none; commands that need none work
};

/// The exit status of the command contract.
[[nodiscard]] int exit_status(Trouble trouble);

/// All commands and options, as data.
[[nodiscard]] CommandInfo describe_tool();

/// Runs one command. Gives the exit status of the command contract.
int run_tool(const std::vector<std::string>& arguments, const Surroundings& surroundings);

}  // namespace bayswap::cli
