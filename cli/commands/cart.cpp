#include "bayswap/cart.h"

#include <fmt/core.h>

#include <iostream>
#include <memory>

#include "cli/commands/cart_access.h"
#include "cli/commands/commands.h"
#include "cli/interrupt.h"
#include "cli/render/cart.h"
#include "cli/render/json/json.h"
#include "cli/render/text.h"

namespace bayswap::cli {
namespace {

void add_ports(Command& cart, Run& run) {
  Command& command = add_command(cart, run, "ports", "List serial ports, and say which is a reader",
                                 "bayswap cart ports");
  command.on_call([&run] {
    const auto ports = find_readers();
    run.print(run.json ? json_text(ports) : ports_text(ports, run.style()));
  });
}

void add_cart_look(Command& cart, Run& run) {
  auto port = std::make_shared<PortArguments>();
  Command& command = add_command(
      cart, run, "look", "Say which cartridge is in the reader: game, region, chip, contacts",
      "bayswap cart look --port reader");
  add_port(command, *port);
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const InterruptWatch watch;
      const auto cart_there = look_cart(session, access_of(*port, run));
      if (!cart_there) return tl::unexpected(cart_there.error());
      run.print(run.json ? json_text(*cart_there) : cart_text(*cart_there, run.style()));
      return {};
    });
  });
}

Result<CartPart> said_part(const std::string& what) {
  if (what.empty() || what == "both") return CartPart::both;
  if (what == "rom") return CartPart::rom;
  if (what == "save") return CartPart::save;
  return bayswap::fail(Trouble::usage, Code::usage,
                       fmt::format("'{}' is not a part of a cartridge", what),
                       "write rom, save or both");
}

void add_dump(Command& cart, Run& run) {
  auto port = std::make_shared<PortArguments>();
  auto request = std::make_shared<CartDumpRequest>();
  auto what = std::make_shared<std::string>();
  Command& command =
      add_command(cart, run, "dump",
                  "Read the ROM and the save into files, twice if nothing else can check them",
                  "bayswap cart dump save --port reader -o lantern.srm");
  command.add_option("WHAT", *what, "rom, save or both");
  command.add_option("-o,--out", request->out, "output file; with both, a folder")
      .type_name("PATH")
      .required();
  command.add_flag("--like-rom", request->like_rom,
                   "name the save after the game's ROM in that folder");
  command.add_flag("--replace", request->replace, "overwrite existing files");
  add_port(command, *port);
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const InterruptWatch watch;
      const auto part = said_part(*what);
      if (!part) return tl::unexpected(part.error());
      request->what = *part;
      const auto dumped = dump_cart(session, access_of(*port, run), *request);
      if (!dumped) return tl::unexpected(dumped.error());
      run.print(run.json ? json_text(*dumped) : dumped_text(*dumped, run.style()));
      if (dumped->unsure) run.status = exit_status(Trouble::input);
      if (dumped->stopped) run.status = exit_status(dumped->stopped->trouble);
      return {};
    });
  });
}

void add_write(Command& cart, Run& run) {
  auto port = std::make_shared<PortArguments>();
  auto request = std::make_shared<CartWriteRequest>();
  auto codes = std::make_shared<std::vector<std::string>>();
  Command& command = add_command(
      cart, run, "write", "Write a save to the cartridge, and check it after power off and on",
      "bayswap cart write \"wreck/Lantern Drift, last summer.srm\" --port reader");
  command.add_option("SAVE", request->save, "the save's file").required();
  command.add_option("--is", request->is, "layout of the save, if its bytes don't tell")
      .type_name("LAYOUT");
  command.add_flag("--plan", request->plan, "show what would be done, and change nothing");
  add_port(command, *port);
  add_accept(command, *codes);
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const InterruptWatch watch;
      auto accept = accepted_codes(*codes);
      if (!accept) return tl::unexpected(accept.error());
      request->accept = std::move(*accept);
      const auto report = write_cart(session, access_of(*port, run), *request);
      if (!report) return tl::unexpected(report.error());
      show_written(*report, run, false);
      return {};
    });
  });
}

}  // namespace

void add_port(Command& command, PortArguments& port) {
  command
      .add_option("--port", port.port,
                  "a serial port, a reader's bay, pty:PATH or run:PROGRAM ARGS; default: the only "
                  "reader that answers")
      .type_name("PORT");
  command.add_flag("--wait", port.wait, "wait until you have moved the reader's voltage switch");
}

CartAccess access_of(const PortArguments& port, Run& run) {
  CartAccess access;
  access.port = port.port;
  const auto say = [&run](const std::string& text) {
    if (run.line != nullptr) run.line->clear();
    std::cerr << text << std::endl;
  };
  if (port.wait)
    access.wait_for_switch = [say, told = std::make_shared<bool>(false)](int millivolts) {
      if (!std::exchange(*told, true))
        say(fmt::format("move the reader's switch to {:.1f} V; waiting for it (CTRL-C stops)",
                        millivolts / 1000.0));
      return !interrupted();
    };
  return access;
}

void add_cart(Command& app, Run& run) {
  Command& cart = app.add_command("cart", "A cartridge in a reader: look, dump, write");
  cart.needs_command();
  cart.footer("Example:\n  bayswap cart look --port reader");
  add_ports(cart, run);
  add_cart_look(cart, run);
  add_dump(cart, run);
  add_write(cart, run);
}

}  // namespace bayswap::cli
