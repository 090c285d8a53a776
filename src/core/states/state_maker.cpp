// Which program may have made a state, told without knowing any program.
#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "bayswap/state.h"
#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/packing/packing.h"
#include "core/states/sections.h"
#include "core/states/state_picture.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kLookedAt = 64ULL << 20U;  // bytes of the content

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
  const std::size_t all = one.size() + other.size() - static_cast<std::size_t>(common);
  return all == 0 || static_cast<std::size_t>(common) * 2 >= all;
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
  for (const Section& section : sections_of(content)) info.maker.chunks.push_back(section.tag);
  if (!unpacked.picture.empty()) info.picture = picture_in(unpacked.picture);
  if (!info.picture) info.picture = picture_in(content);
  return info;
}

SameProgram same_program(const StateMaker& a, const StateMaker& b, bool same_game) {
  constexpr std::uint64_t kSizeClass = 4;  // so many times as large is another kind of machine
  constexpr std::size_t kProgramsOwn = 4;  // letters; behind them a game's title may follow
  const std::size_t marked = same_game ? std::string::npos : kProgramsOwn;
  if (a.packing != b.packing || a.mark.substr(0, marked) != b.mark.substr(0, marked))
    return SameProgram::no;
  if (a.chunks.empty() != b.chunks.empty() || !chunks_agree(a, b)) return SameProgram::no;
  if (a.size > b.size * kSizeClass || b.size > a.size * kSizeClass) return SameProgram::no;
  if (a.size == b.size || !a.mark.empty() || !a.chunks.empty()) return SameProgram::yes;
  return same_game ? SameProgram::no : SameProgram::unknown;
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
