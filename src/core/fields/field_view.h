// A save as a field map sees it: paths become places, sections are opened and closed again, and the
// copy that counts is found.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/fields/field_map.h"

namespace bayswap::fields {

/// Bytes that offsets count in: the part itself, the copy that counts, or an opened section.
struct Space;

/// A structure at its place. The whole save is one, too.
struct Instance {
  const Structure* structure = nullptr;
  std::shared_ptr<Space> space;
  std::uint64_t at = 0;     ///< in the space
  std::uint64_t size = 0;   ///< bytes
  std::uint64_t index = 0;  ///< in its array
  std::string path;         ///< `crew[2]`; empty for the whole
  std::shared_ptr<const Instance> outer;
};
using InstancePtr = std::shared_ptr<const Instance>;

/// A field, or an element of one that is an array, in its structure.
struct FieldAt {
  InstancePtr in;
  const Field* field = nullptr;
  std::uint64_t index = 0;       ///< in its array
  std::optional<unsigned> flag;  ///< one bit of it
  [[nodiscard]] std::string path() const;
};

/// `outer.name`; the name alone where there is nothing around it.
[[nodiscard]] std::string joined_path(const std::string& outer, const std::string& name);

class FieldView {
 public:
  /// Expressions may take so much work in one call.
  static constexpr std::uint64_t kMostSteps = 20'000'000;

  /// The part of a save that the map is for. Errors: `bad-map` where the bytes can't be what the
  /// map says.
  [[nodiscard]] static Result<FieldView> open(std::shared_ptr<const FieldMap> map, Bytes part);

  [[nodiscard]] const FieldMap& map() const { return *map_; }
  /// The part, with what was written.
  [[nodiscard]] const Bytes& bytes() const;
  [[nodiscard]] const InstancePtr& whole() const { return whole_; }

  struct Copy {
    std::uint64_t at = 0;
    bool sound = false;  ///< its checksums are right
    std::optional<std::uint64_t> counter;
    bool counts = false;
  };
  /// Empty when the map has no copies.
  [[nodiscard]] const std::vector<Copy>& copies() const { return copies_; }

  /// What a path means: `crew[2].wage`; `[*]` and a bare array mean every element. A structure
  /// means all of its fields. Errors: `no-match`; those of the map.
  [[nodiscard]] Result<std::vector<FieldAt>> find(std::string_view path);
  /// Every field of the save, up to a limit. Errors: `too-much`; those of the map.
  [[nodiscard]] Result<std::vector<FieldAt>> all();
  /// Every structure in it, the inner ones first. Errors: as all().
  [[nodiscard]] Result<std::vector<InstancePtr>> instances();
  /// The structure that a path means. Errors: `no-match`.
  [[nodiscard]] Result<InstancePtr> structure_at(std::string_view path);

  /// The bytes of a field, and how many they are. Errors: `bad-map` beyond the end.
  [[nodiscard]] Result<Bytes> raw(const FieldAt& at);
  /// The number in a field. Errors: as raw(); `bad-map` for text.
  [[nodiscard]] Result<std::int64_t> number(const FieldAt& at);
  /// Puts bytes there; what is stored in another way is stored so again. Errors: as raw().
  Result<void> put(const FieldAt& at, ByteView bytes);
  /// Errors: as put().
  Result<void> put_number(const FieldAt& at, std::int64_t value);
  /// All bytes of a structure as they are described, sections beside.
  [[nodiscard]] Result<Bytes> raw_of(const InstancePtr& instance);
  Result<void> put_structure(const InstancePtr& instance, ByteView bytes);

  /// Elements of an array; 1 for others.
  [[nodiscard]] Result<std::uint64_t> count_of(const InstancePtr& in, const Field& field);
  [[nodiscard]] Result<bool> is_there(const InstancePtr& in, const Field& field);
  [[nodiscard]] Result<InstancePtr> inner(const FieldAt& at);

  /// Evaluates for a structure: its own names first, then those around it. Errors: of evaluate().
  [[nodiscard]] Result<std::int64_t> evaluate_in(const InstancePtr& in,
                                                 const Expression& expression);

  /// Checksums: what is stored, and what it has to be.
  struct SumState {
    std::string path;
    std::uint64_t stored = 0;
    std::uint64_t right = 0;
  };
  [[nodiscard]] Result<std::vector<SumState>> sums();
  /// Makes every checksum right, in the map's order. Gives those that were wrong.
  Result<std::vector<SumState>> make_sums_right();

  struct Broken {
    std::string rule;
    std::string path;  ///< of the field or structure
    std::string text;
    bool operator==(const Broken&) const = default;
  };
  /// Rules that do not hold, ranges and names of fields among them.
  [[nodiscard]] Result<std::vector<Broken>> broken_rules();

  /// Goes on in the copy that the game would write next, where the map says so.
  Result<void> begin_next_copy();

 private:
  explicit FieldView(std::shared_ptr<const FieldMap> map) : map_(std::move(map)) {}
  friend class Scope;

  Result<void> choose_copy();
  [[nodiscard]] Result<std::shared_ptr<Space>> copy_space(std::size_t copy,
                                                          std::optional<std::size_t> first_sector);
  void use(std::shared_ptr<Space> space);
  [[nodiscard]] Result<bool> sums_are_right();
  [[nodiscard]] Result<std::optional<std::uint64_t>> counter_value();

  struct Key {
    std::int64_t order = 0;
    std::int64_t mask = 0;
    bool operator==(const Key&) const = default;
  };
  [[nodiscard]] Result<Key> key_of(const InstancePtr& in, const Section& section);
  [[nodiscard]] Result<std::shared_ptr<Space>> open_section(const InstancePtr& in,
                                                            const std::string& name);
  struct Place {
    std::shared_ptr<Space> space;
    std::uint64_t at = 0;
    std::uint64_t size = 0;
  };
  [[nodiscard]] Result<Place> place_of(const FieldAt& at);
  /// Where something begins, and how long it is.
  [[nodiscard]] Result<std::pair<std::uint64_t, std::uint64_t>> numbers_of(const InstancePtr& in,
                                                                           const Expression& at,
                                                                           const Expression& size);
  [[nodiscard]] Result<Place> checked(std::shared_ptr<Space> space, std::uint64_t at,
                                      std::uint64_t size) const;
  [[nodiscard]] Result<std::uint64_t> size_of(const InstancePtr& in, const Field& field);
  Result<void> write(const InstancePtr& in, const Place& place, ByteView bytes);
  static void set_key(Space& space, const Section& section, const Key& key);
  [[nodiscard]] Result<Place> place_of_sum(const InstancePtr& in, const Checksum& sum);
  [[nodiscard]] Result<std::uint64_t> right_sum(const InstancePtr& in, const Checksum& sum,
                                                const Place& own);
  [[nodiscard]] Result<Place> range_of(const InstancePtr& in, const Checksum::Range& range);
  /// None where the field is not there.
  [[nodiscard]] Result<std::uint64_t> elements_of(const InstancePtr& in, const Field& field);
  Result<void> collect(const InstancePtr& in, std::vector<FieldAt>& fields);
  Result<void> collect_instances(const InstancePtr& in, std::vector<InstancePtr>& all);
  Result<void> find_in(const InstancePtr& in, std::string_view path, std::vector<FieldAt>& found);
  Result<void> check_field(const FieldAt& at, std::vector<Broken>& broken);
  [[nodiscard]] tl::unexpected<Error> wrong(const std::string& why) const;

  std::shared_ptr<const FieldMap> map_;
  std::shared_ptr<Space> part_;
  InstancePtr whole_;
  std::vector<Copy> copies_;
  std::size_t copy_ = 0;
  Budget budget_;
  int depth_ = 0;
  // Each section is opened once, so that all that lies in it sees what is written there.
  struct Opened {
    const Section* section = nullptr;
    const Space* space = nullptr;  ///< of its structure
    std::uint64_t at = 0;          ///< of its structure
    std::shared_ptr<Space> bytes;
  };
  std::vector<Opened> opened_;  // outer ones first
};

}  // namespace bayswap::fields
