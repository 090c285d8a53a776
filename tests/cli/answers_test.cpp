// What `look FOLDER` and `bay learn` said before is said again while nothing has changed, and only
// then.
#include <fstream>
#include <thread>

#include "support/card_zoo.h"
#include "support/tool.h"

namespace bayswap {
namespace {

class Answers : public test::Tool {
 protected:
  void SetUp() override {
    test::Tool::SetUp();
    settle();
  }
  static void settle() { std::this_thread::sleep_for(std::chrono::milliseconds(60)); }
  [[nodiscard]] std::vector<Path> kept() const {
    std::vector<Path> files;
    const Path cache = folder_ / "xdg/cache/bayswap";
    if (std::filesystem::exists(cache))
      for (const auto& entry : std::filesystem::directory_iterator(cache))
        files.push_back(entry.path());
    return files;
  }
  // The answer as it is without any cache.
  std::string fresh(const std::vector<std::string>& words) {
    std::filesystem::remove_all(folder_ / "xdg/cache");
    return run(words).out;
  }
};

TEST_F(Answers, AreTheSameFromTheCache) {
  for (const std::vector<std::string>& words : {std::vector<std::string>{"look", "den"},
                                                {"look", "den", "--json"},
                                                {"look", "cabinet"},
                                                {"bay", "learn", "den", "den"},
                                                {"bay", "learn", "den", "den", "--json"}}) {
    const std::string first = fresh(words);
    EXPECT_FALSE(kept().empty()) << words[0];
    // The kept answer is what is printed: a mark in it shows.
    const test::Outcome again = run(words);
    EXPECT_EQ(again.out, first);
    EXPECT_EQ(again.status, 0);
    const Path file = kept().front();
    Bytes bytes = test::read(file);
    const std::string mark = words[1] == "cabinet" ? "Halyard" : "den";
    const auto at =
        std::find_end(bytes.begin(), bytes.end(), reinterpret_cast<const std::byte*>(mark.data()),
                      reinterpret_cast<const std::byte*>(mark.data()) + mark.size());
    if (at == bytes.end()) continue;
    *at = std::byte{'D'};
    std::ofstream(file, std::ios::binary)
        .write(reinterpret_cast<const char*>(bytes.data()),
               static_cast<std::streamsize>(bytes.size()));
    EXPECT_NE(run(words).out, first);
  }
}

TEST_F(Answers, ChangesAreSeen) {
  const std::vector<std::string> look{"look", "den", "--json"};
  const std::string before = fresh(look);
  EXPECT_EQ(run(look).out, before);
  // A save that was played, in the same number of bytes.
  const std::string save = "den/saves/Lantern Drift (Japan).srm";
  Bytes played = test::read(folder_ / save);
  played[100] ^= std::byte{1};
  folder_.write(save, played);
  const std::string after = run(look).out;
  EXPECT_NE(after, before);
  EXPECT_EQ(after, fresh(look));
  // What the catalog says.
  settle();
  EXPECT_EQ(run(look).out, after);
  std::ofstream(folder_ / "xdg/config/bayswap/catalog.toml", std::ios::app)
      << "\n[[game]]\ntitle = \"Lantern Drift, the long way\"\nsystem = \"snes\"\n";
  EXPECT_EQ(run(look).out, fresh(look));
}

TEST_F(Answers, RomsOfOtherBaysCount) {
  const std::vector<std::string> look{"look", "downloads", "--json"};
  const std::string before = fresh(look);
  EXPECT_EQ(run(look).out, before);
  std::filesystem::remove(folder_ / "den/roms/snes/Lantern Drift (Europe).sfc");
  EXPECT_EQ(run(look).out, fresh(look));
}

TEST_F(Answers, ABayThatWasForgottenIsLearnedAnew) {
  const std::vector<std::string> learn{"bay", "learn", "den", "den"};
  (void)fresh(learn);
  settle();
  ASSERT_EQ(run({"bay", "forget", "den"}).status, 0);
  EXPECT_EQ(run(learn).status, 0);
  EXPECT_NE(run({"bay", "list"}).out.find("den"), std::string::npos);
}

TEST_F(Answers, DamagedOnesAreLookedUpAnew) {
  const std::vector<std::string> look{"look", "den"};
  const std::string right = fresh(look);
  ASSERT_EQ(kept().size(), 1U);
  const Path file = kept().front();
  const Bytes whole = test::read(file);
  test::Numbers numbers(4);
  for (int round = 0; round < test::rounds(25); ++round) {
    Bytes broken = whole;
    broken.resize(numbers() % broken.size());
    std::ofstream(file, std::ios::binary | std::ios::trunc)
        .write(reinterpret_cast<const char*>(broken.data()),
               static_cast<std::streamsize>(broken.size()));
    const test::Outcome outcome = run(look);
    EXPECT_EQ(outcome.status, 0);
    EXPECT_EQ(outcome.out, right);
  }
}

// Keeping again is answered at once while nothing changed, in the place and in history.
TEST_F(Answers, KeepingAgainSeesEveryChange) {
  const std::vector<std::string> keep{"keep", "den"};
  const auto kept_now = [&] { return object({"keep", "den"})["kept"].size(); };
  ASSERT_GT(kept_now(), 0U);
  settle();
  const std::string known = run(keep).out;
  ASSERT_EQ(kept().size(), 1U) << "nothing was new, which is worth remembering";
  EXPECT_EQ(run(keep).out, known);
  // A save that was played, in the same number of bytes.
  const std::string save = "den/saves/Lantern Drift (Japan).srm";
  Bytes played = test::read(folder_ / save);
  played[100] ^= std::byte{1};
  folder_.write(save, played);
  EXPECT_EQ(kept_now(), 1U);
  settle();
  EXPECT_EQ(run(keep).out, known);
  // A new one, and one that went.
  folder_.write("den/saves/Tin Orchard (Japan).srm", test::random_bytes(8192, 6));
  std::filesystem::remove(folder_ / "den/saves/Glacier Post (America).srm");
  EXPECT_NE(run(keep).out, known);
  settle();
  (void)run(keep);
  // A history that is another one knows nothing.
  std::filesystem::remove_all(folder_ / "xdg/data");
  EXPECT_GT(kept_now(), 1U);
}

TEST_F(Answers, AStatusIsKeptToo) {
  const std::vector<std::string> look{"look", "downloads"};
  (void)fresh(look);
  const int status = run(look).status;
  EXPECT_EQ(status, 3) << "a damaged card lies there";
}

}  // namespace
}  // namespace bayswap
