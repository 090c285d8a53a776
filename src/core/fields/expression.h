// The small language of field maps: integer arithmetic over the fields of a save.
// docs/field-maps.md describes it. Every expression ends: work is counted, and there are no loops
// but those over the elements of an array.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/result.h"

namespace bayswap::fields {

struct Node;

/// An expression that was read. Numbers are 64 bits, signed, and wrap; what is divided by zero is
/// zero.
class Expression {
 public:
  Expression() = default;
  /// Errors: `bad-map`, with the column in the text.
  [[nodiscard]] static Result<Expression> parse(std::string_view text);
  [[nodiscard]] static Expression number(std::int64_t value);

  [[nodiscard]] bool empty() const { return node_ == nullptr; }
  /// The number that it is, where it is nothing but one.
  [[nodiscard]] std::optional<std::int64_t> constant() const;
  [[nodiscard]] const std::string& text() const { return text_; }
  [[nodiscard]] const Node* node() const { return node_.get(); }
  /// First names of all paths in it.
  [[nodiscard]] std::vector<std::string> names() const;

 private:
  std::shared_ptr<const Node> node_;
  std::string text_;
};

/// One step of a path: `crew`, `crew[2]`.
struct PathStep {
  std::string name;
  std::optional<std::uint64_t> index;
};

/// What names mean. Errors: `bad-map` for names that mean nothing; those of reading.
class Names {
 public:
  virtual ~Names() = default;
  [[nodiscard]] virtual Result<std::int64_t> value(const std::vector<PathStep>& path) = 0;
  /// Elements of the array at the end of the path.
  [[nodiscard]] virtual Result<std::uint64_t> count(const std::vector<PathStep>& path) = 0;
  /// Numbers of a table of the map; null when there is none of the name.
  [[nodiscard]] virtual const std::vector<std::int64_t>* table(const std::string& name) = 0;
};

/// How much work may still be done.
struct Budget {
  std::uint64_t steps = 2'000'000;
};

/// Errors: those of the names; `too-much` when the budget is used up.
[[nodiscard]] Result<std::int64_t> evaluate(const Expression& expression, Names& names,
                                            Budget& budget);

}  // namespace bayswap::fields
