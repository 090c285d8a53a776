#include "core/layouts/common/framed.h"

#include <algorithm>
#include <map>
#include <utility>

#include "bayswap/card.h"
#include "bayswap/folder.h"
#include "core/bytes/cursor.h"
#include "core/states/card_search.h"

namespace bayswap {
namespace {

constexpr std::size_t kLeastHeader = 64;
constexpr std::size_t kLargestHeader = 64U << 10U;
constexpr std::size_t kHeaderUnit = 16;  // headers without a mark behind them have whole units

bool proves(const Layout& layout, ByteView body) {
  const auto match = layout.recognise(body, {});
  return match && match->basis == Basis::structure && match->confidence == Confidence::certain;
}

// The card fills the file behind the header, which is then of whole units; or its mark stands
// anywhere.
std::optional<BodyPlace> find_card(const Layout& layout, ByteView file) {
  for (const std::uint64_t size : layout.info().file_sizes) {
    if (file.size() < size + kLeastHeader || file.size() > size + kLargestHeader) continue;
    const std::size_t header = file.size() - static_cast<std::size_t>(size);
    if (header % kHeaderUnit == 0 && proves(layout, file.subspan(header)))
      return BodyPlace{header, static_cast<std::size_t>(size)};
  }
  const auto smallest = std::ranges::min(layout.info().file_sizes);
  if (file.size() <= smallest) return std::nullopt;
  for (const std::size_t header : marks_of(layout.info().system, file, kLargestHeader))
    for (const std::uint64_t size : layout.info().file_sizes)
      if (const auto body = slice(file, header, size); header > 0 && body && proves(layout, *body))
        return BodyPlace{header, static_cast<std::size_t>(size)};
  return std::nullopt;
}

std::optional<BodyPlace> find_single(const Layout& layout, ByteView file) {
  const System system = layout.info().system;
  std::size_t first = kLeastHeader;
  std::size_t step = kHeaderUnit;
  if (system == System::ps1 || system == System::gc) {
    // Blocks of 8 KiB leave few lengths to try, so any header of whole words can be told.
    constexpr std::size_t kWord = 4;
    constexpr std::size_t kBlock = 8192;
    const auto smallest = static_cast<std::size_t>(layout.info().file_sizes.front());
    if (file.size() < smallest + kLeastHeader || (file.size() - smallest) % kWord != 0)
      return std::nullopt;
    first = (file.size() - smallest) % kBlock;
    if (first < kLeastHeader) first += kBlock;
    step = kBlock;
  }
  for (std::size_t header = first; header <= kLargestHeader && header < file.size(); header += step)
    if (proves(layout, file.subspan(header))) return BodyPlace{header, file.size() - header};
  return std::nullopt;
}

std::optional<BodyPlace> find_body(const Layout& layout, ByteView file) {
  return as_card(&layout) != nullptr ? find_card(layout, file) : find_single(layout, file);
}

ByteView body_of(const Layout& layout, ByteView file) {
  const auto place = find_body(layout, file);
  return place ? file.subspan(place->header, place->size) : file;
}

// The file with another body in the place of its own.
Bytes with_body(const Layout& layout, ByteView file, const Bytes& body) {
  const auto place = find_body(layout, file);
  if (!place) return body;
  Bytes whole(file.begin(), file.begin() + static_cast<std::ptrdiff_t>(place->header));
  whole.insert(whole.end(), body.begin(), body.end());
  const ByteView behind = file.subspan(place->header + place->size);
  whole.insert(whole.end(), behind.begin(), behind.end());
  return whole;
}

std::optional<Match> recognise_behind(const Layout& layout, ByteView file, const Hints& hints) {
  const auto place = find_body(layout, file);
  if (!place) return std::nullopt;
  return layout.recognise(file.subspan(place->header, place->size), hints);
}

Result<Written> write_behind(const Layout& layout, const WriteRequest& request) {
  if (!request.mould) return layout.write(request);
  WriteRequest inner = request;
  inner.mould = body_of(layout, *request.mould);
  auto written = layout.write(inner);
  if (written) written->bytes = with_body(layout, *request.mould, written->bytes);
  return written;
}

std::size_t header_of(const Layout& layout, ByteView file) {
  const auto place = find_body(layout, file);
  return place ? place->header : 0;
}

// What every layout behind a header shares.
template <class Inside>
class Framed : public Inside {
 public:
  explicit Framed(const Inside& inside) : inside_(inside) {}
  [[nodiscard]] const LayoutInfo& info() const override { return inside_.info(); }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override {
    return recognise_behind(inside_, file, hints);
  }
  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override {
    return inside_.read(body_of(inside_, file), hints);
  }
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override {
    return write_behind(inside_, request);
  }
  [[nodiscard]] std::size_t header_size(ByteView file) const override {
    return header_of(inside_, file);
  }

 protected:
  const Inside& inside_;
};

class FramedCard final : public Framed<CardLayout> {
 public:
  using Framed::Framed;
  [[nodiscard]] const CardInfo& card_info() const override { return inside_.card_info(); }
  [[nodiscard]] Result<Card> open(ByteView file) const override {
    return inside_.open(body_of(inside_, file));
  }
  [[nodiscard]] Result<Card> list(ByteView file,
                                  const std::vector<std::string>& with_data) const override {
    return inside_.list(body_of(inside_, file), with_data);
  }
  [[nodiscard]] Findings validate(ByteView file) const override {
    return inside_.validate(body_of(inside_, file));
  }
  [[nodiscard]] Result<Bytes> format(std::uint32_t blocks) const override {
    return inside_.format(blocks);
  }
  [[nodiscard]] Result<Bytes> format_like(ByteView damaged, std::uint32_t blocks) const override {
    return inside_.format_like(body_of(inside_, damaged), blocks);
  }
  [[nodiscard]] Result<ChangedCard> change(ByteView file, const CardChange& change) const override {
    auto changed = inside_.change(body_of(inside_, file), change);
    if (changed) changed->bytes = with_body(inside_, file, changed->bytes);
    return changed;
  }
  [[nodiscard]] Result<Salvage> salvage(ByteView file) const override {
    return inside_.salvage(body_of(inside_, file));
  }
  [[nodiscard]] bool is_own_form(ByteView file) const override {
    return inside_.is_own_form(body_of(inside_, file));
  }
  [[nodiscard]] std::optional<Finding> broken_seal(ByteView file) const override {
    return inside_.broken_seal(body_of(inside_, file));
  }
  [[nodiscard]] std::string identity(const Save& save) const override {
    return inside_.identity(save);
  }
  [[nodiscard]] std::string numbered(const Save& save, int number) const override {
    return inside_.numbered(save, number);
  }
};

std::map<const Layout*, std::unique_ptr<Layout>> made_framed() {
  std::map<const Layout*, std::unique_ptr<Layout>> made;
  for (const auto& layout : layouts().all()) {
    if (layout->info().kind != Kind::card_save || as_folder(layout.get()) != nullptr ||
        is_package(layout.get()))
      continue;
    if (const CardLayout* card = as_card(layout.get()))
      made.emplace(layout.get(), std::make_unique<FramedCard>(*card));
    else
      made.emplace(layout.get(), std::make_unique<Framed<Layout>>(*layout));
  }
  return made;
}

}  // namespace

const Layout* framed(const Layout& inside) {
  static const auto made = made_framed();
  const auto found = made.find(&inside);
  return found == made.end() ? nullptr : found->second.get();
}

const Layout& layout_into(const Layout& layout, ByteView existing) {
  const Layout* behind = framed(layout);
  if (behind == nullptr || proves(layout, existing)) return layout;
  return behind->header_size(existing) > 0 ? *behind : layout;
}

std::optional<Guess> guess_behind_header(ByteView file, bool singles,
                                         std::optional<System> system) {
  constexpr std::size_t kLeastFile = 2048 + kLeastHeader;
  if (file.size() < (singles ? kLeastHeader * 2 : kLeastFile)) return std::nullopt;
  for (const auto& layout : layouts().all()) {
    const Layout* behind = framed(*layout);
    if (behind == nullptr || (!singles && as_card(behind) == nullptr)) continue;
    if (system && layout->info().system != *system) continue;  // the game is of another one
    if (auto match = behind->recognise(file, {}))
      return Guess{behind, match->confidence, std::move(match->reason), match->basis};
  }
  return std::nullopt;
}

}  // namespace bayswap
