#include "readers/reader.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>

#include "core/bytes/text.h"

namespace bayswap {
namespace {

constexpr std::size_t kMostItems = 16;  // of a list
constexpr std::int64_t kLeastChunk = 64;
constexpr std::int64_t kMostChunk = 32'768;
constexpr std::int64_t kMostVolts = 12'000;            // millivolts
constexpr std::int64_t kLargestRomArea = 1LL << 30U;   // bytes; no cartridge has more
constexpr std::int64_t kLargestChipArea = 1LL << 24U;  // the same of chips

bool is_area_name(const std::string& name) {
  const bool numbered =
      name.size() == 5 && name.starts_with("save") && name[4] >= '2' && name[4] <= '9';
  return name == "rom" || name == "save" || numbered;
}

bool is_chip(const std::string& chip) {
  static constexpr std::array<std::string_view, 4> kChips{"sram", "eeprom", "flash", "clock"};
  return std::ranges::find(kChips, std::string_view(chip)) != kChips.end();
}

std::optional<std::int64_t> number_between(const CborMap& fields, std::string_view key,
                                           std::int64_t least, std::int64_t most) {
  const auto number = number_in(fields, key);
  return number && *number >= least && *number <= most ? number : std::nullopt;
}

std::optional<CartridgeArea> area_of(const CborValue& value) {
  const auto* fields = std::get_if<CborMap>(&value.is);
  const std::string* name = fields == nullptr ? nullptr : text_in(*fields, "area");
  if (name == nullptr || !is_area_name(*name)) return std::nullopt;
  CartridgeArea area;
  area.name = *name;
  if (has_key(*fields, "size")) {
    const auto size =
        number_between(*fields, "size", 1, area.name == "rom" ? kLargestRomArea : kLargestChipArea);
    if (!size) return std::nullopt;
    area.size = static_cast<std::uint64_t>(*size);
  }
  if (area.name == "rom") return area;
  const std::string* chip = text_in(*fields, "chip");
  if (chip == nullptr || !is_chip(*chip)) return std::nullopt;
  area.chip = *chip;
  for (const auto& [key, into] :
       {std::pair{"page", &area.page}, {"erase_page", &area.erase_page}}) {
    if (!has_key(*fields, key)) continue;
    const auto size = number_between(*fields, key, 1, kLargestChipArea);
    if (!size) return std::nullopt;
    *into = static_cast<std::uint64_t>(*size);
  }
  if (area.chip == "flash" && area.erase_page == 0) area.erase_page = area.page;
  return area;
}

CborValue number(std::uint64_t value) {
  return {static_cast<std::int64_t>(value)};
}

CborMap where(const CartridgeArea& area, std::uint64_t at, std::uint64_t size) {
  CborMap with;
  with.emplace_back("area", CborValue{area.name});
  with.emplace_back("at", number(at));
  with.emplace_back("size", number(size));
  return with;
}

CborMap in_session(CborMap with, std::int64_t session) {
  with.emplace_back("session", CborValue{session});
  return with;
}

}  // namespace

int volts_of(System system) {
  const bool low = system == System::gba || system == System::n64 || system == System::nds;
  return low ? 3300 : 5000;
}

Result<ReaderInfo> CartridgeReader::hello() {
  const auto answer = ask("hello", {});
  if (!answer) return tl::unexpected(answer.error());
  const CborMap& fields = answer->fields;
  ReaderInfo info;
  const auto link = number_in(fields, "link");
  if (link && *link != 1)
    return fail(Trouble::place, Code::reader_failed,
                fmt::format("the reader speaks version {} of the link, and only 1 is known", *link),
                "update Bay Swap, or the reader's firmware");
  const std::string* name = text_in(fields, "name");
  const std::string* serial = text_in(fields, "serial");
  const auto chunk = number_between(fields, "chunk", kLeastChunk, kMostChunk);
  const auto volts = number_between(fields, "volts", 0, kMostVolts);
  const auto* can = list_in(fields, "can_volts");
  const std::string* by = text_in(fields, "volts_by");
  const auto* slots = list_in(fields, "slots");
  if (!link || name == nullptr || serial == nullptr || !chunk || !volts || can == nullptr ||
      by == nullptr || slots == nullptr || (*by != "host" && *by != "switch") ||
      can->size() > kMostItems || slots->size() > kMostItems || name->size() > kLongestReaderText ||
      serial->size() > kLongestReaderText)
    return tl::unexpected(senseless("hello"));
  info.name = *name;
  info.serial = *serial;
  info.chunk = static_cast<std::size_t>(*chunk);
  info.volts_mv = static_cast<int>(*volts);
  info.volts_by_switch = *by == "switch";
  for (const CborValue& one : *can) {
    const auto* volt = std::get_if<std::int64_t>(&one.is);
    if (volt == nullptr || *volt < 0 || *volt > kMostVolts)
      return tl::unexpected(senseless("hello"));
    info.can_volts_mv.push_back(static_cast<int>(*volt));
  }
  for (const CborValue& one : *slots)
    if (const auto* slot = std::get_if<std::string>(&one.is))
      if (const auto system = parse_system(*slot)) info.slots.push_back(*system);
  return info;
}

Result<void> CartridgeReader::set_volts(int millivolts) {
  const auto answer = ask("volts", {{"volts", {std::int64_t{millivolts}}}});
  if (!answer) return tl::unexpected(answer.error());
  if (number_in(answer->fields, "volts") != millivolts) return tl::unexpected(senseless("volts"));
  return {};
}

Result<InSlot> CartridgeReader::probe() {
  const auto answer = ask("probe", {});
  if (!answer) return tl::unexpected(answer.error());
  InSlot slot;
  const auto present = truth_in(answer->fields, "present");
  if (!present) return tl::unexpected(senseless("probe"));
  slot.present = *present;
  if (!slot.present) return slot;
  const std::string* system = text_in(answer->fields, "slot");
  const auto session = number_in(answer->fields, "session");
  const auto known = system == nullptr ? std::nullopt : parse_system(*system);
  if (!known || !session) return tl::unexpected(senseless("probe"));
  slot.system = *known;
  slot.session = *session;
  return slot;
}

Result<std::vector<CartridgeArea>> CartridgeReader::areas(std::int64_t session) {
  const auto answer = ask_in_session("areas", {}, session);
  if (!answer) return tl::unexpected(answer.error());
  const auto* list = list_in(answer->fields, "areas");
  if (list == nullptr || list->size() > kMostItems) return tl::unexpected(senseless("areas"));
  std::vector<CartridgeArea> areas;
  for (const CborValue& one : *list) {
    auto area = area_of(one);
    const bool twice =
        area && std::ranges::find(areas, area->name, &CartridgeArea::name) != areas.end();
    if (!area || twice) return tl::unexpected(senseless("areas"));
    areas.push_back(std::move(*area));
  }
  return areas;
}

Result<std::optional<Bytes>> CartridgeReader::read(const CartridgeArea& area, std::uint64_t at,
                                                   std::size_t size, std::int64_t session) {
  auto answer = ask_in_session("read", where(area, at, size), session);
  if (!answer && answer.error().code == Code::wrong_size && !area.size)
    return std::optional<Bytes>{};
  if (!answer) return tl::unexpected(answer.error());
  auto data = take_bytes(answer->fields, "data");
  if (!data || data->size() != size) return tl::unexpected(senseless("read"));
  return data;
}

void CartridgeReader::read_ahead(const CartridgeArea& area, std::uint64_t at, std::size_t size,
                                 std::int64_t session) {
  link_.ask_ahead("read", in_session(where(area, at, size), session));
}

Result<bool> CartridgeReader::write(const CartridgeArea& area, std::uint64_t at, ByteView data,
                                    std::int64_t session) {
  const auto answer = ask_in_session(
      "write",
      {{"area", {area.name}}, {"at", number(at)}, {"data", {Bytes(data.begin(), data.end())}}},
      session);
  if (!answer && answer.error().code == Code::write_failed) return false;
  if (!answer) return tl::unexpected(answer.error());
  return number_in(answer->fields, "wrote") == static_cast<std::int64_t>(data.size());
}

Result<bool> CartridgeReader::erase(const CartridgeArea& area, std::uint64_t at, std::uint64_t size,
                                    std::int64_t session) {
  const auto answer = ask_in_session("erase", where(area, at, size), session);
  if (!answer && answer.error().code == Code::write_failed) return false;
  if (!answer) return tl::unexpected(answer.error());
  return number_in(answer->fields, "erased") == static_cast<std::int64_t>(size);
}

Result<void> CartridgeReader::power(bool on) {
  const auto answer = ask("power", {{"on", {on}}});
  if (!answer) return tl::unexpected(answer.error());
  if (truth_in(answer->fields, "on") != on) return tl::unexpected(senseless("power"));
  return {};
}

Result<Answer> CartridgeReader::ask(const std::string& what, CborMap with) {
  auto answer = link_.ask(what, std::move(with));
  if (answer && !answer->error.empty()) return tl::unexpected(error_of(*answer));
  return answer;
}

// The answer has to be of the same cartridge.
Result<Answer> CartridgeReader::ask_in_session(const std::string& what, CborMap with,
                                               std::int64_t session) {
  auto answer = ask(what, in_session(std::move(with), session));
  if (!answer) return answer;
  const auto now = number_in(answer->fields, "session");
  if (!now) return tl::unexpected(senseless(what));
  if (*now != session)
    return fail(Trouble::place, Code::other_cartridge, "another cartridge is in the reader now",
                "put the first one back in, and begin again");
  return answer;
}

Error CartridgeReader::senseless(const std::string& what) const {
  return {Trouble::place, Code::reader_failed,
          fmt::format("the reader's answer to '{}' makes no sense", what),
          "unplug the reader and plug it in again; is this a reader's port?"};
}

Error CartridgeReader::error_of(const Answer& answer) const {
  struct Known {
    std::string_view name;
    Code code;
    std::string_view text;
    std::string_view hint;
  };
  static constexpr std::array<Known, 7> kKnown{
      {{"no-cartridge", Code::no_cartridge, "no cartridge is in the reader",
        "put one in, straight and all the way down"},
       {"other-session", Code::other_cartridge, "another cartridge is in the reader now",
        "put the first one back in, and begin again"},
       {"wrong-volts", Code::wrong_volts, "the voltage is not the cartridge's",
        "move the reader's switch, or take the cartridge out"},
       {"switch", Code::wrong_volts, "only the reader's own switch changes the voltage",
        "move the switch, and try again"},
       {"range", Code::wrong_size, "that is past the end of the chip",
        "the size of the chip may be wrong"},
       {"write-failed", Code::write_failed, "the chip did not take what was written",
        "clean the contacts, and try again"},
       {"no-power", Code::no_cartridge, "the slot has no power", "try again"}}};
  const auto known = std::ranges::find(kKnown, std::string_view(answer.error), &Known::name);
  const std::string said = answer.text.empty() ? "" : fmt::format(" ({})", safe_text(answer.text));
  if (known != kKnown.end())
    return {Trouble::place, known->code, std::string(known->text) + said, std::string(known->hint)};
  return {Trouble::place, Code::reader_failed,
          fmt::format("the reader says '{}'{}", safe_text(answer.error), said),
          "unplug the reader and plug it in again"};
}

}  // namespace bayswap
