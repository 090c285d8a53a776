// Layouts: exact arrangements of saves in a file. A layout reads bytes into saves and writes saves
// into bytes; converting is reading with one and writing with another.
//
// Library bayswap_core. Layouts are immutable and may be used from several threads; the registry is
// filled before.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/finding.h"
#include "bayswap/result.h"
#include "bayswap/save.h"

#pragma GCC visibility push(default)

namespace bayswap {

enum class Confidence { possible, likely, certain };

[[nodiscard]] std::string_view to_string(Confidence confidence);

/// What is known about a file besides its bytes.
struct Hints {
  std::string file_name;         ///< last path component; empty when unknown
  std::optional<System> system;  ///< from a ROM, a shelf or the user
  /// The game's save chips. Known but empty means that the game keeps nothing.
  std::optional<std::vector<Chip>> chips;
  bool chips_from_header = false;  ///< the ROM itself says so (else a catalog does)
  /// Words that the game may have written into its save, such as the title in its ROM.
  std::vector<std::string> words;
  /// The unit (1, 2, 4 or 8 bytes reversed) in which text in the file can be read; 0: none stands
  /// out. identify() fills it in once for all layouts.
  std::optional<std::size_t> readable_unit;
  /// The user named this one file: single saves behind unknown headers are looked for, too.
  bool thorough = false;
  /// The file that travels beside this one (LayoutInfo::second_file); empty when there is none.
  Bytes second_file = {};
};

/// What a layout's claim on a file rests on, the weakest first.
enum class Basis {
  size,        ///< its size alone, or what surrounds it
  appearance,  ///< the bytes look so: text in one byte order, filler at every other offset
  structure,   ///< marks and checks of the layout hold
};

/// A layout's claim on a file.
struct Match {
  Confidence confidence = Confidence::possible;
  std::string reason;
  Basis basis = Basis::size;
};

/// Everything that a layout found in a file.
struct Content {
  std::vector<Save> saves;
  Bytes header;   ///< unknown bytes in front of the body
  Bytes trailer;  ///< unknown bytes behind the body
  Findings findings;
};

/// What a layout is asked to write.
struct WriteRequest {
  std::span<const Save> saves;
  /// An existing file whose surroundings, size and conventions are kept; its body is replaced.
  std::optional<ByteView> mould;
  Hints hints;
};

/// What a layout wrote, and what it could not hold.
struct Written {
  Bytes bytes;
  Findings losses;  ///< progress of the saves that is not in the bytes
  Findings notes;
  Bytes second_file = {};  ///< to be kept beside the file, see LayoutInfo::second_file
};

/// The static facts of a layout.
struct LayoutInfo {
  std::string id;
  System system = System::snes;
  Kind kind = Kind::battery;
  std::string summary;                    ///< one line for people
  std::vector<std::string> parts;         ///< part names that it can hold, in file order
  std::vector<std::uint64_t> file_sizes;  ///< usual sizes in bytes, without trailers
  /// What the name of a second file adds to that of the first, when the layout needs two.
  std::string second_file = {};
  /// It stands in place of the first one's extension (`game.rtc` beside `game.srm`).
  bool second_file_for_extension = false;
};

/// One arrangement of saves in a file. Implementations are immutable and may be used from several
/// threads at once. They must check every size and offset that comes from the bytes.
class Layout {
 public:
  virtual ~Layout() = default;
  [[nodiscard]] virtual const LayoutInfo& info() const = 0;
  /// How well the file fits; nothing when it cannot be this layout.
  [[nodiscard]] virtual std::optional<Match> recognise(ByteView file, const Hints& hints) const = 0;
  /// Errors: `wrong-size`, `damaged`.
  [[nodiscard]] virtual Result<Content> read(ByteView file, const Hints& hints) const = 0;
  /// Errors: `no-match` when the saves hold nothing that this layout stores; `mould-differs` when
  /// the mould is not of this layout.
  [[nodiscard]] virtual Result<Written> write(const WriteRequest& request) const = 0;
  /// Bytes in front of the body that belong to an unknown header, which reads skip and writes keep.
  [[nodiscard]] virtual std::size_t header_size(ByteView /*file*/) const { return 0; }
};

/// The list of layouts, the only global object of the library. Register your own before other
/// threads use it.
class LayoutRegistry {
 public:
  /// Errors: `name-taken` when the id is in use.
  Result<void> add(std::unique_ptr<Layout> layout);
  /// Null when there is none.
  [[nodiscard]] const Layout* find(std::string_view id) const;
  [[nodiscard]] const std::vector<std::unique_ptr<Layout>>& all() const { return layouts_; }

 private:
  std::vector<std::unique_ptr<Layout>> layouts_;
};

/// The registry with all built-in layouts in it.
[[nodiscard]] LayoutRegistry& layouts();

/// A layout that a file may have, and why.
struct Guess {
  const Layout* layout = nullptr;
  Confidence confidence = Confidence::possible;
  std::string reason;
  Basis basis = Basis::size;
};

/// All layouts that the file may have, best first. Empty when none fits.
[[nodiscard]] std::vector<Guess> identify(ByteView file, const Hints& hints);

/// The layout with this id. Errors: `unknown-layout`, with near names in the hint.
[[nodiscard]] Result<const Layout*> find_layout(std::string_view id);

/// Whether two parts of one system hold the same progress: clocks are compared by value, and only
/// the low nibbles of the 4-bit chip count.
[[nodiscard]] bool same_progress(System system, const Part& a, const Part& b);

/// Writes the saves into the shape of an existing file. Unlike Layout::write(), the body of the
/// mould may lie behind a header and before a trailer of any length: where it lies is found by what
/// it has in common with the saves, as an older save of the same game has. Errors: `mould-differs`
/// when that cannot be told.
[[nodiscard]] Result<Written> imitate(const Layout& layout, const WriteRequest& request);

/// How many runs of 16 bytes the saves, written in this layout, have in common with a file at one
/// offset. An older save of the same game in the same order has many; 0 says nothing.
[[nodiscard]] std::size_t shared_runs(const Layout& layout, const WriteRequest& request);

/// Recomputes Part::blank of a part from its bytes, by the rules of its chip.
[[nodiscard]] bool is_blank_part(System system, std::string_view part, ByteView data);

}  // namespace bayswap

#pragma GCC visibility pop
