// Habits of programs that nobody wrote down: random folders, extensions and name parts around the
// ROM's name. Each is learned exactly, or not at all; never wrongly. Carries then go there and
// back.
#include <gtest/gtest.h>

#include <functional>
#include <map>
#include <random>
#include <set>
#include <tuple>
#include <utility>

#include "bayswap/bay.h"
#include "bayswap/carry.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "demo/makers.h"
#include "demo/state_makers.h"
#include "places/rom_hashes.h"
#include "support/bytes.h"
#include "support/card_zoo.h"
#include "support/folder.h"

namespace bayswap {
namespace {

using test::TempFolder;

struct Example {
  std::string stem;
  std::string title;   // as people write it
  std::string header;  // as the ROM's header has it
  std::string code;
  std::string folder;  // of the ROM, where ROMs are sorted into folders
};

const std::vector<Example> kExamples{
    {"Tin Orchard (Europe)", "Tin Orchard", "TIN ORCHARD", "BTOP", "tile"},
    {"Copper Bell", "Copper Bell", "COPPER BELL", "BCBE", "quiet hours/short"},
    {"Moss, the Third [b1]", "Moss, the Third", "MOSS 3", "BM3J", "tile"},
    {"Night Ferry (Japan) (Rev 2)", "Night Ferry", "NIGHT FERRY", "BNFJ", "Ümlaut"}};

const std::vector<Example> kOtherSystem{
    {"Lantern Drift (Europe)", "Lantern Drift", "LANTERN DRIFT", "", "tile"},
    {"Reed Almanac [h]", "Reed Almanac", "REED ALMANAC", "", "q"}};

Bytes rom_of(const Example& game) {
  return game.code.empty() ? demo::snes_rom(game.header, 2, 3)
                           : demo::gba_rom(game.header, game.code, "SRAM_V113");
}

/// A program's way to name saves: a pattern, and which title it writes.
struct RandomHabit {
  std::string pattern;
  bool header = false;
};

/// Its way to name states, and the numbers of the slots that are filled.
struct Slots {
  std::string pattern;
  std::vector<std::string> texts;
};

/// Everything that one program does.
struct RandomProgram {
  RandomHabit habit;  // of the first system
  RandomHabit other;
  Slots slots;          // of both; without texts there are no states
  bool sorted = false;  // ROMs lie in folders of several names
};

class Habits {
 public:
  explicit Habits(std::uint32_t seed) : numbers_(seed) {}

  RandomProgram program() {
    const bool sorted = numbers_() % 3 == 0;
    RandomProgram made{habit({"stem", "stem", "stem", "title", "code", "code:lower", "code:hex",
                              "crc32", "sha1:upper"},
                             true, sorted),
                       habit({"stem", "stem", "title", "title", "md5"}, false, sorted),
                       {},
                       sorted};
    static const std::vector<Slots> kSlots{{"{stem}.st{slot}", {"0", "1", "5"}},
                                           {"{stem}.state{slot:first }", {"", "1", "2"}},
                                           {"{stem}.{slot:pad 3}", {"000", "001", "010"}},
                                           {"{stem} ({slot}).snap", {"1", "2"}},
                                           {"{stem}/slot {slot:pad 2}", {"03", "04"}},
                                           {"{slot}/{stem}.z", {"1", "2", "9"}},
                                           {"x-{slot}-{stem}.quick", {"7", "12"}}};
    if (numbers_() % 3 == 0) return made;
    made.slots = kSlots[numbers_() % kSlots.size()];
    made.slots.pattern = "snap/" + made.slots.pattern;
    return made;
  }

  /// `coded`: the games have codes and regions, which may stand beside their names. `sorted`: their
  /// ROMs lie in several folders, and the saves may, too.
  RandomHabit habit(const std::vector<std::string>& fields, bool coded, bool sorted) {
    static const std::vector<std::string> kBeside{
        "{code}/",         "{code:lower}/",     "{region}/", "{region:upper}/", "{code} - ",
        "[{code:lower}] ", "{code:hex:upper}/", "{crc32}-",  "{md5:upper}/"};
    static const std::vector<std::string> kBefore{"", "", "", "save-", "my ", "[b] ", "#"};
    static const std::vector<std::string> kAfter{".sav",   ".srm",   ".SAV",        ".bin", "",
                                                 ".x.sav", "-1.dat", " (save).bak", ".s0v", ".000"};
    const std::string field = "{" + pick(fields) + "}";
    RandomHabit made;
    for (unsigned depth = numbers_() % 4; depth > 0; --depth) made.pattern += word() + "/";
    if (sorted && numbers_() % 2 == 0) made.pattern += "{folder}/";
    if (field == "{stem}" && numbers_() % 4 == 0) made.pattern += "{stem}/";
    if (coded && !field.starts_with("{code") && numbers_() % 3 == 0) made.pattern += pick(kBeside);
    made.pattern += pick(kBefore) + field + pick(kAfter);
    made.header = field == "{title}" && numbers_() % 2 == 0;
    return made;
  }

  std::string roms() {
    static const std::vector<std::string> kFolders{"", "roms/", "ROMS/advance/", "games here/"};
    return pick(kFolders);
  }

  /// Things that lie around: settings, logs, pictures.
  void litter(const TempFolder& folder) {
    folder.write("settings.ini", std::string("volume=3\n"));
    if (numbers_() % 2 == 0) folder.write(word() + "/log.txt", std::string("started\n"));
    if (numbers_() % 3 == 0)
      folder.write(kExamples[1].stem + ".png", demo::screen_png(demo::Art::kite));
  }

  static Bytes state() {
    Bytes bytes = test::random_bytes(70'133, 4);
    test::put(bytes, 0, "SNAPSHOT");
    return bytes;
  }

 private:
  std::string word() {
    static const std::vector<std::string> kWords{
        "saves", "Battery", "data", "KEEP", "x y", "sub.folder", "2026", "user-1", "_", "Ünder"};
    return pick(kWords);
  }
  const std::string& pick(const std::vector<std::string>& list) {
    return list[numbers_() % list.size()];
  }
  std::mt19937 numbers_;
};

std::string filled_in(const RandomHabit& habit, const Example& game) {
  std::string path = habit.pattern;
  const auto fill = [&](const std::string& field, const std::string& value) {
    for (std::size_t at = path.find(field); at != std::string::npos; at = path.find(field))
      path.replace(at, field.size(), value);
  };
  fill("{stem}", game.stem);
  fill("{title}", habit.header ? game.header : game.title);
  fill("{folder}", game.folder);
  const std::string crc32 = crc32_hex(rom_of(game));
  const std::string md5 = md5_hex(rom_of(game));
  fill("{crc32}", crc32);
  fill("{md5}", md5);
  fill("{md5:upper}", upper_ascii(md5));
  fill("{sha1:upper}", upper_ascii(hex_text(sha1(rom_of(game)))));
  fill("{code}", game.code);
  fill("{code:lower}", lower_ascii(game.code));
  fill("{code:hex}", hex_text(as_bytes(game.code)));
  fill("{code:hex:upper}", upper_ascii(hex_text(as_bytes(game.code))));
  if (!game.code.empty()) {
    const std::map<char, std::string> regions{{'P', "europe"}, {'E', "america"}, {'J', "japan"}};
    fill("{region}", regions.at(game.code.back()));
    fill("{region:upper}", upper_ascii(regions.at(game.code.back())));
  }
  return path;
}

void write_states(const TempFolder& folder, const Slots& slots, const std::string& stem) {
  for (const std::string& text : slots.texts) {
    std::string path = slots.pattern;
    const std::size_t from = path.find("{slot");
    path.replace(from, path.find('}', from) + 1 - from, text);
    path.replace(path.find("{stem}"), 6, stem);
    folder.write(path, Habits::state());
  }
}

void build(const TempFolder& folder, const RandomProgram& program, Habits& habits,
           std::uint32_t seed) {
  const std::string roms = habits.roms();
  const auto write_rom = [&](const Example& game, const char* extension) {
    const std::string inner = program.sorted ? game.folder + "/" : std::string();
    folder.write(roms + inner + game.stem + extension, rom_of(game));
  };
  for (const Example& game : kExamples) {
    write_rom(game, ".gba");
    folder.write(filled_in(program.habit, game),
                 demo::progress(game.stem, 0x8000, ++seed, std::byte{0xFF}), 5);
    write_states(folder, program.slots, game.stem);
  }
  for (const Example& game : kOtherSystem) {
    write_rom(game, ".sfc");
    folder.write(filled_in(program.other, game),
                 demo::progress(game.stem, 0x2000, ++seed, std::byte{0x00}), 5);
    write_states(folder, program.slots, game.stem);
  }
  habits.litter(folder);
}

using Learned = std::set<std::tuple<System, Kind, std::string, std::size_t>>;

Learned wanted_of(const RandomProgram& program) {
  Learned wanted{{System::gba, Kind::battery, program.habit.pattern, kExamples.size()},
                 {System::snes, Kind::battery, program.other.pattern, kOtherSystem.size()}};
  const std::size_t slots = program.slots.texts.size();
  if (slots == 0) return wanted;
  wanted.emplace(System::gba, Kind::state, program.slots.pattern, slots * kExamples.size());
  wanted.emplace(System::snes, Kind::state, program.slots.pattern, slots * kOtherSystem.size());
  return wanted;
}

Learned learned_of(const Bay& bay) {
  Learned learned;
  for (const Shelf& shelf : bay.shelves)
    learned.emplace(shelf.system, shelf.kind, shelf.pattern, shelf.explains);
  return learned;
}

TEST(RandomHabits, AreLearnedExactlyAndCarriedBothWays) {
  std::size_t exact = 0;
  std::size_t wrong = 0;
  const auto wanted = static_cast<std::uint32_t>(test::rounds(60, 12));
  for (std::uint32_t round = 0; round < wanted; ++round) {
    Habits habits(round);
    const TempFolder here;
    const TempFolder there;
    const TempFolder own;
    const RandomProgram from = habits.program();
    const RandomProgram to = habits.program();
    build(here, from, habits, 100);
    build(there, to, habits, 200);
    auto session = Session::open(disk(), {own / "config", own / "data"});
    ASSERT_TRUE(session);
    for (const auto& [name, folder, program] :
         {std::tuple{"here", &here, &from}, std::tuple{"there", &there, &to}}) {
      const auto bay = learn_bay(disk(), {}, name, folder->path());
      ASSERT_TRUE(bay) << program->habit.pattern << ": " << bay.error().text;
      const bool same = learned_of(*bay) == wanted_of(*program);
      if (same)
        ++exact;
      else if (bay->questions.empty())
        ++wrong;
      if (!same)
        for (const Shelf& shelf : bay->shelves)
          std::printf("round %u, of %s, %s and %s: learned %s, explains %zu\n", round,
                      program->habit.pattern.c_str(), program->other.pattern.c_str(),
                      program->slots.pattern.c_str(), shelf.pattern.c_str(), shelf.explains);
      ASSERT_TRUE(session->bays.put(disk(), session->bays_file(), *bay));
    }
    CarryRequest request;
    request.all = true;
    request.from = "here";
    request.to = "there";
    request.accept = {Code::newer_there};
    ASSERT_TRUE(carry(*session, request));
    for (const Example& game : kExamples)
      EXPECT_EQ(test::read(there / filled_in(to.habit, game)),
                test::read(here / filled_in(from.habit, game)))
          << from.habit.pattern << " to " << to.habit.pattern;
    for (const Example& game : kOtherSystem)
      EXPECT_EQ(test::read(there / filled_in(to.other, game)),
                test::read(here / filled_in(from.other, game)))
          << from.other.pattern << " to " << to.other.pattern;
    const auto before = test::contents(here.path());
    const std::string source = *std::exchange(request.from, request.to);
    request.to = source;
    const auto back = carry(*session, request);
    ASSERT_TRUE(back);
    for (const MoveReport& move : back->moves)
      EXPECT_TRUE(move.nothing_to_do || !move.slot.empty())
          << round << " | " << move.to << " " << (move.checks.empty() ? "" : move.checks[0].text);
    // States of slots that are empty here may have come; what was here is as it was.
    const auto after = test::contents(here.path());
    for (const auto& [name, bytes] : before) EXPECT_EQ(after.at(name), bytes) << name;
  }
  std::printf("%zu of %u learned exactly, %zu wrong in silence\n", exact, 2 * wanted, wrong);
  EXPECT_EQ(wrong, 0U);
  EXPECT_GE(exact * 100, std::size_t{2} * wanted * 95);
}

// Names whose case is lost cannot be read back: they are asked about, and make no shelf of which
// the next game's save would get a wrong name.
TEST(LostCase, IsAskedAboutAndNeverGuessed) {
  using Change = std::function<std::string(const Example&)>;
  const std::vector<Change> changes{
      [](const Example& game) { return upper_ascii(game.stem); },
      [](const Example& game) { return lower_ascii(game.stem); },
      [](const Example& game) { return lower_ascii(game.title); },
      [](const Example& game) { return lower_ascii(game.header); },
      [](const Example& game) { return upper_ascii(game.title) + " [" + game.code + "]"; },
  };
  for (const std::string around : {"data/%.sav", "%/battery.sav", "x/%/%.srm"})
    for (const Change& change : changes) {
      const TempFolder folder;
      std::string path;
      for (const Example& game : kExamples) {
        folder.write("roms/" + game.stem + ".gba",
                     demo::gba_rom(game.header, game.code, "SRAM_V113"));
        path = around;
        for (std::size_t at = path.find('%'); at != std::string::npos; at = path.find('%'))
          path.replace(at, 1, change(game));
        folder.write(path, test::random_bytes(0x8000, 1));
      }
      // Another program's habit there is learned all the same.
      for (const Example& game : kOtherSystem) {
        folder.write("roms/" + game.stem + ".sfc", demo::snes_rom(game.header, 2, 3));
        folder.write("own/" + game.stem + ".srm", test::random_bytes(0x2000, 2));
      }
      const auto bay = learn_bay(disk(), {}, "den", folder.path());
      ASSERT_TRUE(bay) << path << ": " << bay.error().text;
      ASSERT_EQ(bay->shelves.size(), 1U) << path << ": " << bay->shelves[0].pattern;
      EXPECT_EQ(bay->shelves[0].pattern, "own/{stem}.srm");
      ASSERT_FALSE(bay->questions.empty()) << path;
      EXPECT_NE(bay->questions[0].find("capitals"), std::string::npos) << bay->questions[0];
    }
}

// A word of its own for each game that no ROM has: the shelves hold what is there, and are no rule.
TEST(WordsOfTheirOwn, AreAskedAbout) {
  const TempFolder folder;
  for (std::size_t i = 0; i < kExamples.size(); ++i) {
    const Example& game = kExamples[i];
    folder.write("roms/" + game.stem + ".gba", demo::gba_rom(game.header, game.code, "SRAM_V113"));
    folder.write("data/" + std::string(8, static_cast<char>('a' + i)) + "/" + game.stem + ".sav",
                 test::random_bytes(0x8000, 1));
  }
  const auto bay = learn_bay(disk(), {}, "den", folder.path());
  ASSERT_TRUE(bay) << bay.error().text;
  EXPECT_EQ(bay->shelves.size(), kExamples.size());
  ASSERT_EQ(bay->questions.size(), 1U);
  EXPECT_TRUE(bay->questions[0].starts_with("data/…/{stem}.sav: 4 saves")) << bay->questions[0];
}

// Saves that are called as another set of ROMs has the games: the habit is the ROM's name all the
// same, and only those count as explained that the program sees. One tag that all of them have is
// the program's own.
TEST(TagsOfOtherSets, AreOnTheShelfOfTheirNames) {
  const auto learned = [](const std::vector<std::string>& names) {
    const TempFolder folder;
    for (std::size_t i = 0; i < kExamples.size(); ++i) {
      const Example& game = kExamples[i];
      folder.write("roms/" + game.stem + ".gba",
                   demo::gba_rom(game.header, game.code, "SRAM_V113"));
      folder.write("data/" + names[i] + ".sav", test::random_bytes(0x8000, 1));
    }
    const auto bay = learn_bay(disk(), {}, "den", folder.path());
    EXPECT_TRUE(bay);
    std::string patterns;
    for (const Shelf& shelf : bay->shelves)
      patterns += shelf.pattern + " " + std::to_string(shelf.explains) + "\n";
    return patterns;
  };
  const std::string stems = "data/{stem}.sav ";
  EXPECT_EQ(learned({"Tin Orchard (E) [!]", "Copper Bell", "Moss, the Third [b1]",
                     "Night Ferry (Japan) (Rev 2)"}),
            stems + "3\n");
  EXPECT_EQ(learned({"Tin Orchard (E)", "Copper Bell", "Moss, the Third", "Night Ferry (J)"}),
            stems + "1\n");
  EXPECT_EQ(learned({"Tin Orchard (save)", "Copper Bell (save)", "Moss, the Third (save)",
                     "Night Ferry (save)"}),
            "data/{title} (save).sav 4\n");
}

// A serial that no pattern's field can hold makes no shelf that would not explain its own example.
TEST(StrangeSerials, MakeNoShelf) {
  for (const std::string name : {"GM 00045012-00", "gm 00045012-00"}) {
    const TempFolder folder;
    folder.write("roms/Quarry Choir.md", demo::md_rom("QUARRY CHOIR", "GM 00045012-00", 'E'));
    folder.write("roms/Copper Bell.gba", demo::gba_rom("COPPER BELL", "BCBE", "SRAM_V113"));
    folder.write("data/" + name + ".srm", test::random_bytes(0x2000, 1));
    folder.write("data/Copper Bell.srm", test::random_bytes(0x8000, 2));
    const auto bay = learn_bay(disk(), {}, "den", folder.path());
    ASSERT_TRUE(bay);
    for (const Shelf& shelf : bay->shelves) EXPECT_GT(shelf.explains, 0U) << shelf.pattern;
  }
}

// A folder that bears the name of a region by chance stays as it is.
TEST(RegionWords, AreRegionsWhereThereAreSeveral) {
  const TempFolder folder;
  const auto learned = [&](const std::string& region, const Example& game) {
    folder.write("roms/" + game.stem + ".gba", demo::gba_rom(game.header, game.code, "SRAM_V113"));
    folder.write("data/" + region + "/" + game.stem + ".sav", test::random_bytes(0x8000, 1));
    const auto bay = learn_bay(disk(), {}, "den", folder.path());
    EXPECT_TRUE(bay);
    std::string patterns;
    for (const Shelf& shelf : bay->shelves) patterns += shelf.pattern + "\n";
    return patterns;
  };
  EXPECT_EQ(learned("europe", kExamples[0]), "data/europe/{stem}.sav\n");
  EXPECT_EQ(learned("america", kExamples[1]), "data/{region}/{stem}.sav\n");
  EXPECT_EQ(learned("japan", kExamples[2]), "data/{region}/{stem}.sav\n");
  // One that lies elsewhere than its ROM's region says.
  EXPECT_EQ(learned("europe", kExamples[3]),
            "data/america/{stem}.sav\ndata/europe/{stem}.sav\ndata/japan/{stem}.sav\n");
}

// A place without any ROM: what the content says is enough for a shelf, and what it leaves open is
// asked.
TEST(LearnAlone, ContentMakesShelvesAndQuestions) {
  const TempFolder folder;
  for (const char* name : {"Copper Tide", "Glacier Post"}) {
    folder.write(std::string("keep/") + name + ".srm",
                 demo::n64_container(test::random_bytes(512, 1), {}, {}));
    folder.write(std::string("other/") + name + ".sav", test::random_bytes(0x2000, 2));
  }
  const auto bay = learn_bay(disk(), {}, "alone", folder.path());
  ASSERT_TRUE(bay) << bay.error().text;
  ASSERT_EQ(bay->shelves.size(), 1U);
  EXPECT_EQ(bay->shelves[0].pattern, "keep/{stem}.srm");
  EXPECT_EQ(bay->shelves[0].system, System::n64);
  EXPECT_EQ(bay->shelves[0].explains, 2U);
  ASSERT_EQ(bay->questions.size(), 1U);
  EXPECT_NE(bay->questions[0].find("other/{stem}.sav"), std::string::npos) << bay->questions[0];
}

// What a person wrote into the file stays when the place is learned again.
TEST(LearnAgain, KeepsTheUsersEdits) {
  const TempFolder folder;
  const TempFolder own;
  for (const Example& game : kExamples) {
    folder.write("roms/" + game.stem + ".gba", demo::gba_rom(game.header, game.code, "SRAM_V113"));
    folder.write("saves/" + game.stem + ".sav", test::random_bytes(0x8000, 1));
  }
  const Path file = own / "bays.toml";
  const auto learned = learn_bay(disk(), {}, "den", folder.path());
  ASSERT_TRUE(learned);
  auto list = *BayList::load(disk(), file);
  ASSERT_TRUE(list.put_learned(disk(), file, *learned));
  Bytes bytes = test::read(file);
  std::string text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
  text = "# my words\n" + text + "# and below\n";
  text.replace(text.find("saves/{stem}.sav"), 16, "saves/{stem}.{{x}}");
  own.write("bays.toml", text);
  folder.write("extra/" + kExamples[0].stem + ".bak", test::random_bytes(0x8000, 9));
  list = *BayList::load(disk(), file);
  const auto again = learn_bay(disk(), {}, "den", folder.path());
  ASSERT_TRUE(again);
  const auto kept = list.put_learned(disk(), file, *again);
  ASSERT_TRUE(kept);
  // The user's pattern explains nothing any more, so both learned ones are added behind it.
  ASSERT_EQ(kept->shelves.size(), 3U);
  EXPECT_EQ(kept->shelves[0].pattern, "saves/{stem}.{{x}}");
  bytes = test::read(file);
  EXPECT_TRUE(
      std::string(reinterpret_cast<const char*>(bytes.data()), bytes.size()).starts_with(text));
  // A third time adds nothing.
  ASSERT_TRUE(list.put_learned(disk(), file, *again));
  EXPECT_EQ(test::read(file), bytes);
}

}  // namespace
}  // namespace bayswap
