// The versions of saves, and what differs between them in words.
#include <fmt/core.h>

#include <algorithm>

#include "bayswap/card.h"
#include "bayswap/versions.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "moves/field_maps.h"
#include "moves/mover.h"
#include "moves/past_saves.h"
#include "moves/waiting.h"

namespace bayswap {
namespace {

constexpr std::size_t kNamesShown = 3;

// `added A, B` and the like.
void add_names(std::string& text, std::string_view what, std::vector<std::string> names) {
  if (names.empty()) return;
  const std::size_t more = names.size() > kNamesShown ? names.size() - kNamesShown : 0;
  names.resize(names.size() - more);
  text += fmt::format("{}{} {}", text.empty() ? "" : "; ", what, list_text(names));
  if (more > 0) text += fmt::format(" and {} more", more);
}

std::string shown_name(const CardSave& on_card) {
  const Save& save = on_card.save;
  return safe_text(save.comment.empty() ? save.name
                                        : save.comment.substr(0, save.comment.find('\n')));
}

std::optional<Card> card_in(ByteView bytes) {
  for (const Guess& guess : identify(bytes, {})) {
    const CardLayout* layout = as_card(guess.layout);
    if (layout == nullptr || guess.confidence == Confidence::possible) continue;
    if (auto card = layout->open(bytes)) return std::move(*card);
  }
  return std::nullopt;
}

std::optional<std::string> change_of_cards(ByteView older, ByteView newer) {
  const auto before = card_in(older);
  const auto after = before ? card_in(newer) : std::nullopt;
  if (!after) return std::nullopt;
  std::vector<std::string> added;
  std::vector<std::string> changed;
  std::vector<std::string> gone;
  const auto like = [](const Card& card, const Save& save) {
    return std::ranges::find_if(
        card.saves, [&](const CardSave& other) { return other.save.name == save.name; });
  };
  for (const CardSave& save : after->saves) {
    const auto old = like(*before, save.save);
    if (old == before->saves.end())
      added.push_back(shown_name(save));
    else if (!same_card_save(old->save, save.save))
      changed.push_back(shown_name(save));
  }
  for (const CardSave& save : before->saves)
    if (like(*after, save.save) == after->saves.end()) gone.push_back(shown_name(save));
  std::string text;
  add_names(text, "added", added);
  add_names(text, "changed", changed);
  add_names(text, "removed", gone);
  return text.empty() ? "the same saves; only the card's own blocks differ" : text;
}

std::string change_of_bytes(ByteView older, ByteView newer) {
  if (is_erased(newer)) return "blank";
  if (is_erased(older)) return "no longer blank";
  if (auto cards = change_of_cards(older, newer)) return *cards;
  if (older.size() != newer.size())
    return fmt::format("{} bytes, {} before", grouped(newer.size()), grouped(older.size()));
  std::uint64_t differing = 0;
  for (std::size_t i = 0; i < older.size(); ++i) differing += older[i] != newer[i] ? 1 : 0;
  return fmt::format("{} of {} bytes differ", grouped(differing), grouped(newer.size()));
}

std::string change_of_files(const Path& root, const PastState& older, const PastState& newer) {
  std::vector<std::string> added;
  std::vector<std::string> changed;
  std::vector<std::string> gone;
  for (const auto& [path, version] : newer.files) {
    const auto old = older.files.find(path);
    const bool was = old != older.files.end() && old->second.digest;
    const std::string name = safe_text(Path(path).lexically_relative(root).generic_string());
    if (version.digest && !was) added.push_back(name);
    if (!version.digest && was) gone.push_back(name);
    if (version.digest && was && version.digest != old->second.digest) changed.push_back(name);
  }
  std::string text;
  add_names(text, "added", added);
  add_names(text, "changed", changed);
  add_names(text, "removed", gone);
  return text;
}

class Lister {
 public:
  Lister(Session& session, const History& history, const HistoryRequest& request)
      : session_(session), history_(history), request_(request), maps_(session) {}

  SaveHistory history_of(const Timeline& timeline) {
    SaveHistory save{timeline.root, timeline.bay, timeline.title, {}};
    const PastState* older = nullptr;
    older_.reset();
    for (const PastState& state : timeline.states) {
      save.versions.push_back(version_of(timeline, state, older));
      older = &state;
    }
    // The same content can stand in the list twice; the newest entry tells of now.
    bool told = false;
    for (std::size_t i = save.versions.size(); i-- > 0;) {
      save.versions[i].there_now = save.versions[i].there_now && !told;
      told = told || save.versions[i].there_now;
    }
    return save;
  }

 private:
  Version version_of(const Timeline& timeline, const PastState& state, const PastState* older) {
    Version version;
    version.id = state.id;
    version.time_ns = state.time_ns;
    version.reason = state.reason;
    version.there_now = true;
    for (const auto& [path, file] : state.files) {
      const auto there = version_at(*session_.storage, path);
      version.there_now = version.there_now && there && there->digest == file.digest;
      if (!file.digest) continue;
      const auto size = history_.size_of(*file.digest);
      version.whole = version.whole && size;
      version.size += size.value_or(0);
    }
    const bool one =
        state.files.size() == 1 && state.files.begin()->first == timeline.root.string();
    if (!one) {
      if (older != nullptr) version.change = change_of_files(timeline.root, *older, state);
      return version;
    }
    if (!version.whole) return version;
    if (!request_.hashes && !request_.changes) return version;
    constexpr std::uint64_t kMostCompared = 128U << 20U;  // bytes
    if (version.size > kMostCompared) {
      if (request_.hashes) {
        version.sha256 = hash_of(*state.files.begin()->second.digest);
        version.whole = !version.sha256.empty();
      }
      older_.reset();
      return version;
    }
    auto content = history_.content(*state.files.begin()->second.digest);
    if (!content) {
      version.whole = false;
      return version;
    }
    if (request_.hashes) version.sha256 = sha256_hex(*content);
    if (request_.changes) {
      if (older_ && older != nullptr)
        version.change = change_between(timeline.title, *older_, *content);
      else if (is_erased(*content))
        version.change = "blank";
    }
    older_ = std::move(*content);
    return version;
  }

  // In fields where somebody wrote a map for the game.
  std::string change_between(const std::string& title, ByteView older, ByteView newer) {
    if (!is_erased(newer) && !is_erased(older))
      if (auto words = maps_.change_in_words(title, older, newer)) return *words;
    return change_of_bytes(older, newer);
  }

  // Empty when the content cannot be given back.
  [[nodiscard]] std::string hash_of(const Digest& digest) const {
    Hasher hasher;
    const auto read = history_.content_to(digest, [&](ByteView piece) {
      hasher.add(piece);
      return true;
    });
    return read ? hex_text(hasher.finish()) : std::string();
  }

  Session& session_;
  const History& history_;
  const HistoryRequest& request_;
  FieldMaps maps_;
  std::optional<Bytes> older_;  // of the version before, when it is a single file
};

}  // namespace

Result<std::vector<SaveHistory>> list_history(Session& session, const HistoryRequest& request) {
  std::vector<SaveHistory> saves;
  if (is_missing(*session.storage, session.history_file())) {
    if (or_empty(request.save).empty()) return saves;
    return fail(Trouble::stopped, Code::no_match, "there is no history yet",
                {"'", Remedy::keep, "' begins one; every carry adds to it"});
  }
  // Opened to write: an older history is brought forward, and an interrupted move settled.
  auto history = history_to_show(*session.storage, session.history_file());
  if (!history) return tl::unexpected(history.error());
  report_waiting(session, *history);
  const auto timelines = find_past_saves(session, *history, or_empty(request.save));
  if (!timelines) return tl::unexpected(timelines.error());
  constexpr std::size_t kFew = 40;  // what differs is not worked out for more saves at a time
  HistoryRequest how = request;
  how.changes = request.changes && timelines->size() <= kFew;
  // What a command only wrote, and what is gone again, is nothing that could be brought back.
  const auto holds_any = [&](const Timeline& timeline) {
    return std::ranges::any_of(timeline.states, [&](const PastState& state) {
      return std::ranges::any_of(state.files, [&](const auto& file) {
        return file.second.digest && history->size_of(*file.second.digest);
      });
    });
  };
  Lister lister(session, *history, how);
  for (const Timeline& timeline : *timelines)
    if (!or_empty(request.save).empty() || holds_any(timeline))
      saves.push_back(lister.history_of(timeline));
  return saves;
}

}  // namespace bayswap
