// Which program may have made a state, told without knowing any program.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <set>

#include "bayswap/state.h"
#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/packing/packing.h"
#include "core/states/sections.h"
#include "core/states/state_picture.h"
#include "core/states/state_samples.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kLookedAt = 64ULL << 20U;  // bytes of the content
constexpr std::size_t kHead = 64;                  // bytes

// Three of the first four bytes are letters: programs mark their files so.
std::string mark_of(ByteView content) {
  constexpr std::size_t kLongest = 8;
  constexpr std::size_t kLeast = 3;
  const ByteView start = content.first(std::min(kLongest, content.size()));
  if (start.size() < 4) return {};
  std::set<std::byte> values;
  std::size_t letters = 0;
  for (const std::byte value : start.first(4)) {
    values.insert(value);
    letters += is_printable({&value, 1}) ? 1 : 0;
  }
  if (letters < kLeast || values.size() < 2) return {};
  std::string mark;
  for (std::size_t i = 0; i < start.size(); ++i) {
    const bool letter = is_printable(start.subspan(i, 1));
    if (!letter && i >= 4) break;
    mark += static_cast<char>(to_u8(start[i]));
  }
  return mark;
}

std::set<std::string> set_of(const std::vector<std::string>& tags) {
  return {tags.begin(), tags.end()};
}

// Games bring some sections of their own: most of them have to be the same.
bool chunks_agree(const StateMaker& a, const StateMaker& b) {
  const auto one = set_of(a.chunks);
  const auto other = set_of(b.chunks);
  const auto common =
      std::ranges::count_if(one, [&](const std::string& tag) { return other.contains(tag); });
  const std::size_t fewer = std::min(one.size(), other.size());
  return fewer == 0 || static_cast<std::size_t>(common) * 3 >= fewer * 2;
}

// Letters and digits alone, in capitals.
std::string plain_letters(std::string_view text) {
  std::string plain;
  for (const char c : upper_ascii(text))
    if ((c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9')) plain += c;
  return plain;
}

bool is_name_of_game(const std::string& mark, const std::string& path) {
  constexpr std::size_t kCompared = 6;
  const std::string letters = plain_letters(mark).substr(0, kCompared);
  const std::string file = plain_letters(path.substr(path.rfind('/') + 1));
  return letters.size() >= 3 && file.find(letters) != std::string::npos;
}

std::string text_of(const SectionForm& form) {
  const std::string_view name = form.name == SectionForm::Name::fixed        ? "fixed"
                                : form.name == SectionForm::Name::zero_ended ? "zero"
                                                                             : "length";
  return fmt::format("{} {} {}{} {} {} {}", name, form.name_width, form.length_width,
                     form.order == std::endian::big ? "be" : "le", form.length_first, form.other,
                     form.check);
}

std::size_t letters_at_start(ByteView head) {
  std::size_t count = 0;
  while (count < head.size() && is_printable(head.subspan(count, 1))) ++count;
  return count;
}

// What stands at the beginning, but for a game's name.
bool heads_agree(const StateMaker& a, const StateMaker& b) {
  constexpr std::size_t kLeast = 8;
  std::size_t at = 0;
  if (a.mark_is_game || b.mark_is_game)
    at = std::max(letters_at_start(a.head), letters_at_start(b.head));
  std::set<std::byte> values;
  const std::size_t start = at;
  for (; at < std::min(a.head.size(), b.head.size()) && a.head[at] == b.head[at]; ++at)
    values.insert(a.head[at]);
  return at - start >= kLeast && values.size() >= 2;
}

// By a number or mark of four bytes; a game's name at the beginning says nothing.
bool begin_alike(const StateMaker& a, const StateMaker& b) {
  constexpr std::size_t kMark = 4;
  return a.mark_is_game ||
         std::equal(a.head.begin(),
                    a.head.begin() + static_cast<std::ptrdiff_t>(std::min(kMark, a.head.size())),
                    b.head.begin(),
                    b.head.begin() + static_cast<std::ptrdiff_t>(std::min(kMark, b.head.size())));
}

// Of two games, with chips of different sizes, and everything else alike.
bool differ_by_chips(std::uint64_t a, std::uint64_t b) {
  static constexpr std::array<std::uint64_t, 9> kChips{0,      0x200,  0x800,   0x1000, 0x2000,
                                                       0x4000, 0x8000, 0x10000, 0x20000};
  const std::uint64_t more = std::max(a, b) - std::min(a, b);
  return std::ranges::any_of(kChips, [&](std::uint64_t one) {
    return std::ranges::any_of(
        kChips, [&](std::uint64_t other) { return one >= other && one - other == more; });
  });
}

bool marks_agree(const StateMaker& a, const StateMaker& b, bool same_game) {
  constexpr std::size_t kProgramsOwn = 4;  // letters; behind them a game's title may follow
  if (a.mark_is_game || b.mark_is_game) return a.mark_is_game == b.mark_is_game;
  if (!same_game) return a.mark.substr(0, kProgramsOwn) == b.mark.substr(0, kProgramsOwn);
  // What follows a mark may look like more of it.
  const std::size_t both = std::min(a.mark.size(), b.mark.size());
  return a.mark.empty() == b.mark.empty() && a.mark.substr(0, both) == b.mark.substr(0, both);
}

// By letters of the program's own.
bool is_marked(const StateMaker& maker) {
  return !maker.mark.empty() && !maker.mark_is_game;
}

// One game's things stand in the same places, or all of them a little further on, where something
// before them is longer.
bool by_places(const StateMaker& a, const StateMaker& b) {
  constexpr std::size_t kLeast = 16;
  const SharedSamples counts = shared_samples(a.samples, b.samples);
  if (counts.shared >= kLeast)
    return counts.in_place * 5 >= counts.shared ||
           (counts.together * 5 >= counts.shared * 4 && (is_marked(a) || heads_agree(a, b)));
  return a.size == b.size || is_marked(a) || heads_agree(a, b);
}

}  // namespace

Result<StateInfo> read_state(ByteView file, const std::string& name) {
  StateInfo info;
  info.maker.packing = packing_of(file);
  Unpacked unpacked;
  ByteView content = file;
  if (info.maker.packing != Packing::plain) {
    auto done = unpack(file, info.maker.packing, kLookedAt, AtLimit::cut, name);
    if (!done) return tl::unexpected(done.error());
    unpacked = std::move(*done);
    content = unpacked.bytes;
  }
  info.maker.size = content.size();
  info.maker.mark = mark_of(content);
  info.maker.mark_is_game = is_name_of_game(info.maker.mark, name);
  const ByteView head = content.first(std::min(kHead, content.size()));
  info.maker.head.assign(head.begin(), head.end());
  if (const auto chain = sections_from_start(content)) {
    info.maker.section_form = text_of(chain->form);
    for (const Section& section : chain->sections) info.maker.chunks.push_back(section.tag);
  }
  info.maker.samples = samples_of(content);
  if (!unpacked.picture.empty()) info.picture = picture_in(unpacked.picture);
  if (!info.picture) info.picture = picture_in(content);
  return info;
}

bool same_program(const StateMaker& a, const StateMaker& b, bool same_game) {
  if (a.packing != b.packing || !marks_agree(a, b, same_game)) return false;
  if (!a.chunks.empty() || !b.chunks.empty())
    return a.section_form == b.section_form && chunks_agree(a, b);
  if (same_game) return by_places(a, b);
  constexpr std::uint64_t kSizeClass = 16;  // so many times as large is another kind of machine
  if (a.size > b.size * kSizeClass || b.size > a.size * kSizeClass) return false;
  return is_marked(a) || heads_agree(a, b) ||
         (begin_alike(a, b) && differ_by_chips(a.size, b.size));
}

std::string maker_text(const StateMaker& maker) {
  std::string text =
      maker.packing == Packing::plain ? "not packed" : std::string(to_string(maker.packing));
  if (!maker.mark.empty()) text += fmt::format(" · begins {}", safe_text(maker.mark));
  if (!maker.chunks.empty()) {
    constexpr std::size_t kShown = 4;
    std::vector<std::string> tags;
    for (const std::string& tag : maker.chunks)
      if (tags.size() < kShown && std::ranges::find(tags, tag) == tags.end())
        tags.push_back(ascii_text(as_bytes(tag)));
    text += fmt::format(" · {} ({}{})", counted(maker.chunks.size(), "section"),
                        safe_text(list_text(tags)), maker.chunks.size() > tags.size() ? " …" : "");
  }
  return text + fmt::format(" · {} bytes{}", grouped(maker.size),
                            maker.packing == Packing::plain ? "" : " unpacked");
}

}  // namespace bayswap
