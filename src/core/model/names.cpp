// The ids of systems, kinds, regions, levels and confidences.
#include <array>
#include <utility>

#include "bayswap/finding.h"
#include "bayswap/game.h"
#include "bayswap/layout.h"

namespace bayswap {
namespace {

template <class Enum, std::size_t N>
using NameTable = std::array<std::pair<Enum, std::string_view>, N>;

constexpr NameTable<System, 21> kSystems{{
    {System::a2600, "a2600"}, {System::nes, "nes"},       {System::snes, "snes"},
    {System::gb, "gb"},       {System::gba, "gba"},       {System::nds, "nds"},
    {System::n3ds, "3ds"},    {System::n64, "n64"},       {System::gc, "gc"},
    {System::wii, "wii"},     {System::wiiu, "wiiu"},     {System::sms, "sms"},
    {System::md, "md"},       {System::segacd, "segacd"}, {System::saturn, "saturn"},
    {System::dc, "dc"},       {System::pce, "pce"},       {System::ps1, "ps1"},
    {System::ps2, "ps2"},     {System::psp, "psp"},       {System::x360, "x360"},
}};
constexpr NameTable<Kind, 5> kKinds{{
    {Kind::battery, "battery"},
    {Kind::card_save, "card-save"},
    {Kind::folder, "folder"},
    {Kind::state, "state"},
    {Kind::rom, "rom"},
}};
constexpr NameTable<Region, 7> kRegions{{
    {Region::unknown, ""},
    {Region::america, "america"},
    {Region::europe, "europe"},
    {Region::japan, "japan"},
    {Region::korea, "korea"},
    {Region::other, "other"},
    {Region::any, "any"},
}};
constexpr NameTable<Level, 3> kLevels{
    {{Level::note, "note"}, {Level::warn, "warn"}, {Level::error, "error"}}};
constexpr NameTable<Confidence, 3> kConfidences{{{Confidence::possible, "possible"},
                                                 {Confidence::likely, "likely"},
                                                 {Confidence::certain, "certain"}}};

template <class Enum, std::size_t N>
std::string_view name_of(const NameTable<Enum, N>& table, Enum value) {
  for (const auto& [entry, name] : table)
    if (entry == value) return name;
  return {};
}

template <class Enum, std::size_t N>
std::optional<Enum> value_of(const NameTable<Enum, N>& table, std::string_view name) {
  for (const auto& [entry, id] : table)
    if (id == name && !id.empty()) return entry;
  return std::nullopt;
}

}  // namespace

std::string_view to_string(System system) {
  return name_of(kSystems, system);
}
std::string_view to_string(Kind kind) {
  return name_of(kKinds, kind);
}
std::string_view to_string(Region region) {
  return name_of(kRegions, region);
}
std::string_view to_string(Level level) {
  return name_of(kLevels, level);
}
std::string_view to_string(Confidence confidence) {
  return name_of(kConfidences, confidence);
}

std::optional<System> parse_system(std::string_view id) {
  return value_of(kSystems, id);
}
std::optional<Kind> parse_kind(std::string_view id) {
  return value_of(kKinds, id);
}
std::optional<Region> parse_region(std::string_view id) {
  return value_of(kRegions, id);
}

const std::vector<System>& all_systems() {
  static const std::vector<System> systems = [] {
    std::vector<System> list;
    for (const auto& entry : kSystems) list.push_back(entry.first);
    return list;
  }();
  return systems;
}

Region region_of_letter(char letter) {
  switch (letter) {
    case 'E': return Region::america;
    case 'J': return Region::japan;
    case 'K': return Region::korea;
    case 'W': return Region::other;
    case 'A': return Region::any;
    case 'P':
    case 'D':
    case 'F':
    case 'H':
    case 'I':
    case 'R':
    case 'S':
    case 'U':
    case 'V':
    case 'X':
    case 'Y':
    case 'Z': return Region::europe;
    default: return Region::unknown;
  }
}

bool has_error(const Findings& findings) {
  for (const Finding& finding : findings)
    if (finding.level == Level::error) return true;
  return false;
}

bool has_code(const Findings& findings, Code code) {
  for (const Finding& finding : findings)
    if (finding.code == code) return true;
  return false;
}

}  // namespace bayswap
