// Manual pages, made from the description of the commands and from the pages of docs.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "cli/parser.h"

namespace bayswap::cli {

struct ManualPage {
  std::string file;  ///< `bayswap-card.1`
  std::string text;  ///< for man(7)
};

/// bayswap(1), and a page for each command. `version`: of the tool.
[[nodiscard]] std::vector<ManualPage> command_pages(const CommandInfo& root,
                                                    const std::string& version);

/// Of the simulated reader, which is a program of its own.
[[nodiscard]] ManualPage reader_page(const std::string& version);

/// A page of docs, in the part of Markdown that they use, as NAME(5).
[[nodiscard]] ManualPage docs_page(std::string_view markdown, const std::string& name,
                                   const std::string& summary);

}  // namespace bayswap::cli
