// Sections of a state: names and lengths one behind the other, as many programs write them.
#pragma once

#include <bit>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/bytes.h"

namespace bayswap {

/// How a program writes the head of a section, and what stands behind its data.
struct SectionForm {
  enum class Name { fixed, zero_ended, led_by_length };
  Name name = Name::fixed;
  std::size_t name_width = 4;    ///< bytes of a fixed name, or of the number that leads the name
  std::size_t length_width = 4;  ///< bytes of the length of the data: 2, 3, 4 or 8
  std::endian order = std::endian::little;
  bool length_first = false;  ///< the length stands before the name
  std::size_t other = 0;  ///< bytes of another number behind the length, such as the size unpacked
  std::size_t check = 0;  ///< bytes of a check behind the data

  bool operator==(const SectionForm&) const = default;
};

struct Section {
  std::string tag;
  std::size_t offset = 0;  ///< of its data
  std::size_t size = 0;    ///< bytes of its data
};

struct SectionChain {
  SectionForm form;
  std::vector<Section> sections;
  bool to_the_end = false;  ///< of the content

  /// One past its last byte.
  [[nodiscard]] std::size_t end() const {
    return sections.back().offset + sections.back().size + form.check;
  }
};

/// The sections that follow each other from behind a short header on; the chain that explains most
/// of the content. Nothing when so few follow each other that it may be chance.
[[nodiscard]] std::optional<SectionChain> sections_from_start(ByteView content);

/// Chains anywhere in the content whose first section is so long. Each goes on with another
/// section, or ends where the content ends, so that the width of its length is not a guess.
[[nodiscard]] std::vector<SectionChain> sections_of_length(ByteView content, std::uint64_t length);

/// The sections that fill the content from behind a short header to its end. Empty when it is not
/// made of such.
[[nodiscard]] std::vector<Section> sections_of(ByteView content);

}  // namespace bayswap
