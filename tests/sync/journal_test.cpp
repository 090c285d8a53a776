// Journal entries as docs/hub.md describes them.
#include <gtest/gtest.h>

#include "core/bytes/text.h"
#include "hub/hub.h"
#include "support/bytes.h"
#include "support/card_zoo.h"
#include "support/rounds.h"

namespace bayswap {
namespace {

// By hand, from the page.
const std::string kEntry = R"j({"bayswap":"journal entry","version":1,
"device":"00aa11bb22cc33dd","name":"den","number":3,"follows":"77",
"time_ns":1700000000000000000,
"versions":[{"game":{"system":"gb","kind":"battery","title":"Kite","region":"europe",
"stem":"Kite (Europe)"},
"progress":"aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa",
"filled":12,"time_ns":5,"parents":["p-0"],
"parts":[{"name":"sram","size":8192,
"pieces":["bbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbb"]}],
"bay":"home","layout":"gb-battery"}],"let_go":["x-1"]})j";

TEST(Journals, AreReadAsThePageSays) {
  const auto entry = read_entry(as_bytes(kEntry), "00aa11bb22cc33dd-00000003");
  ASSERT_TRUE(entry) << entry.error().text;
  EXPECT_EQ(entry->device_name, "den");
  EXPECT_EQ(entry->follows, "77");
  EXPECT_EQ(entry->let_go, std::vector<std::string>{"x-1"});
  ASSERT_EQ(entry->versions.size(), 1U);
  const SaveVersion& version = entry->versions[0];
  EXPECT_EQ(version.id, sha256_hex(as_bytes(kEntry)).substr(0, 32) + "-0");
  EXPECT_EQ(version.parents, std::vector<std::string>{"p-0"});
  EXPECT_EQ(version.identity.game.title, "Kite");
  EXPECT_EQ(version.identity.game.region, Region::europe);
  EXPECT_EQ(version.parts[0].size, 8192U);
  EXPECT_EQ(hex_text(version.parts[0].pieces[0]), std::string(64, 'b'));
  EXPECT_EQ(hex_text(version.progress), std::string(64, 'a'));
  // Under another name it is another's.
  EXPECT_EQ(read_entry(as_bytes(kEntry), "00aa11bb22cc33dd-00000004").error().code,
            Code::hub_damaged);
}

TEST(Journals, ThatAreDamagedAreRefusedOrReadWhole) {
  test::Numbers numbers(3);
  int read = 0;
  const int rounds = test::rounds(40'000);
  for (int i = 0; i < rounds; ++i) {
    std::string text = kEntry;
    for (unsigned change = 0; change < 1 + numbers() % 3; ++change) {
      const std::size_t at = numbers() % text.size();
      switch (numbers() % 4) {
        case 0: text[at] = static_cast<char>(numbers()); break;
        case 1: text.erase(at, 1 + numbers() % 9); break;
        case 2: text.insert(at, text.substr(numbers() % text.size(), numbers() % 40)); break;
        default: text.insert(at, std::string(1 + numbers() % 50, "[{\"-9"[numbers() % 5])); break;
      }
      if (text.empty()) text = "{";
    }
    const auto entry = read_entry(as_bytes(text), "00aa11bb22cc33dd-00000003");
    if (!entry) continue;
    ++read;
    JournalEntry again = *entry;
    EXPECT_TRUE(read_entry(entry_bytes(again), "00aa11bb22cc33dd-00000003")) << text;
  }
  EXPECT_LT(read, rounds);
}

JournalEntry entry(std::uint64_t number, const std::string& follows) {
  JournalEntry made;
  made.device = "00aa11bb22cc33dd";
  made.number = number;
  made.follows = follows;
  (void)entry_bytes(made);
  return made;
}

TEST(Journals, AreChains) {
  const JournalEntry first = entry(1, "");
  const JournalEntry second = entry(2, first.hash);
  const JournalEntry third = entry(3, second.hash);
  EXPECT_EQ(chained({third, first, second}).entries.size(), 3U);
  const DeviceJournal gap = chained({third, first});
  EXPECT_EQ(gap.entries.size(), 1U);
  EXPECT_FALSE(gap.damaged) << "the one between may come later";
  const DeviceJournal changed = chained({first, entry(2, "another")});
  EXPECT_EQ(changed.entries.size(), 1U);
  EXPECT_TRUE(changed.damaged);
}

}  // namespace
}  // namespace bayswap
