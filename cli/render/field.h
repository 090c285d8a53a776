// Fields of saves, for people and as JSON.
#pragma once

#include <string>
#include <vector>

#include "bayswap/fields.h"
#include "cli/render/style.h"

namespace bayswap::cli {

[[nodiscard]] std::string fields_text(const FieldReport& report, const Style& style);
[[nodiscard]] std::string field_check_text(const FieldReport& report, const Style& style);
[[nodiscard]] std::string field_changes_text(const std::vector<FieldChange>& changes,
                                             const Style& style);
/// `sealing`: only checksums were asked for.
[[nodiscard]] std::string field_edited_text(const FieldEdited& edited, bool plan, bool sealing,
                                            const Style& style);
[[nodiscard]] std::string found_fields_text(const FoundFields& found, const Style& style);

[[nodiscard]] std::string json_text(const FieldReport& report);
[[nodiscard]] std::string json_text(const std::vector<FieldChange>& changes);
[[nodiscard]] std::string json_text(const FieldEdited& edited);
[[nodiscard]] std::string json_text(const FoundFields& found);

}  // namespace bayswap::cli
