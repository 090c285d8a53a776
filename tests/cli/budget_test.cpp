// Files that are made to cost much: each ends with a plain word for it, in little memory.
#include <zlib.h>

#include <fstream>

#include "built_paths.h"
#include "core/packing/archive.h"
#include "history/sqlite.h"
#include "support/card_zoo.h"
#include "support/tar.h"
#include "support/tool.h"

namespace bayswap {
namespace {

Bytes gzip(ByteView bytes) {
  z_stream stream{};
  EXPECT_EQ(deflateInit2(&stream, 9, Z_DEFLATED, 15 + 16, 8, Z_DEFAULT_STRATEGY), Z_OK);
  Bytes packed(deflateBound(&stream, bytes.size()) + 64);
  stream.next_in = const_cast<Bytef*>(reinterpret_cast<const Bytef*>(bytes.data()));
  stream.avail_in = static_cast<uInt>(bytes.size());
  stream.next_out = reinterpret_cast<Bytef*>(packed.data());
  stream.avail_out = static_cast<uInt>(packed.size());
  EXPECT_EQ(deflate(&stream, Z_FINISH), Z_STREAM_END);
  packed.resize(stream.total_out);
  deflateEnd(&stream);
  return packed;
}

class Budgets : public test::Tool {
 protected:
  // The tool with this much memory, in MiB.
  test::Outcome run_small(std::vector<std::string> words, [[maybe_unused]] int mib = 400) {
    words.insert(words.begin(), BAYSWAP_TOOL);
#ifndef __SANITIZE_ADDRESS__  // which asks for much more
    words.insert(words.begin(), {"prlimit", "--data=" + std::to_string(std::int64_t{mib} << 20U)});
#endif
    return test::run_program(
        words, folder_.path(),
        {"XDG_CONFIG_HOME=" + at("xdg/config"), "XDG_DATA_HOME=" + at("xdg/data"), "NO_COLOR=1"});
  }
};

TEST_F(Budgets, AnEntryThatIsPassedOverIsNotUnpackedForEver) {
  // Its name leads out of the archive, so that it is of no use; it would unpack to 200 MB.
  Bytes tar;
  test::add_to_tar(tar, "../out", Bytes(200U << 20U));
  test::add_to_tar(tar, "Copper Tide (America).sra", Bytes(32768));
  tar.resize(tar.size() + 1024);
  folder_.write("bomb.tar.gz", gzip(tar));
  const test::json looked = object({"look", "bomb.tar.gz"}, 3);
  EXPECT_EQ(looked["error"]["code"], "too-large");
  const test::Outcome carried =
      run_small({"carry", "bomb.tar.gz:Copper Tide (America).sra", "--to", "den"});
  EXPECT_EQ(carried.status, 3) << carried.out << carried.err;
  folder_.write("twice.tar.gz", gzip(gzip(tar)));
  EXPECT_EQ(object({"look", "twice.tar.gz"}, 3)["error"]["code"], "too-large");
}

TEST_F(Budgets, ManyEmptyFilesNeedLittleMemory) {
  Bytes tar;
  for (int i = 0; i < 4001; ++i) test::add_to_tar(tar, "f" + std::to_string(i), {});
  tar.resize(tar.size() + 1024);
  folder_.write("many.tar", tar);
  const test::Outcome outcome = run_small({"look", "many.tar"}, 120);
  EXPECT_EQ(outcome.status, 0) << outcome.out << outcome.err;
  EXPECT_NE(outcome.out.find("4,001"), std::string::npos) << outcome.out;
}

TEST_F(Budgets, AStateThatUnpacksToMuchMoreThanAMachineHas) {
  folder_.write("bomb.st0", gzip(Bytes(300U << 20U)));
  const test::Outcome outcome = run_small({"state", "dig", "bomb.st0", "--like",
                                           "den/saves/Lantern Drift (Japan).srm", "-o", "out.srm"});
  EXPECT_EQ(outcome.status, 3) << outcome.out << outcome.err;
  EXPECT_FALSE(std::filesystem::exists(folder_ / "out.srm"));
}

TEST_F(Budgets, KeysWithManyDotsAreRefused) {
  std::string key = "a";
  for (int i = 0; i < 100'000; ++i) key += ".a";
  std::ofstream(folder_ / "xdg/config/bayswap/bays.toml", std::ios::app) << key << " = 1\n";
  const test::json listed = object({"bay", "list"}, 3);
  EXPECT_EQ(listed["error"]["code"], "too-much");
  std::ofstream(folder_ / "xdg/config/bayswap/bays.toml") << "[" << key << "]\n";
  EXPECT_EQ(object({"bay", "list"}, 3)["error"]["code"], "too-much");
}

TEST_F(Budgets, PatternsWithManyFieldsAreRefused) {
  std::string pattern;
  for (int i = 0; i < 70; ++i) pattern += "{sha1}-";
  std::ofstream(folder_ / "xdg/config/bayswap/bays.toml")
      << "[bay.den]\nplace = \"/den\"\n[[bay.den.shelf]]\nsystem = \"snes\"\npattern = \""
      << pattern << "x\"\nlayout = [\"snes-battery\"]\n";
  const test::json listed = object({"bay", "list"}, 3);
  EXPECT_EQ(listed["error"]["code"], "bad-bays");
  EXPECT_NE(listed["error"]["text"].get<std::string>().find("too"), std::string::npos) << listed;
}

TEST_F(Budgets, AListOfManyDumpsOfOneGame) {
  std::ofstream list(folder_ / "list.csv");
  list << "name,crc32,size\n";
  for (int i = 0; i < 30'000; ++i)
    list << "Copper Tide," << std::hex << 0x10000000 + i % 25'000 << std::dec << ",8192\n";
  list.close();
  const test::Outcome outcome = run({"catalog", "import", "list.csv", "--system", "n64"});
  EXPECT_EQ(outcome.status, 0) << outcome.err;
  EXPECT_NE(outcome.out.find("25,000 dumps"), std::string::npos) << outcome.out;
}

TEST_F(Budgets, ARowOfHistoryThatClaimsMuch) {
  ASSERT_EQ(run({"carry", "reader:Copper Tide", "--to", "den", "--accept", "newer-there"}).status,
            0);
  {
    const auto database =
        Database::open(folder_ / "xdg/data/bayswap/history.db", Database::Mode::write);
    ASSERT_TRUE(database);
    ASSERT_TRUE(database->run("UPDATE content SET size = 60000000000"));
  }
  const test::Outcome outcome = run_small({"undo"});
  EXPECT_NE(outcome.status, 0);
  EXPECT_EQ(outcome.err.find("bad_alloc"), std::string::npos) << outcome.err;
  EXPECT_NE(outcome.err.find("damaged"), std::string::npos) << outcome.err;
  EXPECT_EQ(run_small({"history", "verify"}).status, 3);
}

TEST_F(Budgets, ACardThatClaimsTwoGigabytes) {
  Bytes card = test::Ps2Golden(8192).card;
  card.resize(32U << 20U);
  for (const auto& [at_byte, value] : {std::pair{0x30U, 0x200000U}, std::pair{0x38U, 0x1F0000U}})
    for (unsigned i = 0; i < 4; ++i)
      card[at_byte + i] = static_cast<std::byte>(value >> (8 * i) & 0xFFU);
  folder_.write("claims.card", card);
  const test::Outcome outcome =
      run_small({"card", "mend", "claims.card", "--is", "ps2-card", "-o", "out.card"}, 900);
  EXPECT_EQ(outcome.err.find("bad_alloc"), std::string::npos) << outcome.err;
  EXPECT_NE(outcome.status, 4) << outcome.err;
}

}  // namespace
}  // namespace bayswap
