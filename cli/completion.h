// Words that can follow what is typed, for the shells.
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/session.h"
#include "cli/parser.h"

namespace bayswap::cli {

/// `bayswap complete WORD…`: the words behind `bayswap` as far as they are typed, the last one
/// perhaps begun. The shells' scripts ask this.
inline constexpr std::string_view kCompleteWord = "complete";

/// What the last word may become: commands, options, and values: bays, layouts, checks, saves of a
/// card or bay. Files are the shell's own business. `session`: null when there is none.
[[nodiscard]] std::vector<std::string> completions(const CommandInfo& root,
                                                   std::span<const std::string> words,
                                                   Session* session);

}  // namespace bayswap::cli
