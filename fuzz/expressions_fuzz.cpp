// An expression of a field map: it is read or refused, and ends.
#include <cstdlib>
#include <string_view>

#include "core/fields/expression.h"

namespace {

using namespace bayswap;

class Names final : public fields::Names {
 public:
  Result<std::int64_t> value(const std::vector<fields::PathStep>& path) override {
    return static_cast<std::int64_t>(path.size() * 3) - 4;
  }
  Result<std::uint64_t> count(const std::vector<fields::PathStep>& path) override {
    return path.size() * 7;
  }
  const std::vector<std::int64_t>* table(const std::string& name) override {
    return name == "t" ? &table_ : nullptr;
  }

 private:
  std::vector<std::int64_t> table_{1, 2, -3};
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string_view text(reinterpret_cast<const char*>(data), size);
  const auto expression = fields::Expression::parse(text);
  if (!expression) return 0;
  Names names;
  fields::Budget budget{20'000};
  const auto first = evaluate(*expression, names, budget);
  fields::Budget again{20'000};
  const auto second = evaluate(*expression, names, again);
  if (first.has_value() != second.has_value() || (first && *first != *second)) std::abort();
  return 0;
}
