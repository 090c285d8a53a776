#include "reading/folder_card.h"

#include <fmt/core.h>

#include <algorithm>

#include "bayswap/folder.h"
#include "core/bytes/text.h"
#include "core/ordinary/ordinary_file.h"
#include "places/folder_cards.h"
#include "places/folder_parts.h"

namespace bayswap {
namespace {

constexpr std::string_view kMarker = "icon.sys";

}  // namespace

void drop_helper_files(std::vector<Part>& parts) {
  const auto lists_others = [&](const Part& one) {
    if (parts.size() < 2 || one.outside != 0 || one.name == kMarker) return false;
    if (ordinary_file(one.data).words.empty()) return false;
    const std::string text(reinterpret_cast<const char*>(one.data.data()), one.data.size());
    return std::ranges::all_of(parts, [&](const Part& other) {
      return other.name == one.name || text.find(other.name) != std::string::npos;
    });
  };
  const auto helper = std::ranges::find_if(parts, lists_others);
  if (helper != parts.end()) parts.erase(helper);
}

Result<std::optional<FolderCard>> read_folder_card(Session& session, const Path& folder) {
  Storage& storage = *session.storage;
  const FolderLayout* single = as_folder(layouts().find("ps2-folder"));
  CardChange change;
  for (const Path& one : folder_card_saves(storage, folder)) {
    auto parts = read_parts(storage, one, Hold::all);
    if (!parts) return tl::unexpected(parts.error());
    drop_helper_files(*parts);
    const auto match = single->recognise_folder(one.string(), *parts);
    if (!match || match->confidence == Confidence::possible) continue;
    auto save = single->read_folder(one.string(), std::move(*parts));
    if (!save) return tl::unexpected(save.error());
    change.put.push_back(std::move(*save));
  }
  if (change.put.empty()) return std::optional<FolderCard>{};
  FolderCard found;
  found.layout = as_card(layouts().find("ps2-card"));
  Error full;
  for (const std::uint32_t blocks : found.layout->card_info().capacities) {
    const auto empty = found.layout->format(blocks);
    if (!empty) return tl::unexpected(empty.error());
    auto filled = found.layout->change(*empty, change);
    if (filled) {
      found.image = std::move(filled->bytes);
      return std::optional<FolderCard>(std::move(found));
    }
    full = filled.error();
  }
  full.text = fmt::format("{}: {}", safe_text(folder.string()), full.text);
  return tl::unexpected(full);
}

}  // namespace bayswap
