// A cartridge in a reader: dumped so that one knows, and written so that one knows that it took.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "readers/reader.h"

namespace bayswap {

/// What a person sees while it works; each may be empty.
struct CartridgeWatch {
  /// So many bytes of so many.
  std::function<void(std::uint64_t done, std::uint64_t all)> progress;
  /// The reader's switch has to be moved to so many millivolts; called until it is. False: give up.
  std::function<bool(int millivolts)> wait_for_switch;
};

/// Where the bytes of an area go that is too large for memory.
class DumpStore {
 public:
  virtual ~DumpStore() = default;
  [[nodiscard]] virtual Result<void> put(std::uint64_t at, ByteView bytes) = 0;
  /// What was put there before.
  [[nodiscard]] virtual Result<void> get(std::uint64_t at, std::span<std::byte> into) = 0;
};

/// How an area was read.
struct AreaDump {
  std::uint64_t size = 0;             ///< bytes
  Bytes bytes;                        ///< empty where they went into a store
  std::vector<std::uint64_t> unsure;  ///< offsets of pages that read differently each time
  unsigned readings = 0;              ///< of the page that was read most often
  bool size_by_repeat = false;        ///< nobody told the size; the bytes repeat behind it
};

/// How an area is read.
struct DumpOptions {
  /// Bytes, where the reader does not tell; nothing: found by where the bytes repeat.
  std::optional<std::uint64_t> size = {};
  std::uint64_t known = 0;  ///< bytes at the beginning that the store holds from an earlier run
  /// Called once the size is sure, before the first byte is read.
  std::function<void(std::uint64_t size)> begins = {};
  /// The first reading, from the beginning on.
  std::function<void(ByteView piece)> first_reading = {};
  /// Whether that reading is enough, by a checksum of the bytes' own; empty: it is not.
  std::function<bool()> enough = {};
};

/// How a write ended.
enum class WriteEnd {
  done,      ///< every page reads back, after power off and on as well
  restored,  ///< some pages did not take, and the old content is back
  broken,    ///< some pages did not take, and neither did some of the old content
};
struct WriteOutcome {
  WriteEnd end = WriteEnd::done;
  std::vector<std::uint64_t> wrong_pages;  ///< their numbers, from 0
  std::uint64_t pages_written = 0;
  std::uint64_t pages_again = 0;  ///< of them, written again because they did not take at first
};

/// One thread at a time.
class Cartridge {
 public:
  /// Finds out what is in the slot, gives it the right voltage, and asks for its areas. A 3.3 V
  /// system never gets 5 V. Errors: `no-cartridge`, `wrong-volts`, and those of CartridgeReader.
  static Result<Cartridge> open(Link link, CartridgeWatch watch = {});

  [[nodiscard]] const ReaderInfo& reader() const { return info_; }
  [[nodiscard]] System system() const { return slot_.system; }
  [[nodiscard]] const std::vector<CartridgeArea>& areas() const { return areas_; }
  [[nodiscard]] const CartridgeArea* area(std::string_view name) const;
  /// The size of an area that the reader does not tell, known from elsewhere.
  void know_size(std::string_view name, std::uint64_t size);
  /// The size of an area by where its bytes repeat, or end. Errors: `wrong-size` when nothing shows
  /// it, as on a chip that is blank.
  [[nodiscard]] Result<std::uint64_t> size_by_repeat(const CartridgeArea& area);
  /// Whether anything was written or erased since it was opened.
  [[nodiscard]] bool touched() const { return touched_; }
  /// The ROM's beginning, up to the end of the last place where the system's headers lie; zeros
  /// between such places. Read until two readings agree.
  [[nodiscard]] const Bytes& header() const { return header_; }
  /// The ROM's header reads the same each time.
  [[nodiscard]] bool contacts_steady() const { return contacts_steady_; }

  /// Reads an area: each page until two readings in a row agree and most do, or once where that is
  /// enough.
  [[nodiscard]] Result<AreaDump> dump(const CartridgeArea& area);
  /// The same into a store, in little memory. What was read once is in the store when it fails.
  [[nodiscard]] Result<AreaDump> dump_into(DumpStore& store, const CartridgeArea& area,
                                           DumpOptions how = {});

  /// Nobody may stop it any more: what was begun is put back.
  void finish_without_asking() { reader_.link().finish_without_asking(); }

  /// Writes the pages of an area that differ. `before`: what it holds now, as dump() read it. Every
  /// page is read back and tried up to five times; at the end the whole area is read after power
  /// off and on. Where pages stay wrong the old content is written back. Errors: a lost link and a
  /// changed cartridge leave the area neither old nor new.
  [[nodiscard]] Result<WriteOutcome> write(const CartridgeArea& area, ByteView before,
                                           ByteView wanted);

 private:
  Cartridge(CartridgeReader reader, CartridgeWatch watch)
      : reader_(std::move(reader)), watch_(std::move(watch)) {}
  class Dumper;
  class Writer;

  Result<void> set_volts();
  Result<void> read_header();
  /// Two readings in a row that agree; nothing when six do not settle it.
  Result<std::optional<Bytes>> steady(const CartridgeArea& area, std::uint64_t at,
                                      std::size_t size);
  /// Off and on again; the same cartridge has to be there.
  Result<void> cycle_power();

  CartridgeReader reader_;
  CartridgeWatch watch_;
  ReaderInfo info_;
  InSlot slot_;
  std::vector<CartridgeArea> areas_;
  Bytes header_;
  bool contacts_steady_ = true;
  bool touched_ = false;
};

}  // namespace bayswap
