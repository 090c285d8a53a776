#include "reading/part_layouts.h"

#include <algorithm>

namespace bayswap {
namespace {

bool is_pak(std::string_view part) {
  return part.starts_with("pak");
}

std::string_view order_suffix(std::string_view id) {
  for (const std::string_view suffix : {"-swap16", "-swap32", "-reversed", "-odd", "-even"})
    if (id.ends_with(suffix)) return suffix;
  return {};
}

bool has(const std::vector<std::uint64_t>& sizes, std::uint64_t size) {
  return std::find(sizes.begin(), sizes.end(), size) != sizes.end();
}

}  // namespace

std::string part_base(std::string_view part) {
  return is_pak(part) ? "pak1" : std::string(part);
}

const Layout* native_layout(System system, const Part& part) {
  const std::string base = part_base(part.name);
  const Layout* loose = nullptr;
  for (const auto& layout : layouts().all()) {
    const LayoutInfo& info = layout->info();
    if (info.system != system || info.parts != std::vector<std::string>{base} ||
        !order_suffix(info.id).empty())
      continue;
    if (has(info.file_sizes, part.data.size())) return layout.get();
    if (loose == nullptr) loose = layout.get();
  }
  return loose;
}

Save only_for(const Save& save, const Layout& layout, std::vector<std::string>& taken) {
  const auto& wanted = layout.info().parts;
  Save kept = save;
  kept.parts.clear();
  const bool one_pak = wanted == std::vector<std::string>{"pak1"};
  if (one_pak) {
    const Part* chosen = nullptr;
    for (const Part& part : save.parts)
      if (is_pak(part.name) && (chosen == nullptr || (chosen->blank && !part.blank)))
        chosen = &part;
    if (chosen == nullptr) return kept;
    taken.push_back(chosen->name);
    kept.parts.push_back(*chosen);
    kept.parts.front().name = "pak1";
    return kept;
  }
  for (const Part& part : save.parts)
    if (std::find(wanted.begin(), wanted.end(), part.name) != wanted.end()) {
      kept.parts.push_back(part);
      taken.push_back(part.name);
    }
  return kept;
}

std::vector<const Layout*> sizes_of(const Layout& layout) {
  std::vector<const Layout*> family{&layout};
  const LayoutInfo& own = layout.info();
  if (own.parts.size() != 1) return family;
  for (const auto& other : layouts().all()) {
    const LayoutInfo& info = other->info();
    if (other.get() != &layout && info.system == own.system && info.parts == own.parts &&
        order_suffix(info.id) == order_suffix(own.id))
      family.push_back(other.get());
  }
  return family;
}

}  // namespace bayswap
