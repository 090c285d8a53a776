#include "core/states/sections.h"

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

constexpr std::size_t kLongestHeader = 64;  // bytes before the first section
constexpr std::size_t kMostSections = 4096;
constexpr std::size_t kLeastName = 3;
constexpr std::size_t kLongestName = 48;

std::vector<SectionForm> all_forms() {
  using Name = SectionForm::Name;
  constexpr auto kLittle = std::endian::little;
  constexpr auto kBig = std::endian::big;
  std::vector<SectionForm> forms;
  for (const std::endian order : {kLittle, kBig}) {
    for (const std::size_t length : {std::size_t{4}, std::size_t{3}, std::size_t{8}}) {
      for (const std::size_t width : {4U, 3U, 5U, 6U, 8U, 12U, 16U})
        forms.push_back({Name::fixed, width, length, order});
      forms.push_back({Name::zero_ended, 0, length, order});
      for (const std::size_t width : {1U, 2U, 4U})
        forms.push_back({Name::led_by_length, width, length, order});
    }
    forms.push_back({Name::fixed, 4, 4, order, true});
    forms.push_back({Name::fixed, 4, 4, order, true, 0, 4});
    forms.push_back({Name::fixed, 4, 4, order, false, 4});
    forms.push_back({Name::fixed, 4, 4, order, false, 0, 4});
    forms.push_back({Name::zero_ended, 0, 4, order, false, 4});
    forms.push_back({Name::led_by_length, 1, 4, order, false, 4});
  }
  return forms;
}

std::uint64_t number_at(ByteView bytes, std::endian order) {
  std::uint64_t value = 0;
  for (std::size_t i = 0; i < bytes.size(); ++i)
    value = value << 8U | to_u8(bytes[order == std::endian::big ? i : bytes.size() - 1 - i]);
  return value;
}

bool is_letter(std::byte value) {
  const char c = static_cast<char>(value);
  return (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z');
}

// Names are printable, and have letters in them. Behind them zeros may fill a fixed width.
bool is_name(ByteView bytes) {
  while (!bytes.empty() && bytes.back() == std::byte{0}) bytes = bytes.first(bytes.size() - 1);
  return bytes.size() >= kLeastName && is_printable(bytes) &&
         std::ranges::count_if(bytes, is_letter) >= 1 && bytes.front() != std::byte{' '};
}

struct NameRead {
  ByteView name;
  std::size_t end = 0;  // one past it
};

std::optional<NameRead> name_at(ByteView content, std::size_t at, const SectionForm& form) {
  std::size_t width = form.name_width;
  std::size_t behind = 0;
  if (form.name == SectionForm::Name::led_by_length) {
    const auto number = slice(content, at, width);
    if (!number) return std::nullopt;
    const std::uint64_t length = number_at(*number, form.order);
    if (length > kLongestName) return std::nullopt;
    at += width;
    width = static_cast<std::size_t>(length);
  } else if (form.name == SectionForm::Name::zero_ended) {
    const ByteView rest = content.subspan(std::min(at, content.size()));
    const ByteView near = rest.first(std::min(rest.size(), kLongestName + 1));
    const auto zero = std::ranges::find(near, std::byte{0});
    if (zero == near.end()) return std::nullopt;
    width = static_cast<std::size_t>(zero - near.begin());
    behind = 1;
  }
  const auto name = slice(content, at, width);
  if (!name || !is_name(*name)) return std::nullopt;
  return NameRead{*name, at + width + behind};
}

SectionChain chain_from(ByteView content, std::size_t start, const SectionForm& form) {
  SectionChain chain{form, {}, false};
  std::size_t at = start;
  while (at < content.size() && chain.sections.size() < kMostSections) {
    const std::size_t first = form.length_first ? form.length_width : 0;
    const auto name = name_at(content, at + first, form);
    if (!name) break;
    const auto number = slice(content, form.length_first ? at : name->end, form.length_width);
    const std::size_t data = name->end + (form.length_first ? 0 : form.length_width) + form.other;
    if (!number || data + form.check > content.size()) break;
    const std::uint64_t length = number_at(*number, form.order);
    if (length > content.size() - data - form.check) break;
    chain.sections.push_back({name_text(name->name), data, static_cast<std::size_t>(length)});
    at = data + static_cast<std::size_t>(length) + form.check;
  }
  chain.to_the_end = at == content.size();
  return chain;
}

// So many in a row do not follow each other by chance.
bool is_enough(const SectionChain& chain) {
  const SectionForm& form = chain.form;
  const bool short_name = form.name != SectionForm::Name::fixed || form.name_width < 4;
  const std::size_t count = chain.sections.size();
  if (chain.to_the_end) return count >= (short_name || form.length_width != 4 ? 3U : 2U);
  return count >= (short_name ? 5U : 4U);
}

}  // namespace

std::optional<SectionChain> sections_from_start(ByteView content) {
  static const std::vector<SectionForm> kForms = all_forms();
  std::optional<SectionChain> best;
  const auto value = [](const SectionChain& chain) {
    return std::pair(chain.to_the_end, chain.end());
  };
  for (std::size_t start = 0; start <= kLongestHeader; ++start)
    for (const SectionForm& form : kForms) {
      SectionChain chain = chain_from(content, start, form);
      if (is_enough(chain) && (!best || value(chain) > value(*best))) best = std::move(chain);
    }
  return best;
}

namespace {

// Where the name would begin whose number stands at `at`.
std::optional<std::size_t> name_start(ByteView content, std::size_t at, const SectionForm& form) {
  using Name = SectionForm::Name;
  if (form.name == Name::fixed) {
    if (at < form.name_width) return std::nullopt;
    const std::size_t start = at - form.name_width;
    // The end of a longer name is not a name.
    return start > 0 && is_letter(content[start - 1]) ? std::nullopt : std::optional(start);
  }
  std::size_t end = at;
  if (form.name == Name::zero_ended) {
    if (end == 0 || content[end - 1] != std::byte{0}) return std::nullopt;
    --end;
  }
  std::size_t start = end;
  while (start > 0 && end - start < kLongestName && is_printable(content.subspan(start - 1, 1)))
    --start;
  if (form.name == Name::zero_ended) return start;
  // The number that leads the name may itself look printable, so that every start is tried.
  for (std::size_t from = start; from + kLeastName <= end; ++from)
    if (from >= form.name_width &&
        number_at(content.subspan(from - form.name_width, form.name_width), form.order) ==
            end - from)
      return from - form.name_width;
  return std::nullopt;
}

}  // namespace

std::vector<SectionChain> sections_of_length(ByteView content, std::uint64_t length) {
  std::vector<SectionForm> forms = all_forms();
  for (const SectionForm& form : all_forms())
    if (form.length_width == 4 && length < 0x10000) {
      forms.push_back(form);
      forms.back().length_width = 2;
    }
  std::erase_if(forms, [](const SectionForm& form) { return form.length_first; });
  std::vector<SectionChain> chains;
  constexpr std::size_t kMostChains = 64;
  const auto low = static_cast<std::byte>(length & 0xFFU);
  for (std::size_t at = kLeastName; at + 2 <= content.size() && chains.size() < kMostChains; ++at) {
    // Sizes of chips end in zeros: a number has its last byte here, or its first.
    if (content[at] != low && content[at] != std::byte{0}) continue;
    for (const SectionForm& form : forms) {
      const auto number = slice(content, at, form.length_width);
      if (!number || number_at(*number, form.order) != length) continue;
      const auto start = name_start(content, at, form);
      if (!start) continue;
      SectionChain chain = chain_from(content, *start, form);
      if (chain.sections.empty() || chain.sections.front().size != length) continue;
      if (chain.sections.size() >= 2 || chain.to_the_end) chains.push_back(std::move(chain));
    }
  }
  return chains;
}

std::vector<Section> sections_of(ByteView content) {
  auto chain = sections_from_start(content);
  return chain && chain->to_the_end ? std::move(chain->sections) : std::vector<Section>{};
}

}  // namespace bayswap
