// Saves labelled for another region.
#include <fmt/core.h>

#include <algorithm>

#include "bayswap/card.h"
#include "core/bytes/text.h"
#include "core/model/sony_names.h"

namespace bayswap {
namespace {

Error wrong_code(std::string_view code, std::string_view wanted) {
  return {Trouble::usage, Code::wrong_code,
          fmt::format("'{}' is not a code of such a save: it needs {}", safe_text(code), wanted),
          "the catalog lists the codes of a game's regions"};
}

bool is_four_letters(std::string_view code) {
  return code.size() == 4 && std::all_of(code.begin(), code.end(), [](char c) {
           return (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
         });
}

}  // namespace

Result<Save> relabelled(const Save& save, std::string_view code) {
  Save labelled = save;
  if (save.system == System::ps1 || save.system == System::ps2) {
    if (!is_sony_serial(code))
      return tl::unexpected(wrong_code(code, "a whole serial, such as SLES-12345"));
    const auto name = split_sony_name(save.name);
    if (!name)
      return fail(
          Trouble::stopped, Code::no_match,
          fmt::format("{}: its name has no serial that could be replaced", safe_text(save.name)),
          "only saves whose name begins with a region and a serial can be labelled");
    const Region region = region_of_serial(code);
    labelled.name = std::string(sony_prefix(region)) + std::string(code) + name->identifier;
    labelled.game = Game{};
    add_sony_game(labelled.name, labelled.game);
    return labelled;
  }
  if (!is_four_letters(code))
    return tl::unexpected(wrong_code(code, "four capital letters or digits, such as ABCP"));
  if (save.game.code.empty())
    return fail(Trouble::stopped, Code::no_match, "the save carries no game code to replace",
                "saves of this kind bear no region, so there is nothing to label");
  labelled.game.code = code;
  labelled.game.region = region_of_letter(code[3]);
  labelled.game.title.clear();
  return labelled;
}

}  // namespace bayswap
