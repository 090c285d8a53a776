// Objects that several outputs of `--json` have in common. Only the files that write JSON see this.
#pragma once

#include <nlohmann/json.hpp>
#include <string>

#include "bayswap/carry.h"
#include "bayswap/finding.h"
#include "bayswap/game.h"
#include "bayswap/result.h"

namespace bayswap::cli {

using Json = nlohmann::ordered_json;

/// Nothing for an empty text.
void put_text(Json& json, const char* key, const std::string& value);
/// `{"schema":1,"KEY":VALUE}`
[[nodiscard]] Json with_schema(const char* key, Json value);
/// Bytes that are no UTF-8 are replaced.
[[nodiscard]] std::string dump(const Json& json);
[[nodiscard]] Json to_json(const Finding& finding);
[[nodiscard]] Json to_json(const Error& error);
[[nodiscard]] Json list_of(const Findings& findings);
/// What is not known of a game is left out.
[[nodiscard]] Json game_json(const Game& game);

[[nodiscard]] Json move_json(const MoveReport& move);

}  // namespace bayswap::cli
