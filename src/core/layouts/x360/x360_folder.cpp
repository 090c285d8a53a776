#include "core/layouts/x360/x360_folder.h"

#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"

namespace bayswap {
namespace {

constexpr std::string_view kSaveType = "00000001";  // of content

}  // namespace

X360FolderLayout::X360FolderLayout() {
  info_ = {"x360-folder", System::x360, Kind::folder, "the open files of a save", {}, {}};
}

std::optional<FolderPlace> X360FolderLayout::place(std::string_view path) const {
  const auto names = names_in(path);
  const std::size_t count = names.size();
  if (count < 4 || names[count - 2] != kSaveType || !is_hex_name(names[count - 3], 8) ||
      !is_hex_name(names[count - 4], 16))
    return std::nullopt;
  FolderPlace found;
  found.game.title_id = "00000000" + lower_ascii(names[count - 3]);
  found.game.profile = lower_ascii(names[count - 4]);
  return found;
}

std::optional<Match> X360FolderLayout::recognise_folder(const std::string& path,
                                                        const std::vector<Part>& files) const {
  if (!place(path) || files.empty()) return std::nullopt;
  return Match{Confidence::certain, "its path is that of a profile's save", Basis::structure};
}

Result<Save> X360FolderLayout::read_folder(const std::string& path, std::vector<Part> files) const {
  const auto where = place(path);
  if (!where)
    return fail(Trouble::input, Code::no_match, "the path names no profile and title",
                "name the folder by its whole path");
  Save save;
  save.system = info_.system;
  save.kind = Kind::folder;
  save.game = where->game;
  save.name = last_name(path);
  save.parts = std::move(files);
  for (Part& part : save.parts) part.blank = part.outside == 0 && is_erased(part.data);
  return save;
}

std::optional<std::string> X360FolderLayout::pattern_of(std::string_view relative,
                                                        const Save& save) const {
  return content_pattern(relative, save.game);
}

std::string content_pattern(std::string_view relative, const Game& game) {
  const std::string low = game.title_id.size() == 16 ? game.title_id.substr(8) : std::string();
  std::vector<std::string> names = names_in(relative);
  std::string hex;  // together they show whether capitals are used
  for (const std::string& name : names)
    if (is_hex_name(name, 16) || lower_ascii(name) == low) hex += name;
  for (std::string& name : names) {
    const std::string plain = lower_ascii(name);
    if (plain == game.title_id)
      name = hex_field("title_id", hex);
    else if (is_hex_name(name, 16))
      name = hex_field("profile", hex);  // also where the package was made for another one
    else if (plain == low)
      name = hex_field("title_id:low", hex);
    else
      name = literal_text(name);
  }
  names.back() = "{label}";
  return joined(names);
}

}  // namespace bayswap
