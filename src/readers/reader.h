// A cartridge reader, question by question. Every byte of an answer is taken for hostile.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/game.h"
#include "readers/link.h"

namespace bayswap {

struct ReaderInfo {
  std::string name;
  std::string serial;
  std::size_t chunk = 64;  ///< most bytes of data in one message
  int volts_mv = 0;        ///< now, in millivolts
  std::vector<int> can_volts_mv;
  bool volts_by_switch = false;  ///< only a person can change them
  std::vector<System> slots;
};

struct InSlot {
  bool present = false;
  System system = System::gb;
  std::int64_t session = 0;  ///< changes with each cartridge
};

/// A run of bytes on a cartridge.
struct CartridgeArea {
  std::string name;                   ///< `rom`, `save`, `save2` …
  std::string chip;                   ///< `sram`, `eeprom`, `flash`, `clock`; empty for a ROM
  std::optional<std::uint64_t> size;  ///< bytes; nothing where the reader can't know
  std::uint64_t page = 1;             ///< smallest unit of a write, in bytes
  std::uint64_t erase_page = 0;       ///< smallest unit of an erase; 0: nothing is erased
};

/// What a system's cartridges take, in millivolts.
[[nodiscard]] int volts_of(System system);

/// One thread at a time. Errors of all calls: `link-lost`, `cancelled`; `reader-failed` for an
/// answer that makes no sense or an error that has no name here; and what each call says.
class CartridgeReader {
 public:
  explicit CartridgeReader(Link link) : link_(std::move(link)) {}

  [[nodiscard]] Result<ReaderInfo> hello();
  /// Errors: `wrong-volts` when only a person can change them, or the reader has no such ones.
  [[nodiscard]] Result<void> set_volts(int millivolts);
  [[nodiscard]] Result<InSlot> probe();
  /// Errors: `no-cartridge`, `other-cartridge`, `wrong-volts`.
  [[nodiscard]] Result<std::vector<CartridgeArea>> areas(std::int64_t session);
  /// At most a chunk. Nothing past the end of an area whose size nobody told. Errors:
  /// `no-cartridge`, `other-cartridge`, `wrong-volts`.
  [[nodiscard]] Result<std::optional<Bytes>> read(const CartridgeArea& area, std::uint64_t at,
                                                  std::size_t size, std::int64_t session);
  /// Lets the reader begin with a read() that comes next.
  void read_ahead(const CartridgeArea& area, std::uint64_t at, std::size_t size,
                  std::int64_t session);
  /// At most a page. That it was written is what the reader says; only reading shows it. False: the
  /// reader says that it did not take. Errors: as read().
  [[nodiscard]] Result<bool> write(const CartridgeArea& area, std::uint64_t at, ByteView data,
                                   std::int64_t session);
  [[nodiscard]] Result<bool> erase(const CartridgeArea& area, std::uint64_t at, std::uint64_t size,
                                   std::int64_t session);
  [[nodiscard]] Result<void> power(bool on);

  [[nodiscard]] Link& link() { return link_; }

 private:
  Result<Answer> ask(const std::string& what, CborMap with);
  Result<Answer> ask_in_session(const std::string& what, CborMap with, std::int64_t session);
  [[nodiscard]] Error senseless(const std::string& what) const;
  [[nodiscard]] Error error_of(const Answer& answer) const;

  Link link_;
};

}  // namespace bayswap
