#include "cli/render/json/json.h"

#include "cli/render/json/json_pieces.h"
#include "core/bytes/text.h"
#include "core/bytes/time_text.h"

namespace bayswap::cli {
namespace {

using cli::to_json;  // of findings and errors

Json part_json(const PartInfo& part) {
  Json json{{"name", part.name}, {"size", part.size}, {"blank", part.blank}};
  if (!part.sha256.empty()) json["sha256"] = part.sha256;
  return json;
}

Json parts_json(const std::vector<PartInfo>& parts) {
  Json list = Json::array();
  for (const PartInfo& part : parts) list.push_back(part_json(part));
  return list;
}

Json saves_json(const std::vector<SaveInfo>& saves) {
  Json list = Json::array();
  for (const SaveInfo& save : saves) {
    Json json{{"name", save.name}};
    if (!save.comment.empty()) json["comment"] = save.comment;
    if (save.blocks > 0) json["blocks"] = save.blocks;
    if (!save.layout.empty()) json["layout"] = save.layout;
    if (!save.candidates.empty()) json["candidates"] = save.candidates;
    json["size"] = save.size;
    json["game"] = game_json(save.game);
    json["parts"] = parts_json(save.parts);
    if (save.modified) json["modified"] = iso_time(*save.modified);
    if (!save.findings.empty()) json["findings"] = list_of(save.findings);
    list.push_back(std::move(json));
  }
  return list;
}

Json state_json(const StateInfo& state) {
  Json maker{{"packing", to_string(state.maker.packing)}, {"size", state.maker.size}};
  if (!state.maker.mark.empty()) maker["mark"] = safe_text(state.maker.mark);
  for (const std::string& tag : state.maker.chunks) maker["sections"].push_back(safe_text(tag));
  Json json{{"maker", std::move(maker)}};
  if (state.picture)
    json["picture"] = {{"width", state.picture->width}, {"height", state.picture->height}};
  return json;
}

Json chips_json(const std::vector<Chip>& chips) {
  Json list = Json::array();
  for (const Chip& chip : chips) {
    Json json{{"part", chip.part}};
    if (chip.size > 0) json["size"] = chip.size;
    list.push_back(std::move(json));
  }
  return list;
}

Json output_json(const OutputFile& file) {
  Json json{{"path", file.path.string()}, {"layout", file.layout}, {"size", file.size}};
  if (!file.sha256.empty()) json["sha256"] = file.sha256;
  return json;
}

Json to_json(const Item& item) {
  Json json{{"path", item.path}, {"size", item.size}};
  if (item.system) json["system"] = to_string(*item.system);
  if (item.kind) json["kind"] = to_string(*item.kind);
  if (!item.layout.empty()) json["layout"] = item.layout;
  if (item.header > 0) json["header"] = item.header;
  if (item.confidence) json["confidence"] = to_string(*item.confidence);
  if (!item.candidates.empty()) json["candidates"] = item.candidates;
  if (const Json game = game_json(item.game); !game.empty()) json["game"] = game;
  if (!item.rom.empty()) json["rom"] = item.rom;
  if (item.version) json["version"] = *item.version;
  if (item.header_ok) json["header_ok"] = *item.header_ok;
  if (item.chips) json["chips"] = chips_json(*item.chips);
  if (!item.chips_from.empty()) json["chips_from"] = item.chips_from;
  if (!item.comment.empty()) json["comment"] = item.comment;
  for (const auto& [name, value] : item.details) json["details"][name] = safe_text(value);
  if (!item.name.empty()) json["name"] = item.name;
  if (item.modified) json["modified"] = iso_time(*item.modified);
  if (item.blank) json["blank"] = *item.blank;
  if (!item.parts.empty()) json["parts"] = parts_json(item.parts);
  if (item.card) {
    json["card"] = {{"blocks_total", item.card->blocks_total},
                    {"blocks_free", item.card->blocks_free}};
    json["saves"] = saves_json(item.saves);
    if (!item.deleted.empty()) json["deleted"] = saves_json(item.deleted);
  }
  if (item.archive) {
    json["saves"] = saves_json(item.saves);
    json["other_files"] = item.other_files;
  }
  if (!item.slot.empty()) json["slot"] = item.slot;
  if (item.state) json["state"] = state_json(*item.state);
  json["findings"] = list_of(item.findings);
  return json;
}

Json to_json(const SlotBoard& board) {
  Json json{{"title", safe_text(board.title)}};
  if (board.system) json["system"] = to_string(*board.system);
  json["slots"] = Json::array();
  for (const StateSlot& slot : board.slots) {
    Json one = state_json(slot.info);
    one["slot"] = slot.slot;
    one["path"] = slot.path.string();
    one["size"] = slot.size;
    one["modified"] = iso_time(slot.modified_ns);
    one["findings"] = list_of(slot.findings);
    json["slots"].push_back(std::move(one));
  }
  return json;
}

Json to_json(const Dug& dug) {
  Json outputs = Json::array();
  for (const OutputFile& file : dug.outputs) outputs.push_back(output_json(file));
  Json json = with_schema("outputs", std::move(outputs));
  json["candidates"] = Json::array();
  for (const DigCandidate& candidate : dug.candidates) {
    Json one{{"part", candidate.part},
             {"offset", candidate.offset},
             {"size", candidate.size},
             {"evidence", candidate.evidence},
             {"shown", candidate.shown}};
    if (!candidate.inside.empty()) one["inside"] = candidate.inside;
    json["candidates"].push_back(std::move(one));
  }
  json["findings"] = list_of(dug.findings);
  if (dug.stopped) json["error"] = to_json(*dug.stopped);
  return json;
}

Json to_json(const CatalogGame& game) {
  Json json{{"title", safe_text(game.title)}, {"system", to_string(game.system)}};
  if (!game.chip.empty()) json["chip"] = game.chip;
  for (const auto& [region, code] : game.codes)
    json["codes"][std::string(to_string(region))] = safe_text(code);
  for (const auto& [region, id] : game.title_ids)
    json["title_ids"][std::string(to_string(region))] = safe_text(id);
  for (const std::string& path : game.companions) json["companions"].push_back(safe_text(path));
  for (const CatalogDump& dump : game.dumps) {
    Json one{{"name", safe_text(dump.name)}};
    if (dump.region != Region::unknown) one["region"] = to_string(dump.region);
    if (dump.size != 0) one["size"] = dump.size;
    if (!dump.crc32.empty()) one["crc32"] = dump.crc32;
    if (!dump.sha1.empty()) one["sha1"] = dump.sha1;
    json["dumps"].push_back(std::move(one));
  }
  return json;
}

Json to_json(const Imported& imported) {
  return {{"schema", 1},
          {"file", imported.file.string()},
          {"games", imported.games},
          {"dumps", imported.dumps},
          {"left_out", imported.left_out},
          {"chips", imported.chips},
          {"unused_columns", imported.unused},
          {"replaced", imported.replaced}};
}

Json to_json(const PartDifference& difference) {
  return {{"part", difference.part},
          {"size", difference.size},
          {"differing", difference.differing},
          {"ranges", difference.ranges},
          {"more_ranges", difference.more_ranges}};
}

Json to_json(const Reshaped& reshaped) {
  Json outputs = Json::array();
  for (const OutputFile& file : reshaped.outputs) outputs.push_back(output_json(file));
  Json json = with_schema("outputs", std::move(outputs));
  if (!reshaped.move.empty()) json["move"] = reshaped.move;
  json["losses"] = list_of(reshaped.losses);
  json["findings"] = list_of(reshaped.findings);
  if (reshaped.stopped) json["error"] = to_json(*reshaped.stopped);
  return json;
}

Json to_json(const CarryReport& report) {
  Json moves = Json::array();
  for (const MoveReport& move : report.moves) moves.push_back(move_json(move));
  Json json = with_schema("moves", std::move(moves));
  for (const PlaceReport& place : report.understood)
    json["understood"].push_back(
        {{"place", place.path}, {"text", place.words}, {"exact", place.exact}});
  for (const Finding& note : report.notes) json["notes"].push_back(to_json(note));
  if (!report.safe_to_remove.empty()) json["safe_to_remove"] = report.safe_to_remove;
  if (report.failed) json["error"] = to_json(*report.failed);
  return json;
}

Json to_json(const MendReport& report) {
  Json json = with_schema("outputs", Json::array({output_json(report.output)}));
  json["saves"] = Json::array();
  for (const Rescue& rescue : report.mended.saves) {
    Json save{{"name", rescue.save.name}, {"status", to_string(rescue.state)}};
    if (!rescue.save.comment.empty()) save["comment"] = rescue.save.comment;
    save["game"] = game_json(rescue.save.game);
    save["what"] = rescue.what;
    json["saves"].push_back(std::move(save));
  }
  json["unchanged"] = report.mended.unchanged;
  json["findings"] = list_of(report.mended.findings);
  return json;
}

Json to_json(const FoundPort& port) {
  Json json{{"port", port.port}, {"answers", port.answers}};
  if (!port.description.empty()) json["description"] = port.description;
  if (port.answers) json["reader"] = port.reader;
  return json;
}

Json to_json(const CartReport& cart) {
  Json chips = Json::array();
  for (const Chip& chip : cart.chips) chips.push_back({{"part", chip.part}, {"size", chip.size}});
  Json json{{"port", cart.port},
            {"reader", cart.device},
            {"serial", cart.serial},
            {"volts_mv", cart.volts_mv},
            {"system", to_string(cart.system)},
            {"game", game_json(cart.game)},
            {"chips", std::move(chips)},
            {"contacts_steady", cart.contacts_steady},
            {"findings", list_of(cart.findings)}};
  if (cart.rom_size) json["rom_size"] = *cart.rom_size;
  return json;
}

Json to_json(const CartDumped& dumped) {
  Json outputs = Json::array();
  for (const OutputFile& file : dumped.outputs) outputs.push_back(output_json(file));
  Json json = with_schema("outputs", std::move(outputs));
  json["cartridge"] = to_json(dumped.cartridge);
  json["unsure"] = dumped.unsure;
  json["findings"] = list_of(dumped.findings);
  if (!dumped.move.empty()) json["move"] = dumped.move;
  if (dumped.stopped) json["error"] = to_json(*dumped.stopped);
  return json;
}

Json to_json(const OutputFile& file) {
  Json json = with_schema("outputs", Json::array({output_json(file)}));
  json["losses"] = Json::array();
  json["findings"] = Json::array();
  return json;
}

Json to_json(const Bay& bay) {
  Json shelves = Json::array();
  for (const Shelf& shelf : bay.shelves) {
    Json json{{"system", to_string(shelf.system)},
              {"kind", to_string(shelf.kind)},
              {"pattern", shelf.pattern},
              {"layout", shelf.layout}};
    if (!shelf.roms.empty()) json["roms"] = shelf.roms;
    json["explains"] = shelf.explains;
    json["of"] = shelf.of;
    json["examples"] = shelf.examples;
    shelves.push_back(std::move(json));
  }
  Json json{{"name", bay.name},
            {"place", bay.place.string()},
            {"shelves", std::move(shelves)},
            {"unexplained", bay.unexplained},
            {"questions", bay.questions}};
  if (bay.port) json["port"] = *bay.port;
  return json;
}

Json to_json(const LayoutInfo& layout) {
  return {{"id", layout.id},
          {"system", to_string(layout.system)},
          {"kind", to_string(layout.kind)},
          {"summary", layout.summary},
          {"parts", layout.parts},
          {"sizes", layout.file_sizes}};
}

Json to_json(const SaveHistory& save) {
  Json versions = Json::array();
  for (const Version& version : save.versions) {
    Json json{{"version", version.id},
              {"time", iso_time(version.time_ns)},
              {"size", version.size},
              {"reason", version.reason}};
    if (!version.sha256.empty()) json["sha256"] = version.sha256;
    if (!version.change.empty()) json["change"] = version.change;
    json["there_now"] = version.there_now;
    if (!version.whole) json["whole"] = false;
    versions.push_back(std::move(json));
  }
  Json json{{"game", Json::object()}};
  if (!save.title.empty()) json["game"]["title"] = save.title;
  if (!save.bay.empty()) json["bay"] = save.bay;
  json["path"] = save.path.string();
  json["versions"] = std::move(versions);
  return json;
}

Json to_json(const KeepReport& report) {
  Json kept = Json::array();
  for (const KeptSave& save : report.kept)
    kept.push_back({{"path", save.path.string()}, {"version", save.version}, {"size", save.size}});
  Json json = with_schema("kept", std::move(kept));
  json["unchanged"] = report.unchanged;
  json["findings"] = Json::array();
  for (const Finding& finding : report.findings) json["findings"].push_back(to_json(finding));
  return json;
}

Json to_json(const TidyReport& report) {
  return with_schema(
      "tidied",
      {{"versions", report.versions}, {"before", report.before}, {"after", report.after}});
}

Json to_json(const VerifyReport& report) {
  Json json = with_schema("checked", {{"versions", report.contents}, {"pieces", report.pieces}});
  json["findings"] = Json::array();
  for (const Finding& finding : report.damaged) json["findings"].push_back(to_json(finding));
  return json;
}

template <class Values>
std::string listed(const char* key, const Values& values) {
  Json list = Json::array();
  for (const auto& value : values) list.push_back(to_json(value));
  return dump(with_schema(key, std::move(list))) + "\n";
}

}  // namespace

Json move_json(const MoveReport& move) {
  Json json = Json::object();
  if (!move.move.empty()) json["move"] = move.move;
  json["from"] = list_text(move.from);
  json["to"] = move.to;
  json["status"] = to_string(move.status);
  if (move.system) json["system"] = to_string(*move.system);
  if (const Json game = game_json(move.game); !game.empty()) json["game"] = game;
  if (!move.label.empty()) json["save"] = move.label;
  if (!move.slot.empty()) json["slot"] = move.slot;
  if (!move.from_layout.empty()) json["from_layout"] = move.from_layout;
  if (!move.to_layout.empty()) json["to_layout"] = move.to_layout;
  if (!move.parts.empty()) json["parts"] = move.parts;
  if (!move.chip.empty()) json["chip"] = move.chip;
  json["replaces"] = move.replaces;
  if (move.files)
    json["files"] = {{"replaced", move.files->replaced},
                     {"new", move.files->added},
                     {"same", move.files->same},
                     {"stay", move.files->stay},
                     {"going", move.files->going}};
  json["checks"] = list_of(move.checks);
  json["losses"] = list_of(move.losses);
  return json;
}

std::string json_text(const Reshaped& reshaped) {
  return dump(to_json(reshaped)) + "\n";
}
std::string json_text(const CarryReport& report) {
  return dump(to_json(report)) + "\n";
}
std::string json_text(const MendReport& report) {
  return dump(to_json(report)) + "\n";
}
std::string json_text(const OutputFile& file) {
  return dump(to_json(file)) + "\n";
}
std::string json_text(const Dug& dug) {
  return dump(to_json(dug)) + "\n";
}
std::string json_text(const std::vector<FoundPort>& ports) {
  return listed("ports", ports);
}
std::string json_text(const CartReport& cart) {
  return dump(with_schema("cartridge", to_json(cart))) + "\n";
}
std::string json_text(const CartDumped& dumped) {
  return dump(to_json(dumped)) + "\n";
}
std::string json_text(const Imported& imported) {
  return dump(to_json(imported)) + "\n";
}
std::string json_text(const KeepReport& report) {
  return dump(to_json(report)) + "\n";
}
std::string json_text(const TidyReport& report) {
  return dump(to_json(report)) + "\n";
}
std::string json_text(const VerifyReport& report) {
  return dump(to_json(report)) + "\n";
}
std::string json_text(const Error& error) {
  return dump(with_schema("error", to_json(error))) + "\n";
}
std::string json_text(const std::vector<Bay>& bays) {
  return listed("bays", bays);
}
std::string json_text(const std::vector<SlotBoard>& boards) {
  return listed("boards", boards);
}
std::string json_text(const std::vector<SaveHistory>& saves) {
  return listed("saves", saves);
}
std::string json_text(const std::vector<const CatalogGame*>& games) {
  Json list = Json::array();
  for (const CatalogGame* game : games) list.push_back(to_json(*game));
  return dump(with_schema("games", std::move(list))) + "\n";
}
std::string json_text(const std::vector<Path>& outputs) {
  Json list = Json::array();
  for (const Path& file : outputs) list.push_back({{"path", file.string()}});
  return dump(with_schema("outputs", std::move(list))) + "\n";
}
std::string json_text(const char* key, const std::string& value) {
  return dump(with_schema(key, value)) + "\n";
}

std::string layouts_json() {
  Json list = Json::array();
  for (const auto& layout : layouts().all()) list.push_back(to_json(layout->info()));
  for (const Packing packing : all_packings())
    list.push_back({{"id", "state-" + std::string(to_string(packing))},
                    {"kind", to_string(Kind::state)},
                    {"summary", "save state of any program"}});
  return dump(with_schema("layouts", std::move(list))) + "\n";
}

std::string card_json(const Item& card, const std::vector<Path>& pictures) {
  Json json = with_schema("items", Json::array({to_json(card)}));
  for (const Path& picture : pictures) json["icons"].push_back(picture.string());
  return dump(json) + "\n";
}

std::string item_json(const Item& item) {
  return dump(to_json(item));
}

std::string rest_of_items_json(const Error* error, const std::vector<PartDifference>& differences) {
  Json rest = Json::object();
  if (error != nullptr) rest["error"] = to_json(*error);
  for (const PartDifference& part : differences) rest["compare"].push_back(to_json(part));
  return rest.empty() ? "}\n" : "," + dump(rest).substr(1) + "\n";
}

}  // namespace bayswap::cli
