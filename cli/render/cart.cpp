#include "cli/render/cart.h"

#include <fmt/core.h>

#include "core/bytes/text.h"

namespace bayswap::cli {
namespace {

std::string cart_row(const Style& style, std::string_view key, const std::string& value) {
  return "  " + style.paint(Tone::key, padded(key, 9)) + wrapped(value, style.width(), 11) + "\n";
}

std::string game_text(const Game& game) {
  std::string text = game.title.empty() ? "without a name" : safe_text(game.title);
  const std::string& code = game.serial.empty() ? game.code : game.serial;
  if (!code.empty()) text += fmt::format("  {}", safe_text(code));
  if (game.region != Region::unknown) text += fmt::format("  {}", to_string(game.region));
  return text;
}

std::string chips_text(const std::vector<Chip>& chips) {
  std::vector<std::string> names;
  for (const Chip& chip : chips)
    names.push_back(chip.size == 0 ? chip.part
                                   : fmt::format("{} of {}", chip.part, size_text(chip.size)));
  return names.empty() ? "none is found" : list_text(names);
}

}  // namespace

std::string ports_text(const std::vector<FoundPort>& ports, const Style& style) {
  if (ports.empty())
    return "this machine has no serial device: plug a reader in, or name a bridge program with "
           "--port \"run:PROGRAM\"\n";
  std::string text;
  for (const FoundPort& port : ports) {
    text += style.paint(port.answers ? Tone::good : Tone::quiet, port.answers ? "✓ " : "· ") +
            style.paint(Tone::title, safe_text(port.port));
    if (port.answers) text += "  " + safe_text(port.reader);
    if (!port.description.empty())
      text += "  " + style.paint(Tone::quiet, safe_text(port.description));
    text += port.answers ? "\n" : style.paint(Tone::quiet, "  no reader answers") + "\n";
  }
  return text;
}

std::string cart_text(const CartReport& cart, const Style& style) {
  std::string text = style.paint(Tone::title, safe_text(cart.device)) + "  " +
                     style.paint(Tone::quiet, safe_text(cart.port)) + "\n";
  text += cart_row(style, "game", game_text(cart.game));
  text += cart_row(style, "system",
                   fmt::format("{}, {:.1f} V", to_string(cart.system), cart.volts_mv / 1000.0));
  text += cart_row(style, "ROM",
                   cart.rom_size
                       ? fmt::format("{} (says {})", size_text(*cart.rom_size), cart.rom_size_by)
                       : "its size is found while it is dumped");
  text += cart_row(style, "save", chips_text(cart.chips));
  text += cart_row(style, "contacts",
                   cart.contacts_steady ? "the header reads the same each time" : "unsteady");
  return text + findings_text(cart.findings, style, 2);
}

std::string dumped_text(const CartDumped& dumped, const Style& style) {
  std::string text = style.paint(Tone::title, game_text(dumped.cartridge.game)) + "  " +
                     style.paint(Tone::quiet, std::string(to_string(dumped.cartridge.system))) +
                     "\n";
  for (const OutputFile& file : dumped.outputs)
    text += "  " +
            style.paint(dumped.unsure ? Tone::bad : Tone::good, dumped.unsure ? "✗ " : "✓ ") +
            style.paint(Tone::title, path_text(file.path.string())) + "  " +
            (file.layout.empty() ? "" : file.layout + "  ") +
            style.paint(Tone::quiet, size_text(file.size)) + "\n";
  if (dumped.stopped)
    text += style.paint(Tone::bad, "✗ stopped") + ", nothing more was written\n" +
            finding_text(
                {Level::error, dumped.stopped->code, dumped.stopped->text, dumped.stopped->hint},
                style, 2);
  return text + findings_text(dumped.findings, style, 2);
}

}  // namespace bayswap::cli
