#include "cli/render/field.h"
#include "cli/render/json/json_pieces.h"

namespace bayswap::cli {
namespace {

Json field_json(const ShownField& field) {
  Json json{{"path", field.path}, {"value", field.value}};
  put_text(json, "label", field.label);
  put_text(json, "unit", field.unit);
  if (field.number) json["number"] = *field.number;
  return json;
}

Json sums_json(const std::vector<FieldSum>& sums) {
  Json list = Json::array();
  for (const FieldSum& sum : sums)
    list.push_back({{"path", sum.path}, {"stored", sum.stored}, {"right", sum.right}});
  return list;
}

Json rule_json(const BrokenRule& rule) {
  return {{"rule", rule.rule}, {"path", rule.path}, {"text", rule.text}};
}

Json changes_json(const std::vector<FieldChange>& changes) {
  Json list = Json::array();
  for (const FieldChange& change : changes) {
    Json json{{"path", change.path}, {"before", change.before}, {"after", change.after}};
    put_text(json, "label", change.label);
    put_text(json, "unit", change.unit);
    list.push_back(std::move(json));
  }
  return list;
}

}  // namespace

std::string json_text(const FieldReport& report) {
  Json json = with_schema("save", report.save);
  json["game"] = game_json(report.game);
  json["system"] = to_string(report.system);
  json["map"] = {{"name", report.map}, {"file", report.map_file}};
  json["part"] = report.part;
  json["fields"] = Json::array();
  for (const ShownField& field : report.fields) json["fields"].push_back(field_json(field));
  json["checksums"] = {{"right", report.sums_right}, {"wrong", sums_json(report.sums)}};
  json["broken"] = Json::array();
  for (const BrokenRule& rule : report.broken) json["broken"].push_back(rule_json(rule));
  json["copies"] = Json::array();
  for (const FieldCopy& copy : report.copies) {
    Json one{{"at", copy.at}, {"sound", copy.sound}, {"counts", copy.counts}};
    if (copy.counter) one["counter"] = *copy.counter;
    json["copies"].push_back(std::move(one));
  }
  return dump(json) + "\n";
}

std::string json_text(const std::vector<FieldChange>& changes) {
  return dump(with_schema("changes", changes_json(changes))) + "\n";
}

std::string json_text(const FieldEdited& edited) {
  Json json = with_schema("changes", changes_json(edited.changes));
  json["checksums"] = sums_json(edited.sums);
  json["not_legal"] = Json::array();
  for (const FieldEdited::Illegal& illegal : edited.illegal) {
    Json one = rule_json(illegal.rule);
    put_text(one, "legal", illegal.legal);
    json["not_legal"].push_back(std::move(one));
  }
  json["nothing_to_do"] = edited.nothing_to_do;
  put_text(json, "copy", edited.copy);
  json["moves"] = Json::array();
  for (const MoveReport& move : edited.moves) json["moves"].push_back(move_json(move));
  return dump(json) + "\n";
}

std::string json_text(const FoundFields& found) {
  Json list = Json::array();
  for (const MapLines& one : found.found) list.push_back({{"what", one.words}, {"map", one.lines}});
  Json json = with_schema("found", std::move(list));
  json["all"] = found.all;
  return dump(json) + "\n";
}

}  // namespace bayswap::cli
