#include "cli/render/json/json_pieces.h"

#include "cli/render/remedies.h"

namespace bayswap::cli {

void put_text(Json& json, const char* key, const std::string& value) {
  if (!value.empty()) json[key] = value;
}

Json with_schema(const char* key, Json value) {
  Json json{{"schema", 1}};
  json[key] = std::move(value);
  return json;
}

std::string dump(const Json& json) {
  return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

Json to_json(const Finding& finding) {
  Json json{{"level", to_string(finding.level)},
            {"code", to_string(finding.code)},
            {"text", finding.text}};
  if (!finding.hint.empty()) json["hint"] = hint_text(finding.hint);
  return json;
}

Json to_json(const Error& error) {
  Json json{{"code", to_string(error.code)}, {"text", error.text}};
  if (!error.hint.empty()) json["hint"] = hint_text(error.hint);
  return json;
}

Json list_of(const Findings& findings) {
  Json list = Json::array();
  for (const Finding& finding : findings) list.push_back(to_json(finding));
  return list;
}

Json game_json(const Game& game) {
  Json json = Json::object();
  const auto put = [&](const char* key, std::string_view value) {
    if (!value.empty()) json[key] = value;
  };
  put("title", game.title);
  put("code", game.code);
  put("serial", game.serial);
  put("title_id", game.title_id);
  put("maker", game.maker);
  put("region", to_string(game.region));
  put("account", game.account);
  put("profile", game.profile);
  return json;
}

}  // namespace bayswap::cli
