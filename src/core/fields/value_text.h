// Values of fields as people see and type them.
#pragma once

#include <string>

#include "core/fields/field_view.h"

namespace bayswap::fields {

/// The value for people, without its unit. Errors: of reading.
[[nodiscard]] Result<std::string> text_of(FieldView& view, const FieldAt& at);

/// Puts a value there as it was typed: a number (decimal, or hex with 0x), a name, a date, a text;
/// a unit behind a number may be there. Errors: `usage` for what can't be stored there, with what
/// can; those of writing.
Result<void> put_text(FieldView& view, const FieldAt& at, const std::string& typed);

/// The numbers that a field can hold without breaking a rule, `0 to 40, 45`; empty where they can't
/// be told. `before`: what was broken already and does not count. The view is left as it was.
[[nodiscard]] std::string legal_values(FieldView& view, const FieldAt& at,
                                       const std::vector<FieldView::Broken>& before);

}  // namespace bayswap::fields
