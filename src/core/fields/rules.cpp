// What a game would not hold: rules of the map, ranges, and names that numbers have.
#include <fmt/core.h>

#include "core/fields/field_view.h"
#include "core/fields/value_text.h"

namespace bayswap::fields {
namespace {

std::string range_text(const Field& field) {
  if (field.least && field.most) return fmt::format("{} to {}", *field.least, *field.most);
  return field.least ? fmt::format("at least {}", *field.least)
                     : fmt::format("at most {}", *field.most);
}

}  // namespace

Result<void> FieldView::check_field(const FieldAt& at, std::vector<Broken>& broken) {
  const Field& field = *at.field;
  if (field.shape != Shape::number && field.shape != Shape::bcd) return {};
  const bool named = !field.enumeration.empty() && field.enumeration != "bool";
  if (!field.least && !field.most && !named) return {};
  const auto value = number(at);
  if (!value) return tl::unexpected(value.error());
  if ((field.least && *value < *field.least) || (field.most && *value > *field.most))
    broken.push_back({"range", at.path(), fmt::format("{} is not {}", *value, range_text(field))});
  else if (named && map_->enumerations.find(field.enumeration)->second.name_of(*value) == nullptr)
    broken.push_back(
        {"names", at.path(), fmt::format("{} has no name in '{}'", *value, field.enumeration)});
  return {};
}

Result<std::vector<FieldView::Broken>> FieldView::broken_rules() {
  auto fields = all();
  if (!fields) return tl::unexpected(fields.error());
  std::vector<Broken> broken;
  for (const FieldAt& at : *fields)
    if (auto checked = check_field(at, broken); !checked) return tl::unexpected(checked.error());
  const auto structures = instances();
  if (!structures) return tl::unexpected(structures.error());
  for (const InstancePtr& in : *structures)
    for (const Rule& rule : in->structure->rules) {
      if (!rule.when.empty()) {
        const auto asked = evaluate_in(in, rule.when);
        if (!asked) return tl::unexpected(asked.error());
        if (*asked == 0) continue;
      }
      const auto holds = evaluate_in(in, rule.must);
      if (!holds) return tl::unexpected(holds.error());
      if (*holds == 0)
        broken.push_back({rule.name, in->path, rule.text.empty() ? rule.must.text() : rule.text});
    }
  return broken;
}

}  // namespace bayswap::fields
