// Finding the save inside a state.
#include <fmt/core.h>

#include <algorithm>
#include <optional>
#include <set>

#include "bayswap/dig.h"
#include "bayswap/state.h"
#include "core/bytes/cursor.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/chips.h"
#include "core/packing/inner_streams.h"
#include "core/packing/packing.h"
#include "core/states/card_search.h"
#include "core/states/save_search.h"
#include "core/states/sections.h"
#include "files/atomic_write.h"
#include "moves/outputs.h"
#include "places/inspect.h"
#include "reading/part_layouts.h"

namespace bayswap {
namespace {

std::string shown(const Path& path) {
  return safe_text(path.string());
}

// Bytes in which a save may lie: the state's content, or a packed section of it.
struct Ground {
  ByteView bytes;
  std::string inside;  // which packed section; empty for the content itself
};

// A candidate with its bytes in the save's own order.
struct Find {
  DigCandidate told;
  Bytes bytes;
  const Layout* layout = nullptr;  // of a card
};

std::string_view order_text(std::size_t unit) {
  switch (unit) {
    case 2: return ", byte pairs swapped";
    case 4: return ", word-reversed";
    case 8: return ", eight-byte units reversed";
    default: return "";
  }
}

std::string evidence_text(const Sighting& place) {
  return fmt::format("{} of {} runs agree at offset 0x{:X}{}; {} of {} bytes that are not filler",
                     grouped(place.runs_agree), grouped(place.runs), place.offset,
                     order_text(place.unit), grouped(place.telling_agree), grouped(place.telling));
}

// The state with everything that can be unpacked in it.
class Diggings {
 public:
  static Result<Diggings> open(Storage& storage, const Path& path) {
    const auto view = storage.view(path, kSaveLimit);
    if (!view) return tl::unexpected(view.error());
    Diggings diggings(*view);
    const Packing packing = packing_of(view->bytes());
    if (packing == Packing::plain) return diggings;
    auto unpacked = unpack(view->bytes(), packing, kMostUnpacked, AtLimit::fail, path.string());
    if (!unpacked) return tl::unexpected(unpacked.error());
    diggings.unpacked_ = std::move(unpacked->bytes);
    diggings.packed_ = true;
    return diggings;
  }
  [[nodiscard]] ByteView content() const { return packed_ ? ByteView(unpacked_) : file_.bytes(); }
  /// Looked for only where the content itself has nothing.
  [[nodiscard]] std::vector<Ground> inner() {
    if (!looked_) streams_ = streams_in(content());
    looked_ = true;
    std::vector<Ground> grounds;
    for (const InnerStream& stream : streams_)
      grounds.push_back({stream.bytes, fmt::format("the {} stream at offset 0x{:X}",
                                                   to_string(stream.packing), stream.offset)});
    return grounds;
  }

 private:
  explicit Diggings(FileView file) : file_(std::move(file)) {}
  FileView file_;
  Bytes unpacked_;
  bool packed_ = false;
  bool looked_ = false;
  std::vector<InnerStream> streams_;
};

// Where the older save's bytes are found again.
std::vector<Find> finds_like(const Ground& ground, const std::string& part, ByteView known) {
  std::vector<Find> finds;
  const auto sightings = find_like(ground.bytes, known);
  const auto only = only_place(ground.bytes, known, sightings);
  for (const Sighting& place : sightings) {
    Find find;
    find.told = {part,          place.offset,         known.size(),
                 ground.inside, evidence_text(place), only.has_value() && *only == place};
    find.bytes = bytes_there(ground.bytes, known.size(), place);
    finds.push_back(std::move(find));
  }
  return finds;
}

// Sections that are exactly as large as a chip; one that bears the chip's name is it.
std::vector<Find> finds_of_chip(const Ground& ground, const Chip& chip) {
  static constexpr std::array<std::string_view, 5> kWords{"sram", "eepr", "flas", "save", "batt"};
  std::vector<Find> finds;
  for (const Section& section : sections_of(ground.bytes)) {
    if (section.size != chip.size) continue;
    const std::string tag = lower_ascii(section.tag);
    const bool named = std::ranges::any_of(
        kWords, [&](std::string_view word) { return tag.starts_with(word.substr(0, tag.size())); });
    Find find;
    find.told = {chip.part,
                 section.offset,
                 section.size,
                 ground.inside,
                 fmt::format("the section {} is as large as the game's {}{}",
                             safe_text(section.tag), chip.part, named ? ", and is called so" : ""),
                 named};
    const ByteView bytes = ground.bytes.subspan(section.offset, section.size);
    find.bytes.assign(bytes.begin(), bytes.end());
    finds.push_back(std::move(find));
  }
  if (std::ranges::count_if(finds, [](const Find& find) { return find.told.shown; }) > 1)
    for (Find& find : finds) find.told.shown = false;
  return finds;
}

std::vector<Find> finds_of_cards(const Ground& ground, const CardLayout* wanted) {
  std::vector<Find> finds;
  for (const CardSighting& card : cards_in(ground.bytes, wanted)) {
    Find find;
    const std::string& id = card.layout->info().id;
    find.told = {
        "card",
        card.offset,
        card.size,
        ground.inside,
        fmt::format("{} begins at offset 0x{:X}, and its own checks all hold", id, card.offset),
        true};
    const ByteView bytes = ground.bytes.subspan(card.offset, card.size);
    find.bytes.assign(bytes.begin(), bytes.end());
    find.layout = card.layout;
    finds.push_back(std::move(find));
  }
  bool same = true;
  for (const Find& find : finds) same = same && find.bytes == finds.front().bytes;
  if (!same)
    for (Find& find : finds) find.told.shown = false;
  return finds;
}

class Digger {
 public:
  Digger(Session& session, const DigRequest& request)
      : session_(session), request_(request), folders_(session) {}

  Result<Dug> run() {
    if (!request_.replace && !is_missing(*session_.storage, request_.out)) {
      dug_.stopped = output_exists(request_.out);
      return std::move(dug_);
    }
    auto diggings = Diggings::open(*session_.storage, request_.state);
    if (!diggings) return tl::unexpected(diggings.error());
    diggings_ = std::move(*diggings);
    if (request_.like) return dig_like();
    return dig_alone();
  }

 private:
  Result<Dug> stop(Code code, std::string text, Hint hint) {
    dug_.stopped = Error{Trouble::stopped, code, std::move(text), std::move(hint)};
    return std::move(dug_);
  }

  // What is found in the content; also in what is packed inside of it where that shows nothing.
  template <class Look>
  std::vector<Find> everywhere(Look look) {
    std::vector<Find> finds = look(Ground{diggings_->content(), {}});
    if (std::ranges::any_of(finds, [](const Find& find) { return find.told.shown; })) return finds;
    for (const Ground& ground : diggings_->inner()) {
      auto more = look(ground);
      finds.insert(finds.end(), std::make_move_iterator(more.begin()),
                   std::make_move_iterator(more.end()));
    }
    // What stands in two sections with different bytes is shown in neither.
    const auto first =
        std::ranges::find_if(finds, [](const Find& find) { return find.told.shown; });
    const bool differ = std::any_of(first, finds.end(), [&](const Find& find) {
      return find.told.shown && find.bytes != first->bytes;
    });
    if (differ)
      for (Find& find : finds) find.told.shown = false;
    return finds;
  }

  // The one that is shown, or that the user chose; else why there is none.
  std::optional<Find> only_one(std::vector<Find> finds, const std::string& what) {
    for (const Find& find : finds) dug_.candidates.push_back(find.told);
    if (request_.choose > 0) {
      const auto place = static_cast<std::size_t>(request_.choose);
      if (place <= finds.size()) return std::move(finds[place - 1]);
      problem_ = Error{Trouble::stopped, Code::no_match,
                       fmt::format("there is no candidate {} for the {}", request_.choose, what),
                       fmt::format("{} found", counted(finds.size(), "candidate"))};
      return std::nullopt;
    }
    const auto sure = std::ranges::find_if(finds, [](const Find& find) { return find.told.shown; });
    if (sure != finds.end()) return std::move(*sure);
    problem_ =
        finds.empty()
            ? Error{Trouble::stopped,
                    Code::no_match,
                    fmt::format("{}: nothing in it is like the {}", shown(request_.state), what),
                    {"is it a state of this game? An older save from the same game, made with the "
                     "program's own save memory, is what to compare with: ",
                     Remedy::older_save}}
            : Error{Trouble::stopped,
                    Code::many_match,
                    fmt::format("{}: {} could be the {}, and none of them for sure",
                                shown(request_.state), counted(finds.size(), "place"), what),
                    {"choose one with ", Remedy::candidate,
                     ", and look at what comes out before you play on it"}};
    return std::nullopt;
  }

  Result<Dug> dig_like() {
    InspectOptions how;
    how.is = or_empty(request_.is);
    how.rom = request_.rom;
    auto found = inspect(session_, folders_, *request_.like, how);
    if (!found) return tl::unexpected(found.error());
    const ByteView file = found->view.bytes();
    const Layout* layout = found->layout();
    const bool chips = layout != nullptr && holds_chips(*layout);
    if (!chips) return dig_whole(file, layout);
    auto content = layout->read(file, found->hints);
    if (!content || content->saves.empty()) return dig_whole(file, nullptr);
    Save& save = content->saves.front();
    if (save.blank())
      return stop(
          Code::blank_source,
          fmt::format("{}: is blank, so that nothing can be told by it", shown(*request_.like)),
          "name an older save with progress in it");
    Save dug = save;
    dug.parts.clear();
    for (Part& part : save.parts) {
      if (part.blank || part.name == "clock") continue;
      auto find = only_one(everywhere([&](const Ground& ground) {
                             return finds_like(ground, part.name, part.data);
                           }),
                           part.name + " of the older save");
      if (!find) {
        dug_.findings.push_back({Level::warn, problem_.code, problem_.text, problem_.hint});
        continue;
      }
      part.data = std::move(find->bytes);
      dug.parts.push_back(std::move(part));
    }
    if (dug.parts.empty()) {
      dug_.findings.clear();
      dug_.stopped = problem_;
      return std::move(dug_);
    }
    auto written = imitate(*layout, {std::span(&dug, 1), file, found->hints});
    if (!written) return tl::unexpected(written.error());
    dug_.findings.insert(dug_.findings.end(), written->notes.begin(), written->notes.end());
    return write(layout->info().id, written->bytes);
  }

  // The older save as it is: a card, or a form that nobody knows.
  Result<Dug> dig_whole(ByteView file, const Layout* layout) {
    auto find = only_one(everywhere([&](const Ground& ground) {
                           return finds_like(ground, layout == nullptr ? "file" : "card", file);
                         }),
                         "older save");
    if (!find) {
      dug_.stopped = problem_;
      return std::move(dug_);
    }
    return write(layout == nullptr ? std::string() : layout->info().id, find->bytes);
  }

  // Without an older save: a card by its marks, or the chip that the ROM or catalog names.
  Result<Dug> dig_alone() {
    const Layout* wanted = nullptr;
    if (!or_empty(request_.is).empty()) {
      const auto layout = find_layout(or_empty(request_.is));
      if (!layout) return tl::unexpected(layout.error());
      wanted = *layout;
    }
    if (wanted == nullptr || as_card(wanted) != nullptr) {
      const auto cards =
          everywhere([&](const Ground& ground) { return finds_of_cards(ground, as_card(wanted)); });
      if (!cards.empty()) {
        const auto card = only_one(cards, "card");
        if (card) return write(card->layout->info().id, card->bytes);
        dug_.stopped = problem_;
        return std::move(dug_);
      }
    }
    return dig_chip(wanted);
  }

  Result<Dug> dig_chip(const Layout* wanted) {
    InspectOptions how;
    how.rom = request_.rom;
    const auto found = inspect(session_, folders_, request_.state, how);
    if (!found) return tl::unexpected(found.error());
    std::vector<Chip> chips = found->hints.chips.value_or(std::vector<Chip>{});
    std::erase_if(chips, [](const Chip& chip) { return chip.part == "clock" || chip.size == 0; });
    const System system =
        wanted != nullptr ? wanted->info().system : found->hints.system.value_or(System::snes);
    if (wanted != nullptr && wanted->info().parts.size() == 1) {
      chips.clear();
      for (const std::uint64_t size : wanted->info().file_sizes)
        chips.push_back({wanted->info().parts.front(), size});
    }
    if (chips.empty())
      return stop(Code::no_match,
                  fmt::format("{}: no card is in it, and what chip its game has is not known",
                              shown(request_.state)),
                  {"name an older save of the game with ", Remedy::older_save, ", or its ROM with ",
                   Remedy::rom});
    std::vector<Find> finds;
    for (const Chip& chip : chips) {
      auto more = everywhere([&](const Ground& ground) { return finds_of_chip(ground, chip); });
      finds.insert(finds.end(), std::make_move_iterator(more.begin()),
                   std::make_move_iterator(more.end()));
    }
    auto find = only_one(std::move(finds), "game's chip");
    if (!find) {
      dug_.stopped = problem_;
      return std::move(dug_);
    }
    Save save;
    save.system = system;
    save.game = found->rom ? found->rom->info.game : Game{};
    save.parts.push_back({find->told.part, std::move(find->bytes)});
    const Layout* layout = wanted != nullptr ? wanted : native_layout(system, save.parts.front());
    if (layout == nullptr)
      return stop(Code::no_match, "no layout holds such a chip",
                  {"say which with ", Remedy::layout_of_input});
    const auto written = layout->write({std::span(&save, 1), std::nullopt, found->hints});
    if (!written) return tl::unexpected(written.error());
    return write(layout->info().id, written->bytes);
  }

  Result<Dug> write(const std::string& layout, ByteView bytes) {
    const OutputKind kind{"state dig", request_.state.string(), {}, request_.replace};
    auto done = write_outputs(session_, kind, {{request_.out, Bytes(bytes.begin(), bytes.end())}});
    if (!done) return tl::unexpected(done.error());
    dug_.move = std::move(*done);
    dug_.outputs.push_back({request_.out, layout, bytes.size(), sha256_hex(bytes)});
    return std::move(dug_);
  }

  Session& session_;
  const DigRequest& request_;
  RomFolders folders_;
  std::optional<Diggings> diggings_;
  Dug dug_;
  Error problem_;
};

}  // namespace

Result<Dug> dig_state(Session& session, const DigRequest& request) {
  return Digger(session, request).run();
}

}  // namespace bayswap
