#include "core/fields/value_text.h"

#include <fmt/core.h>

#include <algorithm>
#include <charconv>
#include <chrono>
#include <set>
#include <sstream>

#include "core/bytes/encodings.h"
#include "core/bytes/text.h"
#include "core/bytes/time_text.h"
#include "core/fields/bits.h"

namespace bayswap::fields {
namespace {

tl::unexpected<Error> unusable(const FieldAt& at, const std::string& why, const std::string& hint) {
  return fail(Trouble::usage, Code::usage, fmt::format("{}: {}", safe_text(at.path()), why), hint);
}

std::string plain_number(const Field& field, std::int64_t value) {
  if (!field.is_signed && field.shape == Shape::number)
    return std::to_string(static_cast<std::uint64_t>(value));
  return std::to_string(value);
}

// Exact: the divisor has only 2s and 5s.
std::string decimal_text(std::int64_t value, std::int64_t divide) {
  std::uint64_t rest =
      value < 0 ? 0 - static_cast<std::uint64_t>(value) : static_cast<std::uint64_t>(value);
  const auto by = static_cast<std::uint64_t>(divide);
  std::string text = fmt::format("{}{}", value < 0 ? "-" : "", rest / by);
  rest %= by;
  if (rest > 0) text += '.';
  for (; rest > 0; rest %= by) {
    rest *= 10;
    text += static_cast<char>('0' + rest / by);
  }
  return text;
}

constexpr std::int64_t kFarTime = 1'000'000'000'000;  // seconds

std::int64_t units_of(std::int64_t value, const TimeForm& form) {
  return value / form.second;
}

std::string span_text(std::int64_t value, const TimeForm& form) {
  const std::int64_t seconds = units_of(value, form) * form.unit;
  return fmt::format("{}:{:02}:{:02}", seconds / 3600, seconds / 60 % 60, seconds % 60);
}

std::string time_text(std::int64_t value, const TimeForm& form) {
  const std::int64_t units = units_of(value, form);
  if (units > kFarTime / form.unit || units < -kFarTime / form.unit) return std::to_string(value);
  if (form.span) return span_text(value, form);
  const std::string text = utc_text(Time(std::chrono::seconds(form.since + units * form.unit)));
  constexpr std::int64_t kDay = 86'400;
  return form.unit == kDay ? text.substr(0, text.find(' ')) : text;
}

// The element that a number refers to, with the name that the path gives it: `rooms.name`.
Result<std::string> referred(FieldView& view, const FieldAt& at, std::int64_t value) {
  const auto& path = at.field->refers;
  std::string wanted = fmt::format("{}[{}]", path.front(), value);
  for (std::size_t i = 1; i < path.size(); ++i) wanted += "." + path[i];
  const auto found = view.find(wanted);
  if (!found) return tl::unexpected(found.error());
  if (!found->front().field->refers.empty()) return std::string();  // it could go on for ever
  return text_of(view, found->front());
}

std::string flags_text(const Field& field, std::uint64_t value) {
  std::vector<std::string> set;
  for (const auto& [bit, name] : field.flags)
    if ((value >> bit & 1U) != 0) set.push_back(name);
  return set.empty() ? "none" : joined(set, ", ");
}

std::string table_text(const TextTable& table, ByteView bytes) {
  std::string text;
  for (const std::byte byte : bytes) {
    const auto letter = std::ranges::find(table.letters, to_u8(byte),
                                          &std::pair<std::string, std::uint8_t>::second);
    text += letter == table.letters.end() ? fmt::format("<{:02x}>", to_u8(byte)) : letter->first;
  }
  return text;
}

Result<std::string> decoded(FieldView& view, const Field& field, ByteView bytes) {
  if (field.end) {
    const auto end = std::ranges::find(bytes, *field.end);
    bytes = bytes.first(static_cast<std::size_t>(end - bytes.begin()));
  }
  const std::size_t unit = field.encoding == "utf-16" ? 2 : 1;
  const auto is_fill = [&](ByteView last) {
    return std::ranges::all_of(last, [&](std::byte byte) { return byte == field.fill; });
  };
  while (bytes.size() >= unit && is_fill(bytes.last(unit)))
    bytes = bytes.first(bytes.size() - unit);
  if (const auto table = view.map().texts.find(field.encoding); table != view.map().texts.end())
    return table_text(table->second, bytes);
  if (field.encoding == "shift-jis") return shift_jis_text(bytes);
  if (field.encoding == "latin-1") return latin_text(bytes);
  if (field.encoding == "utf-16") {
    Bytes big(bytes.begin(), bytes.end());
    if (field.order == std::endian::little)
      for (std::size_t i = 0; i + 1 < big.size(); i += 2) std::swap(big[i], big[i + 1]);
    return utf16be_text(big);
  }
  std::string text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
  return safe_text(text.substr(0, text.find('\0')));
}

// --- what is typed ---

std::string without_unit(std::string typed, const Field& field) {
  typed = trimmed(std::move(typed));
  if (!field.unit.empty() && typed.size() > field.unit.size() && typed.ends_with(field.unit))
    typed = trimmed(typed.substr(0, typed.size() - field.unit.size()));
  return typed;
}

// A whole number, decimal or hex; nothing for other text.
std::optional<std::int64_t> whole_number(std::string_view text) {
  const bool negative = text.starts_with('-');
  if (negative || text.starts_with('+')) text.remove_prefix(1);
  const bool hex = text.starts_with("0x");
  if (hex) text.remove_prefix(2);
  std::uint64_t value = 0;
  const auto [end, error] =
      std::from_chars(text.data(), text.data() + text.size(), value, hex ? 16 : 10);
  if (text.empty() || error != std::errc() || end != text.data() + text.size()) return std::nullopt;
  return static_cast<std::int64_t>(negative ? 0 - value : value);
}

std::optional<std::int64_t> decimal_number(std::string_view text, std::int64_t divide) {
  const auto dot = text.find('.');
  const std::string head(text.substr(0, dot));
  const auto whole = whole_number(head == "-" || head.empty() ? head + "0" : head);
  const std::int64_t most = (1LL << 62) / divide;
  if (!whole || *whole > most || *whole < -most) return std::nullopt;
  std::int64_t value = *whole * divide;
  if (dot == std::string_view::npos) return value;
  std::int64_t scale = divide;
  const bool negative = head.starts_with('-');
  std::int64_t rest = 0;
  std::int64_t tens = 1;
  for (const char c : text.substr(dot + 1)) {
    if (c < '0' || c > '9' || tens > 100'000'000) return std::nullopt;
    tens *= 10;
    rest = rest * 10 + (c - '0');
  }
  if (rest * scale % tens != 0) return std::nullopt;  // it can't be stored exactly
  value += (negative ? -1 : 1) * (rest * scale / tens);
  return value;
}

std::optional<std::int64_t> time_number(const std::string& text, const TimeForm& form) {
  std::istringstream in(text);
  char mark = 0;
  if (form.span) {
    std::int64_t hours = 0;
    std::int64_t minutes = 0;
    std::int64_t seconds = 0;
    in >> hours >> mark >> minutes >> mark >> seconds;
    if (!in || minutes < 0 || minutes > 59 || seconds < 0 || seconds > 59 || hours < 0 ||
        hours > 1'000'000)
      return std::nullopt;
    return (hours * 3600 + minutes * 60 + seconds) / form.unit * form.second;
  }
  int year = 0;
  unsigned month = 0;
  unsigned day = 0;
  in >> year >> mark >> month >> mark >> day;
  const std::chrono::year_month_day date{std::chrono::year{year}, std::chrono::month{month},
                                         std::chrono::day{day}};
  if (!in || !date.ok()) return std::nullopt;
  std::int64_t clock[3] = {0, 0, 0};
  if (in.peek() == 'T') in.get();
  for (std::int64_t& one : clock)
    if (!(in >> one))
      break;
    else if (in.peek() == ':')
      in.get();
  for (const std::int64_t one : clock)
    if (one < 0 || one > 59) return std::nullopt;
  const std::int64_t seconds =
      std::chrono::sys_seconds(std::chrono::sys_days(date)).time_since_epoch().count() +
      clock[0] * 3600 + clock[1] * 60 + clock[2] - form.since;
  return seconds % form.unit == 0 ? std::optional(seconds / form.unit * form.second) : std::nullopt;
}

std::string names_text(const Enumeration& names) {
  constexpr std::size_t kMost = 12;
  std::vector<std::string> list;
  for (const auto& [number, name] : names.names)
    if (list.size() < kMost) list.push_back(name);
  if (names.names.size() > kMost)
    list.push_back(fmt::format("{} more", names.names.size() - kMost));
  return list_text(list);
}

Result<std::int64_t> flags_number(const FieldAt& at, const std::string& typed) {
  if (typed == "none") return 0;
  std::uint64_t value = 0;
  std::istringstream words(typed);
  for (std::string word; std::getline(words, word, ',');) {
    const auto flag = std::ranges::find(at.field->flags, trimmed(word),
                                        &std::pair<unsigned, std::string>::second);
    if (flag == at.field->flags.end()) {
      std::vector<std::string> names;
      for (const auto& [bit, name] : at.field->flags) names.push_back(name);
      return unusable(at, fmt::format("'{}' is not one of its flags", safe_text(trimmed(word))),
                      fmt::format("it has: {}; or none", list_text(names)));
    }
    value |= 1ULL << flag->first;
  }
  return static_cast<std::int64_t>(value);
}

// The number that a person means.
Result<std::int64_t> meant_number(FieldView& view, const FieldAt& at, const std::string& text) {
  const Field& field = *at.field;
  const std::string typed = without_unit(text, field);
  if (at.flag) {
    if (typed == "yes" || typed == "1" || typed == "no" || typed == "0")
      return typed == "yes" || typed == "1" ? 1 : 0;
    return unusable(at, fmt::format("'{}' is neither yes nor no", safe_text(typed)),
                    "write yes or no");
  }
  if (const auto names = view.map().enumerations.find(field.enumeration);
      names != view.map().enumerations.end()) {
    for (const auto& [number, name] : names->second.names)
      if (lower_ascii(name) == lower_ascii(typed)) return number;
    if (const auto number = whole_number(typed)) return *number;
    return unusable(at, fmt::format("'{}' is not one of its names", safe_text(typed)),
                    fmt::format("it can be {}", names_text(names->second)));
  }
  if (field.time) {
    if (const auto number = time_number(typed, *field.time)) return *number;
    return unusable(
        at, fmt::format("'{}' is not a time", safe_text(typed)),
        field.time->span ? "write it like 12:34:56" : "write it like 2026-01-31 12:00:00");
  }
  if (!field.flags.empty() && !whole_number(typed)) return flags_number(at, typed);
  if (field.divide != 1) {
    if (const auto number = decimal_number(typed, field.divide)) return *number;
    return unusable(at, fmt::format("'{}' can't be stored exactly", safe_text(typed)),
                    fmt::format("it goes in steps of {}", decimal_text(1, field.divide)));
  }
  if (const auto number = whole_number(typed)) return *number;
  if (!field.refers.empty()) {
    const auto count = view.find(field.refers.front() + "[*]" +
                                 (field.refers.size() > 1 ? "." + field.refers[1] : ""));
    if (count)
      for (const FieldAt& one : *count)
        if (text_of(view, one).value_or("") == typed)
          return static_cast<std::int64_t>(field.refers.size() > 1 ? one.in->index : one.index);
  }
  return unusable(at, fmt::format("'{}' is not a number", safe_text(typed)),
                  "write it like 120 or 0x78");
}

Result<void> check_width(const FieldAt& at, std::int64_t value) {
  const Field& field = *at.field;
  std::int64_t least = 0;
  std::uint64_t most = at.flag ? 1 : low_bits(field.width);
  if (field.shape == Shape::bcd) {
    most = 1;
    for (unsigned i = 0; i < field.width; ++i) most *= 10;
    --most;
  }
  if (field.is_signed) {
    most /= 2;
    least = -static_cast<std::int64_t>(most) - 1;
  }
  const bool wide = field.width == 64 && field.shape == Shape::number;
  if (wide || (value >= least && (value < 0 || static_cast<std::uint64_t>(value) <= most)))
    return {};
  return unusable(at, fmt::format("{} does not fit there", value),
                  fmt::format("it holds {} to {}", least, most));
}

std::optional<Bytes> encoded(FieldView& view, const Field& field, const std::string& text) {
  Bytes bytes;
  const auto table = view.map().texts.find(field.encoding);
  if (table != view.map().texts.end()) {
    for (std::size_t at = 0; at < text.size();) {
      const auto letter = std::ranges::find_if(table->second.letters, [&](const auto& one) {
        return std::string_view(text).substr(at).starts_with(one.first);
      });
      if (letter == table->second.letters.end()) return std::nullopt;
      bytes.push_back(static_cast<std::byte>(letter->second));
      at += letter->first.size();
    }
    return bytes;
  }
  if (field.encoding == "shift-jis") return shift_jis_bytes(text);
  if (field.encoding == "utf-8") return Bytes(as_bytes(text).begin(), as_bytes(text).end());
  for (std::size_t at = 0; at < text.size();) {
    const Letter letter = letter_at(text, at);
    const char32_t most = field.encoding == "ascii"     ? 0x7E
                          : field.encoding == "latin-1" ? 0xFF
                                                        : 0xFFFF;
    if (!letter.valid || letter.point > most || letter.point < 0x20) return std::nullopt;
    Bytes unit(field.encoding == "utf-16" ? 2 : 1);
    store_number(unit, letter.point, field.order);
    bytes.insert(bytes.end(), unit.begin(), unit.end());
    at += letter.bytes;
  }
  return bytes;
}

Result<void> put_letters(FieldView& view, const FieldAt& at, const std::string& typed) {
  const Field& field = *at.field;
  const auto now = view.raw(at);
  if (!now) return tl::unexpected(now.error());
  auto bytes = field.shape == Shape::bytes ? bytes_of_hex(replaced(typed, " ", ""))
                                           : encoded(view, field, typed);
  if (!bytes)
    return unusable(
        at, fmt::format("'{}' can't be written in its letters", safe_text(typed)),
        field.shape == Shape::bytes ? "write bytes as hex digits" : "use other letters");
  const std::size_t room = now->size();
  if (bytes->size() > room || (field.shape == Shape::bytes && bytes->size() != room))
    return unusable(at, fmt::format("it takes {} bytes, and the field has {}", bytes->size(), room),
                    "write less");
  if (field.end && bytes->size() < room) bytes->push_back(*field.end);
  bytes->resize(room, field.fill);
  return view.put(at, *bytes);
}

std::string ranges_text(const std::vector<std::int64_t>& values, const Field& field) {
  constexpr std::size_t kMost = 8;
  std::vector<std::string> ranges;
  for (std::size_t i = 0; i < values.size();) {
    std::size_t end = i;
    while (end + 1 < values.size() && values[end + 1] == values[end] + 1) ++end;
    ranges.push_back(end == i ? plain_number(field, values[i])
                              : fmt::format("{} to {}", plain_number(field, values[i]),
                                            plain_number(field, values[end])));
    i = end + 1;
  }
  if (ranges.size() > kMost) {
    ranges.resize(kMost);
    ranges.emplace_back("others");
  }
  return list_text(ranges);
}

}  // namespace

Result<std::string> text_of(FieldView& view, const FieldAt& at) {
  const Field& field = *at.field;
  if (field.shape == Shape::text || field.shape == Shape::bytes) {
    const auto bytes = view.raw(at);
    if (!bytes) return tl::unexpected(bytes.error());
    return field.shape == Shape::bytes ? hex_text(*bytes) : decoded(view, field, *bytes);
  }
  const auto value = view.number(at);
  if (!value) return tl::unexpected(value.error());
  if (at.flag) return *value != 0 ? "yes" : "no";
  if (const auto names = view.map().enumerations.find(field.enumeration);
      names != view.map().enumerations.end())
    if (const std::string* name = names->second.name_of(*value)) return *name;
  if (field.time) return time_text(*value, *field.time);
  if (!field.flags.empty()) return flags_text(field, static_cast<std::uint64_t>(*value));
  if (field.divide != 1) return decimal_text(*value, field.divide);
  const std::string number = plain_number(field, *value);
  if (field.refers.empty()) return number;
  const auto name = referred(view, at, *value);
  return name && !name->empty() ? fmt::format("{} ({})", number, *name) : number;
}

Result<void> put_text(FieldView& view, const FieldAt& at, const std::string& typed) {
  if (at.field->shape == Shape::text || at.field->shape == Shape::bytes)
    return put_letters(view, at, typed);
  const auto value = meant_number(view, at, typed);
  if (!value) return tl::unexpected(value.error());
  if (auto fits = check_width(at, *value); !fits) return fits;
  return view.put_number(at, *value);
}

std::string legal_values(FieldView& view, const FieldAt& at,
                         const std::vector<FieldView::Broken>& before) {
  const Field& field = *at.field;
  if ((field.shape != Shape::number && field.shape != Shape::bcd) || at.flag) return {};
  const auto now = view.number(at);
  if (!now) return {};
  // All where they are few; else those that the map names.
  constexpr unsigned kFewBits = 8;
  std::set<std::int64_t> tried;
  if (field.shape == Shape::number && field.width <= kFewBits)
    for (std::int64_t value = 0; value <= static_cast<std::int64_t>(low_bits(field.width)); ++value)
      tried.insert(field.is_signed && value > static_cast<std::int64_t>(low_bits(field.width - 1))
                       ? value - static_cast<std::int64_t>(low_bits(field.width)) - 1
                       : value);
  else {
    constexpr std::size_t kMostTried = 200;
    for (const auto& [name, table] : view.map().tables)
      for (const std::int64_t value : table)
        if (tried.size() < kMostTried) tried.insert(value);
    for (const auto& limit : {field.least, field.most})
      if (limit) tried.insert({*limit, *limit - 1, *limit + 1});
    tried.insert(0);
  }
  // Each asks all rules: not where that takes long.
  constexpr std::size_t kMostAsked = 1'000'000;
  const auto fields = view.all();
  if (!fields || fields->size() * tried.size() > kMostAsked) return {};
  std::vector<std::int64_t> legal;
  for (const std::int64_t value : tried) {
    if (!check_width(at, value) || !view.put_number(at, value)) continue;
    const auto broken = view.broken_rules();
    const auto is_new = [&](const FieldView::Broken& one) {
      return std::ranges::find(before, one) == before.end();
    };
    if (broken && std::ranges::none_of(*broken, is_new)) legal.push_back(value);
  }
  (void)view.put_number(at, *now);
  if (legal.empty()) return {};
  if (field.shape == Shape::number && field.width <= kFewBits) return ranges_text(legal, field);
  // Where the range alone tells which of them are legal.
  const auto in_range = [&](std::int64_t value) {
    return value >= field.least.value_or(value) && value <= field.most.value_or(value);
  };
  const auto ranged = static_cast<std::size_t>(std::ranges::count_if(tried, in_range));
  if (field.least && field.most && ranged == legal.size())
    return fmt::format("{} to {}", *field.least, *field.most);
  return fmt::format("for example {}", ranges_text(legal, field));
}

}  // namespace bayswap::fields
