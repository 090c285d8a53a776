#include <array>
#include <string_view>

#include "cli/render/json/json_pieces.h"
#include "cli/render/sync.h"
#include "core/bytes/time_text.h"

namespace bayswap::cli {
namespace {

using cli::to_json;  // of findings and errors

Json to_json(const SyncItem::Side& side) {
  return {{"device", side.device},          {"bay", side.bay},   {"version", side.version},
          {"time", iso_time(side.time_ns)}, {"size", side.size}, {"filled", side.filled}};
}

Json to_json(const SyncItem& item) {
  Json json{{"game", game_json(item.game)},
            {"system", to_string(item.system)},
            {"kind", to_string(item.kind)}};
  put_text(json, "save", item.label);
  put_text(json, "comment", item.comment);
  put_text(json, "slot", item.slot);
  put_text(json, "bay", item.bay);
  put_text(json, "device", item.device);
  put_text(json, "version", item.version);
  if (item.time_ns != 0) json["time"] = iso_time(item.time_ns);
  json["size"] = item.size;
  put_text(json, "move", item.move);
  if (item.reason) json["reason"] = to_json(*item.reason);
  for (const SyncItem::Side& side : item.sides) json["versions"].push_back(to_json(side));
  put_text(json, "differs", item.differs);
  return json;
}

Json list_of_items(const std::vector<SyncItem>& items) {
  Json list = Json::array();
  for (const SyncItem& item : items) list.push_back(to_json(item));
  return list;
}

Json report_json(const SyncReport& report) {
  Json json = with_schema("plan", report.plan);
  json["published"] = list_of_items(report.published);
  json["carried"] = list_of_items(report.carried);
  json["conflicts"] = list_of_items(report.conflicts);
  json["held"] = list_of_items(report.held);
  json["missing"] = list_of_items(report.missing);
  json["unmatched"] = list_of_items(report.unmatched);
  json["settled"] = list_of_items(report.settled);
  json["in_step"] = report.in_step;
  json["notes"] = list_of(report.notes);
  put_text(json, "safe_to_remove", report.safe_to_remove);
  if (report.failed) json["error"] = to_json(*report.failed);
  return json;
}

}  // namespace

std::string json_text(const WatchEvent& event) {
  static constexpr std::array<std::string_view, 6> kNames{"begun",  "synced", "waiting",
                                                          "failed", "back",   "ended"};
  Json json = with_schema("event", kNames[static_cast<std::size_t>(event.what)]);
  if (event.what == WatchEvent::What::synced) json["sync"] = report_json(event.report);
  if (event.error) json["error"] = to_json(*event.error);
  put_text(json, "program", event.program);
  return dump(json) + "\n";
}

std::string json_text(const SyncReport& report) {
  return dump(report_json(report)) + "\n";
}

std::string json_text(const HubReport& report) {
  Json hub{{"where", report.where}, {"id", report.id}, {"device", report.device}};
  hub["devices"] = Json::array();
  for (const HubReport::Device& device : report.devices)
    hub["devices"].push_back({{"name", device.name},
                              {"id", device.id},
                              {"own", device.own},
                              {"seen", iso_time(device.seen_ns)},
                              {"entries", device.entries},
                              {"newest", device.newest}});
  hub["saves"] = report.saves;
  hub["versions"] = report.versions;
  hub["waiting"] = report.waiting;
  hub["conflicts"] = report.conflicts;
  hub["bytes"] = report.bytes;
  hub["unsent"] = list_of_items(report.unsent);
  hub["unmatched"] = list_of_items(report.unmatched);
  hub["sealed"] = report.sealed;
  if (report.words) hub["words"] = *report.words;
  hub["notes"] = list_of(report.notes);
  return dump(with_schema("hub", std::move(hub))) + "\n";
}

std::string json_text(const HubChecked& checked) {
  Json json = with_schema("entries", checked.entries);
  json["objects"] = checked.objects;
  json["damaged"] = list_of(checked.damaged);
  json["mended"] = list_of(checked.mended);
  return dump(json) + "\n";
}

std::string json_text(const HubTidied& tidied) {
  Json json = with_schema("versions", tidied.versions);
  json["objects"] = tidied.objects;
  json["bytes"] = tidied.bytes;
  return dump(json) + "\n";
}

}  // namespace bayswap::cli
