#include "moves/card_source.h"

#include <algorithm>

#include "bayswap/folder.h"
#include "reading/card_saves.h"
#include "reading/open_card.h"

namespace bayswap {
namespace {

Source source_of(Session& session, Save save, const Path& path, const std::string& layout,
                 std::int64_t modified_ns, const Findings& findings) {
  Source source;
  source.stem = save.name;
  source.files = {path};
  source.layouts = {layout};
  source.modified_ns = save.modified ? ns_of(*save.modified) : modified_ns;
  source.on_shelf = true;
  for (const Finding& finding : findings)
    if (finding.level == Level::error)
      source.problems.push_back({Level::error, Code::damaged, finding.text, finding.hint});
  add_catalog_title(session.catalog, save);
  source.part_files.assign(save.parts.size(), path.string());
  source.save = std::move(save);
  return source;
}

void add_card(Session& session, const Path& path, const CardLayout& layout, ByteView bytes,
              std::int64_t modified_ns, std::vector<Source>& sources) {
  if (layout.card_info().package) {
    Hints hints;
    hints.file_name = path.filename().string();
    if (auto whole = layout.read(bytes, hints))
      sources.push_back(source_of(session, std::move(whole->saves.front()), path, layout.info().id,
                                  modified_ns, whole->findings));
    return;
  }
  auto card = layout.open(bytes);
  if (!card) return;
  for (CardSave& on_card : card->saves)
    sources.push_back(source_of(session, std::move(on_card.save), path, layout.info().id,
                                modified_ns, on_card.findings));
}

bool keeps_parts(const Bay& bay, const Layout& card) {
  return holds_chips(card) && std::ranges::any_of(bay.shelves, [&](const Shelf& shelf) {
           return shelf.system == card.info().system && shelf.kind == Kind::battery;
         });
}

}  // namespace

std::int64_t ns_of(Time time) {
  return std::chrono::duration_cast<std::chrono::nanoseconds>(time.time_since_epoch()).count();
}

Result<std::optional<std::vector<Source>>> read_card_sources(Session& session, const Bay& to,
                                                             const std::string& text,
                                                             const std::string& is) {
  using Sources = std::vector<Source>;
  if (!is.empty()) {
    const auto layout = find_layout(is);
    if (!layout) return tl::unexpected(layout.error());
    if ((*layout)->info().kind != Kind::card_save) return std::optional<Sources>{};
  }
  const SaveAddress address = parse_address(session, text);
  if (!address.there) return std::optional<Sources>{};
  const bool named = !address.inside.empty();
  auto found = read_card_saves(session, text, is);
  if (!found) {
    // A plain file or folder that is not a card save may still be another kind of save.
    if (!named && is.empty()) return std::optional<Sources>{};
    return tl::unexpected(found.error());
  }
  if (const Layout* layout = layouts().find(found->layout); !named && keeps_parts(to, *layout))
    return std::optional<Sources>{};
  Sources sources;
  for (Save& save : found->saves)
    sources.push_back(source_of(session, std::move(save), address.path, found->layout,
                                found->modified_ns, found->findings));
  return std::optional<Sources>(std::move(sources));
}

std::vector<Source> read_shelf_cards(Session& session, BayScan& scan) {
  std::vector<Source> sources;
  for (const Shelf& shelf : scan.bay().shelves) {
    if (shelf.kind != Kind::card_save) continue;
    for (const BayScan::OnShelf& file : scan.files_on(shelf)) {
      const auto view = session.storage->view(file.path, session.limits.largest_file);
      if (!view) {
        sources.push_back(unreadable_source(scan.bay(), file.path, view.error()));
        continue;
      }
      Hints hints;
      hints.file_name = file.path.filename().string();
      for (const std::string& id : shelf.layout) {
        const Layout* layout = layouts().find(id);
        if (layout == nullptr || !layout->recognise(view->bytes(), hints)) continue;
        if (const CardLayout* card = as_card(layout)) {
          add_card(session, file.path, *card, view->bytes(), file.info.modified_ns, sources);
        } else if (auto content = layout->read(view->bytes(), hints);
                   content && !content->saves.empty()) {
          sources.push_back(source_of(session, std::move(content->saves.front()), file.path, id,
                                      file.info.modified_ns, content->findings));
        }
        break;
      }
    }
  }
  return sources;
}

}  // namespace bayswap
