// What a field map says: which saves it fits, and what their bytes mean. docs/field-maps.md
// describes the file. Plain data; map_reader makes it, FieldView uses it.
#pragma once

#include <bit>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/game.h"
#include "core/fields/expression.h"

namespace bayswap::fields {

enum class Shape { number, bcd, text, bytes, structure };

/// How a number stands for a time.
struct TimeForm {
  std::int64_t since = 0;   ///< seconds since 1970
  std::int64_t second = 1;  ///< units in a second; 0 when a unit is longer
  std::int64_t unit = 1;    ///< seconds in a unit
  bool span = false;        ///< a length of time, `1:23:45`, not a moment
};

struct Field {
  std::string name;
  std::string label;  ///< for people; may be empty
  Shape shape = Shape::number;
  Expression at;        ///< offset in its structure, or in its section
  std::string section;  ///< of the same structure; empty: its own bytes
  Expression when;      ///< it is there; empty: always
  // Numbers:
  unsigned width = 8;  ///< bits; of bcd: digits
  unsigned bit = 0;    ///< lowest bit, counted from that of the number in its bytes
  bool is_signed = false;
  std::endian order = std::endian::little;
  std::optional<std::int64_t> least;
  std::optional<std::int64_t> most;
  std::int64_t divide = 1;  ///< shown divided by this
  std::string unit;
  std::string enumeration;
  std::vector<std::pair<unsigned, std::string>> flags;  ///< names of bits
  std::optional<TimeForm> time;
  std::vector<std::string> refers;  ///< names that its numbers are indexes into, `rooms`, `name`
  // Text and bytes:
  Expression length;  ///< bytes
  std::string
      encoding;      ///< a table of the map, or `ascii`, `latin-1`, `shift-jis`, `utf-8`, `utf-16`
  std::byte fill{};  ///< behind the text
  std::optional<std::byte> end;  ///< the text ends before this byte
  // Structures:
  std::string structure;
  // Arrays:
  std::optional<Expression> count;
  std::optional<Expression> stride;  ///< bytes; nothing: as long as one element
};

/// Bytes that are stored in another way than they are described.
struct Section {
  std::string name;
  struct Piece {
    Expression at;
    Expression size;
  };
  std::vector<Piece> pieces;  ///< joined, in this order
  /// Blocks of so many bytes stand in the order that the key chooses; 0: as they are.
  std::uint32_t block = 0;
  Expression order;  ///< which of `orders`, modulo their number
  std::vector<std::vector<std::uint8_t>>
      orders;               ///< for each place there the block that stands in it
  Expression mask;          ///< XOR with it; empty: none
  unsigned mask_width = 8;  ///< bits
  std::endian mask_order = std::endian::little;
};

struct Checksum {
  enum class Kind { sum, exclusive_or, crc };
  enum class Complement { none, ones, twos };
  std::string name;
  Expression at;  ///< where it is stored
  std::string section;
  unsigned width = 16;  ///< bits, of what is stored
  std::endian order = std::endian::little;
  Kind kind = Kind::sum;
  unsigned unit = 8;  ///< bits that are added up at a time
  std::uint64_t start = 0;
  std::uint64_t plus = 0;
  Complement complement = Complement::none;
  // Of a CRC:
  std::uint64_t polynomial = 0;
  unsigned crc_bits = 16;  ///< 8 to 64
  bool reflected =
      false;  ///< the lowest bit of each byte first; the polynomial then stands so, too
  bool reflected_out = false;
  std::uint64_t final_xor = 0;
  struct Range {
    std::string section;
    Expression at;
    Expression size;
    std::string field;  ///< instead: all of a field
  };
  std::vector<Range> over;
  bool without_itself = false;  ///< its own bytes count as 00
};

struct Rule {
  std::string name;
  std::string text;  ///< for people
  Expression when;   ///< empty: always
  Expression must;
};

struct Structure {
  std::string name;
  std::uint64_t size = 0;  ///< bytes; 0 for the whole save
  std::vector<Field> fields;
  std::vector<Section> sections;
  std::vector<Checksum> checksums;  ///< in the order in which they are made right
  std::vector<Rule> rules;
  std::map<std::string, std::size_t, std::less<>> by_name;  ///< fields

  [[nodiscard]] const Field* field(std::string_view wanted) const;
  [[nodiscard]] const Section* section(std::string_view wanted) const;
};

struct Enumeration {
  std::vector<std::pair<std::int64_t, std::string>> names;
  [[nodiscard]] const std::string* name_of(std::int64_t value) const;
};

/// Letters of a game's own.
struct TextTable {
  std::vector<std::pair<std::string, std::uint8_t>> letters;  ///< UTF-8
};

/// Several copies of everything, of which the newest counts.
struct Copies {
  std::vector<std::uint64_t> at;
  std::uint64_t size = 0;
  std::string counter;      ///< path of what grows; empty: the first whose checksums are right
  bool write_next = false;  ///< a change goes into the copy that the game would write next
  /// The copy is made of sectors that stand one further with each write.
  struct Sectors {
    std::uint64_t count = 0;
    std::uint64_t size = 0;
    std::uint64_t id_at = 0;  ///< where each says which it is
    unsigned id_width = 16;   ///< bits
    std::endian id_order = std::endian::little;
  };
  std::optional<Sectors> sectors;
};

struct Fits {
  System system = System::gb;
  std::vector<std::string> codes;  ///< codes, serials or title ids; none: any
  std::vector<std::string> titles;
  std::vector<std::uint64_t> sizes;  ///< of the part, in bytes
  std::string part;                  ///< which part of the save; empty: the first
  struct Mark {
    std::uint64_t at = 0;
    Bytes bytes;
  };
  std::vector<Mark> marks;
};

struct FieldMap {
  std::string file;  ///< for errors
  std::string name;
  Fits fits;
  Structure whole;
  std::map<std::string, Structure, std::less<>> structures;
  std::map<std::string, Enumeration, std::less<>> enumerations;
  std::map<std::string, std::vector<std::int64_t>, std::less<>> tables;
  std::map<std::string, TextTable, std::less<>> texts;
  std::optional<Copies> copies;
};

/// Reads the text of a map. Errors: `bad-map`, with line and column.
[[nodiscard]] Result<std::shared_ptr<const FieldMap>> read_map(std::string_view text,
                                                               const std::string& file);

}  // namespace bayswap::fields
