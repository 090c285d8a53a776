#include "places/file_names.h"

#include <algorithm>

#include "core/bytes/text.h"

namespace bayswap {
namespace {

constexpr std::size_t kProbes = 8;

bool is_letter(char c) {
  return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
}

// The name with the case of its letters turned round.
std::string turned(std::string name) {
  for (char& c : name)
    if (is_letter(c)) c = static_cast<char>(c ^ 0x20);
  return name;
}

// Whether a name that is not in a folder finds another one that is.
bool folds_case(Storage& storage, const Path& folder, int deeper) {
  const auto names = storage.list(folder);
  if (!names) return false;
  std::size_t tried = 0;
  for (const std::string& name : *names) {
    const std::string other = turned(name);
    if (other == name || std::ranges::find(*names, other) != names->end()) continue;
    return !is_missing(storage, folder / other);
  }
  for (const std::string& name : *names) {
    if (deeper == 0 || tried == kProbes) break;
    const auto info = storage.info(folder / name);
    if (!info || info->type != FileType::folder) continue;
    ++tried;
    if (folds_case(storage, folder / name, deeper - 1)) return true;
  }
  return false;
}

}  // namespace

FileNames names_kept_by(Storage& storage, const Path& place) {
  if (storage.is_fat(place)) return FileNames::fat;
  constexpr int kDepth = 3;
  return folds_case(storage, place, kDepth) ? FileNames::any_case : FileNames::exact;
}

std::string fat_path(const std::string& relative) {
  Path path;
  for (const Path& piece : Path(relative)) {
    std::string name = piece.string();
    for (char& c : name)
      if (static_cast<unsigned char>(c) < 0x20 ||
          std::string_view("\"*:<>?\\|").find(c) != std::string_view::npos)
        c = '_';
    // Blanks and dots at the end would be dropped in silence.
    for (std::size_t i = name.size(); i-- > 0 && (name[i] == '.' || name[i] == ' ');) name[i] = '_';
    path /= name;
  }
  return path.generic_string();
}

std::string folded_path(FileNames names, const std::string& path) {
  return names == FileNames::exact ? path : lower_ascii(path);
}

std::int64_t time_slack_ns(FileNames names) {
  constexpr std::int64_t kTwoSeconds = 2'000'000'000;
  return names == FileNames::fat ? kTwoSeconds : 0;
}

}  // namespace bayswap
