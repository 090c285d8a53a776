#include "moves/cart_target.h"

#include <fmt/core.h>

#include "core/bytes/text.h"
#include "core/layouts/cartridge/chips.h"
#include "files/clock.h"
#include "moves/cart_writer.h"
#include "reading/part_layouts.h"

namespace bayswap {
namespace {

CartAccess access_to(const Bay& bay) {
  CartAccess access;
  access.port = bay.port;
  return access;
}

class CartTarget final : public Target {
 public:
  explicit CartTarget(const CarryContext& context) : context_(context) {}

  bool takes(const Source&) const override { return context_.bay().port.has_value(); }

  Result<std::optional<Placement>> place(const Source& source, MoveReport& line,
                                         Checks& checks) override {
    const auto stopped = std::optional<Placement>{};
    auto opened = open_cart(context_.session, access_to(context_.bay()));
    if (!opened) return tl::unexpected(opened.error());
    // The cartridge stays open until it is written.
    const auto cart = std::make_shared<OpenCart>(std::move(*opened));
    const CartridgeArea* area = save_area(*cart);
    if (area == nullptr || source.state) {
      checks.add({Level::error, Code::no_match,
                  source.state ? "a save state is not a save: no cartridge can load it"
                               : "the reader finds no save chip on the cartridge",
                  "carry the game's own save"});
      return stopped;
    }
    if (source.rom)
      if (auto differs = compare_games(*source.rom, cart->rom, context_.session.catalog))
        checks.add(std::move(*differs));
    auto wanted = chip_bytes(source.save, *cart, *area, checks);
    if (!wanted || checks.stopped()) return stopped;
    auto before = present_save(*cart, *area);
    if (!before) return tl::unexpected(before.error());
    const auto contents =
        std::make_shared<ChipContents>(ChipContents{area, std::move(*before), std::move(*wanted)});
    check_older(context_.history, *cart, *contents, checks);
    Placement placement;
    PlacedUnit unit;
    unit.line = line;
    unit.line.to = fmt::format("{}: {}", context_.bay().name, *context_.bay().port);
    unit.line.game = cart->report.game;
    unit.line.cartridge = true;
    unit.line.replaces = true;
    unit.line.size = contents->wanted.size();
    unit.line.parts = {area->chip};
    unit.line.chip =
        fmt::format("{} of {} (found by the reader)", area->chip, size_text(*area->size));
    unit.line.nothing_to_do = contents->before == contents->wanted;
    if (!unit.line.nothing_to_do)
      placement.perform = [cart, contents](History& history,
                                           MoveRecord move) -> Result<PlacedMove> {
        CartWriter writer(*cart);
        auto name = writer.write(*contents, history, std::move(move));
        if (!name) return tl::unexpected(name.error());
        return PlacedMove{std::move(*name), writer.notes()};
      };
    placement.units.push_back(std::move(unit));
    return std::optional<Placement>(std::move(placement));
  }

 private:
  const CarryContext& context_;
};

}  // namespace

std::unique_ptr<Target> make_cart_target(const CarryContext& context) {
  return std::make_unique<CartTarget>(context);
}

Result<std::vector<Source>> read_cart(Session& session, const Bay& bay) {
  auto cart = open_cart(session, access_to(bay));
  if (!cart) return tl::unexpected(cart.error());
  std::vector<Source> sources;
  const CartridgeArea* area = save_area(*cart);
  if (area == nullptr) return sources;
  auto save = save_on_cart(*cart, *area);
  if (!save) return tl::unexpected(save.error());
  Source source;
  source.save = std::move(*save);
  source.stem = cart->report.game.title;
  if (cart->has_header) source.rom = cart->rom;
  source.part_files.assign(source.save.parts.size(), history_name(*cart, *area));
  if (const Layout* layout = layout_on_cart(source.save)) source.layouts = {layout->info().id};
  source.on_shelf = true;
  source.modified_ns = now_ns();
  sources.push_back(std::move(source));
  return sources;
}

}  // namespace bayswap
