// A cartridge reader that is not there: it answers the reader link as a device would, with the
// faults that devices, cables and contacts have.
#pragma once

#include <chrono>
#include <cstdint>
#include <deque>
#include <functional>
#include <map>
#include <optional>
#include <random>
#include <string>
#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/game.h"
#include "readers/frames.h"
#include "readers/messages.h"

namespace bayswap::demo {

using Milliseconds = std::chrono::milliseconds;

struct SimulatedChip {
  std::string area;  ///< `save`, `save2` …
  std::string kind;  ///< `sram`, `eeprom`, `flash`, `clock`
  Bytes bytes;
  std::uint64_t page = 1;
  std::uint64_t erase_page = 0;  ///< 0: needs no erasing
  bool size_told = true;         ///< else it repeats up to the end of the bus
};

struct SimulatedCartridge {
  System system = System::gb;
  Bytes rom;
  bool rom_size_told = true;
  std::vector<SimulatedChip> chips;
};

/// How often things go wrong, in a thousand, and when.
struct ReaderFaults {
  std::uint32_t seed = 1;
  std::size_t lost = 0;        ///< frames in either direction
  std::size_t doubled = 0;     ///< answers
  std::size_t damaged = 0;     ///< answers with a changed byte
  std::size_t delayed = 0;     ///< answers that come two seconds late
  std::size_t reordered = 0;   ///< answers that come behind the next one
  std::size_t flips = 0;       ///< reads with some changed bits: dirty contacts
  std::size_t ignored = 0;     ///< writes that change nothing, although the reader says so
  bool third_try = false;      ///< a page takes only what is written to it for the third time
  bool loses_buffers = false;  ///< at power off the last page that was written is as before
  std::optional<std::uint64_t> stall_after;  ///< questions; then no answer ever
  std::optional<std::uint64_t> pull_after;   ///< questions; then the slot is empty
  std::optional<std::uint64_t> swap_after;   ///< questions; then `other` is in the slot
  std::optional<SimulatedCartridge> other = {};
};

struct ReaderTraits {
  std::size_t chunk = 1024;  ///< most bytes of data in one message
  int volts_mv = 5000;       ///< when it starts
  bool volts_by_switch = false;
  /// Somebody moves the switch before this question; nothing: nobody does.
  std::optional<std::uint64_t> switch_moved_at = {};
  std::uint64_t bytes_per_second = 0;  ///< of answers; 0: no time passes
};

class SimulatedReader {
 public:
  SimulatedReader(std::optional<SimulatedCartridge> cartridge, ReaderTraits traits,
                  ReaderFaults faults);

  /// Bytes from the host.
  void take(ByteView bytes, Milliseconds now);
  /// Bytes for the host that are due; empty when there are none.
  [[nodiscard]] Bytes give(Milliseconds now);
  /// When the next bytes are due.
  [[nodiscard]] std::optional<Milliseconds> next_due() const;

  /// What is on the cartridge as a console would see it: after power off and on.
  [[nodiscard]] const std::optional<SimulatedCartridge>& cartridge() const { return cartridge_; }
  /// Lets the slot lose its power, as when the cartridge is taken out.
  void power_off();
  void put_in(std::optional<SimulatedCartridge> cartridge);
  /// Called whenever a chip holds something else.
  void on_change(std::function<void(const SimulatedCartridge&)> told) {
    changed_ = std::move(told);
  }
  void move_switch(int millivolts) { volts_mv_ = millivolts; }
  /// Questions that were worked.
  [[nodiscard]] std::uint64_t worked() const { return worked_; }
  /// Whether a system that takes 3.3 V ever had 5 V.
  [[nodiscard]] bool harmed() const { return harmed_; }

 private:
  struct Due {
    Milliseconds at{0};
    Bytes bytes;
  };
  bool chance(std::size_t in_a_thousand) { return numbers_() % 1000 < in_a_thousand; }
  void question(const Bytes& payload, Milliseconds now);
  CborMap work(const std::string& what, const CborMap& question);
  CborMap work_on_cartridge(const std::string& what, const CborMap& question);
  CborMap read(const CborMap& question);
  CborMap write(const CborMap& question);
  CborMap erase(const CborMap& question);
  CborMap hello() const;
  CborMap areas() const;
  void answer(const Bytes& payload, Milliseconds now);
  void tell_change() const;
  SimulatedChip* chip(const std::string& area);

  std::optional<SimulatedCartridge> cartridge_;
  ReaderTraits traits_;
  ReaderFaults faults_;
  std::mt19937 numbers_;
  FrameReader frames_;
  std::deque<Due> due_;
  Bytes held_;  // an answer that is to come behind the next one
  int volts_mv_;
  bool power_ = false;
  bool switched_off_ = false;  // by `power`
  std::int64_t session_;
  std::uint64_t asked_ = 0;
  std::uint64_t worked_ = 0;
  std::uint64_t line_rest_ = 0;  // thousandths of a byte's time
  bool harmed_ = false;
  Bytes last_question_;
  Bytes last_answer_;
  std::map<std::pair<std::string, std::uint64_t>, unsigned> tries_;  // by page
  struct Buffered {
    std::string area;
    std::uint64_t at = 0;
    Bytes before;
  };
  std::optional<Buffered> buffered_;
  std::function<void(const SimulatedCartridge&)> changed_;
};

}  // namespace bayswap::demo
