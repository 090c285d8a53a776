#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <map>

#include "core/bytes/text.h"
#include "core/bytes/toml_file.h"
#include "core/fields/bits.h"
#include "core/fields/search.h"

namespace bayswap::fields {
namespace {

struct Coding {
  std::size_t bytes;
  std::endian order;
  bool bcd;
  bool is_signed;
};

std::vector<Coding> codings() {
  std::vector<Coding> all;
  for (std::size_t bytes = 1; bytes <= 8; ++bytes)
    for (const std::endian order : {std::endian::little, std::endian::big})
      for (const bool bcd : {false, true})
        for (const bool is_signed : {false, true}) {
          if (bytes == 1 && order == std::endian::big) continue;
          if (bcd && (is_signed || bytes == 8)) continue;
          all.push_back({bytes, order, bcd, is_signed});
        }
  return all;
}

std::optional<std::int64_t> decoded(ByteView bytes, const Coding& coding) {
  const std::uint64_t raw = number_in(bytes, coding.order);
  const auto width = static_cast<unsigned>(bytes.size() * 8);
  if (!coding.bcd) {
    const bool negative = coding.is_signed && (raw >> (width - 1) & 1U) != 0;
    if (coding.is_signed && !negative) return std::nullopt;  // the unsigned coding has it
    return static_cast<std::int64_t>(negative ? raw | ~low_bits(width) : raw);
  }
  std::int64_t value = 0;
  for (unsigned i = width / 4; i-- > 0;) {
    const std::uint64_t digit = raw >> (4 * i) & 0xFU;
    if (digit > 9) return std::nullopt;
    value = value * 10 + static_cast<std::int64_t>(digit);
  }
  return value;
}

bool holds(const Clue& clue, std::int64_t value, std::int64_t before) {
  switch (clue.kind) {
    case Clue::Kind::value: return value == clue.value;
    case Clue::Kind::same: return value == before;
    case Clue::Kind::changed: return value != before;
    case Clue::Kind::larger: return value > before;
    case Clue::Kind::smaller: return value < before;
    case Clue::Kind::text: return false;
  }
  return false;
}

// A small number fills wide fields with zeros: the narrowest that stands where it can is likeliest.
int rank(const FoundPlace& place, const Coding& coding) {
  int rank = static_cast<int>(coding.bytes) + (coding.bcd ? 4 : 0) + (coding.is_signed ? 3 : 0);
  if (place.at % coding.bytes != 0) rank += 4;
  return rank;
}

std::optional<char> class_of(char c) {
  if (c >= 'A' && c <= 'Z') return 'A';
  if (c >= 'a' && c <= 'z') return 'a';
  if (c >= '0' && c <= '9') return '0';
  return std::nullopt;
}

// Letters of one kind stand one behind the other in nearly every game's table.
std::optional<FoundPlace> text_at(ByteView save, std::size_t at, const std::string& text) {
  if (text.size() > save.size() - at) return std::nullopt;
  std::map<char, std::uint8_t> first;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const auto kind = class_of(text[i]);
    if (!kind) continue;
    const auto base = static_cast<std::uint8_t>(to_u8(save[at + i]) - (text[i] - *kind));
    const auto [known, is_new] = first.emplace(*kind, base);
    if (!is_new && known->second != base) return std::nullopt;
  }
  FoundPlace place;
  place.at = at;
  place.type = "text";
  place.length = text.size();
  bool ascii = true;
  for (const auto& [kind, base] : first) ascii = ascii && base == static_cast<std::uint8_t>(kind);
  if (!ascii) place.letters.assign(first.begin(), first.end());
  return place;
}

}  // namespace

Result<FoundPlaces> find_places(const std::vector<ByteView>& saves, const std::vector<Clue>& clues,
                                std::size_t most) {
  const auto wrong = [](const char* why, const char* hint) {
    return fail(Trouble::usage, Code::usage, why, hint);
  };
  if (saves.empty() || clues.size() != saves.size())
    return wrong("each save needs what is known of the value in it", "give one clue for each save");
  if (std::ranges::any_of(saves, [&](ByteView save) { return save.size() != saves[0].size(); }))
    return wrong("the saves have different sizes", "take saves of one game and one program");
  FoundPlaces found;
  const std::size_t size = saves[0].size();
  std::vector<std::pair<int, FoundPlace>> ranked;
  if (clues[0].kind == Clue::Kind::text) {
    // Two letters of a kind are the least that tells anything.
    if (clues[0].text.size() < 3)
      return wrong("a text of fewer than three letters is everywhere", "give more of it");
    for (std::size_t at = 0; at + clues[0].text.size() <= size; ++at) {
      auto place = text_at(saves[0], at, clues[0].text);
      for (std::size_t i = 1; place && i < saves.size(); ++i)
        if (clues[i].kind == Clue::Kind::text) {
          const auto there = text_at(saves[i], at, clues[i].text);
          if (!there) place.reset();
        }
      if (place) ranked.emplace_back(place->letters.empty() ? 0 : 1, std::move(*place));
    }
  } else if (clues[0].kind != Clue::Kind::value) {
    return wrong("the first save needs a value or a text", "say what the game shows for it");
  } else {
    for (const Coding& coding : codings())
      for (std::size_t at = 0; at + coding.bytes <= size; ++at) {
        FoundPlace place{at,
                         coding.bcd
                             ? fmt::format("bcd{}", coding.bytes * 2)
                             : fmt::format("{}{}", coding.is_signed ? 'i' : 'u', coding.bytes * 8),
                         coding.order,
                         {},
                         0,
                         {}};
        for (std::size_t i = 0; i < saves.size(); ++i) {
          const auto value = decoded(saves[i].subspan(at, coding.bytes), coding);
          if (!value || !holds(clues[i], *value, i == 0 ? 0 : place.values.back())) break;
          place.values.push_back(*value);
        }
        if (place.values.size() == saves.size()) {
          const int at_rank = rank(place, coding);
          ranked.emplace_back(at_rank, std::move(place));
        }
      }
  }
  std::ranges::stable_sort(ranked, {}, &std::pair<int, FoundPlace>::first);
  found.all = ranked.size();
  for (auto& [at_rank, place] : ranked)
    if (found.places.size() < most) found.places.push_back(std::move(place));
  return found;
}

std::string map_lines(const FoundPlace& place) {
  std::string text = fmt::format("[[field]]\nname = \"at_{:x}\"\nat = 0x{:x}\ntype = \"{}\"\n",
                                 place.at, place.at, place.type);
  if (place.type == "text") {
    text += fmt::format("length = {}\n", place.length);
    if (!place.letters.empty()) text += "encoding = \"own\"\n";
  } else if (place.type != "u8" && place.type != "i8" && place.type != "bcd2") {
    text += fmt::format("order = \"{}\"\n", place.order == std::endian::big ? "big" : "little");
  }
  for (const auto& [kind, byte] : place.letters) {
    std::string run;
    const int count = kind == '0' ? 10 : 26;
    for (int i = 0; i < count && byte + i <= 0xFF; ++i) run += static_cast<char>(kind + i);
    text +=
        fmt::format("\n[[text.own.run]]\nat = 0x{:02x}\nletters = {}\n", byte, toml_string(run));
  }
  return text;
}

}  // namespace bayswap::fields
