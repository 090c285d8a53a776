// Which copy of a save counts, and how a game goes on in the next one.
#include "core/fields/field_view.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"
#include "core/fields/bits.h"
#include "core/fields/space.h"

namespace bayswap::fields {

Result<std::shared_ptr<Space>> FieldView::copy_space(std::size_t copy,
                                                     std::optional<std::size_t> first_sector) {
  const Copies& copies = *map_->copies;
  auto space = std::make_shared<Space>();
  space->parent = part_;
  space->pieces = {{copies.at[copy], copies.size}};
  if (!slice(part_->bytes, copies.at[copy], copies.size))
    return wrong(fmt::format("copy {} lies past the end of the save", copy));
  if (!copies.sectors) {
    space->read();
    return space;
  }
  const Copies::Sectors& sectors = *copies.sectors;
  space->block = sectors.size;
  std::vector<bool> seen(sectors.count);
  for (std::uint64_t i = 0; i < sectors.count; ++i) {
    const std::uint64_t at = copies.at[copy] + i * sectors.size + sectors.id_at;
    const std::uint64_t id =
        first_sector ? (i + sectors.count - *first_sector) % sectors.count
                     : number_in(*slice(part_->bytes, at, sectors.id_width / 8), sectors.id_order);
    if (id >= sectors.count || seen[id])
      return wrong(fmt::format("copy {} has not each sector once", copy));
    seen[id] = true;
    space->order.push_back(id);
  }
  space->read();
  return space;
}

Result<void> FieldView::choose_copy() {
  const Copies& copies = *map_->copies;
  std::optional<std::size_t> best;
  std::optional<std::size_t> first;
  for (std::size_t i = 0; i < copies.at.size(); ++i) {
    copies_.push_back({copies.at[i], false, {}, false});
    auto space = copy_space(i, {});
    if (!space) {
      if (slice(part_->bytes, copies.at[i], copies.size)) continue;
      return tl::unexpected(space.error());
    }
    use(std::move(*space));
    if (!first) first = i;
    Copy& copy = copies_.back();
    copy.sound = sums_are_right().value_or(false);
    copy.counter = counter_value().value_or(std::nullopt);
    if (!copy.sound) continue;
    if (!best) {
      best = i;
      continue;
    }
    if (!copy.counter || !copies_[*best].counter) continue;
    // Counters wrap: what is less than half of their range ahead is newer.
    const auto counter = find(copies.counter);
    const unsigned width = counter && !counter->empty() ? counter->front().field->width : 64;
    const std::uint64_t ahead = (*copy.counter - *copies_[*best].counter) & low_bits(width);
    if (ahead != 0 && ahead <= low_bits(width) / 2) best = i;
  }
  copy_ = best.value_or(first.value_or(0));
  auto space = copy_space(copy_, {});
  if (!space) space = copy_space(copy_, 0);
  if (!space) return tl::unexpected(space.error());
  copies_[copy_].counts = true;
  use(std::move(*space));
  return {};
}

Result<std::optional<std::uint64_t>> FieldView::counter_value() {
  if (map_->copies->counter.empty()) return std::optional<std::uint64_t>{};
  const auto found = find(map_->copies->counter);
  if (!found) return tl::unexpected(found.error());
  const auto value = number(found->front());
  if (!value) return tl::unexpected(value.error());
  return std::optional(static_cast<std::uint64_t>(*value));
}

Result<void> FieldView::begin_next_copy() {
  if (!map_->copies || !map_->copies->write_next) return {};
  const Copies& copies = *map_->copies;
  const std::size_t next = (copy_ + 1) % copies.at.size();
  const std::shared_ptr<Space> now = whole_->space;
  auto space = std::make_shared<Space>();
  space->parent = part_;
  space->pieces = {{copies.at[next], copies.size}};
  space->block = now->block;
  space->bytes = now->bytes;
  for (std::size_t i = 0; i < now->order.size(); ++i)
    space->order.push_back(now->order[(i + now->order.size() - 1) % now->order.size()]);
  const Bytes content = space->bytes;
  space->write(0, content);
  for (Copy& copy : copies_) copy.counts = false;
  copy_ = next;
  copies_[next].counts = true;
  use(std::move(space));
  if (copies.counter.empty()) return {};
  const auto counters = find(copies.counter);
  if (!counters) return tl::unexpected(counters.error());
  for (const FieldAt& counter : *counters) {
    const auto value = number(counter);
    if (!value) return tl::unexpected(value.error());
    if (auto put = put_number(counter, *value + 1); !put) return put;
  }
  return {};
}

}  // namespace bayswap::fields
