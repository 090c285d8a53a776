#include "moves/card_unit.h"

#include <algorithm>

#include "bayswap/card.h"
#include "moves/card_source.h"
#include "places/second_file.h"

namespace bayswap {
namespace {

// Reads back what was written, and looks for the save that was carried.
Result<void> comes_back(Storage& storage, const Path& path, const Layout& layout,
                        const Save& carried) {
  const auto view = storage.view(path, kSaveLimit);
  if (!view) return tl::unexpected(view.error());
  Hints hints;
  hints.system = carried.system;
  hints.second_file = read_second_file(storage, path);
  const CardLayout* card = as_card(&layout);
  const auto content = card != nullptr ? card->CardLayout::read(view->bytes(), hints)
                                       : layout.read(view->bytes(), hints);
  const bool there =
      content && std::ranges::any_of(content->saves, [&](const Save& save) {
        return same_card_save(save, carried) || (card == nullptr && save.parts == carried.parts);
      });
  return there ? Result<void>{} : reads_back_as_another(path);
}

}  // namespace

Fields card_save_fields(const Save& save) {
  Fields fields{{"label", save.name}, {"stem", save.name}};
  const auto put = [&](const char* name, const std::string& value) {
    if (!value.empty()) fields.insert_or_assign(name, value);
  };
  put("title", save.game.title);
  put("code", save.game.code);
  put("serial", save.game.serial);
  put("maker", save.game.maker);
  put("region", std::string(to_string(save.game.region)));
  return fields;
}

std::string source_stem(const Source& source) {
  return source.files.empty() ? std::string() : source.files.front().stem().string();
}

PlacedUnit card_unit(const MoveReport& line, const Source& source, const Path& path,
                     const Layout& layout, std::uint64_t size) {
  PlacedUnit unit;
  unit.line = line;
  unit.line.from = {source.shown()};
  unit.line.to = path.string();
  unit.line.to_layout = layout.info().id;
  unit.line.size = unit.room = size;
  for (const Part& part : source.save.parts) unit.line.parts.push_back(part.name);
  unit.verify = [path, &layout, save = source.save](Storage& storage) {
    return comes_back(storage, path, layout, save);
  };
  return unit;
}

std::optional<Placement> one_unit(PlacedUnit unit) {
  Placement placement;
  placement.units.push_back(std::move(unit));
  return std::optional<Placement>(std::move(placement));
}

}  // namespace bayswap
