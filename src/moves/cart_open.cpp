#include "moves/cart_open.h"

#include <fmt/core.h>

#include <algorithm>
#include <memory>
#include <random>

#include "bayswap/rom.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/chips.h"
#include "core/roms/logo.h"
#include "core/roms/whole_check.h"

namespace bayswap {
namespace {

constexpr std::string_view kOnCartridge = "cartridge:";

std::uint16_t random_number() {
  std::random_device device;
  return static_cast<std::uint16_t>(device());
}

// How far the work is: what the link asks about is told again.
struct HowFar {
  std::uint64_t done = 0;
  std::uint64_t all = 0;
};

LinkWatch watch_of(Session& session, const std::shared_ptr<HowFar>& far) {
  LinkWatch watch;
  watch.go_on = [&session, far] {
    return session.proceed(Work::cartridge, far->done, far->all).has_value();
  };
  watch.silent = [&session](Milliseconds time) {
    if (session.reader_silent) session.reader_silent(static_cast<double>(time.count()) / 1000.0);
  };
  return watch;
}

Result<std::string> only_port() {
  std::vector<std::string> answering;
  const std::vector<FoundPort> ports = find_readers();
  for (const FoundPort& port : ports)
    if (port.answers) answering.push_back(port.port);
  if (answering.size() == 1) return answering.front();
  if (answering.empty())
    return fail(Trouble::place, Code::link_lost,
                ports.empty()
                    ? "this machine has no serial device"
                    : fmt::format("no reader answers on {}", counted(ports.size(), "port")),
                {"plug in a reader, or name its port with ", Remedy::port});
  return fail(Trouble::stopped, Code::many_match,
              fmt::format("several readers answer: {}", list_text(answering)),
              {"choose one with ", Remedy::port});
}

// The game, as far as header and catalog tell.
void name_game(Session& session, OpenCart& cart) {
  const Bytes& header = cart.cartridge.header();
  const CartridgeArea* rom = cart.cartridge.area("rom");
  const std::uint64_t size = rom != nullptr ? rom->size.value_or(header.size()) : header.size();
  cart.rom.info.system = cart.cartridge.system();
  if (auto info = read_rom(header, std::max<std::uint64_t>(size, header.size()));
      info && info->system == cart.cartridge.system()) {
    cart.rom.info = std::move(*info);
    cart.has_header = true;
  }
  cart.rom.stem = cart.rom.info.game.title;
  cart.hints = hints_of(cart.rom.info, session.catalog);
  cart.hints.system = cart.cartridge.system();
  // A reader may not see how large a chip is; the header or the catalog knows.
  for (const CartridgeArea& area : cart.cartridge.areas())
    if (const auto size = hinted_size(cart.hints, area.chip); size && !area.size)
      cart.cartridge.know_size(area.name, *size);
}

// Chips whose size neither the reader nor the game tells.
Result<void> find_sizes(OpenCart& cart) {
  std::vector<CartridgeArea> untold = cart.cartridge.areas();
  std::erase_if(untold, [](const CartridgeArea& area) {
    return area.size || area.chip.empty() || area.chip == "clock";
  });
  for (const CartridgeArea& area : untold) {
    const auto size = cart.cartridge.size_by_repeat(area);
    if (size)
      cart.cartridge.know_size(area.name, *size);
    else if (size.error().code != Code::wrong_size)
      return tl::unexpected(size.error());
  }
  return {};
}

std::vector<Chip> chips_of(const Cartridge& cartridge) {
  std::vector<Chip> chips;
  for (const CartridgeArea& area : cartridge.areas())
    if (!area.chip.empty()) chips.push_back({area.chip, area.size.value_or(0)});
  return chips;
}

Findings findings_of(const OpenCart& cart) {
  Findings findings;
  if (!cart.has_header)
    findings.push_back({Level::warn, Code::header_check,
                        "the ROM's header makes no sense: dirty contacts, or a cartridge of "
                        "another system",
                        "take the cartridge out, clean its contacts, and put it back in straight"});
  if (cart.has_header && !logo_holds(cart.rom.info.system, cart.cartridge.header()))
    findings.push_back({Level::warn, Code::header_check,
                        "the header's logo is not the one that the console compares it with: a "
                        "home-made game, or dirty contacts",
                        "an original cartridge needs clean contacts; any other may be fine"});
  for (const Finding& finding : cart.rom.info.findings) findings.push_back(finding);
  if (!cart.cartridge.contacts_steady())
    findings.push_back({Level::warn, Code::unsteady,
                        "the header did not read the same each time: the contacts are dirty",
                        "clean the contacts before you dump or write"});
  if (!cart.rom.info.chips) return findings;
  for (const Chip& chip : *cart.rom.info.chips) {
    if (chip.part == "clock" || chip.size == 0) continue;
    const bool there = std::ranges::any_of(cart.report.chips, [&](const Chip& found) {
      return found.part == chip.part && (found.size == chip.size || found.size == 0);
    });
    if (!there)
      findings.push_back({Level::warn, Code::chip_differs,
                          fmt::format("the header names {} of {}, and the reader finds {}",
                                      chip.part, size_text(chip.size),
                                      cart.report.chips.empty()
                                          ? std::string("no save chip")
                                          : fmt::format("{} of {}", cart.report.chips.front().part,
                                                        size_text(cart.report.chips.front().size))),
                          "a chip that is not found keeps no progress; check the contacts"});
  }
  return findings;
}

}  // namespace

std::vector<FoundPort> find_readers() {
  std::vector<FoundPort> found;
  for (const SerialPort& port : serial_ports()) {
    FoundPort one{port.device, port.usb_name.empty() ? port.description : port.usb_name, false, {}};
    if (auto transport = open_port(port.device)) {
      Link link(std::move(*transport), random_number());
      link.send_at_most(1);
      CartridgeReader reader(std::move(link));
      if (const auto info = reader.hello()) {
        one.answers = true;
        one.reader = info->name;
      }
    }
    found.push_back(std::move(one));
  }
  return found;
}

Result<OpenCart> open_cart(Session& session, const CartAccess& access) {
  std::string port = or_empty(access.port);
  if (port.empty()) {
    auto only = only_port();
    if (!only) return tl::unexpected(only.error());
    port = std::move(*only);
  }
  // A reader's bay stands for its port.
  if (const auto bay = session.bays.find(port); bay && (*bay)->port) port = *(*bay)->port;
  auto transport = open_port(port);
  if (!transport) return tl::unexpected(transport.error());
  CartridgeWatch watch;
  watch.wait_for_switch = access.wait_for_switch;
  const auto far = std::make_shared<HowFar>();
  watch.progress = [far](std::uint64_t done, std::uint64_t all) { *far = {done, all}; };
  auto cartridge = Cartridge::open(
      Link(std::move(*transport), random_number(), watch_of(session, far)), std::move(watch));
  if (!cartridge) return tl::unexpected(cartridge.error());
  OpenCart cart{std::move(*cartridge), {}, false, {}, {}};
  name_game(session, cart);
  if (auto found = find_sizes(cart); !found) return tl::unexpected(found.error());
  CartReport& report = cart.report;
  report.port = port;
  report.device = cart.cartridge.reader().name;
  report.serial = cart.cartridge.reader().serial;
  report.volts_mv = cart.cartridge.reader().volts_mv;
  report.system = cart.cartridge.system();
  report.game = cart.rom.info.game;
  report.chips = chips_of(cart.cartridge);
  report.contacts_steady = cart.cartridge.contacts_steady();
  if (const CartridgeArea* rom = cart.cartridge.area("rom"); rom != nullptr && rom->size) {
    report.rom_size = rom->size;
    report.rom_size_by = "the reader";
  } else if (const auto told = rom_size_in(report.system, cart.cartridge.header())) {
    report.rom_size = told;
    report.rom_size_by = "the header";
  }
  report.findings = findings_of(cart);
  return cart;
}

bool is_on_cartridge(const std::string& history_path) {
  return history_path.starts_with(kOnCartridge);
}

std::string history_name(const OpenCart& cart, const CartridgeArea& area) {
  const Game& game = cart.rom.info.game;
  const std::string name = game.code.empty() ? game.title : game.code;
  return fmt::format("{}{}/{}/{}", kOnCartridge, to_string(cart.cartridge.system()),
                     name.empty() ? "unnamed" : safe_text(name), area.name);
}

const CartridgeArea* save_area(const OpenCart& cart) {
  const auto& areas = cart.cartridge.areas();
  const auto found = std::ranges::find_if(areas, [](const CartridgeArea& area) {
    return !area.chip.empty() && area.chip != "clock" && area.size.value_or(0) > 0;
  });
  return found == areas.end() ? nullptr : &*found;
}

Result<CartReport> look_cart(Session& session, const CartAccess& access) {
  auto cart = open_cart(session, access);
  if (!cart) return tl::unexpected(cart.error());
  return std::move(cart->report);
}

}  // namespace bayswap
