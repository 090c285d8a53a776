#include "core/layouts/titles/psp_folder.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/param_sfo.h"
#include "core/layouts/titles/path_text.h"
#include "core/model/sony_names.h"

namespace bayswap {
namespace {

const Part* sfo_of(const std::vector<Part>& files) {
  for (const Part& part : files)
    if (upper_ascii(part.name) == "PARAM.SFO") return &part;
  return nullptr;
}

// Folders are called by the disc's number, without its hyphen, and what the game adds.
std::string serial_in(std::string_view name) {
  if (name.size() < 9) return {};
  const std::string dashed = fmt::format("{}-{}", name.substr(0, 4), name.substr(4, 5));
  return is_sony_serial(dashed) ? std::string(name.substr(0, 9)) : std::string();
}

void add_line(std::string& text, const std::string& line) {
  if (!line.empty()) text += (text.empty() ? "" : "\n") + line;
}

}  // namespace

PspFolderLayout::PspFolderLayout() {
  info_ = {"psp-folder", System::psp, Kind::folder, "a save's folder with PARAM.SFO", {}, {}};
}

std::optional<Match> PspFolderLayout::recognise_folder(const std::string& path,
                                                       const std::vector<Part>& files) const {
  const Part* sfo = sfo_of(files);
  if (sfo == nullptr) return std::nullopt;
  const auto entries = parse_param_sfo(sfo->data);
  if (!entries) return Match{Confidence::likely, "it has a PARAM.SFO, a damaged one", Basis::size};
  const std::string own = sfo_text(*entries, "SAVEDATA_DIRECTORY");
  return Match{own == last_name(path) ? Confidence::certain : Confidence::likely,
               "its PARAM.SFO is a save's", Basis::structure};
}

Result<Save> PspFolderLayout::read_folder(const std::string& path, std::vector<Part> files) const {
  const Part* sfo = sfo_of(files);
  if (sfo == nullptr)
    return fail(Trouble::input, Code::no_match, "there is no PARAM.SFO in the folder",
                "name the save's own folder");
  const auto entries = parse_param_sfo(sfo->data);
  if (!entries) return tl::unexpected(entries.error());
  Save save;
  save.system = System::psp;
  save.kind = Kind::folder;
  save.name = sfo_text(*entries, "SAVEDATA_DIRECTORY");
  if (save.name.empty()) save.name = last_name(path);
  save.game.title = sfo_text(*entries, "TITLE");
  save.game.serial = serial_in(save.name);
  save.game.region = region_of_serial(save.game.serial);
  add_line(save.comment, sfo_text(*entries, "SAVEDATA_TITLE"));
  add_line(save.comment, sfo_text(*entries, "SAVEDATA_DETAIL"));
  save.parts = std::move(files);
  for (Part& part : save.parts) part.blank = part.outside == 0 && is_erased(part.data);
  return save;
}

std::vector<std::pair<std::string, std::string>> PspFolderLayout::details(const Save& save) const {
  const Part* sfo = sfo_of(save.parts);
  std::vector<std::pair<std::string, std::string>> found;
  if (sfo == nullptr) return found;
  const auto entries = parse_param_sfo(sfo->data);
  if (!entries) return found;
  for (const SfoEntry& entry : *entries) switch (entry.type) {
      case SfoEntry::Type::text: found.emplace_back(entry.key, entry.text); break;
      case SfoEntry::Type::number:
        found.emplace_back(entry.key, std::to_string(entry.number));
        break;
      case SfoEntry::Type::raw:
        found.emplace_back(entry.key, fmt::format("{} bytes", grouped(entry.bytes.size())));
        break;
    }
  return found;
}

std::optional<std::string> PspFolderLayout::pattern_of(std::string_view relative,
                                                       const Save& save) const {
  auto names = names_in(relative);
  if (names.empty() || names.back() != save.name) return std::nullopt;
  for (std::string& name : names) name = literal_text(name);
  names.back() = "{label}";
  return joined(names);
}

}  // namespace bayswap
