#include "cli/render/catalog.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"

namespace bayswap::cli {
namespace {

constexpr std::size_t kGameColumn = 34;
constexpr std::size_t kMostShown = 60;

std::string codes_text(const std::map<Region, std::string>& codes) {
  std::vector<std::string> words;
  for (const auto& [region, code] : codes)
    words.push_back(fmt::format("{} {}", safe_text(code), to_string(region)));
  return joined(words, ", ");
}

std::string facts_text(const CatalogGame& game) {
  std::vector<std::string> words;
  if (!game.chip.empty()) words.push_back("saves to " + safe_text(game.chip));
  if (!game.codes.empty()) words.push_back(codes_text(game.codes));
  if (!game.title_ids.empty()) words.push_back(codes_text(game.title_ids));
  for (const std::string& path : game.companions) words.push_back("needs " + safe_text(path));
  if (!game.dumps.empty()) words.push_back(counted(game.dumps.size(), "dump"));
  return joined(words, " · ");
}

}  // namespace

bool is_meant(const CatalogGame& game, const std::string& text) {
  if (text.empty()) return true;
  const std::string wanted = lower_ascii(text);
  if (lower_ascii(game.title).find(wanted) != std::string::npos) return true;
  for (const auto* codes : {&game.codes, &game.title_ids})
    for (const auto& [region, code] : *codes)
      if (lower_ascii(code) == wanted) return true;
  return std::ranges::any_of(game.dumps, [&](const CatalogDump& dump) {
    return dump.crc32 == wanted || dump.sha1 == wanted;
  });
}

std::string games_text(const std::vector<const CatalogGame*>& games, std::size_t of,
                       const Style& style) {
  if (games.empty())
    return of == 0 ? "the catalog is empty; add a game with 'bayswap catalog add', or a list with "
                     "'bayswap catalog import'\n"
                   : fmt::format("none of the {} fits\n", counted(of, "game"));
  std::vector<const CatalogGame*> sorted = games;
  std::ranges::stable_sort(sorted, [](const CatalogGame* a, const CatalogGame* b) {
    return std::pair(to_string(a->system), lower_ascii(a->title)) <
           std::pair(to_string(b->system), lower_ascii(b->title));
  });
  std::string text;
  std::optional<System> system;
  for (std::size_t i = 0; i < std::min(sorted.size(), kMostShown); ++i) {
    const CatalogGame& game = *sorted[i];
    if (system != game.system) {
      system = game.system;
      text += style.paint(Tone::key, to_string(game.system)) + "\n";
    }
    const std::string title = safe_text(game.title);
    text += "  " + style.paint(Tone::title, padded(title, kGameColumn)) + "  " +
            wrapped(facts_text(game), style.width(), kGameColumn + 4) + "\n";
  }
  if (sorted.size() > kMostShown)
    text += fmt::format("  … and {} more; name a part of the title, or see --json\n",
                        grouped(sorted.size() - kMostShown));
  return text;
}

std::string imported_text(const Imported& imported, const Style& style) {
  std::string text =
      style.paint(Tone::good, "✓ ") + style.paint(Tone::title, path_text(imported.file.string())) +
      fmt::format("  {}, {}{}\n", counted(imported.games, "game"), counted(imported.dumps, "dump"),
                  imported.replaced ? "; the older list of that name is replaced" : "");
  if (imported.chips > 0)
    text += fmt::format("  {} say which chip the game saves to\n", counted(imported.chips, "line"));
  if (!imported.unused.empty()) {
    std::vector<std::string> names;
    for (const std::string& name : imported.unused) names.push_back(safe_text(name));
    text += "  not used: " + list_text(names) + "\n";
  }
  if (imported.left_out > 0)
    text +=
        fmt::format("  ! {} left out, since the list does not say their system; add --system ID\n",
                    counted(imported.left_out, "line"));
  return text;
}

}  // namespace bayswap::cli
