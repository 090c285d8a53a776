#include "moves/wanted_saves.h"

#include <fmt/core.h>

#include <algorithm>
#include <iterator>

#include "core/bytes/text.h"
#include "files/archive_storage.h"
#include "moves/card_source.h"
#include "moves/folder_source.h"
#include "moves/game_there.h"
#include "reading/save_address.h"

namespace bayswap {
namespace {

class Wanted {
 public:
  Wanted(Session& session, RomFolders& folders, BayScan& to, const CarryRequest& request)
      : session_(session), folders_(folders), to_(to), request_(request) {}

  Result<std::vector<Source>> find() {
    if (request_.all ||
        (!or_empty(request_.from).empty() && request_.saves.empty() && request_.given.empty())) {
      const auto from = session_.bays.find(or_empty(request_.from));
      if (!from) return tl::unexpected(from.error());
      BayScan scan(session_, folders_, **from);
      auto sources = read_bay(session_, folders_, scan, request_);
      if (!sources || request_.all) return sources;
      return pick(std::move(*sources), or_empty(request_.game), (*from)->name);
    }
    std::vector<Source> sources;
    for (const GivenSave& given : request_.given) sources.push_back(source_of(given));
    for (const std::string& save : request_.saves) {
      auto found = find_source(save);
      if (!found) return tl::unexpected(found.error());
      sources.insert(sources.end(), std::make_move_iterator(found->begin()),
                     std::make_move_iterator(found->end()));
    }
    return sources;
  }

 private:
  // A save that the caller has in memory.
  Source source_of(const GivenSave& given) const {
    Source source;
    source.save = given.save;
    source.stem = given.name.empty() ? given.save.name : given.name;
    source.modified_ns = given.modified_ns;
    source.part_files.assign(given.save.parts.size(), source.stem);
    source.rom = request_.rom ? read_rom_file(*session_.storage, *request_.rom, session_.catalog)
                              : std::nullopt;
    return source;
  }

  // A file, or BAY:NAME, or a name inside --from.
  Result<std::vector<Source>> find_source(const std::string& save) {
    std::string bay_name = or_empty(request_.from);
    std::string name = save;
    if (bay_name.empty()) {
      const SaveAddress address = parse_address(session_, save);
      if (!address.bay.empty()) {
        bay_name = address.bay;
        name = address.inside;
      } else {
        if (address.there && address.inside.empty())
          if (auto whole = check_archive(save); !whole) return tl::unexpected(whole.error());
        auto folders = read_folder_sources(session_, save, request_);
        if (!folders) return tl::unexpected(folders.error());
        if (*folders) return std::move(**folders);
        auto on_cards = read_card_sources(session_, to_.bay(), save, or_empty(request_.is));
        if (!on_cards) return tl::unexpected(on_cards.error());
        if (*on_cards) return std::move(**on_cards);
        auto source = read_loose(save);
        if (!source) return tl::unexpected(source.error());
        std::vector<Source> one;
        one.push_back(std::move(*source));
        return one;
      }
    }
    const auto bay = session_.bays.find(bay_name);
    if (!bay) return tl::unexpected(bay.error());
    BayScan scan(session_, folders_, **bay);
    auto sources = read_bay(session_, folders_, scan, request_);
    if (!sources) return sources;
    return pick(std::move(*sources), name, (*bay)->name);
  }

  // Of an archive, one save is carried at a time.
  Result<void> check_archive(const Path& path) {
    const auto inside = session_.storage->list(archive_root(path));
    if (!inside || read_rom_file(*session_.storage, path, session_.catalog)) return {};
    return fail(
        Trouble::stopped, Code::many_match,
        fmt::format("{}: is an archive, which save in it is not said", safe_text(path.string())),
        {fmt::format("name one as {}:NAME; '", safe_text(path.string())),
         HintPiece{Remedy::look, safe_text(path.string())}, "' lists them"});
  }

  // A file that lies anywhere: where nothing near it tells the game, the name of a ROM at the
  // destination does, since its size alone could be many things.
  Result<Source> read_loose(const Path& path) {
    auto source = read_source(session_, folders_, path, request_, std::nullopt);
    if (!source || source->rom || source->on_shelf || !or_empty(request_.is).empty()) return source;
    auto roms = roms_named(session_, to_, source->stem, or_empty(request_.game));
    const auto view = session_.storage->view(path, session_.limits.largest_file);
    if (!view || roms.empty()) return source;
    auto fitting = roms;
    std::erase_if(fitting, [&](const RomFile* rom) {
      return identify(view->bytes(), hints_of(rom->info, session_.catalog)).empty();
    });
    if (!fitting.empty()) roms = std::move(fitting);
    const System system = roms.front()->info.system;
    if (std::any_of(roms.begin(), roms.end(),
                    [&](const RomFile* rom) { return rom->info.system != system; })) {
      for (const RomFile* rom : roms) source->several_roms.push_back(rom->path.string());
      return source;
    }
    return read_source(session_, folders_, path, request_, *roms.front());
  }

  Result<std::vector<Source>> pick(std::vector<Source> sources, const std::string& text,
                                   const std::string& bay) {
    if (text.empty())
      return fail(Trouble::usage, Code::usage, "which save is not said",
                  {"name a save, or add ", Remedy::game, " or ", Remedy::all_saves});
    int best = 1;
    for (const Source& source : sources)
      best = std::max(best, named_by(source, session_.catalog, text));
    std::erase_if(sources, [&](const Source& source) {
      return named_by(source, session_.catalog, text) < best;
    });
    prefer_saves(sources);
    if (sources.empty())
      return fail(Trouble::stopped, Code::no_match,
                  fmt::format("no save in {} fits '{}'", bay, safe_text(text)),
                  {"see what is there: ", HintPiece{Remedy::show_bay, bay}});
    // All slots of one game go together.
    const bool slots = std::ranges::all_of(sources, [&](const Source& source) {
      return source.state && source.stem == sources.front().stem && or_empty(request_.slot).empty();
    });
    if (sources.size() > 1 && !slots) {
      std::vector<std::string> names;
      for (const Source& source : sources)
        names.push_back(fmt::format("{} ({}{})", safe_text(source.stem),
                                    to_string(source.save.system),
                                    source.save.kind == Kind::card_save
                                        ? " card " + source.files.front().filename().string()
                                        : ""));
      return fail(
          Trouble::stopped, Code::many_match,
          fmt::format("several saves in {} fit '{}': {}", bay, safe_text(text), list_text(names)),
          "write the whole name");
    }
    return sources;
  }

  // A game's name means its save, where it has one; a state is then meant by its file's name.
  static void prefer_saves(std::vector<Source>& sources) {
    if (std::ranges::any_of(sources, [](const Source& source) { return !source.state; }))
      std::erase_if(sources, [](const Source& source) { return source.state; });
  }

  Session& session_;
  RomFolders& folders_;
  BayScan& to_;  // where they go
  const CarryRequest& request_;
};

}  // namespace

Result<std::vector<Source>> find_wanted(Session& session, RomFolders& folders, BayScan& to,
                                        const CarryRequest& request) {
  return Wanted(session, folders, to, request).find();
}

}  // namespace bayswap
