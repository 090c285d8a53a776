#include "sync/sync_items.h"

#include "core/bytes/text.h"

namespace bayswap {
namespace {

SyncItem item_of(const SaveIdentity& identity) {
  SyncItem item;
  item.game = identity.game;
  if (item.game.title.empty()) item.game.title = safe_text(identity.stem);
  item.system = identity.system;
  item.kind = identity.kind;
  item.label = identity.label;
  item.slot = identity.slot;
  return item;
}

}  // namespace

SyncItem SyncItems::of(const LocalUnit& unit) const {
  SyncItem item = item_of(unit.save.identity);
  item.comment = unit.source.save.comment;
  item.bay = unit.bay;
  item.device = joined_.state().name;
  item.time_ns = unit.source.modified_ns;
  item.size = unit.save.size;
  return item;
}

SyncItem SyncItems::of(const SaveVersion& version) const {
  SyncItem item = item_of(version.identity);
  item.comment = version.comment;
  item.device = joined_.name_of(origin_of(version).device);
  item.version = version.id;
  item.time_ns = version.time_ns;
  item.size = version.size();
  return item;
}

SyncItem SyncItems::conflict(const SyncedSave& save) const {
  const std::vector<SaveVersion>& versions = joined_.graph().versions();
  SyncItem item = item_of(versions[save.heads.front()].identity);
  item.comment = versions[save.heads.front()].comment;
  for (const std::size_t head : save.heads) {
    const SaveVersion& side = versions[head];
    item.sides.push_back(
        {joined_.name_of(side.device), side.bay, side.id, side.time_ns, side.size(), side.filled});
    item.size = side.size();
  }
  return item;
}

// Who made the progress: a choice only repeats it.
const SaveVersion& SyncItems::origin_of(const SaveVersion& version) const {
  const SaveVersion* origin = &version;
  for (bool repeats = true; repeats;) {
    repeats = false;
    for (const std::string& id : origin->parents) {
      const SaveVersion* before = joined_.graph().find(id);
      repeats = origin->on_purpose && before != nullptr && before->progress == version.progress;
      if (!repeats) continue;
      origin = before;
      break;
    }
  }
  return *origin;
}

}  // namespace bayswap
