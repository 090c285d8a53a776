// One function for each command: it adds the command to the parser.
#pragma once

#include <CLI/CLI.hpp>

#include <functional>
#include <set>
#include <string>

#include "bayswap/session.h"
#include "cli/render/style.h"
#include "cli/tool.h"

namespace bayswap::cli {

/// What the commands of one call share.
struct Run {
  const Surroundings& surroundings;
  bool json = false;
  int status = 0;

  [[nodiscard]] Style style() const { return {surroundings.colour && !json, surroundings.width}; }
  /// Prints text or a JSON object.
  void print(const std::string& text) const;
  /// Prints the error and sets the status that the contract gives it.
  void fail(const Error& error);
  /// Opens the session and hands it on; errors end the command.
  void with_session(const std::function<Result<void>(Session&)>& body);
};

void add_look(CLI::App& app, Run& run);
void add_reshape(CLI::App& app, Run& run);
void add_carry(CLI::App& app, Run& run);
void add_undo(CLI::App& app, Run& run);
void add_history(CLI::App& app, Run& run);
void add_restore(CLI::App& app, Run& run);
void add_keep(CLI::App& app, Run& run);
void add_bay(CLI::App& app, Run& run);
void add_card(CLI::App& app, Run& run);
void add_state(CLI::App& app, Run& run);
void add_catalog(CLI::App& app, Run& run);
void add_layouts(CLI::App& app, Run& run);
void add_demo(CLI::App& app, Run& run);

/// Makes a command with `--json` and an example below its help.
CLI::App* add_command(CLI::App& app, Run& run, const std::string& name, const std::string& summary,
                      const std::string& example);

/// Adds `--accept CODE,…`. Call accepted_codes() when the command runs.
void add_accept(CLI::App& command, std::vector<std::string>& codes);
[[nodiscard]] Result<std::set<std::string>> accepted_codes(const std::vector<std::string>& codes);

}  // namespace bayswap::cli
