#include "places/bay_text.h"

#include <fmt/core.h>

#include "core/bytes/text.h"
#include "core/bytes/toml_file.h"

namespace bayswap {

std::string shelf_text(const std::string& bay, const Shelf& shelf) {
  std::string text =
      fmt::format("[[bay.{}.shelf]]\nsystem = {}\n", bay, toml_string(to_string(shelf.system)));
  if (shelf.kind != Kind::battery)
    text += fmt::format("kind = {}\n", toml_string(to_string(shelf.kind)));
  text += fmt::format("pattern = {}\n", toml_string(shelf.pattern));
  std::string ids;
  for (const std::string& id : shelf.layout) ids += (ids.empty() ? "" : ", ") + toml_string(id);
  if (!ids.empty()) text += fmt::format("layout = [{}]\n", ids);
  if (!shelf.roms.empty()) text += fmt::format("roms = {}\n", toml_string(shelf.roms));
  if (shelf.names != FileNames::exact)
    text += fmt::format("names = {}\n", toml_string(to_string(shelf.names)));
  return text;
}

std::string bay_text(const Bay& bay) {
  if (bay.port) return fmt::format("[bay.{}]\nport = {}\n", bay.name, toml_string(*bay.port));
  // A path can hold bytes that are not text; such a path is written as hex digits.
  const std::string place = bay.place.string();
  std::string text =
      safe_text(place) == place
          ? fmt::format("[bay.{}]\nplace = {}\n", bay.name, toml_string(place))
          : fmt::format("[bay.{}]\nplace_bytes = \"{}\"\n", bay.name, hex_text(as_bytes(place)));
  for (const Shelf& shelf : bay.shelves) text += shelf_text(bay.name, shelf);
  return text;
}

}  // namespace bayswap
