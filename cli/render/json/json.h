// The objects of `--json`, schema 1, as text. Only json.cpp sees the library that writes them,
// because that library is slow to compile.
#pragma once

#include <string>
#include <vector>

#include "bayswap/bay.h"
#include "bayswap/card_file.h"
#include "bayswap/carry.h"
#include "bayswap/cart.h"
#include "bayswap/catalog_edit.h"
#include "bayswap/dig.h"
#include "bayswap/look.h"
#include "bayswap/reshape.h"
#include "bayswap/slots.h"
#include "bayswap/versions.h"

namespace bayswap::cli {

// The whole output of a command, one line:
[[nodiscard]] std::string json_text(const Reshaped& reshaped);
[[nodiscard]] std::string json_text(const CarryReport& report);
[[nodiscard]] std::string json_text(const MendReport& report);
[[nodiscard]] std::string json_text(const OutputFile& file);
[[nodiscard]] std::string json_text(const Dug& dug);
[[nodiscard]] std::string json_text(const std::vector<FoundPort>& ports);
[[nodiscard]] std::string json_text(const CartReport& cart);
[[nodiscard]] std::string json_text(const CartDumped& dumped);
[[nodiscard]] std::string json_text(const Imported& imported);
[[nodiscard]] std::string json_text(const KeepReport& report);
[[nodiscard]] std::string json_text(const TidyReport& report);
[[nodiscard]] std::string json_text(const VerifyReport& report);
[[nodiscard]] std::string json_text(const Error& error);
[[nodiscard]] std::string json_text(const std::vector<Bay>& bays);
[[nodiscard]] std::string json_text(const std::vector<SlotBoard>& boards);
[[nodiscard]] std::string json_text(const std::vector<SaveHistory>& saves);
[[nodiscard]] std::string json_text(const std::vector<const CatalogGame*>& games);
[[nodiscard]] std::string json_text(const std::vector<Path>& outputs);
/// `{"schema":1,"KEY":"value"}`
[[nodiscard]] std::string json_text(const char* key, const std::string& value);
[[nodiscard]] std::string layouts_json();
[[nodiscard]] std::string card_json(const Item& card, const std::vector<Path>& pictures);

// The output of `look`, which is printed as it comes:
/// One item, without a line's end.
[[nodiscard]] std::string item_json(const Item& item);
/// What follows the list of items, up to the end of the object.
[[nodiscard]] std::string rest_of_items_json(const Error* error,
                                             const std::vector<PartDifference>& differences);

}  // namespace bayswap::cli
