// Cards written where nothing is to be undone: new ones, saves copied out, rescued cards.
#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <set>

#include "bayswap/card_file.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "core/naming/file_name.h"
#include "files/atomic_write.h"
#include "moves/outputs.h"
#include "reading/card_saves.h"
#include "reading/open_card.h"

namespace bayswap {
namespace {

Result<OutputFile> write_card(Session& session, const OutputKind& kind, const Path& out,
                              const CardLayout& layout, const Bytes& bytes) {
  if (auto written = write_outputs(session, kind, {{out, bytes}}); !written)
    return tl::unexpected(written.error());
  return OutputFile{out, layout.info().id, bytes.size(), sha256_hex(bytes)};
}

// Names that differ only in case, or became the same when they were made safe, get numbers, so that
// no save is written over another one.
class FreePaths {
 public:
  Path next(const Path& wanted) {
    Path path = wanted;
    for (int number = 2; !taken_.insert(lower_ascii(path.string())).second; ++number)
      path = wanted.parent_path() /
             fmt::format("{}-{}{}", wanted.stem().string(), number, wanted.extension().string());
    return path;
  }

 private:
  std::set<std::string> taken_;
};

// Names of the files for saves; two saves of one name are told apart by their codes, then numbers.
class FreeNames {
 public:
  std::string next(const Save& save) {
    std::string name = safe_file_name(save.name);
    if (taken_.contains(lower_ascii(name)) && !save.game.code.empty())
      name = safe_file_name(save.name + " (" + save.game.code + ")");
    const std::string base = name;
    for (int number = 2; taken_.contains(lower_ascii(name)); ++number)
      name = fmt::format("{}-{}", base, number);
    taken_.insert(lower_ascii(name));
    return name;
  }

 private:
  std::set<std::string> taken_;
};

Result<std::vector<const CardSave*>> chosen_saves(const std::vector<CardSave>& saves,
                                                  const std::vector<std::string>& names,
                                                  const Findings& findings) {
  std::vector<const CardSave*> chosen;
  if (names.empty())
    for (const CardSave& save : saves) chosen.push_back(&save);
  for (const std::string& name : names) {
    const auto place = find_on_card(saves, name, findings);
    if (!place) return tl::unexpected(place.error());
    if (std::ranges::find(chosen, &saves[*place]) == chosen.end()) chosen.push_back(&saves[*place]);
  }
  return chosen;
}

// Null: the saves are plain files and stay so.
Result<const Layout*> wanted_layout(const CardLayout& card, const std::string& as) {
  if (card.card_info().package) {
    if (as.empty()) return nullptr;
    return fail(Trouble::usage, Code::usage, "the files of a package are copied out as they are",
                {"leave ", Remedy::layout_of_output, " out"});
  }
  auto layout = find_layout(as.empty() ? card.card_info().single_layout : as);
  if (!layout) return layout;
  const LayoutInfo& info = (*layout)->info();
  if (info.system != card.info().system || info.kind != Kind::card_save || as_card(*layout))
    return fail(Trouble::usage, Code::usage,
                fmt::format("{} is not a layout for one save of a {} card", info.id,
                            card.card_info().family),
                {"'", Remedy::list_layouts,
                 "' lists them; the usual one is " + card.card_info().single_layout});
  return layout;
}

// A file of a package, below folders as inside.
SaveFiles plan_plain(const Save& save, const std::string& layout, const Path& out) {
  SaveFiles planned;
  planned.shown = out;
  for (const Path& piece : Path(save.name)) planned.shown /= safe_file_name(piece.string());
  planned.layout = layout;
  planned.files.emplace_back(planned.shown, save.parts.front().data);
  return planned;
}

// Every path once, then all of them in one move.
Result<void> write_all(Session& session, const TakeRequest& request,
                       std::vector<SaveFiles>& planned, Reshaped& result) {
  FreePaths paths;
  std::vector<OutFile> files;
  for (SaveFiles& save : planned) {
    std::uint64_t size = 0;
    const bool one = save.files.front().first == save.shown;
    for (auto& [path, bytes] : save.files) {
      path = paths.next(path);
      size += bytes.size();
    }
    if (one) {
      save.shown = save.files.front().first;
      size = save.files.front().second.size();
    }
    result.outputs.push_back({save.shown, save.layout, size,
                              one ? sha256_hex(save.files.front().second) : std::string()});
    for (auto& [path, bytes] : save.files) files.push_back({path, std::move(bytes)});
  }
  auto written =
      write_outputs(session, {"card take", request.card, {}, request.replace}, std::move(files));
  if (!written) return tl::unexpected(written.error());
  result.move = std::move(*written);
  return {};
}

}  // namespace

Result<OutputFile> new_card(Session& session, const NewCardRequest& request) {
  const auto layout = find_layout(request.as);
  if (!layout) return tl::unexpected(layout.error());
  const CardLayout* card = as_card(*layout);
  if (card == nullptr)
    return fail(Trouble::usage, Code::unknown_layout, fmt::format("{} is not a card", request.as),
                {"'", Remedy::list_layouts, "' lists the cards"});
  const auto bytes = card->format(request.blocks.value_or(card->card_info().default_blocks));
  if (!bytes) return tl::unexpected(bytes.error());
  return write_card(session, {"card new", {}, {}, request.replace}, request.out, *card, *bytes);
}

Result<Reshaped> take_saves(Session& session, const TakeRequest& request) {
  const auto opened = open_card(session, request.card, or_empty(request.is));
  if (!opened) return tl::unexpected(opened.error());
  const auto layout = wanted_layout(*opened->layout, or_empty(request.as));
  if (!layout) return tl::unexpected(layout.error());
  const auto card = opened->layout->open(opened->bytes());
  if (!card) return tl::unexpected(card.error());
  const auto chosen =
      chosen_saves(request.deleted ? card->deleted : card->saves, request.names, card->findings);
  if (!chosen) return tl::unexpected(chosen.error());
  Reshaped result;
  std::vector<SaveFiles> planned;
  FreeNames names;
  for (const CardSave* on_card : *chosen) {
    for (const Finding& finding : on_card->findings) result.findings.push_back(finding);
    if (has_error(on_card->findings) && !request.accept.contains(Code::damaged)) {
      result.stopped = Error{Trouble::stopped,
                             Code::damaged,
                             on_card->findings.front().text,
                             {"rescue the card first: ", Remedy::mend_card,
                              "; or take what can be read with ", accept_remedy(Code::damaged)}};
      return result;
    }
    Result<SaveFiles> files =
        *layout == nullptr
            ? plan_plain(on_card->save, "", request.out)
            : plan_save(**layout, on_card->save, request.out / names.next(on_card->save));
    if (!files) return tl::unexpected(files.error());
    result.losses.insert(result.losses.end(), files->losses.begin(), files->losses.end());
    result.findings.insert(result.findings.end(), files->notes.begin(), files->notes.end());
    planned.push_back(std::move(*files));
  }
  if (!result.losses.empty() && !request.accept.contains(Code::loses_parts)) {
    const Finding& first = result.losses.front();
    result.stopped = Error{Trouble::stopped, first.code, first.text, first.hint};
    return result;
  }
  for (const SaveFiles& save : planned)
    if (!request.replace && !is_missing(*session.storage, save.shown)) {
      result.stopped = output_exists(save.shown);
      return result;
    }
  if (planned.empty()) return result;
  if (auto written = write_all(session, request, planned, result); !written)
    return tl::unexpected(written.error());
  return result;
}

bool MendReport::incomplete() const {
  return mended.unnamed || std::ranges::any_of(mended.saves, [](const Rescue& rescue) {
           return rescue.state != RescueState::whole && rescue.state != RescueState::repaired;
         });
}

Result<MendReport> mend_card(Session& session, const MendRequest& request) {
  auto opened = open_card(session, request.card, or_empty(request.is));
  const bool unclear =
      !opened && (opened.error().code == Code::no_match || opened.error().code == Code::damaged);
  if (unclear && or_empty(request.is).empty()) {
    // Too damaged to be recognised: its size, and what a rescue finds, may still tell.
    const auto view = session.storage->view(request.card, kSaveLimit);
    if (view)
      if (const CardLayout* layout = card_layout_of(view->bytes(), {}, true))
        opened = open_card(session, request.card, layout->info().id);
  }
  if (!opened) return tl::unexpected(opened.error());
  if (!request.replace && !is_missing(*session.storage, request.out))
    return tl::unexpected(output_exists(request.out));
  auto mended = mend(*opened->layout, opened->bytes());
  if (!mended) return tl::unexpected(mended.error());
  for (Rescue& rescue : mended->saves) add_catalog_title(session.catalog, rescue.save);
  auto output = write_card(session, {"card mend", request.card, {}, request.replace}, request.out,
                           *opened->layout, mended->bytes);
  if (!output) return tl::unexpected(output.error());
  return MendReport{std::move(*output), std::move(*mended)};
}

Result<ShownCard> show_card(Session& session, const std::string& name, const std::string& is) {
  const auto opened = open_card(session, name, is);
  if (!opened) return tl::unexpected(opened.error());
  auto card = examine(*opened->layout, opened->bytes());
  if (!card) {
    Error error = card.error();
    error.text = fmt::format("{}: {}", safe_text(name), error.text);
    return tl::unexpected(error);
  }
  for (CardSave& on_card : card->saves) add_catalog_title(session.catalog, on_card.save);
  for (CardSave& on_card : card->deleted) add_catalog_title(session.catalog, on_card.save);
  return ShownCard{name, opened->bytes().size(), opened->layout, opened->confidence,
                   std::move(*card)};
}

Result<std::optional<Save>> save_by_name(Session& session, const std::string& text,
                                         const std::string& is) {
  const SaveAddress address = parse_address(session, text);
  if (!address.there || address.inside.empty()) return std::optional<Save>{};
  auto found = read_card_saves(session, text, is);
  if (!found) return tl::unexpected(found.error());
  if (found->saves.size() != 1)
    return fail(Trouble::stopped, Code::many_match,
                fmt::format("{}: holds {} saves", safe_text(text), found->saves.size()),
                "name one of them");
  return std::optional<Save>(std::move(found->saves.front()));
}

}  // namespace bayswap
