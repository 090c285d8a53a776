#include "moves/single_card_save.h"

#include <fmt/core.h>

#include <algorithm>

#include "bayswap/card.h"
#include "bayswap/folder.h"
#include "core/bytes/text.h"
#include "core/naming/tags.h"
#include "moves/card_source.h"
#include "moves/card_unit.h"
#include "moves/regions.h"
#include "moves/shelf_path.h"
#include "places/game_cards.h"
#include "places/second_file.h"

namespace bayswap {
namespace {

// Where a save could lie as a file of its own, or on a new card.
struct FilePlace {
  const Layout* layout = nullptr;
  Path path;
  bool there = false;  // a file has that name already
  Region region = Region::unknown;
};

class SingleSavePlacer {
 public:
  SingleSavePlacer(const CarryContext& context, const Source& source, const MoveReport& line,
                   Checks& checks)
      : context_(context), source_(source), line_(line), checks_(checks) {}

  // No card is there: a file of its own, or a new card, where the pattern can be built. Of several
  // places the one that has the file, else the one of the save's region.
  Result<std::optional<Placement>> place(const std::vector<const Shelf*>& shelves) {
    std::string why = "no card lies there yet";
    std::optional<FilePlace> best;
    const auto rank = [&](const FilePlace& place) {
      return std::pair(region_fits(place), place.there);
    };
    for (const Shelf* shelf : shelves) {
      const auto pattern = NamingPattern::parse(shelf->pattern);
      const Layout* layout =
          shelf->layout.empty() ? nullptr : layouts().find(shelf->layout.front());
      if (!pattern || layout == nullptr || as_folder(layout) != nullptr) continue;
      const auto built = pattern->build(card_save_fields(source_.save));
      if (!built) {
        why = built.error().text;
        continue;
      }
      if (const std::string other = fixed_game(*shelf); !other.empty()) {
        why = fmt::format("{} holds only saves of {}", safe_text(shelf->pattern), safe_text(other));
        continue;
      }
      const auto path = shelf_path(context_.bay(), *shelf, *built, checks_);
      if (!path) return tl::unexpected(path.error());
      FilePlace place{layout, *path, !is_missing(*context_.session.storage, *path),
                      region_of_path(built->substr(0, built->rfind('/') + 1))};
      if (!best || rank(place) > rank(*best)) best = std::move(place);
    }
    if (best && region_fits(*best) == 0)
      checks_.add(region_differs(source_.save, best->region, "the folder there is the one for"));
    if (best && !checks_.stopped()) return new_file(*best->layout, best->path);
    if (best) return std::optional<Placement>{};
    checks_.add({Level::error,
                 Code::no_match,
                 fmt::format("bay {}: {}", context_.bay().name, why),
                 {"start a game there once so that a card exists; or make one with '",
                  Remedy::new_card, "'"}});
    return std::optional<Placement>{};
  }

 private:
  // How well a place goes with the save's region: a folder of the same one, of none, of another.
  [[nodiscard]] int region_fits(const FilePlace& place) const {
    const Region own = source_.save.game.region;
    if (!is_known(place.region) || !is_known(own)) return 1;
    return place.region == own ? 2 : 0;
  }

  // The game whose code stands in a shelf's fixed text; empty when it is the save's own, or none.
  [[nodiscard]] std::string fixed_game(const Shelf& shelf) {
    constexpr std::size_t kLooked = 3;
    const auto& files = context_.there.files_on(shelf);
    for (std::size_t i = 0; i < std::min(kLooked, files.size()); ++i) {
      const auto view =
          context_.session.storage->view(files[i].path, context_.session.limits.largest_file);
      if (!view) continue;
      for (const Guess& guess : identify(view->bytes(), {})) {
        if (guess.basis != Basis::structure || as_card(guess.layout) != nullptr) continue;
        const auto content = guess.layout->read(view->bytes(), {});
        if (!content || content->saves.empty()) continue;
        const std::string& code = code_of(content->saves.front().game);
        if (!code.empty() && code != code_of(source_.save.game) &&
            shelf.pattern.find(code) != std::string::npos)
          return code;
        break;
      }
    }
    return {};
  }

  Result<std::optional<Placement>> new_file(const Layout& layout, const Path& path) {
    Storage& storage = *context_.session.storage;
    auto written = layout.write({std::span(&source_.save, 1), std::nullopt, {}});
    if (!written) {
      checks_.add({Level::error, written.error().code, written.error().text, written.error().hint});
      return std::optional<Placement>{};
    }
    for (Finding& loss : written->losses) (void)checks_.add(std::move(loss));
    PlacedUnit unit = card_unit(line_, source_, path, layout, written->bytes.size());
    unit.shared = as_card(&layout) != nullptr;
    const auto version = version_at(storage, path);
    if (!version) return tl::unexpected(version.error());
    unit.line.replaces = version->digest.has_value();
    if (version->digest) {
      const auto same = holds_the_same(layout, path);
      if (!same) return tl::unexpected(same.error());
      unit.line.nothing_to_do = *same;
      if (*same) return one_unit(std::move(unit));
      unit.newer = newer_there({path, *version->digest, version->modified_ns, FileNames::exact},
                               version_digest(written->bytes), source_,
                               unit.shared ? nullptr : context_.history);
    }
    unit.changes.push_back(change_to(path, std::move(written->bytes), version->digest));
    if (!written->second_file.empty()) {
      auto beside = change_beside(storage, path, layout, std::move(written->second_file));
      if (!beside) return tl::unexpected(beside.error());
      unit.changes.push_back(std::move(*beside));
    }
    return one_unit(std::move(unit));
  }

  [[nodiscard]] Result<bool> holds_the_same(const Layout& layout, const Path& path) const {
    const auto view = context_.session.storage->view(path, context_.session.limits.largest_file);
    if (!view) return tl::unexpected(view.error());
    Hints hints;
    hints.file_name = path.filename().string();
    hints.second_file = read_second_file(*context_.session.storage, path);
    const auto old = layout.read(view->bytes(), hints);
    return old && !old->saves.empty() && same_card_save(old->saves.front(), source_.save);
  }

  const CarryContext& context_;
  const Source& source_;
  const MoveReport& line_;
  Checks& checks_;
};

}  // namespace

Result<std::optional<Placement>> place_single_card_save(const CarryContext& context,
                                                        const Source& source,
                                                        const std::vector<const Shelf*>& shelves,
                                                        const MoveReport& line, Checks& checks) {
  return SingleSavePlacer(context, source, line, checks).place(shelves);
}

}  // namespace bayswap
