// One function for each command: it adds the command to the parser.
#pragma once

#include <functional>
#include <set>
#include <string>

#include "bayswap/session.h"
#include "cli/parser.h"
#include "cli/render/progress.h"
#include "cli/render/style.h"
#include "cli/tool.h"

namespace bayswap::cli {

/// What the commands of one call share.
struct Run {
  const Surroundings& surroundings;
  bool json = false;
  int status = 0;
  ProgressLine* line = nullptr;  ///< of the command that is running

  [[nodiscard]] Style style() const {
    return {surroundings.colour && !json, surroundings.width, !surroundings.terminal};
  }
  /// Prints text or a JSON object.
  void print(const std::string& text) const;
  /// Prints the error and sets the status that the contract gives it.
  void fail(const Error& error);
  /// Opens the session and hands it on; errors end the command.
  void with_session(const std::function<Result<void>(Session&)>& body);
};

void add_look(Command& app, Run& run);
void add_reshape(Command& app, Run& run);
void add_carry(Command& app, Run& run);
void add_undo(Command& app, Run& run);
void add_history(Command& app, Run& run);
void add_restore(Command& app, Run& run);
void add_keep(Command& app, Run& run);
void add_bay(Command& app, Run& run);
void add_card(Command& app, Run& run);
void add_state(Command& app, Run& run);
void add_cart(Command& app, Run& run);
void add_field(Command& app, Run& run);
void add_sync(Command& app, Run& run);
void add_watch(Command& app, Run& run);
void add_hub(Command& app, Run& run);
void add_catalog(Command& app, Run& run);
void add_layouts(Command& app, Run& run);
void add_demo(Command& app, Run& run);

/// Makes a command with `--json` and an example below its help.
Command& add_command(Command& app, Run& run, const std::string& name, const std::string& summary,
                     const std::string& example);

/// The system with this id. Errors: `usage`, with the known ones in the hint.
[[nodiscard]] Result<System> said_system(const std::string& id);

/// A page that a command writes besides what it prints.
struct PageChoice {
  std::optional<Path> file;
  bool replace = false;
};
/// Adds `--page FILE.html`. Whoever has no `--replace` yet adds it for `choice.replace`.
void add_page(Command& command, PageChoice& choice);
/// Writes the page and says where it is. Errors: `name-taken`.
[[nodiscard]] Result<void> write_page(Session& session, Run& run, const std::string& command,
                                      const PageChoice& choice, const std::string& text);

/// Adds `--accept CODE,…`. Call accepted_codes() when the command runs.
void add_accept(Command& command, std::vector<std::string>& codes);
[[nodiscard]] Result<std::set<Code>> accepted_codes(const std::vector<std::string>& codes);

}  // namespace bayswap::cli
