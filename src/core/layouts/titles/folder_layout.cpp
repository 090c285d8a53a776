// What all folders of saves have in common.
#include <fmt/core.h>

#include <algorithm>

#include "bayswap/folder.h"
#include "core/bytes/text.h"

namespace bayswap {

const FolderLayout* as_folder(const Layout* layout) {
  return dynamic_cast<const FolderLayout*>(layout);
}

std::optional<FolderPlace> FolderLayout::place(std::string_view /*path*/) const {
  return std::nullopt;
}

Result<std::vector<Part>> FolderLayout::write_folder(const Save& save) const {
  if (save.system != info().system || save.parts.empty())
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("there is no {} save to make a folder of", to_string(info().system)));
  return save.parts;
}

std::vector<std::pair<std::string, std::string>> FolderLayout::details(const Save& /*save*/) const {
  return {};
}

std::optional<std::string> FolderLayout::pattern_of(std::string_view /*relative*/,
                                                    const Save& /*save*/) const {
  return std::nullopt;
}

std::optional<Match> FolderLayout::recognise(ByteView /*file*/, const Hints& /*hints*/) const {
  return std::nullopt;
}

Result<Content> FolderLayout::read(ByteView /*file*/, const Hints& /*hints*/) const {
  return fail(Trouble::input, Code::wrong_size,
              fmt::format("{} is a folder, not a file", info().id), "name the folder");
}

Result<Written> FolderLayout::write(const WriteRequest& /*request*/) const {
  return fail(Trouble::usage, Code::usage, fmt::format("{} is a folder, not a file", info().id),
              "name a folder as the output");
}

Likeness likeness_of(const std::vector<Part>& a, const std::vector<Part>& b) {
  Likeness found;
  for (const Part& part : a) {
    const auto same = std::ranges::find_if(
        b, [&](const Part& other) { return lower_ascii(other.name) == lower_ascii(part.name); });
    if (same == b.end()) continue;
    ++found.names;
    if (same->size() == part.size()) ++found.sizes;
  }
  found.of = a.size() + b.size() - found.names;
  return found;
}

bool is_alike(const Likeness& likeness) {
  // A game adds a file now and then; half of the sizes stay what they were.
  return likeness.of > 0 && likeness.names * 5 >= likeness.of * 4 &&
         likeness.sizes * 2 >= likeness.names;
}

}  // namespace bayswap
