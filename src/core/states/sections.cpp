#include "core/states/sections.h"

#include <array>
#include <bit>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

constexpr std::size_t kLongestHeader = 64;  // bytes before the first section
constexpr std::size_t kTag = 4;
constexpr std::size_t kLength = 4;
constexpr std::size_t kMostSections = 4096;
constexpr std::size_t kLeastSections = 2;

// How a program writes a section's head and what stands behind its data.
struct Form {
  bool tag_first = true;
  std::endian order = std::endian::little;
  std::size_t behind = 0;  // bytes of a check
};

constexpr std::array<Form, 6> kForms{{{true, std::endian::little, 0},
                                      {true, std::endian::big, 0},
                                      {false, std::endian::little, 0},
                                      {false, std::endian::big, 0},
                                      {false, std::endian::big, 4},
                                      {true, std::endian::little, 4}}};

std::vector<Section> sections_from(ByteView content, std::size_t start, const Form& form) {
  std::vector<Section> sections;
  Cursor cursor(content);
  std::size_t at = start;
  while (at < content.size()) {
    const auto tag = slice(content, form.tag_first ? at : at + kLength, kTag);
    const std::size_t number = form.tag_first ? at + kTag : at;
    if (!tag || !is_printable(*tag) || sections.size() == kMostSections) return {};
    const std::uint64_t length =
        form.order == std::endian::little ? cursor.u32le(number) : cursor.u32be(number);
    const std::size_t data = at + kTag + kLength;
    if (cursor.overrun() || length + form.behind > content.size() - data) return {};
    sections.push_back({name_text(*tag), data, static_cast<std::size_t>(length)});
    at = data + static_cast<std::size_t>(length) + form.behind;
  }
  return sections.size() < kLeastSections ? std::vector<Section>{} : sections;
}

}  // namespace

std::vector<Section> sections_of(ByteView content) {
  for (std::size_t start = 0; start <= kLongestHeader; ++start)
    for (const Form& form : kForms)
      if (auto sections = sections_from(content, start, form); !sections.empty()) return sections;
  return {};
}

}  // namespace bayswap
