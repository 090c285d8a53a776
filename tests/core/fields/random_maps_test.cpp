// Random maps and random values: what is set is shown, nothing else changes, every checksum is
// right, and setting it back gives the old bytes.
#include <fmt/core.h>
#include <gtest/gtest.h>

#include <map>
#include <set>

#include "core/fields/field_view.h"
#include "core/fields/value_text.h"
#include "support/bytes.h"
#include "support/card_zoo.h"
#include "support/rounds.h"

namespace bayswap::fields {
namespace {

// A map with a place for everything, and no two things in one place.
class MapMaker {
 public:
  explicit MapMaker(std::uint32_t seed) : numbers_(seed) {}

  std::string make() {
    text_ = "bayswap = \"field map\"\nversion = 1\n";
    text_ += fmt::format("order = \"{}\"\n", order());
    std::string fields;
    const bool with_structures = numbers_() % 2 == 0;
    std::string structures;
    if (with_structures) structures = structure();
    const unsigned count = 2 + numbers_() % 8;
    for (unsigned i = 0; i < count; ++i) fields += number(fmt::format("n{}", i), at_, "");
    if (with_structures) {
      const unsigned elements = 1 + numbers_() % 4;
      fields += fmt::format(
          "[[field]]\nname = \"crew\"\nat = {}\ntype = \"member\"\ncount = {}\nstride = {}\n", at_,
          elements, structure_size_ + 3);
      at_ += elements * (structure_size_ + 3);
    }
    if (numbers_() % 2 == 0) fields += section("[[section]]\n", "[[field]]\n", at_);
    fields += sums();
    std::string copies;
    if (numbers_() % 3 == 0) copies = with_copies();
    size_ = std::max<std::size_t>(size_, at_ + numbers_() % 50);
    text_ += "[fits]\nsystem = \"gb\"\n" + copies + structures + fields;
    return text_;
  }
  [[nodiscard]] std::size_t size() const { return size_; }

 private:
  const char* order() { return numbers_() % 2 == 0 ? "little" : "big"; }

  std::string number(const std::string& name, std::size_t& at, const std::string& extra,
                     const char* head = "[[field]]\n") {
    std::string text = fmt::format("{}name = \"{}\"\nat = {}\n{}", head, name, at, extra);
    switch (numbers_() % 5) {
      case 0: {
        const unsigned digits = 2 * (1 + numbers_() % 4);
        at += digits / 2;
        return text + fmt::format("type = \"bcd{}\"\norder = \"{}\"\n", digits, order());
      }
      case 1: {
        const unsigned length = 3 + numbers_() % 8;
        at += length;
        return text + fmt::format("type = \"text\"\nlength = {}\nfill = {}\n", length,
                                  numbers_() % 2 * 32);
      }
      default: {
        const unsigned width = 1 + numbers_() % 64;
        const unsigned bit = width < 60 ? numbers_() % 5 : 0;
        at += (bit + width + 7) / 8;
        return text + fmt::format("type = \"{}{}\"\nbit = {}\norder = \"{}\"\n",
                                  numbers_() % 4 == 0 ? 'i' : 'u', width, bit, order());
      }
    }
  }

  // A key outside, and a masked and permuted area with two fields in it.
  std::string section(const std::string& head, const char* field, std::size_t& at) {
    const unsigned blocks = 2 + numbers_() % 3;
    const unsigned block = 8 + numbers_() % 8;
    std::string text = fmt::format("{}name = \"key\"\nat = {}\ntype = \"u32\"\n", field, at);
    at += 4;
    text += fmt::format("{}name = \"locked\"\nat = {}\nsize = {}\n", head, at, blocks * block);
    if (numbers_() % 3 > 0)
      text += fmt::format("block = {}\npermute = {}\nchoose = \"key % {}\"\n", block, blocks,
                          2 + numbers_() % 30);
    if (numbers_() % 3 > 0)
      text += fmt::format("mask = \"key ^ {}\"\nmask_bits = {}\n", numbers_() % 1000,
                          8U << (numbers_() % 4));
    std::size_t inside = 0;
    text += number("secret", inside, "in = \"locked\"\n", field);
    inside = std::max<std::size_t>(inside, block - 1);  // across two blocks
    text += fmt::format("{}name = \"across\"\nin = \"locked\"\nat = {}\ntype = \"u16\"\n", field,
                        inside);
    at += blocks * block;
    return text;
  }

  std::string structure() {
    std::size_t at = 0;
    std::string fields;
    const unsigned count = 1 + numbers_() % 3;
    for (unsigned i = 0; i < count; ++i)
      fields += number(fmt::format("m{}", i), at, "", "[[struct.member.field]]\n");
    if (numbers_() % 2 == 0)
      fields += section("[[struct.member.section]]\n", "[[struct.member.field]]\n", at);
    if (numbers_() % 2 == 0) {
      fields += fmt::format(
          "[[struct.member.checksum]]\nname = \"own\"\nat = {}\ntype = \"u8\"\nkind = "
          "\"sum\"\nover = [{{ at = 0, size = {} }}]\n",
          at, at);
      ++at;
    }
    structure_size_ = at;
    return fmt::format("[struct.member]\nsize = {}\n", at) + fields;
  }

  // Several that depend on each other: each covers all before it.
  std::string sums() {
    std::string text;
    const unsigned count = numbers_() % 4;
    static constexpr const char* kKinds[] = {
        "kind = \"sum\"\nunit = 8\n",
        "kind = \"sum\"\nunit = 16\ncomplement = \"ones\"\n",
        "kind = \"xor\"\nunit = 16\n",
        "kind = \"sum\"\nunit = 8\ncomplement = \"twos\"\nplus = 3\n",
        "kind = \"crc\"\npolynomial = 0x1021\nstart = 0xFFFF\n",
        "kind = \"crc\"\npolynomial = 0xA001\nreflected = true\nfinal_xor = 0x55\n"};
    for (unsigned i = 0; i < count; ++i) {
      text += fmt::format(
          "[[checksum]]\nname = \"s{}\"\nat = {}\ntype = \"u16\"\norder = \"{}\"\n{}over = [{{ at "
          "= 0, size = {} }}]\n",
          i, at_, order(), kKinds[numbers_() % 6], at_);
      at_ += 2;
    }
    return text;
  }

  std::string with_copies() {
    const std::size_t counter = at_;
    at_ += 4;
    const unsigned copies = 2 + numbers_() % 2;
    const std::size_t size = at_;
    size_ = copies * size + 5;
    std::string at;
    for (unsigned i = 0; i < copies; ++i)
      at += fmt::format("{}{}", i == 0 ? "" : ", ", 5 + i * size);
    return fmt::format(
        "[copies]\nat = [{}]\nsize = {}\ncounter = \"turn\"\nwrite = \"{}\"\n"
        "[[field]]\nname = \"turn\"\nat = {}\ntype = \"u16\"\n",
        at, size, numbers_() % 2 == 0 ? "next" : "same", counter);
  }

  test::Numbers numbers_;
  std::string text_;
  std::size_t at_ = 0;
  std::size_t size_ = 0;
  std::size_t structure_size_ = 0;
};

std::string random_value(const Field& field, test::Numbers& numbers) {
  if (field.shape == Shape::text) {
    std::string text;
    const auto length = static_cast<std::size_t>(*field.length.constant());
    for (std::size_t i = 0; i < 1 + numbers() % length; ++i)
      text += static_cast<char>('A' + numbers() % 26);
    return text;
  }
  const std::uint64_t wide = static_cast<std::uint64_t>(numbers()) << 32U | numbers();
  if (field.shape == Shape::bcd) {
    std::uint64_t most = 1;
    for (unsigned i = 0; i < field.width; ++i) most *= 10;
    return std::to_string(wide % most);
  }
  const std::uint64_t raw = field.width == 64 ? wide : wide % (1ULL << field.width);
  if (!field.is_signed) return std::to_string(raw);
  const std::uint64_t half = 1ULL << (field.width - 1);
  return std::to_string(static_cast<std::int64_t>(raw % half) -
                        (numbers() % 2 == 0 ? 0 : static_cast<std::int64_t>(half - 1)) -
                        (numbers() % 2));
}

std::map<std::string, std::string> all_values(FieldView& view) {
  std::map<std::string, std::string> values;
  const auto all = view.all();
  EXPECT_TRUE(all) << all.error().text;
  if (all)
    for (const FieldAt& at : *all) values[at.path()] = text_of(view, at).value_or("?");
  return values;
}

void set_value(FieldView& view, const std::string& path, const std::string& value) {
  const auto at = view.find(path);
  ASSERT_TRUE(at) << at.error().text;
  const auto put = put_text(view, at->front(), value);
  ASSERT_TRUE(put) << path << " = " << value << ": " << put.error().text;
}

void try_one(std::uint32_t seed) {
  test::Numbers numbers(seed ^ 0x5A5A);
  MapMaker maker(seed);
  const std::string text = maker.make();
  SCOPED_TRACE(text);
  const auto map = read_map(text, "random.toml");
  ASSERT_TRUE(map) << map.error().text;
  auto view = FieldView::open(*map, test::random_bytes(maker.size(), seed));
  ASSERT_TRUE(view) << view.error().text;
  // Digits and letters that people can type, and right checksums.
  const auto fields = view->all();
  ASSERT_TRUE(fields) << fields.error().text;
  for (const FieldAt& at : *fields)
    if (at.field->shape != Shape::number)
      set_value(*view, at.path(), random_value(*at.field, numbers));
  const auto sealed = view->make_sums_right();
  ASSERT_TRUE(sealed) << sealed.error().text;
  const Bytes before = view->bytes();

  auto edited = FieldView::open(*map, before);
  ASSERT_TRUE(edited);
  const auto old_values = all_values(*edited);
  const auto places = edited->all();
  const FieldAt chosen = (*places)[numbers() % places->size()];
  const std::string path = chosen.path();
  std::string value = random_value(*chosen.field, numbers);
  const bool next_copy = (*map)->copies && (*map)->copies->write_next;
  if (path == "turn" && next_copy) return;  // it is the counter's own
  const std::size_t copy_before =
      static_cast<std::size_t>(std::ranges::find(edited->copies(), true, &FieldView::Copy::counts) -
                               edited->copies().begin());
  ASSERT_TRUE(edited->begin_next_copy());
  set_value(*edited, path, value);
  const auto again = edited->make_sums_right();
  ASSERT_TRUE(again) << again.error().text;

  auto reopened = FieldView::open(*map, edited->bytes());
  ASSERT_TRUE(reopened) << reopened.error().text;
  const auto sums = reopened->sums();
  ASSERT_TRUE(sums) << sums.error().text;
  for (const auto& sum : *sums) EXPECT_EQ(sum.stored, sum.right) << sum.path;
  if ((*map)->whole.checksums.empty() && (*map)->copies) return;  // nothing tells which copy counts
  if ((*map)->copies && path == "turn") return;
  auto new_values = all_values(*reopened);
  if (next_copy) {
    EXPECT_NE(new_values["turn"], old_values.at("turn"));
    new_values["turn"] = old_values.at("turn");
  }
  for (const auto& [one, was] : old_values)
    EXPECT_EQ(new_values[one], one == path ? value : was)
        << one << " after " << path << " = " << value;
  if (next_copy) {
    // The copy that counted before is as it was.
    const auto& copies = *(*map)->copies;
    const auto at = static_cast<std::ptrdiff_t>(copies.at[copy_before]);
    const auto size = static_cast<std::ptrdiff_t>(copies.size);
    EXPECT_TRUE(
        std::equal(before.begin() + at, before.begin() + at + size, edited->bytes().begin() + at));
    return;
  }
  set_value(*edited, path, old_values.at(path));
  ASSERT_TRUE(edited->make_sums_right());
  EXPECT_EQ(edited->bytes(), before) << path << " = " << value << ", and back";
}

TEST(RandomMaps, SetWhatIsShownAndNothingElse) {
  for (int i = 0; i < test::rounds(4'000); ++i) {
    SCOPED_TRACE(i);
    try_one(static_cast<std::uint32_t>(i));
    if (::testing::Test::HasFailure()) return;
  }
}

// Maps with bytes changed, dropped and doubled, over random saves: they are refused with a place,
// or end in an error, and never take long.
TEST(RandomMaps, ThatAreBrokenAreToldWithTheirPlace) {
  test::Numbers numbers(4);
  int refused = 0;
  const int rounds = test::rounds(4'000);
  for (int i = 0; i < rounds; ++i) {
    MapMaker maker(numbers() % 500);
    std::string text = maker.make();
    for (unsigned change = 0; change < 1 + numbers() % 4; ++change) {
      const std::size_t at = numbers() % text.size();
      switch (numbers() % 5) {
        case 0: text[at] = static_cast<char>(numbers() % 128); break;
        case 1: text.erase(at, 1 + numbers() % 12); break;
        case 2: text.insert(at, text.substr(numbers() % text.size(), numbers() % 60)); break;
        case 3: text.insert(at, std::to_string(numbers())); break;
        default: {
          const auto number = text.find_first_of("0123456789", at);
          if (number != std::string::npos) text.replace(number, 1, "n0 * 999");
        }
      }
      if (text.empty()) text = "x";
    }
    const auto map = read_map(text, "broken.toml");
    if (!map) {
      ++refused;
      EXPECT_EQ(map.error().code, Code::bad_map);
      EXPECT_TRUE(map.error().text.starts_with("broken.toml")) << map.error().text;
      continue;
    }
    auto view = FieldView::open(*map, test::random_bytes(numbers() % 400, numbers()));
    if (!view) continue;
    const auto all = view->all();
    if (all)
      for (const FieldAt& at : *all) (void)text_of(*view, at);
    (void)view->broken_rules();
    (void)view->make_sums_right();
  }
  EXPECT_GT(refused, rounds / 4);
}

}  // namespace
}  // namespace bayswap::fields
