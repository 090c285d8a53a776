// What was noticed about a save, a ROM, a place or a plan.
//
// Library bayswap_core. Functions of values: any thread may call them, each object belongs to one
// thread at a time.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "bayswap/code.h"
#include "bayswap/hint.h"

#pragma GCC visibility push(default)

namespace bayswap {

enum class Level { note, warn, error };

/// One thing noticed. The code is stable and meant for scripts; text and hint are for people.
struct Finding {
  Level level = Level::note;
  Code code = Code::unknown;
  std::string text;
  Hint hint;  ///< what to do about it; may be empty

  bool operator==(const Finding&) const = default;
};

using Findings = std::vector<Finding>;

/// `note`, `warn` or `error`.
[[nodiscard]] std::string_view to_string(Level level);

/// True when one of the findings says that progress is damaged.
[[nodiscard]] bool has_error(const Findings& findings);

/// True when a finding bears this code.
[[nodiscard]] bool has_code(const Findings& findings, Code code);

}  // namespace bayswap

#pragma GCC visibility pop
