// Looking for values and checksums in saves that no map describes yet.
#include <fmt/core.h>

#include <algorithm>
#include <charconv>

#include "core/bytes/text.h"
#include "core/fields/search.h"
#include "moves/field_maps.h"

namespace bayswap {
namespace {

// The largest part but a clock: progress lies there.
Result<Bytes> bytes_of(Session& session, const std::string& address) {
  const auto opened = open_unmapped(session, {address, {}, {}, {}});
  if (!opened) return tl::unexpected(opened.error());
  const Part* largest = nullptr;
  for (const Part& part : opened->source.save.parts)
    if (part.name != "clock" && (largest == nullptr || part.data.size() > largest->data.size()))
      largest = &part;
  if (largest != nullptr) return largest->data;
  return fail(Trouble::input, Code::no_match,
              fmt::format("{}: holds no save that can be read", safe_text(address)));
}

Result<fields::Clue> clue_of(const std::string& text, bool as_text) {
  using Kind = fields::Clue::Kind;
  for (const auto& [word, kind] : {std::pair{"unchanged", Kind::same},
                                   {"changed", Kind::changed},
                                   {"larger", Kind::larger},
                                   {"smaller", Kind::smaller}})
    if (text == word) return fields::Clue{kind, 0, ""};
  if (as_text) return fields::Clue{Kind::text, 0, text};
  fields::Clue clue;
  const bool hex = text.starts_with("0x");
  const char* begin = text.data() + (hex ? 2 : 0);
  const auto [end, error] =
      std::from_chars(begin, text.data() + text.size(), clue.value, hex ? 16 : 10);
  if (error == std::errc() && end == text.data() + text.size()) return clue;
  return fail(Trouble::usage, Code::usage, fmt::format("'{}' is not a number", safe_text(text)),
              "write a number, or unchanged, changed, larger or smaller");
}

std::string place_words(const fields::FoundPlace& place) {
  std::vector<std::string> values;
  for (const std::int64_t value : place.values) values.push_back(std::to_string(value));
  const std::string order =
      place.type.ends_with("8") || place.type == "text" || place.type == "bcd2" ? ""
      : place.order == std::endian::big                                         ? ", big"
                                                                                : ", little";
  return fmt::format("0x{:04x}  {}{}{}{}", place.at, place.type, order, values.empty() ? "" : ": ",
                     joined(values, ", "));
}

std::string sum_words(const fields::GuessedSum& guess) {
  using Kind = fields::Checksum::Kind;
  const fields::Checksum& sum = guess.sum;
  const std::string kind = sum.kind == Kind::crc   ? fmt::format("CRC-{}", sum.width)
                           : sum.kind == Kind::sum ? fmt::format("sum of {} bits", sum.unit)
                                                   : fmt::format("XOR of {} bits", sum.unit);
  return fmt::format("0x{:04x}  {} over 0x{:x} to 0x{:x}", guess.at, kind, guess.from,
                     guess.from + guess.size - 1);
}

std::vector<ByteView> views_of(const std::vector<Bytes>& contents) {
  return {contents.begin(), contents.end()};
}

}  // namespace

Result<FoundFields> find_fields(Session& session, const std::vector<FieldHint>& hints, bool as_text,
                                std::size_t most) {
  std::vector<Bytes> contents;
  std::vector<fields::Clue> clues;
  for (const FieldHint& hint : hints) {
    auto clue = clue_of(hint.clue, as_text);
    if (!clue) return tl::unexpected(clue.error());
    clues.push_back(std::move(*clue));
    auto bytes = bytes_of(session, hint.save);
    if (!bytes) return tl::unexpected(bytes.error());
    contents.push_back(std::move(*bytes));
  }
  const auto places = fields::find_places(views_of(contents), clues, most);
  if (!places) return tl::unexpected(places.error());
  FoundFields found;
  found.all = places->all;
  for (const fields::FoundPlace& place : places->places)
    found.found.push_back({place_words(place), map_lines(place)});
  return found;
}

Result<FoundFields> guess_fields(Session& session, const std::vector<std::string>& saves,
                                 std::size_t most) {
  std::vector<Bytes> contents;
  for (const std::string& save : saves) {
    auto bytes = bytes_of(session, save);
    if (!bytes) return tl::unexpected(bytes.error());
    contents.push_back(std::move(*bytes));
  }
  FoundFields found;
  for (const fields::GuessedSum& guess : fields::guess_sums(views_of(contents), most))
    found.found.push_back({sum_words(guess), map_lines(guess)});
  for (const fields::GuessedCopies& copies : fields::guess_copies(contents.front()))
    found.found.push_back({fmt::format("0x{:04x} and 0x{:04x}  {} that are nearly the same",
                                       copies.first, copies.second, size_text(copies.size)),
                           map_lines(copies)});
  found.all = found.found.size();
  return found;
}

}  // namespace bayswap
