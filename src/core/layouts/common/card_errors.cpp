#include "core/layouts/common/card_errors.h"

#include <fmt/core.h>

#include "core/bytes/text.h"

namespace bayswap {
namespace {

std::string shown_name(const Save& save) {
  return save.name.empty() ? "the save" : safe_text(save.name);
}

// The saves that would make room when dropped, smallest first, as people would choose.
std::string droppable(const Card& card, std::uint32_t missing) {
  std::vector<std::string> names;
  for (const CardSave& on_card : card.saves)
    if (on_card.block_count >= missing && names.size() < 4)
      names.push_back(fmt::format("{} ({})", safe_text(on_card.save.name), on_card.block_count));
  return list_text(names);
}

}  // namespace

Error no_room(const Save& save, std::uint32_t needed, const Card& card) {
  const std::uint32_t missing = needed > card.blocks_free ? needed - card.blocks_free : 0;
  std::string text = fmt::format("{} needs {}, {} of {} are free: {} missing", shown_name(save),
                                 counted(needed, block_word(save.system)), card.blocks_free,
                                 card.blocks_total, missing);
  if (!card.deleted.empty()) {
    std::vector<std::string> purged;
    for (const CardSave& gone : card.deleted)
      purged.push_back(fmt::format("{} ({})", safe_text(gone.save.name), gone.block_count));
    text += "; the blocks of deleted saves count as free already: " + list_text(purged);
  }
  const std::string names = droppable(card, missing);
  return {Trouble::stopped, Code::no_room, text,
          names.empty() ? Hint{"drop saves, after '", Remedy::take_from_card, "' copied them out"}
                        : Hint("take one out and drop it, one of these is enough: " + names)};
}

Error no_free_entry(const Save& save, std::size_t entries) {
  return {Trouble::stopped,
          Code::no_room,
          fmt::format("{}: all {} entries of the card's directory are taken", shown_name(save),
                      entries),
          {"drop a save, after '", Remedy::take_from_card, "' copied it out"}};
}

Error name_taken(const Save& save) {
  return {Trouble::stopped,
          Code::name_taken,
          fmt::format("the card holds another save under the name {}", shown_name(save)),
          {"take that one out first and drop it, or use ", accept_remedy(Code::name_taken),
           " to replace it (the card as it was stays in history)"}};
}

Error wrong_save(const Save& save, std::string_view why) {
  return {Trouble::stopped,
          Code::no_match,
          fmt::format("{}: {}", shown_name(save), why),
          {"'", Remedy::look, "' says what the file is"}};
}

Error wrong_capacity(const CardInfo& info, std::uint32_t blocks) {
  std::vector<std::string> known;
  for (const std::uint32_t capacity : info.capacities) known.push_back(std::to_string(capacity));
  return {Trouble::usage, Code::wrong_size,
          fmt::format("there is no {} card of {} blocks", info.family, blocks),
          "there are cards of " + list_text(known)};
}

Finding cut_short(std::uint64_t size, std::uint64_t whole) {
  return {Level::error,
          Code::damaged,
          fmt::format("the card is cut short: {} of {} bytes", grouped(size), grouped(whole)),
          {"copy or dump it again; '", Remedy::mend_card, "' rescues what is there"}};
}

Finding runs_out(const Save& save) {
  return damaged(shown_name(save) + ": some of it lies past the end of the file");
}

Finding damaged(std::string text) {
  return {Level::error,
          Code::damaged,
          std::move(text),
          {"'", Remedy::mend_card, "' rescues what is whole"}};
}

Finding spare_lost(std::string text) {
  return {Level::warn,
          Code::spare_lost,
          std::move(text),
          {"nothing is lost; '", Remedy::mend_card, "' makes it sound again"}};
}

Finding odd_save(const Save& save, std::string_view what) {
  return {Level::warn, Code::damaged, fmt::format("{}: {}", shown_name(save), what),
          "its game may not read it; compare it with an older copy"};
}

Finding stray_blocks(std::uint64_t count) {
  return {Level::warn,
          Code::stray_blocks,
          fmt::format("{} {} in use, but {} to no save", count,
                      count == 1 ? "block is" : "blocks are", count == 1 ? "belongs" : "belong"),
          {"'", Remedy::mend_card, "' looks for a save in them, or gives them back"}};
}

Finding no_longer_recoverable(const Save& save) {
  return {Level::note, Code::purged,
          fmt::format("the deleted save {} can no longer be read from the card", shown_name(save)),
          ""};
}

std::optional<Error> no_such_place(const CardChange& change, std::size_t count) {
  for (const std::size_t place : change.drop)
    if (place >= count)
      return Error{Trouble::stopped, Code::no_match,
                   fmt::format("the card has {} saves, and none at place {}", count, place + 1),
                   "read the card again: it is not the one that the change was made for"};
  return std::nullopt;
}

}  // namespace bayswap
