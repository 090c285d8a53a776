#include "moves/reshape_card.h"

#include <fmt/core.h>

#include <algorithm>

#include "bayswap/card_file.h"
#include "bayswap/folder.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "core/layouts/common/framed.h"
#include "files/atomic_write.h"
#include "moves/outputs.h"
#include "reading/card_saves.h"
#include "reading/open_card.h"

namespace bayswap {
namespace {

// What a layout's id says: saves of cards, chips, or, for cards that are a part of a cartridge's
// save, either.
struct Meaning {
  bool cards = false;
  bool chips = false;
};

Meaning meaning_of(const std::vector<std::string>& ids) {
  Meaning meaning;
  for (const std::string& id : ids)
    if (const auto layout = find_layout(id)) {
      meaning.cards = meaning.cards || (*layout)->info().kind == Kind::card_save;
      meaning.chips = meaning.chips || holds_chips(**layout);
    }
  return meaning;
}

bool speaks_of_cards(Session& session, const ReshapeRequest& request) {
  const Meaning is = meaning_of(request.is);
  const Meaning as = meaning_of(request.as);
  if (is.cards != is.chips) return is.cards;
  // A conversion to chips stays one, whatever the file looks like.
  if (as.cards != as.chips || !(request.as.empty() || as.cards)) return as.cards;
  const std::string said = request.is.empty() ? "" : request.is.front();
  if (request.as.empty() && request.like &&
      !read_card_saves(session, request.like->string(), "").has_value())
    return false;
  return read_card_saves(session, request.inputs.front().string(), said).has_value();
}

// The siblings that the catalog knows of a game, for the hint of a warning.
std::string siblings_text(const Catalog& catalog, const Save& save) {
  const std::string& code = save.game.serial.empty() ? save.game.code : save.game.serial;
  const CatalogGame* game = catalog.find_code(save.system, code);
  if (game == nullptr) return {};
  std::vector<std::string> codes;
  for (const auto& [region, sibling] : game->codes)
    codes.push_back(fmt::format("{} {}", to_string(region), sibling));
  return fmt::format("the catalog knows {}: {}", game->title, list_text(codes));
}

Finding label_warning(const Catalog& catalog, const Save& before, const Save& after) {
  const std::string known = siblings_text(catalog, before);
  return {Level::warn, Code::relabelled,
          fmt::format("the save is now labelled {}; only its label changed, so the game itself may "
                      "still refuse or misread it",
                      after.game.serial.empty() ? after.game.code : after.game.serial),
          known.empty() ? "keep the old one until the game has loaded it" : known};
}

// The input card itself, so that a card changes its form without anything in it moving.
std::optional<Bytes> own_mould(Session& session, const ReshapeRequest& request,
                               const Layout& target, bool relabelled_save) {
  const CardLayout* wanted = as_card(&target);
  if (wanted == nullptr || relabelled_save) return std::nullopt;
  const std::string is = request.is.empty() ? "" : request.is.front();
  const auto card = open_card(session, request.inputs.front().string(), is);
  if (!card || card->layout->card_info().family != wanted->card_info().family) return std::nullopt;
  return Bytes(card->bytes().begin(), card->bytes().end());
}

Result<const Layout*> target_of(Session& session, const ReshapeRequest& request,
                                const CardSaves& input) {
  if (!request.as.empty()) {
    const auto layout = find_layout(request.as.front());
    if (!layout) return tl::unexpected(layout.error());
    return *layout;
  }
  if (request.like) {
    const auto mould = read_card_saves(session, request.like->string(), "");
    if (!mould) return tl::unexpected(mould.error());
    return find_layout(mould->layout);
  }
  auto own = find_layout(input.layout);
  // A save that is taken from a card becomes a file for one save.
  if (own && as_card(*own) != nullptr && input.saves.size() == 1 &&
      !or_empty(request.code).empty() && is_missing(*session.storage, request.inputs.front()))
    return find_layout(as_card(*own)->card_info().single_layout);
  return own;
}

Result<void> write_files(Session& session, const ReshapeRequest& request, const SaveFiles& files,
                         Reshaped& result) {
  if (!request.replace && !is_missing(*session.storage, request.out)) {
    result.stopped = output_exists(request.out);
    return {};
  }
  std::uint64_t size = 0;
  std::vector<OutFile> out;
  for (const auto& [path, bytes] : files.files) {
    out.push_back({path, bytes});
    size += bytes.size();
  }
  auto written = write_outputs(
      session, {"reshape", request.inputs.front().string(), {}, request.replace}, std::move(out));
  if (!written) return tl::unexpected(written.error());
  result.move = std::move(*written);
  const bool one = files.files.front().first == request.out;
  if (one) size = files.files.front().second.size();
  result.outputs.push_back({request.out, files.layout, size,
                            one ? sha256_hex(files.files.front().second) : std::string()});
  return {};
}

}  // namespace

Result<std::optional<Reshaped>> reshape_card(Session& session, const ReshapeRequest& request) {
  if (request.inputs.size() != 1 || request.split || !speaks_of_cards(session, request))
    return std::optional<Reshaped>{};
  const std::string is = request.is.empty() ? "" : request.is.front();
  auto input = read_card_saves(session, request.inputs.front().string(), is);
  if (!input) return tl::unexpected(input.error());
  Reshaped result;
  result.findings = std::move(input->findings);
  if (!or_empty(request.code).empty()) {
    if (input->saves.size() != 1)
      return fail(Trouble::stopped, Code::many_match,
                  fmt::format("{} saves are there; a label is for one", input->saves.size()),
                  "name it as CARD:NAME");
    auto labelled = relabelled(input->saves.front(), or_empty(request.code));
    if (!labelled) return tl::unexpected(labelled.error());
    result.findings.push_back(label_warning(session.catalog, input->saves.front(), *labelled));
    input->saves.front() = std::move(*labelled);
  }
  const auto target = target_of(session, request, *input);
  if (!target) return tl::unexpected(target.error());
  SaveFiles files;
  if (as_folder(*target) != nullptr) {
    if (input->saves.size() != 1)
      return fail(Trouble::stopped, Code::many_match,
                  fmt::format("{} saves are there, and {} is for one", input->saves.size(),
                              (*target)->info().id),
                  {"name one as CARD:NAME, or copy all out with '", Remedy::take_from_card, "'"});
    auto planned = plan_save(**target, input->saves.front(), request.out);
    if (!planned) return tl::unexpected(planned.error());
    files = std::move(*planned);
  } else {
    WriteRequest write{input->saves, std::nullopt, {}};
    std::optional<Bytes> mould =
        own_mould(session, request, **target, !or_empty(request.code).empty());
    std::optional<FileView> like;
    if (request.like) {
      auto view = session.storage->view(*request.like, kSaveLimit);
      if (!view) return tl::unexpected(view.error());
      like = *view;
      write.mould = like->bytes();
    } else if (mould) {
      write.mould = ByteView(*mould);
    }
    auto written = layout_into(**target, write.mould.value_or(ByteView{})).write(write);
    if (!written) return tl::unexpected(written.error());
    result.losses = std::move(written->losses);
    result.findings.insert(result.findings.end(), written->notes.begin(), written->notes.end());
    files = {{}, request.out, (*target)->info().id, {}, {}};
    files.files.emplace_back(request.out, std::move(written->bytes));
    if (!written->second_file.empty())
      files.files.emplace_back(request.out.string() + (*target)->info().second_file,
                               std::move(written->second_file));
  }
  if (!result.losses.empty() && !request.accept.contains(Code::loses_parts)) {
    const Finding& first = result.losses.front();
    result.stopped = Error{Trouble::stopped, first.code, first.text, first.hint};
    return std::optional<Reshaped>(std::move(result));
  }
  if (auto done = write_files(session, request, files, result); !done)
    return tl::unexpected(done.error());
  return std::optional<Reshaped>(std::move(result));
}

}  // namespace bayswap
