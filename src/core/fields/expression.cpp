#include "core/fields/expression.h"
#include "core/bytes/text.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <limits>
#include <utility>

namespace bayswap::fields {

enum class Op {
  number,
  path,
  negative,
  complement,
  no,
  times,
  divide,
  remainder,
  plus,
  minus,
  left,
  right,
  both_bits,
  other_bits,
  any_bits,
  equal,
  differs,
  less,
  at_most,
  more,
  at_least,
  in_list,
  in_table,
  both,
  either,
  aggregate,  // sum, min, max, count, any, all over the elements that `[*]` stands for
  call,       // min, max of several
};

struct NodeStep {
  std::string name;
  std::shared_ptr<const Node> index;
  bool star = false;
};

struct Node {
  Op op = Op::number;
  std::int64_t value = 0;
  std::string name;
  std::vector<NodeStep> steps;
  std::vector<std::shared_ptr<const Node>> inputs;
};

namespace {

using NodePtr = std::shared_ptr<const Node>;

constexpr int kDeepestNesting = 200;
constexpr std::size_t kLongest = 4096;  // bytes

struct Binary {
  std::string_view sign;
  int rank;  // higher binds tighter
  Op op;
};
// Longer signs first.
constexpr std::array<Binary, 18> kBinary{{{"<<", 6, Op::left},
                                          {">>", 6, Op::right},
                                          {"==", 2, Op::equal},
                                          {"!=", 2, Op::differs},
                                          {"<=", 2, Op::at_most},
                                          {">=", 2, Op::at_least},
                                          {"or", 0, Op::either},
                                          {"and", 1, Op::both},
                                          {"<", 2, Op::less},
                                          {">", 2, Op::more},
                                          {"|", 3, Op::any_bits},
                                          {"^", 4, Op::other_bits},
                                          {"&", 5, Op::both_bits},
                                          {"+", 7, Op::plus},
                                          {"-", 7, Op::minus},
                                          {"*", 8, Op::times},
                                          {"/", 8, Op::divide},
                                          {"%", 8, Op::remainder}}};
constexpr int kCompareRank = 2;

bool is_letter(char c) {
  return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_';
}
class Parser {
 public:
  explicit Parser(std::string_view text) : text_(text) {}

  Result<NodePtr> whole() {
    if (text_.size() > kLongest) return wrong("the expression is too long");
    auto node = level(0);
    if (!node) return node;
    skip_blanks();
    if (at_ != text_.size()) return wrong("nothing more was expected here");
    return node;
  }

 private:
  tl::unexpected<Error> wrong(std::string_view why) const {
    return fail(Trouble::input, Code::bad_map,
                fmt::format("{}, at letter {} of '{}'", why, at_ + 1, text_.substr(0, 80)),
                "docs/field-maps.md has the language on one page");
  }

  void skip_blanks() {
    while (at_ < text_.size() && (text_[at_] == ' ' || text_[at_] == '\t' || text_[at_] == '\n'))
      ++at_;
  }
  bool take(std::string_view sign) {
    skip_blanks();
    if (!text_.substr(at_).starts_with(sign)) return false;
    const std::size_t end = at_ + sign.size();
    if (is_letter(sign[0]) && end < text_.size() && (is_letter(text_[end]) || is_digit(text_[end])))
      return false;
    at_ = end;
    return true;
  }

  static NodePtr make(Op op, std::vector<NodePtr> inputs) {
    auto node = std::make_shared<Node>();
    node->op = op;
    node->inputs = std::move(inputs);
    return node;
  }

  // Everything whose operators bind at least as tightly as the rank.
  Result<NodePtr> level(int rank) {
    if (++depth_ > kDeepestNesting) return wrong("too deeply nested");
    auto node = unary();
    while (node) {
      const Binary* found = next_binary(rank);
      if (found == nullptr) {
        if (rank > kCompareRank || !take("in")) break;
        node = membership(*node);
        continue;
      }
      auto right = level(found->rank + 1);
      if (!right) return right;
      node = make(found->op, {*node, *right});
    }
    --depth_;
    return node;
  }

  const Binary* next_binary(int rank) {
    const std::size_t begin = at_;
    for (const Binary& one : kBinary) {
      if (!take(one.sign)) continue;
      if (one.rank >= rank) return &one;
      at_ = begin;
      return nullptr;
    }
    return nullptr;
  }

  Result<NodePtr> membership(const NodePtr& value) {
    if (take("[")) {
      std::vector<NodePtr> inputs{value};
      do {
        auto one = level(kCompareRank + 1);
        if (!one) return one;
        inputs.push_back(*one);
      } while (take(","));
      if (!take("]")) return wrong("a list ends with ]");
      return make(Op::in_list, std::move(inputs));
    }
    auto name = word();
    if (!name) return tl::unexpected(name.error());
    auto node = std::make_shared<Node>();
    node->op = Op::in_table;
    node->name = std::move(*name);
    node->inputs = {value};
    return node;
  }

  Result<std::string> word() {
    skip_blanks();
    const std::size_t begin = at_;
    while (at_ < text_.size() && (is_letter(text_[at_]) || (at_ > begin && is_digit(text_[at_]))))
      ++at_;
    if (at_ == begin) return wrong("a name or a number is missing here");
    return std::string(text_.substr(begin, at_ - begin));
  }

  Result<NodePtr> unary() {
    if (++depth_ > kDeepestNesting) return wrong("too deeply nested");
    auto node = [&]() -> Result<NodePtr> {
      if (take("not")) {
        auto inner = level(kCompareRank);
        return inner ? Result<NodePtr>(make(Op::no, {*inner})) : inner;
      }
      for (const auto& [sign, op] : {std::pair{"-", Op::negative}, std::pair{"~", Op::complement}})
        if (take(sign)) {
          auto inner = unary();
          return inner ? Result<NodePtr>(make(op, {*inner})) : inner;
        }
      return primary();
    }();
    --depth_;
    return node;
  }

  Result<NodePtr> primary() {
    skip_blanks();
    if (take("(")) {
      auto inner = level(0);
      if (inner && !take(")")) return wrong("a ) is missing here");
      return inner;
    }
    if (at_ < text_.size() && is_digit(text_[at_])) return number();
    auto name = word();
    if (!name) return tl::unexpected(name.error());
    if (take("(")) return function(*name);
    return path(std::move(*name));
  }

  Result<NodePtr> number() {
    std::uint64_t value = 0;
    std::uint64_t base = 10;
    if (text_.substr(at_).starts_with("0x")) {
      base = 16;
      at_ += 2;
    }
    const std::size_t begin = at_;
    for (; at_ < text_.size(); ++at_) {
      const char c = text_[at_];
      std::uint64_t digit = 16;
      if (is_digit(c)) digit = static_cast<std::uint64_t>(c - '0');
      if (c >= 'a' && c <= 'f') digit = static_cast<std::uint64_t>(c - 'a') + 10;
      if (c >= 'A' && c <= 'F') digit = static_cast<std::uint64_t>(c - 'A') + 10;
      if (digit >= base) break;
      if (value > (std::numeric_limits<std::uint64_t>::max() - digit) / base)
        return wrong("the number does not fit into 64 bits");
      value = value * base + digit;
    }
    if (at_ == begin || (at_ < text_.size() && is_letter(text_[at_])))
      return wrong("this is not a number");
    auto node = std::make_shared<Node>();
    node->value = static_cast<std::int64_t>(value);
    return node;
  }

  Result<NodePtr> function(const std::string& name) {
    static constexpr std::array<std::string_view, 6> kKnown{"sum",   "min", "max",
                                                            "count", "any", "all"};
    if (std::ranges::find(kKnown, name) == kKnown.end())
      return wrong(fmt::format("there is no function '{}'", name));
    const int stars = std::exchange(stars_, 0);
    auto node = std::make_shared<Node>();
    node->name = name;
    ++aggregates_;
    do {
      auto input = level(0);
      if (!input) return input;
      node->inputs.push_back(*input);
    } while (take(","));
    --aggregates_;
    if (!take(")")) return wrong("a ) is missing here");
    const bool over_elements = stars_ > 0;
    stars_ = stars;
    node->op = over_elements ? Op::aggregate : Op::call;
    if (over_elements && node->inputs.size() > 1) return wrong("only one value goes with [*]");
    if (!over_elements && name != "min" && name != "max")
      return wrong(fmt::format("'{}' needs an array with [*]", name));
    return node;
  }

  Result<NodePtr> path(std::string first) {
    auto node = std::make_shared<Node>();
    node->op = Op::path;
    std::string name = std::move(first);
    for (;;) {
      NodeStep step{std::move(name), nullptr, false};
      if (take("[")) {
        if (take("*")) {
          if (aggregates_ == 0)
            return wrong("[*] belongs in sum(), min(), max(), count(), any() or all()");
          step.star = true;
          ++stars_;
        } else {
          auto index = level(0);
          if (!index) return index;
          step.index = *index;
        }
        if (!take("]")) return wrong("a ] is missing here");
      }
      node->steps.push_back(std::move(step));
      if (!take(".")) return node;
      auto next = word();
      if (!next) return tl::unexpected(next.error());
      name = std::move(*next);
    }
  }

  std::string_view text_;
  std::size_t at_ = 0;
  int depth_ = 0;
  int aggregates_ = 0;
  int stars_ = 0;
};

void collect_names(const Node& node, std::vector<std::string>& names) {
  if (node.op == Op::path) names.push_back(node.steps.front().name);
  if (node.op == Op::in_table) names.push_back(node.name);
  for (const NodeStep& step : node.steps)
    if (step.index) collect_names(*step.index, names);
  for (const NodePtr& input : node.inputs) collect_names(*input, names);
}

// The first path with a star that belongs to this aggregate, up to the star.
const Node* starred(const Node& node) {
  if (node.op == Op::path)
    for (const NodeStep& step : node.steps)
      if (step.star) return &node;
  for (const NodeStep& step : node.steps)
    if (step.index && step.index->op != Op::aggregate)
      if (const Node* found = starred(*step.index)) return found;
  for (const NodePtr& input : node.inputs)
    if (input->op != Op::aggregate)
      if (const Node* found = starred(*input)) return found;
  return nullptr;
}

std::int64_t wrapped(std::uint64_t value) {
  return static_cast<std::int64_t>(value);
}
std::uint64_t bits(std::int64_t value) {
  return static_cast<std::uint64_t>(value);
}

std::int64_t divided(std::int64_t a, std::int64_t b) {
  if (b == 0) return 0;
  if (b == -1) return wrapped(0 - bits(a));
  return a / b;
}

std::int64_t remainder_of(std::int64_t a, std::int64_t b) {
  return b == 0 || b == -1 ? 0 : a % b;
}

// Shifts by 64 and more give nothing; the right one is without sign.
std::int64_t shifted(std::int64_t a, std::int64_t by, bool left) {
  if (by < 0 || by > 63) return 0;
  return wrapped(left ? bits(a) << bits(by) : bits(a) >> bits(by));
}

std::int64_t applied(Op op, std::int64_t a, std::int64_t b) {
  switch (op) {
    case Op::times: return wrapped(bits(a) * bits(b));
    case Op::divide: return divided(a, b);
    case Op::remainder: return remainder_of(a, b);
    case Op::plus: return wrapped(bits(a) + bits(b));
    case Op::minus: return wrapped(bits(a) - bits(b));
    case Op::left: return shifted(a, b, true);
    case Op::right: return shifted(a, b, false);
    case Op::both_bits: return wrapped(bits(a) & bits(b));
    case Op::other_bits: return wrapped(bits(a) ^ bits(b));
    case Op::any_bits: return wrapped(bits(a) | bits(b));
    case Op::equal: return a == b ? 1 : 0;
    case Op::differs: return a != b ? 1 : 0;
    case Op::less: return a < b ? 1 : 0;
    case Op::at_most: return a <= b ? 1 : 0;
    case Op::more: return a > b ? 1 : 0;
    default: return a >= b ? 1 : 0;
  }
}

class Evaluation {
 public:
  Evaluation(Names& names, Budget& budget) : names_(names), budget_(budget) {}

  Result<std::int64_t> value(const Node& node) {
    if (budget_.steps == 0)
      return fail(Trouble::input, Code::too_much, "the map's expressions take too long",
                  "make the map simpler");
    --budget_.steps;
    switch (node.op) {
      case Op::number: return node.value;
      case Op::path: return path_value(node);
      case Op::aggregate: return aggregated(node);
      case Op::both:
      case Op::either: return logical(node);
      default: break;
    }
    std::vector<std::int64_t> inputs;
    for (const NodePtr& input : node.inputs) {
      auto one = value(*input);
      if (!one) return one;
      inputs.push_back(*one);
    }
    switch (node.op) {
      case Op::negative: return wrapped(0 - bits(inputs[0]));
      case Op::complement: return wrapped(~bits(inputs[0]));
      case Op::no: return inputs[0] == 0 ? 1 : 0;
      case Op::call:
        return node.name == "min" ? std::ranges::min(inputs) : std::ranges::max(inputs);
      case Op::in_list:
        return std::find(inputs.begin() + 1, inputs.end(), inputs[0]) != inputs.end() ? 1 : 0;
      case Op::in_table: return in_table(node.name, inputs[0]);
      default: return applied(node.op, inputs[0], inputs[1]);
    }
  }

 private:
  Result<std::int64_t> logical(const Node& node) {
    auto first = value(*node.inputs[0]);
    if (!first) return first;
    if ((*first != 0) == (node.op == Op::either)) return *first != 0 ? 1 : 0;
    auto second = value(*node.inputs[1]);
    if (!second) return second;
    return *second != 0 ? 1 : 0;
  }

  Result<std::int64_t> in_table(const std::string& name, std::int64_t wanted) {
    const auto* table = names_.table(name);
    if (table == nullptr)
      return fail(Trouble::input, Code::bad_map, fmt::format("there is no table '{}'", name));
    const std::uint64_t work = table->size() / 16;
    budget_.steps -= std::min(budget_.steps, work);
    return std::ranges::find(*table, wanted) != table->end() ? 1 : 0;
  }

  Result<std::vector<PathStep>> steps_of(const Node& node, std::size_t count) {
    std::vector<PathStep> steps;
    for (std::size_t i = 0; i < count; ++i) {
      const NodeStep& step = node.steps[i];
      PathStep made{step.name, {}};
      if (step.star) made.index = element_;
      if (step.index) {
        const auto index = value(*step.index);
        if (!index) return tl::unexpected(index.error());
        made.index = static_cast<std::uint64_t>(*index);
      }
      steps.push_back(std::move(made));
    }
    return steps;
  }

  Result<std::int64_t> path_value(const Node& node) {
    const auto steps = steps_of(node, node.steps.size());
    if (!steps) return tl::unexpected(steps.error());
    if (steps->size() == 1 && steps->front().index)
      if (const auto* table = names_.table(steps->front().name)) {
        const std::uint64_t index = *steps->front().index;
        return index < table->size() ? (*table)[static_cast<std::size_t>(index)] : 0;
      }
    return names_.value(*steps);
  }

  Result<std::int64_t> aggregated(const Node& node) {
    const Node* over = starred(*node.inputs[0]);
    if (over == nullptr)
      return fail(Trouble::input, Code::bad_map, "[*] stands in an inner function only");
    const auto star = std::ranges::find_if(over->steps, &NodeStep::star);
    auto array = steps_of(*over, static_cast<std::size_t>(star - over->steps.begin()) + 1);
    if (!array) return tl::unexpected(array.error());
    array->back().index.reset();
    const auto count = names_.count(*array);
    if (!count) return tl::unexpected(count.error());
    const std::uint64_t outer = element_;
    std::int64_t total = node.name == "all" ? 1 : 0;
    for (element_ = 0; element_ < *count; ++element_) {
      auto one = value(*node.inputs[0]);
      if (!one) {
        element_ = outer;
        return one;
      }
      total = element_ == 0 ? first_of(node.name, *one) : joined(node.name, total, *one);
    }
    element_ = outer;
    return total;
  }

  static std::int64_t first_of(const std::string& name, std::int64_t one) {
    return name == "sum" || name == "min" || name == "max" ? one : (one != 0 ? 1 : 0);
  }
  static std::int64_t joined(const std::string& name, std::int64_t total, std::int64_t one) {
    if (name == "sum") return wrapped(bits(total) + bits(one));
    if (name == "min") return std::min(total, one);
    if (name == "max") return std::max(total, one);
    if (name == "count") return total + (one != 0 ? 1 : 0);
    if (name == "any") return total != 0 || one != 0 ? 1 : 0;
    return total != 0 && one != 0 ? 1 : 0;
  }

  Names& names_;
  Budget& budget_;
  std::uint64_t element_ = 0;
};

}  // namespace

Result<Expression> Expression::parse(std::string_view text) {
  auto node = Parser(text).whole();
  if (!node) return tl::unexpected(node.error());
  Expression expression;
  expression.node_ = std::move(*node);
  expression.text_ = text;
  return expression;
}

Expression Expression::number(std::int64_t value) {
  auto node = std::make_shared<Node>();
  node->value = value;
  Expression expression;
  expression.node_ = std::move(node);
  expression.text_ = std::to_string(value);
  return expression;
}

std::optional<std::int64_t> Expression::constant() const {
  return node_ && node_->op == Op::number ? std::optional(node_->value) : std::nullopt;
}

std::vector<std::string> Expression::names() const {
  std::vector<std::string> names;
  if (node_) collect_names(*node_, names);
  return names;
}

Result<std::int64_t> evaluate(const Expression& expression, Names& names, Budget& budget) {
  if (expression.empty()) return 0;
  return Evaluation(names, budget).value(*expression.node());
}

}  // namespace bayswap::fields
