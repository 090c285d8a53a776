// What all cards have in common.
#include <fmt/core.h>

#include <algorithm>

#include "bayswap/card.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

// The files of a save by name; folders hold nothing of their own.
std::vector<const Part*> files_of(const Save& save) {
  std::vector<const Part*> files;
  for (const Part& part : save.parts)
    if (!part.name.ends_with('/')) files.push_back(&part);
  std::ranges::sort(files, {}, [](const Part* part) -> const std::string& { return part->name; });
  return files;
}

bool same_files(const Save& a, const Save& b) {
  return std::ranges::equal(files_of(a), files_of(b), [](const Part* x, const Part* y) {
    return x->name == y->name && same_bytes(x->data, y->data);
  });
}

// The change that turns what is on the card into the wanted set.
CardChange change_towards(const CardLayout& layout, const Card& card,
                          std::span<const Save> wanted) {
  CardChange change;
  std::vector<bool> there(wanted.size());
  for (std::size_t i = 0; i < card.saves.size(); ++i) {
    const Save& save = card.saves[i].save;
    bool stays = false;
    for (std::size_t k = 0; k < wanted.size() && !stays; ++k)
      if (!there[k] && layout.identity(wanted[k]) == layout.identity(save) &&
          wanted[k].entry == save.entry && wanted[k].parts == save.parts) {
        there[k] = true;
        stays = true;
      }
    if (!stays) change.drop.push_back(i);
  }
  for (std::size_t k = 0; k < wanted.size(); ++k)
    if (!there[k]) change.put.push_back(wanted[k]);
  return change;
}

Result<ChangedCard> onto_new_card(const CardLayout& layout, std::span<const Save> saves) {
  const CardInfo& info = layout.card_info();
  Result<ChangedCard> made = fail(Trouble::input, Code::wrong_size, "no capacity");
  for (const std::uint32_t blocks : info.capacities) {
    if (blocks < info.default_blocks) continue;
    const auto fresh = layout.format(blocks);
    if (!fresh) return tl::unexpected(fresh.error());
    made = layout.change(*fresh, {{}, {saves.begin(), saves.end()}});
    if (made || made.error().code != Code::no_room) return made;
  }
  return made;
}

// Two rescued saves of one name: the second gets a number.
Result<ChangedCard> put_under_free_name(const CardLayout& layout, const Bytes& card,
                                        Rescue& rescue) {
  auto put = layout.change(card, {{}, {rescue.save}});
  const Save original = rescue.save;
  for (int number = 2; !put && put.error().code == Code::name_taken && number < 10; ++number) {
    rescue.save.name = layout.numbered(original, number);
    put = layout.change(card, {{}, {rescue.save}});
    if (put) {
      if (rescue.state == RescueState::whole) rescue.state = RescueState::repaired;
      rescue.what.push_back("another save has its name, so it is now " + rescue.save.name);
    }
  }
  return put;
}

std::vector<Rescue*> in_state(std::vector<Rescue>& saves, RescueState state) {
  std::vector<Rescue*> found;
  for (Rescue& rescue : saves)
    if (rescue.state == state) found.push_back(&rescue);
  return found;
}

bool holds_all(const Card& card, const std::vector<Rescue>& saves) {
  std::size_t wanted = 0;
  for (const Rescue& rescue : saves) {
    if (rescue.state == RescueState::lost) continue;
    ++wanted;
    const bool there =
        std::any_of(card.saves.begin(), card.saves.end(), [&](const CardSave& on_card) {
          return on_card.save.name == rescue.save.name && same_files(on_card.save, rescue.save);
        });
    if (!there) return false;
  }
  return wanted == card.saves.size();
}

// The same card with its own structures written anew; nothing when that does not make it sound.
std::optional<Bytes> repaired_in_place(const CardLayout& layout, const Salvage& salvage) {
  if (salvage.image.empty()) return std::nullopt;
  auto changed = layout.change(salvage.image, {});
  if (!changed || !layout.validate(changed->bytes).empty()) return std::nullopt;
  const auto card = layout.open(changed->bytes);
  if (!card || !holds_all(*card, salvage.saves)) return std::nullopt;
  return std::move(changed->bytes);
}

Error ambiguous(std::string_view name, const std::vector<std::size_t>& places,
                const std::vector<CardSave>& saves) {
  std::vector<std::string> names;
  for (const std::size_t place : places)
    names.push_back(fmt::format("#{} {}", place + 1, safe_text(saves[place].save.name)));
  return {Trouble::stopped, Code::many_match,
          fmt::format("several saves fit '{}': {}", safe_text(name), list_text(names)),
          "say which by its place, such as '#1'"};
}

std::optional<std::size_t> place_of(std::string_view name) {
  if (name.size() < 2 || name.size() > 6 || name[0] != '#') return std::nullopt;
  std::size_t place = 0;
  for (const char c : name.substr(1)) {
    if (c < '0' || c > '9') return std::nullopt;
    place = place * 10 + static_cast<std::size_t>(c - '0');
  }
  return place;
}

// A title as people see it: the game's, or a line of what the save says about itself.
bool is_shown_as(const Save& save, std::string_view name) {
  const std::string plain = plain_title(name);
  if (plain.empty()) return false;
  const std::string& comment = save.comment;
  const std::string first = comment.substr(0, comment.find('\n'));
  const std::string whole = replaced(comment, "\n", " ");
  return plain_title(save.game.title) == plain || plain_title(first) == plain ||
         plain_title(whole) == plain;
}

// For layouts that read little more than once.
class PlainReading final : public CardReading {
 public:
  PlainReading(const CardLayout& layout, ByteView file) : layout_(layout), file_(file) {}
  Result<Card> list(const std::vector<std::string>& with_data) override {
    return layout_.list(file_, with_data);
  }
  Findings validate() override { return layout_.validate(file_); }
  Result<ChangedCard> change(const CardChange& change) override {
    return layout_.change(file_, change);
  }

 private:
  const CardLayout& layout_;
  ByteView file_;
};

}  // namespace

std::unique_ptr<CardReading> CardLayout::reading(ByteView file) const {
  return std::make_unique<PlainReading>(*this, file);
}

std::string_view to_string(RescueState state) {
  switch (state) {
    case RescueState::whole: return "whole";
    case RescueState::repaired: return "repaired";
    case RescueState::damaged: return "damaged";
    case RescueState::lost: return "lost";
  }
  return {};
}

std::string_view block_word(System system) {
  if (system == System::n64) return "page";
  return system == System::pce ? "byte" : "block";
}

const CardLayout* as_card(const Layout* layout) {
  return dynamic_cast<const CardLayout*>(layout);
}

bool is_package(const Layout* layout) {
  const CardLayout* card = as_card(layout);
  return card != nullptr && card->card_info().package;
}

bool holds_chips(const Layout& layout) {
  const CardLayout* card = as_card(&layout);
  return layout.info().kind == Kind::battery ||
         (card != nullptr && !card->card_info().part.empty());
}

bool same_card_save(const Save& a, const Save& b) {
  return a.system == b.system && a.name == b.name && same_files(a, b);
}

std::string CardLayout::numbered(const Save& save, int number) const {
  const std::string suffix = "-" + std::to_string(number);
  const std::string_view name = whole_letters(save.name, card_info().name_length - suffix.size());
  return std::string(name) + suffix;
}

Result<Content> CardLayout::read(ByteView file, const Hints& /*hints*/) const {
  auto card = open(file);
  if (!card) return tl::unexpected(card.error());
  Content content;
  content.findings = std::move(card->findings);
  for (CardSave& on_card : card->saves) {
    content.findings.insert(content.findings.end(), on_card.findings.begin(),
                            on_card.findings.end());
    content.saves.push_back(std::move(on_card.save));
  }
  return content;
}

Result<Written> CardLayout::write(const WriteRequest& request) const {
  Result<ChangedCard> changed;
  if (request.mould) {
    const auto card = open(*request.mould);
    if (!card)
      return fail(Trouble::stopped, Code::mould_differs,
                  fmt::format("the file to imitate is not of the layout {}: {}", info().id,
                              card.error().text),
                  card.error().hint);
    const CardChange wanted = change_towards(*this, *card, request.saves);
    // What does not change stays as it is, damage and all.
    if (wanted.drop.empty() && wanted.put.empty() && is_own_form(*request.mould))
      return Written{Bytes(request.mould->begin(), request.mould->end()), {}, {}};
    changed = change(*request.mould, wanted);
  } else {
    changed = onto_new_card(*this, request.saves);
  }
  if (!changed) return tl::unexpected(changed.error());
  return Written{std::move(changed->bytes), {}, std::move(changed->notes)};
}

Result<Card> examine(const CardLayout& layout, ByteView file) {
  auto card = layout.open(file);
  if (!card) return card;
  const bool told =
      has_error(card->findings) || std::ranges::any_of(card->saves, [](const CardSave& on_card) {
        return has_error(on_card.findings);
      });
  if (told) return card;
  for (Finding& finding : layout.validate(file))
    if (finding.level == Level::error) card->findings.push_back(std::move(finding));
  return card;
}

Result<Mended> mend(const CardLayout& layout, ByteView file) {
  auto salvage = layout.salvage(file);
  if (!salvage) return tl::unexpected(salvage.error());
  Mended mended;
  mended.findings = std::move(salvage->findings);
  const Findings wrong = layout.validate(file);
  if (has_error(wrong) && !has_error(mended.findings))
    mended.findings.insert(mended.findings.end(), wrong.begin(), wrong.end());
  // Blocks in use that no save has, and nothing found elsewhere that could be theirs.
  const bool strays = has_code(wrong, Code::stray_blocks) && salvage->saves.empty();
  mended.unnamed = salvage->unnamed || strays ||
                   (salvage->saves.empty() && has_error(mended.findings)) ||
                   (has_code(wrong, Code::unformatted) && !is_erased(file));
  const bool all_whole =
      std::all_of(salvage->saves.begin(), salvage->saves.end(),
                  [](const Rescue& rescue) { return rescue.state == RescueState::whole; });
  if (all_whole && wrong.empty()) {
    mended.bytes.assign(file.begin(), file.end());
    mended.unchanged = true;
    mended.saves = std::move(salvage->saves);
    return mended;
  }
  if (auto repaired = repaired_in_place(layout, *salvage)) {
    mended.bytes = std::move(*repaired);
    mended.saves = std::move(salvage->saves);
    return mended;
  }
  auto fresh = layout.format_like(salvage->image, salvage->blocks);
  if (!fresh) return tl::unexpected(fresh.error());
  mended.bytes = std::move(*fresh);
  mended.saves = std::move(salvage->saves);
  // Saves that needed no repair come first, so that they keep their names.
  for (const RescueState state : {RescueState::whole, RescueState::repaired, RescueState::damaged})
    for (Rescue* rescue : in_state(mended.saves, state)) {
      auto put = put_under_free_name(layout, mended.bytes, *rescue);
      if (put) {
        mended.bytes = std::move(put->bytes);
      } else {
        rescue->state = RescueState::lost;
        rescue->what.push_back(put.error().text);
        rescue->save.parts.clear();
      }
    }
  return mended;
}

Result<std::size_t> find_on_card(const std::vector<CardSave>& saves, std::string_view name,
                                 const Findings& card) {
  std::vector<std::size_t> by_name;
  std::vector<std::size_t> by_code;
  std::vector<std::size_t> by_title;
  for (std::size_t i = 0; i < saves.size(); ++i) {
    const Save& save = saves[i].save;
    if (save.name == name) by_name.push_back(i);
    if ((!name.empty() && (name == save.game.code || name == save.game.serial)) ||
        (!save.game.code.empty() && name == save.game.code + save.game.maker))
      by_code.push_back(i);
    if (!name.empty() && is_shown_as(save, name)) by_title.push_back(i);
  }
  if (const auto place = place_of(name); place && by_name.empty()) {
    if (*place >= 1 && *place <= saves.size()) return *place - 1;
  }
  const std::vector<std::size_t>& found = !by_name.empty()   ? by_name
                                          : !by_code.empty() ? by_code
                                                             : by_title;
  if (found.size() > 1) return tl::unexpected(ambiguous(name, found, saves));
  if (found.size() == 1) return found.front();
  if (has_error(card))
    return fail(Trouble::input, Code::damaged,
                fmt::format("the card is damaged, and what can still be read of it holds no save "
                            "'{}'",
                            safe_text(name)),
                {"'", Remedy::mend_card, "' looks for what is whole"});
  std::vector<std::string> names;
  for (const CardSave& on_card : saves) names.push_back(safe_text(on_card.save.name));
  return fail(Trouble::stopped, Code::no_match,
              fmt::format("the card holds no save '{}'", safe_text(name)),
              names.empty() ? "the card is empty" : "it holds " + list_text(names));
}

}  // namespace bayswap
