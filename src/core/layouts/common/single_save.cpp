#include "core/layouts/common/single_save.h"

#include <fmt/core.h>

#include "core/bytes/text.h"

namespace bayswap {

Result<const Save*> only_save(const WriteRequest& request, const LayoutInfo& info) {
  if (request.saves.size() > 1) {
    std::vector<std::string> names;
    for (const Save& save : request.saves) names.push_back(safe_text(save.name));
    return fail(Trouble::stopped, Code::many_match,
                fmt::format("{} holds one save, and there are {}: {}", info.id, names.size(),
                            list_text(names)),
                {"name one, as CARD:NAME, or copy all out with '", Remedy::take_from_card, "'"});
  }
  if (request.saves.empty() || request.saves.front().system != info.system ||
      request.saves.front().parts.empty())
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("there is no {} card save that {} could hold", to_string(info.system),
                            info.id));
  return &request.saves.front();
}

std::string name_from_file(const Hints& hints, std::size_t length) {
  const std::string stem = hints.file_name.substr(0, hints.file_name.rfind('.'));
  std::string name;
  for (const char c : stem)
    if (c >= 0x20 && c < 0x7F && name.size() < length) name.push_back(c);
  return name;
}

}  // namespace bayswap
