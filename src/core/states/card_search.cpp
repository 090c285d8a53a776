#include "core/states/card_search.h"

#include <algorithm>
#include <array>
#include <set>
#include <string_view>

#include "core/bytes/cursor.h"

namespace bayswap {
namespace {

constexpr std::size_t kMostFound = 16;
constexpr std::size_t kMostTries = 4096;         // strict looks at one family
constexpr std::uint64_t kFreeWork = 64U << 20U;  // bytes that are looked at in any state
constexpr std::uint64_t kWorkRatio = 8;          // and so many for each of its bytes

// A text that a card has at a fixed place.
struct CardMark {
  System system;
  std::string_view text;
  std::size_t at;  // in the card
};

using namespace std::string_view_literals;
constexpr std::array<CardMark, 5> kMarks{
    {{System::ps1, "MC\0\0"sv, 0},
     {System::ps2, "Sony PS2 Memory Card Format "sv, 0},
     {System::saturn, "BackUpRam FormatBackUpRam Format"sv, 0},
     {System::pce, "HUBM"sv, 0},
     {System::dc, "\x55\x55\x55\x55\x55\x55\x55\x55\x55\x55\x55\x55\x55\x55\x55\x55"sv,
      255U * 512U}}};

class CardSearch {
 public:
  CardSearch(ByteView content, const CardLayout* wanted)
      : content_(content), wanted_(wanted), work_(kFreeWork + kWorkRatio * content.size()) {}

  std::vector<CardSighting> run() {
    for (const auto& layout : layouts().all()) {
      const CardLayout* card = as_card(layout.get());
      if (card == nullptr || card->card_info().package || (wanted_ != nullptr && card != wanted_))
        continue;
      tries_ = 0;
      if (card->info().system == System::n64)
        for_each_pak([&](std::size_t at) { look_at(*card, at); });
      else if (card->info().system == System::gc)
        for_each_gc_header([&](std::size_t at) { look_at(*card, at); });
      else
        for_each_mark(*card);
    }
    std::ranges::sort(found_, {}, &CardSighting::offset);
    return std::move(found_);
  }

 private:
  void for_each_mark(const CardLayout& card) {
    const auto mark = std::ranges::find(kMarks, card.info().system, &CardMark::system);
    if (mark == kMarks.end()) return;
    const std::string_view text(reinterpret_cast<const char*>(content_.data()), content_.size());
    for (std::size_t at = text.find(mark->text); at != std::string_view::npos && !tired();
         at = text.find(mark->text, at + 1))
      if (at >= mark->at) look_at(card, at - mark->at);
  }

  // The id block of a controller pak stands in its first page four times, at least twice whole.
  template <class Visit>
  void for_each_pak(Visit visit) const {
    constexpr std::size_t kId = 0x20;
    constexpr std::size_t kCopy = 0x60;
    constexpr std::size_t kBlock = 0x20;
    for (std::size_t at = 0; at + kCopy + kBlock <= content_.size() && !tired(); at += 4) {
      if (content_[at + kId + 0x19] == std::byte{0} || content_[at + kId + 0x1A] != std::byte{1})
        continue;
      if (std::ranges::equal(content_.subspan(at + kId, kBlock),
                             content_.subspan(at + kCopy, kBlock)))
        visit(at);
    }
  }

  // A gc card's header has no text, but small numbers in fixed places, and filler.
  template <class Visit>
  void for_each_gc_header(Visit visit) const {
    Cursor cursor(content_);
    constexpr std::size_t kHeader = 0x200;
    for (std::size_t at = 0; at + kHeader <= content_.size() && !tired(); at += 4) {
      if (content_[at + 0x22] != std::byte{0} || content_[at + 0x1F0] != std::byte{0xFF}) continue;
      const std::uint16_t megabits = cursor.u16be(at + 0x22);
      if (megabits < 4 || megabits > 128 || (megabits & (megabits - 1U)) != 0) continue;
      if (cursor.u16be(at + 0x24) <= 1) visit(at);
    }
  }

  void look_at(const CardLayout& card, std::size_t at) {
    ++tries_;
    std::set<std::uint64_t, std::greater<>> sizes(card.info().file_sizes.begin(),
                                                  card.info().file_sizes.end());
    if (card.info().system == System::ps2) sizes.insert(ps2_size(card, at));
    for (const std::uint64_t size : sizes) {
      const auto there = slice(content_, at, size);
      if (!there || found_.size() == kMostFound || work_ < size) continue;
      work_ -= size;
      const auto match = card.recognise(*there, {});
      if (!match || match->confidence == Confidence::possible) continue;
      if (has_error(card.validate(*there))) continue;
      found_.push_back({&card, at, static_cast<std::size_t>(size)});
      return;
    }
  }

  // A ps2 card's superblock tells its size: pages of 512 bytes, with 16 more in one form.
  [[nodiscard]] std::uint64_t ps2_size(const CardLayout& card, std::size_t at) const {
    Cursor cursor(content_);
    const std::uint64_t pages = std::uint64_t{cursor.u32le(at + 0x30)} * cursor.u16le(at + 0x2A);
    const bool spare = card.info().id.ends_with("-ecc");
    return pages * (std::uint64_t{cursor.u16le(at + 0x28)} + (spare ? 16U : 0U));
  }

  [[nodiscard]] bool tired() const { return tries_ >= kMostTries || found_.size() == kMostFound; }

  ByteView content_;
  const CardLayout* wanted_;
  std::size_t tries_ = 0;
  std::uint64_t work_;  // bytes of cards that are still looked at
  std::vector<CardSighting> found_;
};

}  // namespace

std::vector<std::size_t> marks_of(System system, ByteView content, std::size_t most) {
  constexpr std::size_t kMostMarks = 64;
  std::vector<std::size_t> places;
  const auto mark = std::ranges::find(kMarks, system, &CardMark::system);
  if (mark == kMarks.end() || content.size() < mark->at) return places;
  const ByteView searched =
      content.subspan(mark->at, std::min(content.size() - mark->at, most + mark->text.size()));
  const std::string_view text(reinterpret_cast<const char*>(searched.data()), searched.size());
  for (std::size_t at = text.find(mark->text);
       at != std::string_view::npos && places.size() < kMostMarks;
       at = text.find(mark->text, at + 1))
    places.push_back(at);
  return places;
}

std::vector<CardSighting> cards_in(ByteView content, const CardLayout* wanted) {
  return CardSearch(content, wanted).run();
}

}  // namespace bayswap
