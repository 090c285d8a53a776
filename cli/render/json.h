// The objects of `--json`, schema 1.
#pragma once

#include <nlohmann/json.hpp>

#include "bayswap/bay.h"
#include "bayswap/card_file.h"
#include "bayswap/carry.h"
#include "bayswap/catalog_edit.h"
#include "bayswap/look.h"
#include "bayswap/reshape.h"
#include "bayswap/state.h"

namespace bayswap::cli {

using Json = nlohmann::ordered_json;

[[nodiscard]] Json to_json(const Finding& finding);
[[nodiscard]] Json to_json(const Item& item);
[[nodiscard]] Json to_json(const PartDifference& difference);
[[nodiscard]] Json to_json(const Reshaped& reshaped);
[[nodiscard]] Json to_json(const CarryReport& report);
[[nodiscard]] Json to_json(const MendReport& report);
/// As the one output of a command.
[[nodiscard]] Json to_json(const OutputFile& file);
[[nodiscard]] Json to_json(const Bay& bay);
[[nodiscard]] Json to_json(const SlotBoard& board);
[[nodiscard]] Json to_json(const Dug& dug);
[[nodiscard]] Json to_json(const CatalogGame& game);
[[nodiscard]] Json to_json(const Imported& imported);
[[nodiscard]] Json to_json(const LayoutInfo& layout);
[[nodiscard]] Json to_json(const Error& error);

/// `{"schema":1,"KEY":value}`.
[[nodiscard]] Json with_schema(const char* key, Json value);

/// One line of text; bytes that are no UTF-8 are replaced.
[[nodiscard]] std::string dump(const Json& json);

}  // namespace bayswap::cli
