// Sealed hubs: what lies there says nothing, every changed byte is noticed, and words open them.
#include <sodium.h>

#include <set>

#include "core/bytes/text.h"
#include "hub/seal.h"
#include "hub/seal_words.h"
#include "support/card_zoo.h"
#include "support/rounds.h"
#include "sync/devices.h"

namespace bayswap {
namespace {

using test::Device;

SealSecret secret_from(std::uint32_t seed) {
  SealSecret secret{};
  std::ranges::copy(test::random_bytes(secret.size(), seed), secret.begin());
  return secret;
}

TEST(SealWords, AreAListThatNeverChanges) {
  std::string all;
  std::set<std::string_view> beginnings;
  for (const std::string_view word : kSealWords) {
    all += std::string(word) + "\n";
    beginnings.insert(word.substr(0, 4));
  }
  EXPECT_EQ(beginnings.size(), 256U);
  EXPECT_EQ(sha256_hex(as_bytes(all)),
            "3d382ad9c374a0c7b21851b8938df0019a633789c21218758a7e84fa99786c9a");
}

TEST(SealWords, SayTheSecretAndTellMistakes) {
  test::Numbers numbers(5);
  int told = 0;
  const int rounds = test::rounds(400);
  for (int i = 0; i < rounds; ++i) {
    const SealSecret secret = secret_from(numbers());
    std::string words = words_of(secret);
    EXPECT_EQ(secret_of(words), secret);
    // As people type them.
    std::string typed;
    std::istringstream parts(words);
    for (std::string word; parts >> word;)
      typed += word.substr(0, 4) + (numbers() % 2 ? ", " : "\n");
    typed[0] = static_cast<char>(typed[0] - 'a' + 'A');
    EXPECT_EQ(secret_of(typed), secret) << typed;
    // Another word in one place.
    std::vector<std::string> list;
    std::istringstream again(words);
    for (std::string word; again >> word;) list.push_back(word);
    std::string& changed = list[numbers() % list.size()];
    const std::string before = changed;
    changed = kSealWords[numbers() % 256];
    std::string wrong;
    for (const std::string& word : list) wrong += word + " ";
    told += changed == before || !secret_of(wrong) ? 1 : 0;
  }
  EXPECT_GT(told, rounds * 95 / 100) << "one in 256 mistakes can't be told";
  EXPECT_EQ(secret_of("acorn actor").error().code, Code::usage);
  EXPECT_FALSE(secret_of(""));
}

// By hand, from docs/hub.md, with the library's own calls.
TEST(Seals, AreMadeAsThePageSays) {
  const SealSecret secret = secret_from(1);
  const Seal seal(secret);
  const auto hash = [](std::string_view text, const void* key, std::size_t key_size,
                       std::size_t size) {
    Bytes out(size);
    crypto_generichash(reinterpret_cast<unsigned char*>(out.data()), size,
                       reinterpret_cast<const unsigned char*>(text.data()), text.size(),
                       static_cast<const unsigned char*>(key), key_size);
    return out;
  };
  const auto key = [&](const char* purpose) { return hash(purpose, secret.data(), 16, 32); };
  EXPECT_EQ(seal.proof("ab"), hex_text(hash("ab", key("bayswap hub proof").data(), 32, 32)));

  const std::string plain = "00aa11bb22cc33dd-00000001";
  const Bytes mark = hash(plain, key("bayswap hub name marks").data(), 32, 24);
  Bytes name = mark;
  name.resize(24 + plain.size());
  const Bytes names = key("bayswap hub names");
  crypto_stream_xchacha20_xor(reinterpret_cast<unsigned char*>(name.data()) + 24,
                              reinterpret_cast<const unsigned char*>(plain.data()), plain.size(),
                              reinterpret_cast<const unsigned char*>(mark.data()),
                              reinterpret_cast<const unsigned char*>(names.data()));
  EXPECT_EQ(seal.name_of(plain), hex_text(name));
  EXPECT_EQ(seal.plain_of(hex_text(name)), plain);

  // A content that somebody else sealed.
  const Bytes contents = key("bayswap hub contents");
  Bytes padded = test::bytes({1, 2, 3, 0x80});
  padded.resize(1024);
  Bytes sealed(24 + 1024 + 17);
  crypto_secretstream_xchacha20poly1305_state state;
  auto* out = reinterpret_cast<unsigned char*>(sealed.data());
  crypto_secretstream_xchacha20poly1305_init_push(
      &state, out, reinterpret_cast<const unsigned char*>(contents.data()));
  crypto_secretstream_xchacha20poly1305_push(
      &state, out + 24, nullptr, reinterpret_cast<const unsigned char*>(padded.data()),
      padded.size(), reinterpret_cast<const unsigned char*>(plain.data()), plain.size(),
      crypto_secretstream_xchacha20poly1305_TAG_FINAL);
  EXPECT_EQ(seal.opened(sealed, plain), test::bytes({1, 2, 3}));
  EXPECT_FALSE(seal.opened(sealed, "00aa11bb22cc33dd-00000002")) << "it lies under another name";
}

TEST(Seals, TellEveryChange) {
  test::Numbers numbers(9);
  const Seal seal(secret_from(2));
  const Seal other(secret_from(3));
  for (int i = 0; i < test::rounds(400); ++i) {
    const Bytes content = test::random_bytes(numbers() % 3000, numbers());
    Bytes sealed = seal.sealed(content, "a name");
    EXPECT_EQ(sealed.size() % 1024, 41U) << "the size says little";
    EXPECT_LE(sealed.size(), content.size() + Seal::kMostAdded);
    EXPECT_NE(sealed, seal.sealed(content, "a name")) << "the same content looks different";
    EXPECT_EQ(seal.opened(sealed, "a name"), content);
    EXPECT_FALSE(other.opened(sealed, "a name"));
    EXPECT_FALSE(seal.opened(sealed, "another name"));
    const std::string name = seal.name_of("some name");
    EXPECT_FALSE(other.plain_of(name));
    if (numbers() % 2 == 0)
      sealed[numbers() % sealed.size()] ^= static_cast<std::byte>(1U << (numbers() % 8));
    else
      sealed.resize(numbers() % sealed.size());
    EXPECT_FALSE(seal.opened(sealed, "a name"));
  }
}

class SealedHubs : public test::SyncTest {
 protected:
  Device& sealed_device(const std::string& name, std::size_t habit, const std::string& words) {
    devices_.push_back(std::make_unique<Device>(world_, name, test::habits()[habit]));
    Session session = devices_.back()->open();
    session.ask_words = [&] { return words.empty() ? std::nullopt : std::optional(words); };
    const auto joined = join_hub(session, (world_ / "hub").string(), name, words.empty());
    EXPECT_TRUE(joined) << joined.error().text;
    if (words.empty()) words_ = joined->words.value_or("");
    return *devices_.back();
  }
  // Everything on the hub, names too.
  std::string everything() {
    std::string all;
    for (const auto& entry : std::filesystem::recursive_directory_iterator(world_ / "hub")) {
      all += entry.path().filename().string() + "\n";
      if (!entry.is_regular_file() || entry.path().extension() == ".json") continue;
      const Bytes bytes = test::read(entry.path());
      all.append(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    }
    return all;
  }
  std::string words_;
};

TEST_F(SealedHubs, KeepDevicesInStepAndSayNothing) {
  Device& den = sealed_device("den", 0, "");
  Device& ferry = sealed_device("ferry", 1, words_);
  const Bytes content = progress(1);
  den.play("KITE HARBOUR", content);
  synced(den);
  synced(ferry);
  EXPECT_EQ(ferry.save("KITE HARBOUR"), content);
  const std::string all = everything();
  EXPECT_EQ(all.find("den"), std::string::npos);
  EXPECT_EQ(all.find("KITE"), std::string::npos);
  EXPECT_EQ(all.find(sha256_hex(content).substr(2)), std::string::npos);
  const std::string_view part(reinterpret_cast<const char*>(content.data()) + 100, 16);
  EXPECT_EQ(all.find(part), std::string::npos);
  Session session = ferry.open();
  const auto checked = check_hub(session);
  EXPECT_TRUE(checked->damaged.empty());
  EXPECT_GT(checked->objects, 0U);
  EXPECT_EQ(tidy_hub(session, 1, 0, true)->objects, 0U) << "it knows the objects' names";
}

TEST_F(SealedHubs, OpenToTheirWordsOnly) {
  sealed_device("den", 0, "");
  ASSERT_FALSE(words_.empty());
  const Device ferry(world_, "ferry", test::habits()[1]);
  Session session = ferry.open();
  const std::string hub = (world_ / "hub").string();
  const auto unasked = join_hub(session, hub, "ferry");
  ASSERT_FALSE(unasked);
  EXPECT_EQ(unasked.error().code, Code::usage);
  session.ask_words = [] { return std::optional(words_of(secret_from(77))); };
  EXPECT_EQ(join_hub(session, hub, "ferry").error().code, Code::usage) << "of another hub";
  session.ask_words = [&] { return std::optional(words_); };
  const auto joined = join_hub(session, hub, "ferry");
  ASSERT_TRUE(joined) << joined.error().text;
  EXPECT_FALSE(joined->words) << "they are shown once";
  // Left and joined again: the key is still here.
  ASSERT_TRUE(leave_hub(session));
  session.ask_words = {};
  EXPECT_TRUE(join_hub(session, hub, "ferry"));
}

TEST_F(SealedHubs, AreNotTakenForOpenOnes) {
  const Device& den = sealed_device("den", 0, "");
  den.play("KITE HARBOUR", progress(1));
  synced(den);
  const std::string whole = [&] {
    const Bytes bytes = test::read(world_ / "hub/bayswap-hub.json");
    return std::string(reinterpret_cast<const char*>(bytes.data()), bytes.size());
  }();
  std::string open = whole;
  const auto at = open.find("\"sealed\"");
  open.erase(at, open.find(',', at) + 1 - at);
  world_.write("hub/bayswap-hub.json", open);
  den.play("KITE HARBOUR", progress(2));
  const auto refused = den.sync();
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, Code::hub_differs);
  world_.write("hub/bayswap-hub.json", whole);
  EXPECT_EQ(synced(den).published.size(), 1U);
  // And an open hub can't be sealed later.
  std::filesystem::create_directory(world_ / "other");
  const Device ferry(world_, "ferry", test::habits()[1]);
  const Device attic(world_, "attic", test::habits()[2]);
  Session first = ferry.open();
  Session second = attic.open();
  ASSERT_TRUE(join_hub(first, (world_ / "other").string(), "ferry"));
  EXPECT_EQ(join_hub(second, (world_ / "other").string(), "attic", true).error().code, Code::usage);
}

// Files that the hub's owner swaps, changes or cuts off: nothing wrong is ever carried.
TEST_F(SealedHubs, NoticeChangedBytes) {
  const Device& den = sealed_device("den", 0, "");
  const Device& ferry = sealed_device("ferry", 1, words_);
  den.play("KITE HARBOUR", progress(1));
  den.play("TIDE TABLE", progress(2));
  synced(den);
  std::vector<Path> files;
  for (const auto& entry : std::filesystem::recursive_directory_iterator(world_ / "hub/objects"))
    if (entry.is_regular_file()) files.push_back(entry.path());
  ASSERT_GE(files.size(), 2U);
  std::filesystem::copy_file(files[0], files[1], std::filesystem::copy_options::overwrite_existing);
  const auto report = ferry.sync();
  ASSERT_TRUE(report) << report.error().text;
  EXPECT_TRUE(report->damaged);
  EXPECT_EQ(report->carried.size(), 1U);
  // Who still has it puts it there again.
  synced(den);
  const auto again = ferry.sync();
  EXPECT_FALSE(again->damaged);
  EXPECT_EQ(ferry.save("KITE HARBOUR"), progress(1));
  EXPECT_EQ(ferry.save("TIDE TABLE"), progress(2));
}

}  // namespace
}  // namespace bayswap
