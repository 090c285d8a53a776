#include "reading/open_card.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"
#include "files/archive_storage.h"
#include "reading/folder_card.h"
#include "reading/part_layouts.h"
#include "reading/save_address.h"

namespace bayswap {
namespace {

Error no_card(const std::string& name, std::string_view what) {
  return {Trouble::input,
          Code::no_match,
          fmt::format("{}: {}", safe_text(name), what),
          {"'", Remedy::look, "' says what it is; ", Remedy::layout_of_input,
           " names a card's layout that cannot be told"}};
}

Result<const CardLayout*> said_layout(const std::string& is) {
  const auto layout = find_layout(is);
  if (!layout) return tl::unexpected(layout.error());
  if (const CardLayout* card = as_card(*layout)) return card;
  return fail(Trouble::usage, Code::unknown_layout, fmt::format("{} is not a card", is),
              {"'", Remedy::list_layouts, "' lists the cards"});
}

// FILE:PART, where the file is a container with such a part.
Result<OpenCard> open_part(Session& session, const SaveAddress& address, const std::string& is) {
  const std::string& name = address.text;
  OpenCard card;
  card.name = name;
  card.path = address.path;
  card.part = address.inside;
  auto bytes = session.storage->read(card.path, kSaveLimit);
  if (!bytes) return tl::unexpected(bytes.error());
  card.hold(std::move(*bytes));
  card.hints.file_name = inner_name(card.path);
  for (const Guess& guess : identify(card.file.bytes(), card.hints)) {
    auto content = guess.layout->read(card.file.bytes(), card.hints);
    if (!content || content->saves.empty()) continue;
    const Part* part = content->saves.front().part(card.part);
    if (part == nullptr) continue;
    card.container = guess.layout;
    card.hints.system = guess.layout->info().system;
    if (is.empty()) {
      card.layout = card_layout_of(part->data, {}, false);
      if (card.layout == nullptr)
        card.layout = as_card(native_layout(guess.layout->info().system, *part));
    } else {
      const auto said = said_layout(is);
      if (!said) return tl::unexpected(said.error());
      card.layout = *said;
    }
    if (card.layout == nullptr)
      return tl::unexpected(no_card(name, fmt::format("its {} is not a card", card.part)));
    card.around = std::move(content->saves.front());
    return card;
  }
  return tl::unexpected(
      no_card(name, fmt::format("the file has no part '{}'", safe_text(card.part))));
}

}  // namespace

void OpenCard::hold(Bytes bytes) {
  seen = std::make_shared<const Bytes>(std::move(bytes));
  file = FileView(ByteView(*seen), seen);
}

ByteView OpenCard::bytes() const {
  if (container == nullptr) return file.bytes();
  return around.part(part)->data;
}

Result<Bytes> OpenCard::file_with(Bytes card) const {
  if (container == nullptr) return card;
  Save save = around;
  save.part(part)->data = std::move(card);
  save.part(part)->blank = is_blank_part(save.system, part, save.part(part)->data);
  auto written = container->write({std::span(&save, 1), file.bytes(), hints});
  if (!written) return tl::unexpected(written.error());
  return std::move(written->bytes);
}

Result<Bytes> OpenCard::card_in(ByteView whole) const {
  if (container == nullptr) return Bytes(whole.begin(), whole.end());
  auto content = container->read(whole, hints);
  if (!content) return tl::unexpected(content.error());
  Part* there = content->saves.empty() ? nullptr : content->saves.front().part(part);
  if (there == nullptr) return tl::unexpected(no_card(name, "the part is gone"));
  return std::move(there->data);
}

namespace {

// A card's size. One of 128 KiB may have lost its end, where some keep all that tells of them;
// larger ones tell of themselves at their beginning, and a size alone would say too little.
bool has_size_of(const CardLayout& card, std::uint64_t size) {
  constexpr std::uint64_t kMayBeCut = 131072;
  return std::ranges::any_of(card.info().file_sizes, [&](std::uint64_t whole) {
    return size == whole || (whole == kMayBeCut && size < whole && size >= whole / 2);
  });
}

// Saves of which nothing is doubtful.
std::ptrdiff_t count_sure(const Salvage& salvage) {
  return std::ranges::count_if(salvage.saves, [](const Rescue& rescue) {
    return rescue.state == RescueState::whole || rescue.state == RescueState::repaired;
  });
}

}  // namespace

const CardLayout* card_layout_of(ByteView bytes, const Hints& hints, bool damaged) {
  const auto guesses = identify(bytes, hints);
  for (const Guess& guess : guesses)
    if (guess.confidence != Confidence::possible)
      if (const CardLayout* card = as_card(guess.layout)) return card;
  if (!damaged) return nullptr;
  // Nothing speaks for itself any more: the layout whose rescue finds most that is sure, and most
  // at all, among those of the size.
  const CardLayout* best = nullptr;
  std::pair<std::ptrdiff_t, std::ptrdiff_t> most;
  for (const auto& layout : layouts().all()) {
    const CardLayout* card = as_card(layout.get());
    if (card == nullptr || !has_size_of(*card, bytes.size())) continue;
    const auto salvage = card->salvage(bytes);
    if (!salvage) continue;
    const auto sure = count_sure(*salvage);
    const auto found = std::ranges::count_if(
        salvage->saves, [](const Rescue& rescue) { return rescue.state != RescueState::lost; });
    if (std::pair(sure, found) <= most) continue;
    best = card;
    most = {sure, found};
  }
  return best;
}

std::optional<Finding> damaged_card(ByteView bytes, const std::string& name) {
  const CardLayout* layout = card_layout_of(bytes, {}, true);
  if (layout == nullptr) return std::nullopt;
  const auto salvage = layout->salvage(bytes);
  if (!salvage) return std::nullopt;
  const auto saves = std::ranges::count_if(
      salvage->saves, [](const Rescue& rescue) { return rescue.state != RescueState::lost; });
  if (count_sure(*salvage) == 0) return std::nullopt;
  return Finding{
      Level::error,
      Code::damaged,
      fmt::format("a damaged {} card, of which {} can be rescued", to_string(layout->info().system),
                  counted(static_cast<std::size_t>(saves), "save")),
      {"rescue it: ", HintPiece{Remedy::mend_card, safe_text(name)}}};
}

Result<OpenCard> open_card(Session& session, const std::string& name, const std::string& is) {
  const SaveAddress address = parse_address(session, name);
  if (!address.there)
    return fail(Trouble::input, Code::missing, fmt::format("{}: is not there", safe_text(name)),
                "check the path");
  if (!address.inside.empty()) return open_part(session, address, is);
  OpenCard card;
  card.name = name;
  card.path = address.path;
  if (session.storage->list(card.path)) {
    auto kept = read_folder_card(session, card.path);
    if (!kept) return tl::unexpected(kept.error());
    if (!*kept) return tl::unexpected(no_card(name, "it is a folder without saves of a card"));
    card.folder = true;
    card.layout = (*kept)->layout;
    card.hold(std::move((*kept)->image));
    return card;
  }
  auto bytes = session.storage->read(card.path, kSaveLimit);
  if (!bytes) return tl::unexpected(bytes.error());
  card.hold(std::move(*bytes));
  card.hints.file_name = inner_name(card.path);
  if (!is.empty()) {
    const auto said = said_layout(is);
    if (!said) return tl::unexpected(said.error());
    card.layout = *said;
    return card;
  }
  for (const Guess& guess : identify(card.file.bytes(), card.hints))
    if (as_card(guess.layout) != nullptr && guess.confidence != Confidence::possible) {
      card.layout = as_card(guess.layout);
      card.confidence = guess.confidence;
      return card;
    }
  if (const auto damaged = damaged_card(card.file.bytes(), name))
    return fail(Trouble::input, damaged->code,
                fmt::format("{}: {}", safe_text(name), damaged->text), damaged->hint);
  const auto guesses = identify(card.file.bytes(), card.hints);
  if (guesses.size() == 1 && as_card(guesses.front().layout) != nullptr)
    return fail(Trouble::input, Code::damaged,
                fmt::format("{}: a damaged {} card, by its size: nothing on it tells of saves any "
                            "more",
                            safe_text(name), to_string(guesses.front().layout->info().system)),
                {"look for an older copy, or rescue what there is: ",
                 HintPiece{Remedy::mend_card, safe_text(name)}});
  return tl::unexpected(no_card(name, "is not a memory card that Bay Swap knows"));
}

Result<CardAndName> open_card_of(Session& session, const SaveAddress& address,
                                 const std::string& is) {
  if (const auto parts = address.part_and_name())
    if (open_card(session, address_of(address.path, parts->first), "")) {
      auto card = open_card(session, address_of(address.path, parts->first), is);
      if (!card) return tl::unexpected(card.error());
      return CardAndName{std::move(*card), parts->second};
    }
  auto card = open_card(session, address.path.string(), is);
  if (card) return CardAndName{std::move(*card), address.inside};
  auto part = open_card(session, address.text, "");
  if (!part) return tl::unexpected(card.error());
  return CardAndName{std::move(*part), ""};
}

void add_catalog_title(const Catalog& catalog, Save& save) {
  for (const std::string& code : {save.game.title_id, save.game.serial, save.game.code})
    if (const CatalogGame* known = catalog.find_code(save.system, code)) {
      save.game.title = known->title;
      return;
    }
}

}  // namespace bayswap
