#include "core/layouts/titles/title_folders.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>

#include "core/bytes/cursor.h"
#include "core/bytes/encodings.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"

namespace bayswap {
namespace {

// Title of a wii save, in its banner.
constexpr std::string_view kBanner = "banner.bin";
constexpr std::string_view kBannerMark = "WIBN";
constexpr std::size_t kBannerTitle = 0x20;   // UTF-16, big-endian
constexpr std::size_t kBannerSecond = 0x60;  // likewise
constexpr std::size_t kBannerLength = 64;    // bytes of each
constexpr std::string_view kSealedWii = "data.bin";

constexpr std::array<std::string_view, 3> kWiiTypes{"00010000", "00010001", "00010004"};

// A sealed export: after so many sealed bytes a plain header follows, all big-endian.
constexpr std::size_t kSealedHeader = 0xF0C0;
constexpr std::uint32_t kSealedHeaderSize = 0x70;
constexpr std::size_t kSealedTitle = 0x60;  // u64, from the header

std::optional<std::string> title_of_sealed(ByteView file) {
  Cursor cursor(file);
  const ByteView mark = cursor.bytes(kSealedHeader + 4, 2);
  if (cursor.u32be(kSealedHeader) != kSealedHeaderSize || ascii_text(mark) != "Bk")
    return std::nullopt;
  const std::uint64_t id = cursor.u64be(kSealedHeader + kSealedTitle);
  return cursor.overrun() ? std::nullopt : std::optional(fmt::format("{:016x}", id));
}

Game game_of_title(const std::string& title_id) {
  Game game;
  game.title_id = title_id;
  return game;
}

// A title id in a path: one name of 16 digits, or two of eight.
struct IdInPath {
  std::string id;
  std::size_t first = 0;  // place among the names
  bool halves = false;
};

// The id in front of the last `behind` names.
std::optional<IdInPath> id_before(const std::vector<std::string>& names, std::size_t behind,
                                  std::string_view prefix) {
  if (names.size() < behind + 1) return std::nullopt;
  const std::size_t last = names.size() - behind - 1;
  if (is_hex_name(names[last], 16) && names[last].starts_with(prefix))
    return IdInPath{lower_ascii(names[last]), last, false};
  if (last == 0 || !is_hex_name(names[last], 8) || !is_hex_name(names[last - 1], 8) ||
      !names[last - 1].starts_with(prefix))
    return std::nullopt;
  return IdInPath{lower_ascii(names[last - 1] + names[last]), last - 1, true};
}

Save save_of(const LayoutInfo& info, std::vector<Part> files, const Game& game) {
  Save save;
  save.system = info.system;
  save.kind = Kind::folder;
  save.game = game;
  save.parts = std::move(files);
  for (Part& part : save.parts) part.blank = part.outside == 0 && is_erased(part.data);
  return save;
}

// The relative path with the id in it as fields: `tail` is how its last names are written. Where
// the path begins within the title, only its tail tells.
std::optional<std::string> title_pattern(std::string_view relative, std::string_view prefix,
                                         const std::vector<std::string>& tail) {
  const auto names = names_in(relative);
  const auto id = id_before(names, tail.size(), prefix);
  if (!id) return std::nullopt;
  std::vector<std::string> pattern;
  for (std::size_t i = 0; i < id->first; ++i) pattern.push_back(literal_text(names[i]));
  const std::string written =
      id->halves ? names[id->first] + names[id->first + 1] : names[id->first];
  const bool capitals = std::ranges::any_of(written, [](char c) { return c >= 'A' && c <= 'F'; });
  const auto field = [&](const char* half) {
    return std::string("{title_id") + half + (capitals ? ":upper}" : "}");
  };
  if (id->halves) {
    pattern.push_back(field(":high"));
    pattern.push_back(field(":low"));
  } else {
    pattern.push_back(field(""));
  }
  pattern.insert(pattern.end(), tail.begin(), tail.end());
  return joined(pattern);
}

Match by_place() {
  return {Confidence::certain, "its path is that of a title's save", Basis::structure};
}

// A folder under a whole title id that holds folders alone holds copies of a save, and is none.
bool holds_folders_alone(const std::string& path, const std::vector<Part>& files) {
  return is_hex_name(last_name(path), 16) && std::ranges::all_of(files, [](const Part& part) {
           return part.name.find('/') != std::string::npos;
         });
}

Error no_place(const char* what) {
  return {Trouble::input, Code::no_match, what, "name the folder by its whole path"};
}

}  // namespace

WiiTitleLayout::WiiTitleLayout() {
  info_ = {"wii-title", System::wii, Kind::folder, "the save of a title, or its sealed SD form",
           {},          {}};
}

std::optional<FolderPlace> WiiTitleLayout::place(std::string_view path) const {
  const auto names = names_in(path);
  const std::size_t count = names.size();
  if (count >= 4 && names[count - 2] == "title" && names[count - 3] == "wii" &&
      names[count - 4] == "private") {
    const auto id = parse_title_id(names.back(), "00010000");
    if (!id || code_of_title(*id).empty()) return std::nullopt;
    FolderPlace found{{}, true, false};
    found.game.code = code_of_title(*id);
    found.game.region = region_of_letter(found.game.code[3]);
    return found;
  }
  if (names.empty() || names.back() != "data") return std::nullopt;
  const auto id = id_before(names, 1, "0001000");
  if (!id || std::ranges::find(kWiiTypes, id->id.substr(0, 8)) == kWiiTypes.end())
    return std::nullopt;
  FolderPlace found{game_of_title(id->id), false, false};
  found.game.code = code_of_title(id->id);
  if (!found.game.code.empty()) found.game.region = region_of_letter(found.game.code[3]);
  return found;
}

std::optional<FolderPlace> WiiTitleLayout::place_by_marker(std::string_view path,
                                                           ByteView beginning) const {
  const auto id = title_of_sealed(beginning);
  if (!id) return std::nullopt;
  FolderPlace found{game_of_title(*id), true, false};
  found.game.code = code_of_title(*id);
  if (found.game.code.empty() || upper_ascii(last_name(path)) != found.game.code)
    return std::nullopt;
  found.game.region = region_of_letter(found.game.code[3]);
  return found;
}

std::optional<Match> WiiTitleLayout::recognise_folder(const std::string& path,
                                                      const std::vector<Part>& files) const {
  const auto where = place(path);
  const auto has = [&](std::string_view name) {
    return std::ranges::find(files, name, &Part::name) != files.end();
  };
  if (where && (!where->sealed || has(kSealedWii))) return by_place();
  for (const Part& part : files)
    if (part.name == kSealedWii && place_by_marker(path, part.data))
      return Match{Confidence::certain, "its data.bin is a sealed wii save", Basis::structure};
  for (const Part& part : files)
    if (part.name == kBanner && part.data.size() >= kBannerSecond + kBannerLength &&
        ascii_text(ByteView(part.data).first(4)) == kBannerMark)
      return Match{Confidence::likely, "its banner.bin is a wii save's", Basis::structure};
  return std::nullopt;
}

Result<Save> WiiTitleLayout::read_folder(const std::string& path, std::vector<Part> files) const {
  const auto where = place(path);
  Save save = save_of(info_, std::move(files), where ? where->game : Game{});
  // A sealed export says in clear which title it belongs to.
  if (const Part* sealed = save.part(kSealedWii); sealed != nullptr && (!where || where->sealed))
    if (const auto id = title_of_sealed(sealed->data)) {
      save.game.title_id = *id;
      save.game.code = code_of_title(*id);
      if (!save.game.code.empty()) save.game.region = region_of_letter(save.game.code[3]);
    }
  save.name = save.game.code;
  if (const Part* banner = save.part(kBanner)) {
    const auto line = [&](std::size_t at) {
      const auto text = slice(banner->data, at, kBannerLength);
      return text ? utf16be_text(*text) : std::string();
    };
    if (ascii_text(ByteView(banner->data).first(std::min<std::size_t>(4, banner->data.size()))) ==
        kBannerMark) {
      save.comment = line(kBannerTitle);
      if (const std::string second = line(kBannerSecond); !second.empty())
        save.comment += (save.comment.empty() ? "" : "\n") + second;
    }
  }
  return save;
}

std::optional<std::string> WiiTitleLayout::pattern_of(std::string_view relative,
                                                      const Save& save) const {
  auto names = names_in(relative);
  if (!names.empty() && !save.game.code.empty() && names.back() != "data" &&
      upper_ascii(names.back()) == save.game.code) {
    const bool capitals = names.back() == save.game.code;
    for (std::string& name : names) name = literal_text(name);
    names.back() = capitals ? "{code}" : "{code:lower}";
    return joined(names);
  }
  return title_pattern(relative, "0001000", {"data"});
}

N3dsTitleLayout::N3dsTitleLayout() {
  info_ = {"3ds-title", System::n3ds, Kind::folder, "the save of a title, or its sealed files", {},
           {}};
}

std::optional<FolderPlace> N3dsTitleLayout::place(std::string_view path) const {
  const auto names = names_in(path);
  if (names.size() >= 2 && is_hex_name(names.back(), 8) && names[names.size() - 2] == "data")
    if (const auto id = id_before(names, 2, "0004"))
      return FolderPlace{game_of_title(id->id), false, false};
  if (!names.empty() && names.back() == "data")
    if (const auto id = id_before(names, 1, "0004"))
      return FolderPlace{game_of_title(id->id), true, false};
  // A plain folder under the whole id.
  if (const auto id = id_before(names, 0, "0004"); id && !id->halves)
    return FolderPlace{game_of_title(id->id), false, false};
  return std::nullopt;
}

std::optional<Match> N3dsTitleLayout::recognise_folder(const std::string& path,
                                                       const std::vector<Part>& files) const {
  const auto where = place(path);
  if (!where || holds_folders_alone(path, files)) return std::nullopt;
  if (!where->sealed) return by_place();
  // A folder of open saves has folders only; sealed ones are files of eight digits.
  const bool sealed = std::ranges::any_of(files, [](const Part& part) {
    return part.name.size() == 12 && part.name.ends_with(".sav") &&
           is_hex_name(part.name.substr(0, 8), 8);
  });
  return sealed ? std::optional(by_place()) : std::nullopt;
}

Result<Save> N3dsTitleLayout::read_folder(const std::string& path, std::vector<Part> files) const {
  const auto where = place(path);
  Save save = save_of(info_, std::move(files), where ? where->game : Game{});
  save.name = where && !where->sealed ? last_name(path) : std::string();
  return save;
}

std::optional<std::string> N3dsTitleLayout::pattern_of(std::string_view relative,
                                                       const Save& /*save*/) const {
  if (last_name(relative) == "data") return title_pattern(relative, "0004", {"data"});
  if (is_hex_name(last_name(relative), 16)) return title_pattern(relative, "0004", {});
  return title_pattern(relative, "0004", {"data", literal_text(last_name(relative))});
}

WiiuTitleLayout::WiiuTitleLayout() {
  info_ = {"wiiu-title", System::wiiu, Kind::folder, "a title's save of one account", {}, {}};
}

std::optional<FolderPlace> WiiuTitleLayout::place(std::string_view path) const {
  const auto names = names_in(path);
  // A plain folder under the whole id, without accounts.
  if (const auto id = id_before(names, 0, "0005"); id && !id->halves)
    return FolderPlace{game_of_title(id->id), false, false};
  if (names.size() < 2 || names[names.size() - 2] != "user") return std::nullopt;
  const auto id = id_before(names, 2, "0005");
  const std::string& last = names.back();
  if (!id) return std::nullopt;
  FolderPlace found{game_of_title(id->id), false, last == "common"};
  if (found.shared) return found;
  if (!is_hex_name(last, 8) || last.front() != '8') return std::nullopt;
  found.game.account = lower_ascii(last);
  return found;
}

std::optional<Match> WiiuTitleLayout::recognise_folder(const std::string& path,
                                                       const std::vector<Part>& files) const {
  if (!place(path) || holds_folders_alone(path, files)) return std::nullopt;
  return by_place();
}

Result<Save> WiiuTitleLayout::read_folder(const std::string& path, std::vector<Part> files) const {
  const auto where = place(path);
  if (!where) return tl::unexpected(no_place("the path names no title and account"));
  Save save = save_of(info_, std::move(files), where->game);
  save.name = where->shared                 ? "common"
              : where->game.account.empty() ? where->game.title_id
                                            : where->game.account;
  return save;
}

std::optional<std::string> WiiuTitleLayout::pattern_of(std::string_view relative,
                                                       const Save& save) const {
  if (is_hex_name(last_name(relative), 16)) return title_pattern(relative, "0005", {});
  if (save.game.account.empty()) return title_pattern(relative, "0005", {"user", "common"});
  return title_pattern(relative, "0005", {"user", "{account}"});
}

}  // namespace bayswap
