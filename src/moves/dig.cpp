// Finding the save inside a state.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <optional>

#include "bayswap/dig.h"
#include "bayswap/state.h"
#include "core/bytes/cursor.h"
#include "core/bytes/hash.h"
#include "core/bytes/order.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/chips.h"
#include "core/roms/headers.h"
#include "core/states/card_search.h"
#include "core/states/chip_search.h"
#include "core/states/save_search.h"
#include "core/states/sections.h"
#include "core/states/whole_save.h"
#include "files/atomic_write.h"
#include "moves/outputs.h"
#include "moves/state_content.h"
#include "places/inspect.h"
#include "reading/part_layouts.h"

namespace bayswap {
namespace {

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

// A place that is like the older save, and the ground that it lies in.
struct PlaceLike {
  const Ground* ground = nullptr;
  Sighting place;
};

// Where the older save's bytes are found again, in all grounds.
std::vector<Find> finds_like(const std::vector<Ground>& grounds, const std::string& part,
                             ByteView known) {
  std::vector<PlaceLike> places;
  for (const Ground& ground : grounds)
    for (const Sighting& place : find_like(ground.bytes, known))
      if (!ground.is_packed(place.offset, known.size())) places.push_back({&ground, place});
  std::ranges::stable_sort(places, std::greater<>(),
                           [](const PlaceLike& one) { return one.place.telling_agree; });
  std::vector<LikeSave> likes;
  for (const PlaceLike& one : places)
    likes.push_back(
        {one.ground->bytes, one.place, one.ground->has_section(one.place.offset, known.size())});
  const auto only = only_save(known, likes);
  std::vector<Find> finds;
  for (std::size_t i = 0; i < likes.size(); ++i) {
    const Sighting& place = likes[i].place;
    Find find;
    find.told = {part,
                 place.offset,
                 known.size(),
                 places[i].ground->inside,
                 evidence_text(place),
                 only.has_value() && *only == i};
    find.bytes = bytes_there(likes[i].where, known.size(), place);
    finds.push_back(std::move(find));
  }
  return finds;
}

// What is shown twice with different bytes is shown in neither place.
void show_no_two(std::vector<Find>& finds) {
  const auto first = std::ranges::find_if(finds, [](const Find& find) { return find.told.shown; });
  if (std::any_of(first, finds.end(),
                  [&](const Find& find) { return find.told.shown && find.bytes != first->bytes; }))
    for (Find& find : finds) find.told.shown = false;
}

// Programs keep the larger chips of this family in words turned as suits the machine they run on.
// Text of the game shows how; nothing else does.
bool put_in_order(System system, const Chip& chip, ByteView rom, Bytes& bytes) {
  constexpr std::array<std::size_t, 3> kUnits{1, 4, 2};
  if (system != System::n64 || chip.part == "eeprom") return true;
  for (const std::size_t unit : kUnits) {
    Bytes turned = bytes;
    if (unit > 1) reverse_units(turned, unit);
    if (!begins_with_words_of(rom, turned)) continue;
    bytes = std::move(turned);
    return true;
  }
  return false;
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
    auto state = StateContent::open(*session_.storage, request_.state);
    if (!state) return tl::unexpected(state.error());
    state_ = std::move(*state);
    if (request_.like) return dig_like();
    return dig_alone();
  }

 private:
  Result<Dug> stop(Code code, std::string text, Hint hint) {
    dug_.stopped = Error{Trouble::stopped, code, std::move(text), std::move(hint)};
    return std::move(dug_);
  }

  template <class Look>
  std::vector<Find> everywhere(Look look) {
    std::vector<Find> finds;
    for (const Ground& ground : state_->grounds()) {
      auto more = look(ground);
      finds.insert(finds.end(), std::make_move_iterator(more.begin()),
                   std::make_move_iterator(more.end()));
    }
    show_no_two(finds);
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
                    fmt::format("{}: nothing in it is like the {}",
                                safe_text(request_.state.string()), what),
                    {"is it a state of this game? An older save from the same game, made with the "
                     "program's own save memory, is what to compare with: ",
                     Remedy::older_save}}
            : Error{Trouble::stopped,
                    Code::many_match,
                    fmt::format("{}: {} could be the {}, and none is certain",
                                safe_text(request_.state.string()), counted(finds.size(), "place"),
                                what),
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
      return stop(Code::blank_source,
                  fmt::format("{}: is blank, so nothing can be compared with it",
                              safe_text(request_.like->string())),
                  "name an older save with progress in it");
    Save dug = save;
    dug.parts.clear();
    for (Part& part : save.parts) {
      if (part.blank || part.name == "clock") continue;
      auto find = only_one(finds_like(state_->grounds(), part.name, part.data),
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
    auto find = only_one(finds_like(state_->grounds(), layout == nullptr ? "file" : "card", file),
                         "older save");
    if (!find) {
      dug_.stopped = problem_;
      return std::move(dug_);
    }
    return write(layout == nullptr ? std::string() : layout->info().id, find->bytes);
  }

  // The other states of the game that the user named.
  Result<std::vector<StateContent>> open_others() {
    std::vector<StateContent> others;
    for (const Path& path : request_.also) {
      auto state = StateContent::open(*session_.storage, path);
      if (!state) return tl::unexpected(state.error());
      others.push_back(std::move(*state));
    }
    return others;
  }

  // Each run of bytes with its name, and the same run of the other states.
  std::vector<ChipGround> chip_grounds(const std::vector<StateContent>& others) {
    const std::vector<Ground> grounds = state_->grounds();
    std::vector<ChipGround> all;
    for (std::size_t i = 0; i < grounds.size(); ++i) {
      ChipGround one{grounds[i].bytes, {}, {}};
      for (const StateContent& other : others)
        if (const auto theirs = other.grounds(); theirs.size() == grounds.size())
          one.in_other_states.push_back(theirs[i].bytes);
      if (one.in_other_states.size() != others.size()) one.in_other_states.clear();
      for (const Section& section : grounds.front().sections)
        if (i > 0 && section.offset == grounds[i].offset) one.label = section.tag;
      all.push_back(std::move(one));
    }
    return all;
  }

  std::vector<Find> finds_of_chip(const std::vector<StateContent>& others, System system,
                                  const Chip& chip, ByteView rom) {
    const std::vector<Ground> grounds = state_->grounds();
    std::vector<Find> finds;
    for (const ChipSighting& sighting : chips_in(chip_grounds(others), chip, rom)) {
      const Ground& ground = grounds[sighting.ground];
      const auto size = static_cast<std::size_t>(chip.size);
      if (ground.is_packed(sighting.offset, size)) continue;
      Find find;
      find.told = {chip.part,     sighting.offset,         chip.size,
                   ground.inside, sighting.evidence(chip), sighting.sure()};
      const ByteView bytes = ground.bytes.subspan(sighting.offset, size);
      find.bytes.assign(bytes.begin(), bytes.end());
      if (!put_in_order(system, chip, rom, find.bytes)) {
        find.told.shown = false;
        find.told.evidence += "; nothing shows in which byte order it is";
      }
      finds.push_back(std::move(find));
    }
    return finds;
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
    const std::vector<Chip> chips = chips_to_find(wanted, found->hints);
    const System system =
        wanted != nullptr ? wanted->info().system : found->hints.system.value_or(System::snes);
    if (chips.empty())
      return stop(Code::no_match,
                  fmt::format("{}: no card is in it, and what chip its game has is not known",
                              safe_text(request_.state.string())),
                  {"name an older save of the game with ", Remedy::older_save, ", or its ROM with ",
                   Remedy::rom});
    Bytes rom;
    if (found->rom) {
      auto bytes = session_.storage->read(found->rom->path, kSaveLimit);
      if (!bytes) return tl::unexpected(bytes.error());
      rom = in_native_order(std::move(*bytes));
    }
    auto others = open_others();
    if (!others) return tl::unexpected(others.error());
    std::vector<Find> finds;
    for (const Chip& chip : chips) {
      auto more = finds_of_chip(*others, system, chip, rom);
      finds.insert(finds.end(), std::make_move_iterator(more.begin()),
                   std::make_move_iterator(more.end()));
    }
    show_no_two(finds);
    auto find = only_one(std::move(finds), "game's chip");
    if (!find) {
      if (problem_.code == Code::no_match && request_.choose == 0)
        problem_.hint = {
            "nothing in it says what the save is; add more states of the game after this one, or "
            "name an older save of it: ",
            Remedy::older_save};
      dug_.stopped = problem_;
      return std::move(dug_);
    }
    if (make_part(system, find->told.part, find->bytes).blank)
      return stop(Code::blank_source,
                  fmt::format("{}: the {} in it is blank: nothing was saved in the game before the "
                              "state was made",
                              safe_text(request_.state.string()), find->told.part),
                  "load the state in its program, save inside the game, and look again");
    Save save;
    save.system = system;
    save.game = found->rom ? found->rom->info.game : Game{};
    save.parts.push_back({find->told.part, std::move(find->bytes)});
    return write_chip(save, wanted, found->hints);
  }

  // Those of the layout that the user says, else the game's.
  static std::vector<Chip> chips_to_find(const Layout* wanted, const Hints& hints) {
    std::vector<Chip> chips;
    if (wanted != nullptr && wanted->info().parts.size() == 1) {
      for (const std::uint64_t size : wanted->info().file_sizes)
        chips.push_back({wanted->info().parts.front(), size});
      return chips;
    }
    chips = hints.chips.value_or(std::vector<Chip>{});
    std::erase_if(chips, [](const Chip& chip) { return chip.part == "clock" || chip.size == 0; });
    return chips;
  }

  Result<Dug> write_chip(const Save& save, const Layout* wanted, const Hints& hints) {
    const Layout* layout =
        wanted != nullptr ? wanted : native_layout(save.system, save.parts.front());
    if (layout == nullptr)
      return stop(Code::no_match, "no layout holds a chip like this",
                  {"choose one with ", Remedy::layout_of_input});
    const auto written = layout->write({std::span(&save, 1), std::nullopt, hints});
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
  std::optional<StateContent> state_;
  Dug dug_;
  Error problem_;
};

}  // namespace

Result<Dug> dig_state(Session& session, const DigRequest& request) {
  return Digger(session, request).run();
}

}  // namespace bayswap
