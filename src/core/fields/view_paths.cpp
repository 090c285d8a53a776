// Paths that people type, and everything that a save holds.
#include "core/fields/field_view.h"

#include <fmt/core.h>

#include <algorithm>
#include <charconv>

#include "core/bytes/text.h"

namespace bayswap::fields {
namespace {

constexpr std::size_t kMostFields = 200'000;

// `crew[2]` of `crew[2].wage`, taken apart.
struct Step {
  std::string name;
  std::optional<std::uint64_t> index;
  std::string_view rest;  // behind the dot
};

std::optional<Step> first_step(std::string_view path) {
  Step step;
  const std::size_t end = std::min(path.find_first_of(".["), path.size());
  step.name = path.substr(0, end);
  path.remove_prefix(end);
  if (path.starts_with('[')) {
    const std::size_t close = path.find(']');
    if (close == std::string_view::npos) return std::nullopt;
    const std::string_view inside = path.substr(1, close - 1);
    std::uint64_t index = 0;
    const auto [stop, error] = std::from_chars(inside.data(), inside.data() + inside.size(), index);
    if (error == std::errc() && stop == inside.data() + inside.size())
      step.index = index;
    else if (inside != "*")
      return std::nullopt;
    path.remove_prefix(close + 1);
  }
  if (!path.empty() && path[0] != '.') return std::nullopt;
  step.rest = path.empty() ? path : path.substr(1);
  return step.name.empty() ? std::nullopt : std::optional(step);
}

}  // namespace

std::string joined_path(const std::string& outer, const std::string& name) {
  return outer.empty() ? name : outer + "." + name;
}

Result<std::uint64_t> FieldView::elements_of(const InstancePtr& in, const Field& field) {
  const auto there = is_there(in, field);
  if (!there) return tl::unexpected(there.error());
  return *there ? count_of(in, field) : Result<std::uint64_t>(0);
}

Result<void> FieldView::collect(const InstancePtr& in, std::vector<FieldAt>& fields) {
  for (const Field& field : in->structure->fields) {
    const auto count = elements_of(in, field);
    if (!count) return tl::unexpected(count.error());
    for (std::uint64_t i = 0; i < *count; ++i) {
      const FieldAt at{in, &field, i, {}};
      if (fields.size() >= kMostFields)
        return fail(
            Trouble::input, Code::too_much,
            fmt::format("{}: more than {} fields", safe_text(map_->file), grouped(kMostFields)),
            "name the fields that you want");
      if (field.shape != Shape::structure) {
        fields.push_back(at);
        continue;
      }
      const auto structure = inner(at);
      if (!structure) return tl::unexpected(structure.error());
      if (auto done = collect(*structure, fields); !done) return done;
    }
  }
  return {};
}

Result<std::vector<FieldAt>> FieldView::all() {
  budget_.steps = kMostSteps;
  std::vector<FieldAt> fields;
  if (auto done = collect(whole_, fields); !done) return tl::unexpected(done.error());
  return fields;
}

Result<void> FieldView::collect_instances(const InstancePtr& in, std::vector<InstancePtr>& all) {
  for (const Field& field : in->structure->fields) {
    if (field.shape != Shape::structure) continue;
    const auto count = elements_of(in, field);
    if (!count) return tl::unexpected(count.error());
    for (std::uint64_t i = 0; i < *count; ++i) {
      if (all.size() >= kMostFields) return wrong("there are too many structures");
      const auto structure = inner({in, &field, i, {}});
      if (!structure) return tl::unexpected(structure.error());
      if (auto done = collect_instances(*structure, all); !done) return done;
    }
  }
  all.push_back(in);
  return {};
}

Result<std::vector<InstancePtr>> FieldView::instances() {
  std::vector<InstancePtr> all;
  if (auto done = collect_instances(whole_, all); !done) return tl::unexpected(done.error());
  return all;
}

Result<void> FieldView::find_in(const InstancePtr& in, std::string_view path,
                                std::vector<FieldAt>& found) {
  const auto none = [&] {
    return fail(
        Trouble::stopped, Code::no_match,
        fmt::format("no field is called '{}'", safe_text(joined_path(in->path, std::string(path)))),
        {"see all of them with '", Remedy::show_fields, "'"});
  };
  const auto step = first_step(path);
  const Field* field = step ? in->structure->field(step->name) : nullptr;
  if (field == nullptr) return none();
  const auto there = is_there(in, *field);
  if (!there) return tl::unexpected(there.error());
  if (!*there) return none();
  const auto count = count_of(in, *field);
  if (!count) return tl::unexpected(count.error());
  if (step->index && *step->index >= *count) return none();
  const std::uint64_t first = step->index.value_or(0);
  const std::uint64_t end = step->index ? *step->index + 1 : *count;
  for (std::uint64_t i = first; i < end; ++i) {
    FieldAt at{in, field, i, {}};
    if (field->shape == Shape::structure) {
      const auto structure = inner(at);
      if (!structure) return tl::unexpected(structure.error());
      auto done =
          step->rest.empty() ? collect(*structure, found) : find_in(*structure, step->rest, found);
      if (!done) return done;
      continue;
    }
    if (!step->rest.empty()) {
      const auto flag =
          std::ranges::find(field->flags, step->rest, &std::pair<unsigned, std::string>::second);
      if (flag == field->flags.end()) return none();
      at.flag = flag->first;
    }
    found.push_back(at);
  }
  return {};
}

Result<std::vector<FieldAt>> FieldView::find(std::string_view path) {
  budget_.steps = kMostSteps;
  std::vector<FieldAt> found;
  if (auto done = find_in(whole_, path, found); !done) return tl::unexpected(done.error());
  if (found.empty())
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("'{}' has no elements here", safe_text(path)));
  return found;
}

Result<InstancePtr> FieldView::structure_at(std::string_view path) {
  budget_.steps = kMostSteps;
  InstancePtr in = whole_;
  for (std::string_view rest = path; !rest.empty();) {
    const auto step = first_step(rest);
    const Field* field = step ? in->structure->field(step->name) : nullptr;
    const auto count = field != nullptr ? count_of(in, *field) : Result<std::uint64_t>(0);
    if (!count) return tl::unexpected(count.error());
    if (field == nullptr || field->shape != Shape::structure || step->index.value_or(0) >= *count ||
        (field->count && !step->index))
      return fail(Trouble::stopped, Code::no_match,
                  fmt::format("'{}' is not a single structure of this save", safe_text(path)),
                  {"write it like rooms[3]; see all fields with '", Remedy::show_fields, "'"});
    auto next = inner({in, field, step->index.value_or(0), {}});
    if (!next) return next;
    in = std::move(*next);
    rest = step->rest;
  }
  return in;
}

}  // namespace bayswap::fields
