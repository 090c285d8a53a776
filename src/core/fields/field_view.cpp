#include "core/fields/field_view.h"

#include <fmt/core.h>

#include <algorithm>
#include <functional>

#include "core/bytes/text.h"
#include "core/fields/bits.h"
#include "core/fields/space.h"

namespace bayswap::fields {
namespace {

constexpr std::uint64_t kMostElements = 65'536;
constexpr std::uint64_t kLongestText = 1U << 20U;  // bytes
constexpr std::size_t kMostOpened = 4'000;         // sections; each write reads them anew
constexpr int kDeepestReference = 64;

// Digits that are none count as 9: the number is wrong, and its range says so.
std::int64_t bcd_value(std::uint64_t packed, unsigned digits) {
  std::int64_t value = 0;
  for (unsigned i = digits; i-- > 0;)
    value = value * 10 +
            static_cast<std::int64_t>(std::min<std::uint64_t>(packed >> (4 * i) & 0xFU, 9));
  return value;
}

std::uint64_t bcd_packed(std::uint64_t value, unsigned digits) {
  std::uint64_t packed = 0;
  for (unsigned i = 0; i < digits; ++i, value /= 10) packed |= (value % 10) << (4 * i);
  return packed;
}

}  // namespace

// What names mean inside of one structure.
class Scope final : public Names {
 public:
  Scope(FieldView& view, InstancePtr in) : view_(view), in_(std::move(in)) {}

  Result<std::int64_t> value(const std::vector<PathStep>& path) override {
    if (path.size() == 1 && path[0].name == "index" && in_->structure->field("index") == nullptr)
      return static_cast<std::int64_t>(in_->index);
    if (path.size() == 2)
      if (const auto constant = constant_of(path)) return *constant;
    auto at = field_at(path, true);
    if (!at) return tl::unexpected(at.error());
    return view_.number(*at);
  }

  Result<std::uint64_t> count(const std::vector<PathStep>& path) override {
    const auto at = field_at(path, false);
    if (!at) return tl::unexpected(at.error());
    return view_.count_of(at->in, *at->field);
  }

  const std::vector<std::int64_t>* table(const std::string& name) override {
    const auto found = view_.map().tables.find(name);
    return found == view_.map().tables.end() ? nullptr : &found->second;
  }

 private:
  std::optional<std::int64_t> constant_of(const std::vector<PathStep>& path) const {
    const auto found = view_.map().enumerations.find(path[0].name);
    if (found == view_.map().enumerations.end()) return std::nullopt;
    for (const auto& [number, name] : found->second.names)
      if (name == path[1].name) return number;
    return std::nullopt;
  }

  // `with_element`: the last step has to mean one element.
  Result<FieldAt> field_at(const std::vector<PathStep>& path, bool with_element) {
    InstancePtr in = in_;
    while (in && in->structure->field(path[0].name) == nullptr) in = in->outer;
    if (!in) return view_.wrong(fmt::format("there is no field '{}'", path[0].name));
    for (std::size_t i = 0; i < path.size(); ++i) {
      const Field* field = in->structure->field(path[i].name);
      if (field == nullptr) return view_.wrong(fmt::format("there is no field '{}'", path[i].name));
      FieldAt at{in, field, path[i].index.value_or(0), {}};
      const bool last = i + 1 == path.size();
      if (last && !with_element) return at;
      const auto count = view_.count_of(in, *field);
      if (!count) return tl::unexpected(count.error());
      if (at.index >= *count || (field->count && !path[i].index))
        return view_.wrong(fmt::format("'{}' has no element {}", field->name, at.index));
      if (last) return at;
      if (field->shape != Shape::structure && i + 2 == path.size())
        for (const auto& [bit, name] : field->flags)
          if (name == path[i + 1].name) {
            at.flag = bit;
            return at;
          }
      auto inner = view_.inner(at);
      if (!inner) return tl::unexpected(inner.error());
      in = std::move(*inner);
    }
    return view_.wrong("an empty path");
  }

  FieldView& view_;
  InstancePtr in_;
};

std::string FieldAt::path() const {
  std::string text = joined_path(in->path, field->name);
  if (field->count) text += fmt::format("[{}]", index);
  if (flag)
    for (const auto& [bit, name] : field->flags)
      if (bit == *flag) text += "." + name;
  return text;
}

tl::unexpected<Error> FieldView::wrong(const std::string& why) const {
  return fail(Trouble::input, Code::bad_map,
              fmt::format("{}: {}", safe_text(map_->file), safe_text(why)),
              "the map does not fit this save, or is wrong there");
}

Result<FieldView> FieldView::open(std::shared_ptr<const FieldMap> map, Bytes part) {
  FieldView view(std::move(map));
  view.budget_.steps = kMostSteps;
  view.part_ = std::make_shared<Space>();
  view.part_->bytes = std::move(part);
  if (!view.map_->copies) {
    view.use(view.part_);
    return view;
  }
  if (auto chosen = view.choose_copy(); !chosen) return tl::unexpected(chosen.error());
  return view;
}

const Bytes& FieldView::bytes() const {
  return part_->bytes;
}

void FieldView::use(std::shared_ptr<Space> space) {
  opened_.clear();
  auto whole = std::make_shared<Instance>();
  whole->structure = &map_->whole;
  whole->size = space->bytes.size();
  whole->space = std::move(space);
  whole_ = std::move(whole);
}

Result<FieldView::Place> FieldView::checked(std::shared_ptr<Space> space, std::uint64_t at,
                                            std::uint64_t size) const {
  if (!slice(space->bytes, at, size))
    return wrong(fmt::format("{} bytes at {} lie past the end", size, at));
  return Place{std::move(space), at, size};
}

Result<std::int64_t> FieldView::evaluate_in(const InstancePtr& in, const Expression& expression) {
  if (const auto constant = expression.constant()) return *constant;
  if (depth_ >= kDeepestReference) return wrong("places that depend on themselves");
  ++depth_;
  Scope scope(*this, in);
  auto value = evaluate(expression, scope, budget_);
  --depth_;
  if (!value && value.error().code == Code::bad_map &&
      !value.error().text.starts_with(safe_text(map_->file)))
    return wrong(fmt::format("'{}': {}", expression.text(), value.error().text));
  return value;
}

Result<std::uint64_t> FieldView::size_of(const InstancePtr& in, const Field& field) {
  switch (field.shape) {
    case Shape::number: return (field.bit + field.width + 7) / 8;
    case Shape::bcd: return field.width / 2;
    case Shape::structure: return map_->structures.find(field.structure)->second.size;
    default: break;
  }
  const auto length = evaluate_in(in, field.length);
  if (!length) return tl::unexpected(length.error());
  if (*length < 0 || static_cast<std::uint64_t>(*length) > kLongestText)
    return wrong(fmt::format("'{}' is {} bytes long", field.name, *length));
  return static_cast<std::uint64_t>(*length);
}

Result<std::uint64_t> FieldView::count_of(const InstancePtr& in, const Field& field) {
  if (!field.count) return 1;
  const auto count = evaluate_in(in, *field.count);
  if (!count) return tl::unexpected(count.error());
  if (*count < 0 || static_cast<std::uint64_t>(*count) > kMostElements)
    return wrong(fmt::format("'{}' has {} elements; at most {} are read", field.name, *count,
                             kMostElements));
  return static_cast<std::uint64_t>(*count);
}

Result<bool> FieldView::is_there(const InstancePtr& in, const Field& field) {
  if (field.when.empty()) return true;
  const auto there = evaluate_in(in, field.when);
  if (!there) return tl::unexpected(there.error());
  return *there != 0;
}

Result<FieldView::Place> FieldView::place_of(const FieldAt& at) {
  const Field& field = *at.field;
  const auto offset = evaluate_in(at.in, field.at);
  if (!offset) return tl::unexpected(offset.error());
  const auto size = size_of(at.in, field);
  if (!size) return tl::unexpected(size.error());
  std::int64_t stride = static_cast<std::int64_t>(*size);
  if (field.stride) {
    const auto said = evaluate_in(at.in, *field.stride);
    if (!said) return tl::unexpected(said.error());
    stride = *said;
  }
  constexpr std::int64_t kFar = 1LL << 31U;
  if (*offset < 0 || *offset > kFar || stride < 0 || stride > kFar)
    return wrong(fmt::format("'{}' lies outside of the save", field.name));
  const std::uint64_t from =
      static_cast<std::uint64_t>(*offset) + at.index * static_cast<std::uint64_t>(stride);
  if (!field.section.empty()) {
    auto space = open_section(at.in, field.section);
    if (!space) return tl::unexpected(space.error());
    return checked(std::move(*space), from, *size);
  }
  if (from + *size > at.in->size)
    return wrong(fmt::format("'{}' lies past the end of what holds it", field.name));
  return checked(at.in->space, at.in->at + from, *size);
}

Result<InstancePtr> FieldView::inner(const FieldAt& at) {
  if (at.field->shape != Shape::structure)
    return wrong(fmt::format("'{}' is not a structure", at.field->name));
  auto place = place_of(at);
  if (!place) return tl::unexpected(place.error());
  auto made = std::make_shared<Instance>();
  made->structure = &map_->structures.find(at.field->structure)->second;
  made->space = std::move(place->space);
  made->at = place->at;
  made->size = place->size;
  made->index = at.index;
  made->path = at.path();
  made->outer = at.in;
  return InstancePtr(std::move(made));
}

Result<FieldView::Key> FieldView::key_of(const InstancePtr& in, const Section& section) {
  Key key;
  if (!section.order.empty()) {
    const auto order = evaluate_in(in, section.order);
    if (!order) return tl::unexpected(order.error());
    key.order = *order;
  }
  if (!section.mask.empty()) {
    const auto mask = evaluate_in(in, section.mask);
    if (!mask) return tl::unexpected(mask.error());
    key.mask = *mask;
  }
  return key;
}

void FieldView::set_key(Space& space, const Section& section, const Key& key) {
  if (!section.orders.empty()) {
    const auto which = static_cast<std::uint64_t>(key.order) % section.orders.size();
    space.order.assign(section.orders[which].begin(), section.orders[which].end());
  }
  if (section.mask.empty()) return;
  space.mask = static_cast<std::uint64_t>(key.mask);
  space.mask_bytes = section.mask_width / 8;
  space.mask_order = section.mask_order;
}

Result<std::pair<std::uint64_t, std::uint64_t>> FieldView::numbers_of(const InstancePtr& in,
                                                                      const Expression& at,
                                                                      const Expression& size) {
  const auto from = evaluate_in(in, at);
  if (!from) return tl::unexpected(from.error());
  const auto length = evaluate_in(in, size);
  if (!length) return tl::unexpected(length.error());
  if (*from < 0 || *length < 0) return wrong("a range begins in front of what holds it");
  return std::pair(static_cast<std::uint64_t>(*from), static_cast<std::uint64_t>(*length));
}

Result<std::shared_ptr<Space>> FieldView::open_section(const InstancePtr& in,
                                                       const std::string& name) {
  const Section& section = *in->structure->section(name);
  for (const Opened& one : opened_)
    if (one.section == &section && one.space == in->space.get() && one.at == in->at)
      return one.bytes;
  if (opened_.size() >= kMostOpened) return wrong("there are too many sections");
  auto space = std::make_shared<Space>();
  space->parent = in->space;
  std::uint64_t size = 0;
  for (const Section::Piece& piece : section.pieces) {
    const auto range = numbers_of(in, piece.at, piece.size);
    if (!range) return tl::unexpected(range.error());
    const auto [from, bytes] = *range;
    if (from > in->size || bytes > in->size - from)
      return wrong(fmt::format("section '{}' lies past the end", name));
    space->pieces.push_back({in->at + from, bytes});
    size += bytes;
  }
  const auto key = key_of(in, section);
  if (!key) return tl::unexpected(key.error());
  set_key(*space, section, *key);
  space->block = section.block;
  if (!space->order.empty() && space->order.size() * space->block != size)
    return wrong(fmt::format("section '{}': its blocks do not fill it", name));
  space->read();
  opened_.push_back({&section, in->space.get(), in->at, space});
  return space;
}

Result<void> FieldView::write(const InstancePtr& in, const Place& place, ByteView bytes) {
  struct Before {
    const Section* section;
    std::shared_ptr<Space> space;
    Key key;
  };
  std::vector<Before> before;
  if (place.space == in->space)
    for (const Section& section : in->structure->sections) {
      auto space = open_section(in, section.name);
      if (!space) return tl::unexpected(space.error());
      const auto key = key_of(in, section);
      if (!key) return tl::unexpected(key.error());
      before.push_back({&section, std::move(*space), *key});
    }
  place.space->write(place.at, bytes);
  // With another key the same content is stored in another way.
  for (const Before& one : before) {
    const auto key = key_of(in, *one.section);
    if (!key) return tl::unexpected(key.error());
    if (*key == one.key) continue;
    set_key(*one.space, *one.section, *key);
    const Bytes content = one.space->bytes;
    one.space->write(0, content);
  }
  for (const Opened& one : opened_) one.bytes->read();
  return {};
}

Result<Bytes> FieldView::raw(const FieldAt& at) {
  const auto place = place_of(at);
  if (!place) return tl::unexpected(place.error());
  const ByteView bytes = *slice(place->space->bytes, place->at, place->size);
  return Bytes(bytes.begin(), bytes.end());
}

Result<std::int64_t> FieldView::number(const FieldAt& at) {
  const Field& field = *at.field;
  if (field.shape != Shape::number && field.shape != Shape::bcd)
    return wrong(fmt::format("'{}' is not a number", field.name));
  if (depth_ >= kDeepestReference) return wrong("fields that depend on themselves");
  ++depth_;
  const auto bytes = raw(at);
  --depth_;
  if (!bytes) return tl::unexpected(bytes.error());
  std::uint64_t value = number_in(*bytes, field.order);
  if (field.shape == Shape::bcd) return bcd_value(value, field.width);
  value = value >> field.bit & low_bits(field.width);
  if (at.flag) return static_cast<std::int64_t>(value >> *at.flag & 1U);
  const bool negative = field.is_signed && (value >> (field.width - 1) & 1U) != 0;
  return static_cast<std::int64_t>(negative ? value | ~low_bits(field.width) : value);
}

Result<void> FieldView::put(const FieldAt& at, ByteView bytes) {
  const auto place = place_of(at);
  if (!place) return tl::unexpected(place.error());
  if (bytes.size() != place->size)
    return wrong(fmt::format("'{}' has {} bytes", at.field->name, place->size));
  return write(at.in, *place, bytes);
}

Result<void> FieldView::put_number(const FieldAt& at, std::int64_t value) {
  const Field& field = *at.field;
  auto bytes = raw(at);
  if (!bytes) return tl::unexpected(bytes.error());
  auto raw_value = static_cast<std::uint64_t>(value);
  if (field.shape == Shape::bcd) {
    store_number(*bytes, bcd_packed(raw_value, field.width), field.order);
    return put(at, *bytes);
  }
  const std::uint64_t around = number_in(*bytes, field.order);
  if (at.flag) {
    const std::uint64_t bit = 1ULL << *at.flag;
    const std::uint64_t now = around >> field.bit & low_bits(field.width);
    raw_value = value != 0 ? now | bit : now & ~bit;
  }
  const std::uint64_t mask = low_bits(field.width) << field.bit;
  store_number(*bytes, (around & ~mask) | (raw_value << field.bit & mask), field.order);
  return put(at, *bytes);
}

Result<Bytes> FieldView::raw_of(const InstancePtr& instance) {
  const auto own = slice(instance->space->bytes, instance->at, instance->size);
  if (!own) return wrong("a structure lies past the end");
  Bytes bytes(own->begin(), own->end());
  return bytes;
}

Result<void> FieldView::put_structure(const InstancePtr& instance, ByteView bytes) {
  if (bytes.size() != instance->size)
    return wrong(fmt::format("'{}' has {} bytes", instance->path, instance->size));
  instance->space->write(instance->at, bytes);
  opened_.clear();
  return {};
}

}  // namespace bayswap::fields
