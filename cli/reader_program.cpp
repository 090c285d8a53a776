// A cartridge reader that is not there, as a program: it speaks the reader link on its standard
// input and output, or on a pseudo-terminal.
#include <fcntl.h>
#include <poll.h>
#include <stdlib.h>
#include <termios.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <iterator>

#include "bayswap/rom.h"
#include "cli/parser.h"
#include "demo/simulated_reader.h"

namespace {

using bayswap::Bytes;
using bayswap::ByteView;
using bayswap::demo::Milliseconds;
using bayswap::demo::ReaderFaults;
using bayswap::demo::ReaderTraits;
using bayswap::demo::SimulatedCartridge;
using bayswap::demo::SimulatedChip;
using bayswap::demo::SimulatedReader;

Bytes read_file(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  const std::string text((std::istreambuf_iterator<char>(file)), {});
  const auto view = std::as_bytes(std::span(text));
  return {view.begin(), view.end()};
}

void write_file(const std::string& path, ByteView bytes) {
  std::ofstream file(path, std::ios::binary | std::ios::trunc);
  file.write(reinterpret_cast<const char*>(bytes.data()),
             static_cast<std::streamsize>(bytes.size()));
}

Milliseconds now() {
  return std::chrono::duration_cast<Milliseconds>(
      std::chrono::steady_clock::now().time_since_epoch());
}

// A cartridge from its files. Without a chip in the header the save's size is the chip's.
SimulatedCartridge cartridge_from(const std::string& rom, const std::string& save,
                                  const std::string& chip, const std::string& system) {
  SimulatedCartridge cartridge;
  cartridge.rom = read_file(rom);
  const auto info = bayswap::read_rom(cartridge.rom);
  cartridge.system = info ? info->system : bayswap::System::gb;
  if (const auto said = bayswap::parse_system(system)) cartridge.system = *said;
  if (save.empty()) return cartridge;
  SimulatedChip made{"save", chip.empty() ? "sram" : chip, read_file(save), 1, 0};
  if (info && info->chips && !info->chips->empty()) {
    const bayswap::Chip& named = info->chips->front();
    if (chip.empty()) made.kind = named.part;
    if (named.size > 0) made.bytes.resize(static_cast<std::size_t>(named.size), std::byte{0xFF});
  }
  if (made.kind == "flash") made.page = 128, made.erase_page = 4096;
  if (made.kind == "eeprom") made.page = 8;
  if (made.kind == "sram") made.page = 64;
  cartridge.chips.push_back(std::move(made));
  // The clock stands at half past ten on the fifth day.
  const auto is_clock = [](const bayswap::Chip& one) { return one.part == "clock"; };
  if (info && info->chips && std::ranges::any_of(*info->chips, is_clock)) {
    SimulatedChip clock{"save2", "clock", Bytes(5), 1, 0};
    for (std::size_t i = 0; const unsigned value : {0U, 30U, 10U, 5U, 0U})
      clock.bytes[i++] = static_cast<std::byte>(value);
    cartridge.chips.push_back(std::move(clock));
  }
  return cartridge;
}

// Until the other side ends. `lasting`: a terminal, whose other side comes and goes.
void serve(SimulatedReader& reader, int in, int out, bool lasting) {
  std::array<std::byte, 65'536> room{};
  for (;;) {
    const auto due = reader.next_due();
    const auto wait = due ? std::max<Milliseconds::rep>(0, (*due - now()).count()) : 1000;
    pollfd ready{in, POLLIN, 0};
    if (::poll(&ready, 1, static_cast<int>(wait)) > 0) {
      const ssize_t got = ::read(in, room.data(), room.size());
      if (got <= 0) {
        if (!lasting) return;
        ::usleep(50'000);
        continue;
      }
      reader.take(ByteView(room).first(static_cast<std::size_t>(got)), now());
    }
    const Bytes answer = reader.give(now());
    for (std::size_t done = 0; done < answer.size();) {
      const ssize_t put = ::write(out, answer.data() + done, answer.size() - done);
      if (put <= 0 && !lasting) return;
      if (put > 0) done += static_cast<std::size_t>(put);
    }
  }
}

int open_terminal() {
  const int terminal = ::posix_openpt(O_RDWR | O_NOCTTY);
  if (terminal < 0 || ::grantpt(terminal) != 0 || ::unlockpt(terminal) != 0) return -1;
  termios settings{};
  ::tcgetattr(terminal, &settings);
  ::cfmakeraw(&settings);
  ::tcsetattr(terminal, TCSANOW, &settings);
  std::cout << "pty:" << ::ptsname(terminal) << std::endl;
  return terminal;
}

// What can be typed.
struct Wanted {
  std::string rom;
  std::string save;
  std::string chip;
  std::string system;
  bool terminal = false;
  bool empty = false;
  ReaderTraits traits;
  ReaderFaults faults;
  std::size_t seed = 1;
  std::size_t rate = 0;
  std::optional<std::uint32_t> stall;
  std::optional<std::uint32_t> pull;
  std::optional<std::uint32_t> switch_moved;
  std::optional<std::uint32_t> swap;
  std::string other;
};

void add_options(bayswap::cli::Command& reader, Wanted& wanted) {
  ReaderTraits& traits = wanted.traits;
  ReaderFaults& faults = wanted.faults;
  reader.add_option("ROM", wanted.rom, "the cartridge's ROM");
  reader.add_option("SAVE", wanted.save, "what is on its chip; it is written when the chip is");
  reader.add_option("--chip", wanted.chip, "sram, eeprom or flash, where the header does not tell")
      .type_name("CHIP");
  reader.add_option("--system", wanted.system, "where the header does not tell").type_name("ID");
  reader.add_flag("--pty", wanted.terminal, "a pseudo-terminal; its port is printed");
  reader.add_flag("--empty", wanted.empty, "no cartridge is in it");
  reader.add_option("--chunk", traits.chunk, "most bytes of data in one message")
      .type_name("BYTES");
  reader.add_option("--volts", traits.volts_mv, "millivolts when it starts").type_name("N");
  reader.add_flag("--switch", traits.volts_by_switch, "only a person can change the voltage");
  reader.add_option("--rate", wanted.rate, "bytes of answers a second").type_name("BYTES");
  reader.add_option("--seed", wanted.seed, "of the faults").type_name("N");
  reader.add_option("--lost", faults.lost, "frames in a thousand").type_name("N");
  reader.add_option("--doubled", faults.doubled, "answers in a thousand").type_name("N");
  reader.add_option("--damaged", faults.damaged, "answers in a thousand").type_name("N");
  reader.add_option("--delayed", faults.delayed, "answers in a thousand").type_name("N");
  reader.add_option("--reordered", faults.reordered, "answers in a thousand").type_name("N");
  reader.add_option("--flips", faults.flips, "readings in a thousand with changed bits")
      .type_name("N");
  reader.add_option("--ignored", faults.ignored, "writes in a thousand that change nothing")
      .type_name("N");
  reader.add_flag("--third-try", faults.third_try, "a page takes at the third try");
  reader.add_flag("--loses-buffers", faults.loses_buffers, "the last page is lost at power off");
  reader.add_option("--stall-after", wanted.stall, "questions; then silence").type_name("N");
  reader.add_option("--switch-after", wanted.switch_moved, "questions; then the switch is moved")
      .type_name("N");
  reader.add_option("--swap-after", wanted.swap, "questions; then another cartridge is in it")
      .type_name("N");
  reader.add_option("--other", wanted.other, "the other cartridge's ROM").type_name("FILE");
  reader.add_option("--pull-after", wanted.pull, "questions; then the slot is empty")
      .type_name("N");
}

int answer(Wanted& wanted) {
  ReaderTraits& traits = wanted.traits;
  ReaderFaults& faults = wanted.faults;
  faults.seed = static_cast<std::uint32_t>(wanted.seed);
  faults.stall_after = wanted.stall;
  faults.pull_after = wanted.pull;
  faults.swap_after = wanted.swap;
  traits.switch_moved_at = wanted.switch_moved;
  traits.bytes_per_second = wanted.rate;
  if (!wanted.other.empty()) faults.other = cartridge_from(wanted.other, "", "", "");
  std::optional<SimulatedCartridge> cartridge;
  if (!wanted.empty && !wanted.rom.empty()) {
    if (!std::filesystem::exists(wanted.rom)) {
      std::cerr << wanted.rom << ": nothing is there\n";
      return 3;
    }
    cartridge = cartridge_from(wanted.rom, wanted.save, wanted.chip, wanted.system);
  }
  SimulatedReader reader(cartridge, traits, faults);
  // What is on the chip stays there when the program ends.
  reader.on_change([&](const SimulatedCartridge& now_there) {
    if (!wanted.save.empty() && !now_there.chips.empty())
      write_file(wanted.save, now_there.chips.front().bytes);
  });
  if (!wanted.terminal) {
    serve(reader, STDIN_FILENO, STDOUT_FILENO, false);
    return 0;
  }
  const int descriptor = open_terminal();
  if (descriptor < 0) {
    std::cerr << "no pseudo-terminal can be made\n";
    return 4;
  }
  serve(reader, descriptor, descriptor, true);
  return 0;
}

int run(const std::vector<std::string>& words) {
  bayswap::cli::Parser parser("A simulated cartridge reader, with the faults that real ones have.",
                              "bayswap-reader");
  Wanted wanted;
  int status = 0;
  add_options(parser.root(), wanted);
  parser.root().on_call([&] { status = answer(wanted); });
  const auto outcome = parser.run(words, std::cout, std::cerr);
  if (outcome.problem.empty()) return outcome.status == 0 ? status : outcome.status;
  std::cerr << outcome.problem << "\n  → bayswap-reader --help lists what it takes\n";
  return 2;
}

}  // namespace

int main(int argc, char** argv) {
  try {
    return run({argv + 1, argv + argc});
  } catch (const std::exception& problem) {
    std::cerr << "bayswap-reader stopped: " << problem.what() << "\n";
    return 4;
  }
}
