// Checksums of a save: what they are, and what they have to be.
#include "core/fields/field_view.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/fields/bits.h"
#include "core/fields/space.h"
#include "core/fields/sums.h"

namespace bayswap::fields {

Result<FieldView::Place> FieldView::place_of_sum(const InstancePtr& in, const Checksum& sum) {
  return range_of(in, {sum.section, sum.at, Expression::number(sum.width / 8), ""});
}

Result<FieldView::Place> FieldView::range_of(const InstancePtr& in, const Checksum::Range& range) {
  if (!range.field.empty()) {
    const Field& field = *in->structure->field(range.field);
    const auto count = count_of(in, field);
    if (!count) return tl::unexpected(count.error());
    auto first = place_of({in, &field, 0, {}});
    if (!first || *count < 2) return first;
    auto last = place_of({in, &field, *count - 1, {}});
    if (!last) return last;
    return checked(first->space, first->at, last->at + last->size - first->at);
  }
  const auto numbers = numbers_of(in, range.at, range.size);
  if (!numbers) return tl::unexpected(numbers.error());
  const auto [from, length] = *numbers;
  if (!range.section.empty()) {
    auto space = open_section(in, range.section);
    if (!space) return tl::unexpected(space.error());
    return checked(std::move(*space), from, length);
  }
  if (from > in->size || length > in->size - from)
    return wrong("a checksum's range lies past the end");
  return checked(in->space, in->at + from, length);
}

Result<std::uint64_t> FieldView::right_sum(const InstancePtr& in, const Checksum& sum,
                                           const Place& own) {
  Bytes over;
  for (const Checksum::Range& range : sum.over) {
    const auto place = range_of(in, range);
    if (!place) return tl::unexpected(place.error());
    const std::size_t begin = over.size();
    const ByteView bytes = *slice(place->space->bytes, place->at, place->size);
    over.insert(over.end(), bytes.begin(), bytes.end());
    if (!sum.without_itself || place->space != own.space) continue;
    for (std::uint64_t at = own.at; at < own.at + own.size; ++at)
      if (at >= place->at && at - place->at < place->size)
        over[begin + (at - place->at)] = std::byte{};
  }
  budget_.steps -= std::min<std::uint64_t>(budget_.steps, over.size() / 64);
  return sum_of(sum, over);
}

Result<std::vector<FieldView::SumState>> FieldView::sums() {
  budget_.steps = kMostSteps;
  std::vector<SumState> states;
  const auto all = instances();
  if (!all) return tl::unexpected(all.error());
  for (const InstancePtr& in : *all)
    for (const Checksum& sum : in->structure->checksums) {
      const auto place = place_of_sum(in, sum);
      if (!place) return tl::unexpected(place.error());
      const auto right = right_sum(in, sum, *place);
      if (!right) return tl::unexpected(right.error());
      const ByteView bytes = *slice(place->space->bytes, place->at, place->size);
      states.push_back({joined_path(in->path, sum.name), number_in(bytes, sum.order), *right});
    }
  return states;
}

Result<bool> FieldView::sums_are_right() {
  const auto states = sums();
  if (!states) return tl::unexpected(states.error());
  return std::ranges::all_of(*states, [](const SumState& one) { return one.stored == one.right; });
}

Result<std::vector<FieldView::SumState>> FieldView::make_sums_right() {
  const auto before = sums();
  if (!before) return tl::unexpected(before.error());
  const auto all = instances();
  if (!all) return tl::unexpected(all.error());
  constexpr int kPasses = 3;  // a checksum may unlock a section that another one covers
  for (int pass = 0; pass < kPasses; ++pass) {
    for (const InstancePtr& in : *all)
      for (const Checksum& sum : in->structure->checksums) {
        const auto place = place_of_sum(in, sum);
        if (!place) return tl::unexpected(place.error());
        const auto right = right_sum(in, sum, *place);
        if (!right) return tl::unexpected(right.error());
        Bytes bytes(place->size);
        store_number(bytes, *right, sum.order);
        if (std::ranges::equal(bytes, *slice(place->space->bytes, place->at, place->size)))
          continue;
        if (auto put = write(in, *place, bytes); !put) return tl::unexpected(put.error());
      }
    const auto right = sums_are_right();
    if (!right) return tl::unexpected(right.error());
    if (!*right) continue;
    std::vector<SumState> wrong_before = *before;
    std::erase_if(wrong_before, [](const SumState& one) { return one.stored == one.right; });
    return wrong_before;
  }
  return wrong("its checksums depend on each other in a circle");
}

}  // namespace bayswap::fields
