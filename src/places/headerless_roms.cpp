#include "places/headerless_roms.h"

#include <algorithm>
#include <array>
#include <map>
#include <set>
#include <string>

#include "bayswap/state.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"
#include "core/ordinary/ordinary_file.h"
#include "places/evidence.h"
#include "places/state_signs.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kLargestA2600 = 0x8000;
constexpr std::uint64_t kPceBank = 0x2000;
constexpr std::uint64_t kLeastPce = 0x8000;
constexpr std::uint64_t kLargestPce = 0x280000;
constexpr std::uint64_t kCopierHeader = 512;

// 2 and 4 KiB, and the sizes of cartridges with several banks.
bool is_a2600_size(std::uint64_t size) {
  return size >= 0x800 && size <= kLargestA2600 && (size & (size - 1)) == 0;
}

bool is_pce_size(std::uint64_t size) {
  const std::uint64_t body = size % kPceBank == kCopierHeader ? size - kCopierHeader : size;
  return body >= kLeastPce && body <= kLargestPce && body % kPceBank == 0;
}

// Files of one folder with one extension.
struct Group {
  std::vector<std::size_t> files;
  bool a2600 = true;  // all sizes fit
  bool pce = true;
  std::size_t small = 0;  // of 2 and 4 KiB
};

bool bears_name(const std::vector<std::string>& names, std::string_view system) {
  return std::ranges::any_of(names,
                             [&](const std::string& name) { return lower_ascii(name) == system; });
}

// Nothing that is known, and not blank.
bool may_be_rom(Storage& storage, const WalkedFile& file) {
  const auto view = storage.view(file.path(), kLargestPce + kCopierHeader);
  if (!view || is_erased(view->bytes()) || !ordinary_file(view->bytes()).words.empty())
    return false;
  const auto guesses = identify(view->bytes(), {});
  return guesses.empty() || guesses.front().basis != Basis::structure;
}

class Search {
 public:
  Search(const std::vector<WalkedFile>& files, const std::vector<bool>& has_header) {
    for (std::size_t i = 0; i < files.size(); ++i) {
      const std::string& name = files[i].name();
      if (has_header[i]) {
        with_header_.insert(stem_of(name));
        continue;
      }
      if (has_state_name(name) || ends_in_slot(name)) {
        state_stems_.insert(state_name_of(name).stem);
        continue;
      }
      const std::string extension = small_extension(name);
      if (extension.size() < 2 || has_save_extension(name)) continue;
      const std::uint64_t size = files[i].info.size;
      Group& group = groups_[std::string(files[i].folder()) + '/' + extension];
      group.files.push_back(i);
      group.a2600 = group.a2600 && is_a2600_size(size);
      group.pce = group.pce && is_pce_size(size);
      group.small += size == 0x800 || size == 0x1000 ? 1 : 0;
    }
  }

  std::vector<std::pair<std::size_t, System>> run(Storage& storage,
                                                  const std::vector<WalkedFile>& files) {
    std::vector<std::pair<std::size_t, System>> found;
    for (const auto& [key, group] : groups_) {
      if (!group.a2600 && !group.pce) continue;
      const auto system = system_of(group, files);
      if (!system) continue;
      if (!std::ranges::all_of(group.files,
                               [&](std::size_t at) { return may_be_rom(storage, files[at]); }))
        continue;
      for (const std::size_t at : group.files) found.emplace_back(at, *system);
    }
    std::ranges::sort(found);
    return found;
  }

 private:
  [[nodiscard]] std::optional<System> system_of(const Group& group,
                                                const std::vector<WalkedFile>& files) const {
    const auto named = [&](const std::set<std::string>& stems) {
      return std::ranges::count_if(
          group.files, [&](std::size_t at) { return stems.contains(stem_of(files[at].name())); });
    };
    // Saves bear the names of ROMs with headers.
    if (named(with_header_) > 0) return std::nullopt;
    const auto names = names_in(files[group.files.front()].folder());
    if (group.a2600 && bears_name(names, "a2600")) return System::a2600;
    if (group.pce && bears_name(names, "pce")) return System::pce;
    if (group.a2600 && group.small * 2 >= group.files.size() && named(state_stems_) > 0)
      return System::a2600;
    return std::nullopt;
  }

  std::map<std::string, Group> groups_;
  std::set<std::string> with_header_;  // names of ROMs
  std::set<std::string> state_stems_;
};

}  // namespace

std::vector<std::pair<std::size_t, System>> headerless_roms(Storage& storage,
                                                            const std::vector<WalkedFile>& files,
                                                            const std::vector<bool>& has_header) {
  return Search(files, has_header).run(storage, files);
}

}  // namespace bayswap
