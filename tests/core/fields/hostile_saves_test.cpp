// The demo's maps over saves with bytes changed, cut off and doubled: everything ends, and what can
// be set can be read.
#include <gtest/gtest.h>

#include "core/fields/field_view.h"
#include "core/fields/value_text.h"
#include "demo/field_makers.h"
#include "support/bytes.h"
#include "support/card_zoo.h"
#include "support/rounds.h"

namespace bayswap::fields {
namespace {

TEST(HostileSaves, EndInValuesOrErrors) {
  const std::vector<Bytes> saves{demo::orchard_book(), demo::motor_log(), demo::drift_party(),
                                 demo::atlas_page()};
  std::vector<std::shared_ptr<const FieldMap>> maps;
  for (const demo::NamedMap& map : demo::field_maps()) {
    const auto read = read_map(map.text, std::string(map.file));
    ASSERT_TRUE(read) << read.error().text;
    maps.push_back(*read);
  }
  test::Numbers numbers(6);
  int opened = 0;
  const int rounds = test::rounds(2'000);
  for (int i = 0; i < rounds; ++i) {
    const std::size_t which = numbers() % saves.size();
    Bytes save = saves[which];
    for (unsigned change = 0; change < 1 + numbers() % 6; ++change) {
      const std::size_t at =
          numbers() % std::min<std::size_t>(save.size(), numbers() % 2 == 0 ? 0x100 : 0x10000);
      const std::size_t run = std::min<std::size_t>(1 + numbers() % 40, save.size() - at);
      for (std::size_t k = 0; k < run; ++k) save[at + k] = static_cast<std::byte>(numbers());
    }
    if (numbers() % 8 == 0) save.resize(1 + numbers() % save.size());
    const std::size_t size = save.size();
    auto view = FieldView::open(maps[which], save);
    if (!view) continue;
    ++opened;
    const auto all = view->all();
    if (!all) continue;
    for (const FieldAt& at : *all) (void)text_of(*view, at);
    (void)view->broken_rules();
    const FieldAt& one = (*all)[numbers() % all->size()];
    const auto before = text_of(*view, one);
    if (before && put_text(*view, one, "1") && view->make_sums_right()) {
      const auto after = view->find(one.path());
      EXPECT_TRUE(!after || text_of(*view, after->front())) << one.path();
    }
    EXPECT_EQ(view->bytes().size(), size);
  }
  EXPECT_GT(opened, rounds / 25);
}

}  // namespace
}  // namespace bayswap::fields
