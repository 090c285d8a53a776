#include "cli/story.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <filesystem>
#include <ostream>
#include <sstream>
#include <string_view>
#include <system_error>

#include "cli/render/shell.h"
#include "cli/render/style.h"
#include "core/bytes/text.h"
#include "demo/world.h"

namespace bayswap::cli {
namespace {

class Story {
 public:
  Story(const Path& folder, const Surroundings& surroundings)
      : folder_(folder),
        shown_(surroundings.out),
        style_(surroundings.colour, surroundings.width),
        colour_(surroundings.colour) {}

  /// What follows is told, or only done: later scenes build on it.
  void tell(bool aloud) { aloud_ = aloud; }

  void scene(const std::string& title, const std::string& thought) {
    ++scene_;
    out() << "\n"
          << style_.paint(Tone::title, fmt::format("{}. {}", scene_, title)) << "\n"
          << wrapped(thought, style_.width(), 0) << "\n";
  }

  void say(const std::string& thought) {
    out() << "\n" << wrapped(thought, style_.width(), 0) << "\n";
  }

  // Runs a command as a person would type it, and remembers when it ends otherwise than told.
  void run(const std::vector<std::string>& words, int expected = 0) {
    run_with(demo::places(folder_), "", words, expected);
  }

  // The same on one of several devices.
  void run_on(const std::string& device, const std::vector<std::string>& words, int expected = 0) {
    run_with(demo::places_of_device(folder_, device), device, words, expected);
  }

  void expect(const Result<void>& outcome) { surprised_ = surprised_ || !outcome; }
  [[nodiscard]] int status() const { return surprised_ ? 1 : 0; }

 private:
  // Nobody reads what a scene that is not told says.
  std::ostream& out() {
    unread_.str("");
    return aloud_ ? shown_ : unread_;
  }

  void run_with(const Places& places, const std::string& device,
                const std::vector<std::string>& words, int expected) {
    std::string line = device + "$ bayswap";
    for (const std::string& word : words) line += " " + shell_word(word);
    out() << "\n" << style_.paint(Tone::good, line) << "\n";
    const Surroundings surroundings{places, out(), out(), colour_, style_.width()};
    const int status = run_tool(words, surroundings);
    if (status == expected) return;
    out() << style_.paint(Tone::bad, fmt::format("(the story expected exit status {}, this was {})",
                                                 expected, status))
          << "\n";
    surprised_ = true;
  }

  Path folder_;
  std::ostream& shown_;
  std::ostringstream unread_;
  bool aloud_ = true;
  Style style_;
  bool colour_;
  int scene_ = 0;
  bool surprised_ = false;
};

void tell_of_places(Story& story, const Path& /*folder*/) {
  story.scene(
      "Three places",
      "Some cartridges were dumped into one folder. The den's programs keep their saves in one "
      "folder, one container for each game. The ferry handheld keeps saves beside the ROMs. "
      "Nothing about these habits is built in: Bay Swap looks at what lies there.");
  story.run({"bay", "learn", "dumps", "reader"});
  story.run({"bay", "learn", "den", "den"});
  story.run({"bay", "learn", "ferry", "ferry"});
}

void tell_of_dumps(Story& story, const Path& /*folder*/) {
  story.scene("What is in the dumps?", "One chip of one game, in the order of the hardware.");
  story.run({"look", "reader/Copper Tide (America).sra", "reader/Glacier Post (America).mpk"});
  story.scene("Into the den",
              "First the plan: it writes nothing and says what would happen, and why.");
  story.run({"carry", "dumps:Copper Tide", "--to", "den", "--plan"});
  story.run({"carry", "dumps:Copper Tide", "--to", "den"});
  story.say(
      "Glacier Post keeps its progress in an EEPROM and on a controller pak. Both find their "
      "place in the one container; what else is in it stays.");
  story.run({"carry", "dumps:Glacier Post", "--to", "den"});
}

void tell_of_return(Story& story, const Path& folder) {
  story.scene("An evening later",
              "Copper Tide was played in the den. The newer progress goes back as a chip file that "
              "the cartridge can take.");
  story.expect(demo::play_evening(folder / "den/saves/Copper Tide (America).srm"));
  story.run({"carry", "den:Copper Tide", "--to", "dumps"});
}

void tell_of_names_and_clocks(Story& story, const Path& /*folder*/) {
  story.scene("The right name",
              "The dump is called LANTERN DRIFT. The den has the European and the Japanese ROM: "
              "the header of the dumped ROM says which of them it is.");
  story.run({"carry", "dumps:LANTERN DRIFT", "--to", "den"});
  story.scene(
      "The clock keeps running",
      "Tin Orchard's cartridge has a clock. The handheld stores it in 44 bytes, the den in 48.");
  story.run({"carry", "ferry:Tin Orchard", "--to", "den"});
}

void tell_of_refusals(Story& story, const Path& /*folder*/) {
  story.scene("What cannot work is not done", "A dead battery gives a file, but no progress.");
  story.run({"carry", "reader/dead battery/Lantern Drift.srm", "--to", "den", "--rom",
             "den/roms/snes/Lantern Drift (Europe).sfc"},
            1);
  story.say("This one is named like a save, but it is the snapshot of a program.");
  story.run({"carry", "downloads/Lantern Drift (Europe).srm", "--to", "den"}, 1);
  story.say("And this one belongs to the European game; the den has the American one.");
  story.run({"carry", "downloads/Copper Tide (Europe).sra", "--to", "den"}, 1);
}

void tell_of_a_drawer(Story& story, const Path& /*folder*/) {
  story.scene("A drawer of cartridges",
              "Which chip, which order, is it alive? The ROMs say, and so do the bytes.");
  story.run({"look", "drawer/Quarry Choir.srm", "drawer/Moss & Motor (Europe).gba",
             "drawer/Lighthouse Ledger.sav"});
  story.say("Two dumps of one cartridge that should be the same:");
  story.run({"look", "drawer/Ember Atlas.sav", "drawer/Ember Atlas (second dump).sav"});
}

void tell_of_cards(Story& story, const Path& /*folder*/) {
  story.scene("Memory cards",
              "A card is a set of saves plus free space. This one came from the den.");
  story.run({"bay", "learn", "attic", "attic"});
  story.run({"card", "show", "den/cards/left.card"});
  story.say(
      "The attic's console has a European card: a game does not see saves of another region.");
  story.run({"carry", "attic:BESLES-00418NIGHT", "--to", "den", "--plan"}, 1);
  story.say("Velvet Signal goes to the attic, onto a card with an error-correcting code.");
  story.run({"carry", "den:BASLUS-20731VELVET", "--to", "attic"});
  story.say("And this card is one that its console calls failed.");
  story.run({"card", "mend", "downloads/failed.card", "-o", "rescued.card"});
}

void tell_of_versions(Story& story, const Path& /*folder*/) {
  story.scene("What was there last week?",
              "Everything that was replaced or written is in history. What is there now goes there "
              "on request, and any version can come back.");
  story.run({"keep", "den", "--reason", "before the weekend"});
  story.run({"history", "den:Copper Tide"});
  story.run({"restore", "den:Copper Tide", "--at", "v2"});
  story.run({"undo"});
  story.run({"history", "verify"});
}

void tell_of_small_cards(Story& story, const Path& /*folder*/) {
  story.scene("Small cards",
              "Consoles keep saves inside, in controllers, and in cartridges: cards all the same. "
              "Brass Meridian moves from the console's own memory onto a cartridge.");
  story.run({"card", "put", "closet/meridian cartridge.bram",
             "closet/meridian internal.bram:MERIDIAN_02"});
  story.run({"card", "show", "closet/meridian cartridge.bram"});
  story.say("A controller pak inside a container is a card too.");
  story.run({"card", "show", "den/saves/Glacier Post (America).srm:pak1"});
}

void tell_of_titles(Story& story, const Path& /*folder*/) {
  story.scene(
      "Titles",
      "Newer consoles keep saves as folders under hex ids and accounts. The desk has copies; "
      "the console plays under another account.");
  story.run({"bay", "learn", "desk", "cabinet/desk"});
  story.run({"bay", "learn", "console", "cabinet/console"});
  story.run({"carry", "desk:Halyard", "--to", "console"});
  story.say("This game needs a file that its neighbours share; it goes along.");
  story.run({"carry", "desk:Kite Foundry", "--to", "console"});
  story.run({"carry", "desk:Northern Relay", "--to", "console"});
  story.say(
      "Packages have names that say nothing. What they hold, and how they call themselves, stands "
      "inside; the console's profile decides where one goes.");
  const std::string freight = "cabinet/desk/x360/E000014A5B6C7D8E/58360801/00000001/";
  story.run({"card", "show", freight + "FREIGHT01"});
  story.run({"carry", freight + "FREIGHT01", "--to", "console"});
  story.run({"carry", "desk:Saltmarsh Circuit", "--to", "console"});
}

void tell_of_states(Story& story, const Path& /*folder*/) {
  story.scene(
      "Save states",
      "Dune Semaphore's console has no save chips, so its players have states. The wharf and the "
      "pier run the same program; the shed runs another one.");
  for (const char* bay : {"wharf", "pier", "shed"}) story.run({"bay", "learn", bay, bay});
  story.run({"state", "list", "wharf"});
  story.run({"carry", "wharf/states/Dune Semaphore (1982) (Quay Works).st5", "--to", "pier",
             "--slot", "free"});
  story.run({"carry", "wharf/states/Dune Semaphore (1982) (Quay Works).st5", "--to", "shed"}, 1);
  story.say(
      "Of a program that is gone, only a state is left. An older save shows where in it the newer "
      "one "
      "lies.");
  story.run({"state", "dig", "wreck/Lantern Drift.state4", "--like",
             "wreck/Lantern Drift, last summer.srm", "-o", "Lantern Drift, dug out.srm"});
}

void tell_of_undo(Story& story, const Path& /*folder*/) {
  story.scene(
      "Second thoughts",
      "The last move brought Saltmarsh Circuit to the console. It can be taken back to the byte, "
      "and so can the one before.");
  story.run({"undo"});
  story.run({"undo"});
}

// The simulated reader is a program that is built and installed beside this one.
Path reader_program() {
  std::error_code failed;
  const Path own = std::filesystem::read_symlink("/proc/self/exe", failed);
  const Path reader = own.parent_path() / "bayswap-reader";
  return !failed && std::filesystem::exists(reader, failed) ? reader : Path();
}

void tell_of_cartridge(Story& story, const Path& /*folder*/) {
  story.scene(
      "The cartridge itself",
      "A reader is a place like any other: what is in it says what it is. This one is "
      "simulated, and its contacts are dirty: some of what it writes does not take at first.");
  const Path reader = reader_program();
  if (reader.empty()) return story.say("(The simulated reader is not installed here.)");
  const std::string port =
      fmt::format("run:'{}' 'reader/LANTERN DRIFT.sfc' 'reader/LANTERN DRIFT.srm' --ignored 100",
                  reader.string());
  story.run({"bay", "learn", "reader", "--port", port});
  story.say("The Japanese save is refused. The one of last summer belongs to this game.");
  story.run({"carry", "den/saves/Lantern Drift (Japan).srm", "--to", "reader"}, 1);
  story.run({"cart", "write", "wreck/Lantern Drift, last summer.srm", "--port", "reader"});
  story.run({"undo"});
}

void tell_of_fields(Story& story, const Path& /*folder*/) {
  story.scene(
      "Values inside a save",
      "Somebody wrote a map of the orchard book: what its bytes mean, which values the game "
      "would hold, and its three checksums. A cartridge is dumped, changed, and written.");
  const Path reader = reader_program();
  if (reader.empty()) return story.say("(The simulated reader is not installed here.)");
  const std::string port =
      fmt::format("run:'{}' 'workshop/Tin Orchard.gb' 'workshop/Tin Orchard.sav'", reader.string());
  const std::string dump = "workshop/dump.sav";
  story.run({"cart", "dump", "save", "--port", port, "-o", dump});
  story.run({"field", "show", dump, "day", "oil", "baskets", "chest", "pickers"});
  story.say("A wage that is on no pay list would be no wage.");
  story.run({"field", "set", dump, "pickers[1].wage=41"}, 1);
  story.run({"field", "set", dump, "pickers[1].wage=25", "oil=20"});
  story.run({"field", "check", dump});
  story.run({"cart", "write", dump, "--port", port});
  story.run({"history", dump});
}

// Three devices with programs of their own, and a folder that all of them see.
void tell_of_sync(Story& story, const Path& folder) {
  story.scene("Kept in step",
              "The den, the ferry handheld and the attic console meet in a folder: a stick, or a "
              "share. Nothing runs there. Each keeps its own names and layouts.");
  std::error_code failed;
  std::filesystem::create_directory(folder / "stick", failed);
  for (const std::string device : {"den", "ferry", "attic"}) {
    story.run_on(device, {"bay", "learn", device, device});
    story.run_on(device, {"hub", "join", "stick", "--as", device});
  }
  story.run_on("den", {"sync"});
  story.run_on("ferry", {"sync"});
  story.say("The ferry and the den have the same progress in Tin Orchard. A trip later:");
  const Path trip = folder / "ferry/gb/Tin Orchard (Europe).sav";
  story.expect(demo::play_trip(trip));
  story.run_on("ferry", {"sync"});
  story.run_on("den", {"sync"});
  story.say("On the ferry the battery dies. A blank save goes nowhere, and replaces nothing.");
  story.expect(demo::empty_battery(trip));
  story.run_on("ferry", {"sync"}, 1);
  story.say("The attic's card and the den's have one save that went on in both places.");
  story.run_on("attic", {"sync"}, 1);
  story.run_on("attic", {"sync", "--take", "BASLUS-20731CONFIG", "--from", "attic"});
  story.run_on("den", {"sync"});
  story.run_on("den", {"hub", "show"});
}

struct Scene {
  std::string_view word;
  void (*tell)(Story&, const Path&);
  bool at_first;  // told when nobody asks for more
};

constexpr std::array<Scene, 15> kScenes{{{"places", tell_of_places, false},
                                         {"dumps", tell_of_dumps, true},
                                         {"return", tell_of_return, false},
                                         {"names", tell_of_names_and_clocks, false},
                                         {"refusals", tell_of_refusals, true},
                                         {"drawer", tell_of_a_drawer, false},
                                         {"cards", tell_of_cards, false},
                                         {"small-cards", tell_of_small_cards, false},
                                         {"states", tell_of_states, false},
                                         {"titles", tell_of_titles, false},
                                         {"undo", tell_of_undo, true},
                                         {"versions", tell_of_versions, false},
                                         {"cartridge", tell_of_cartridge, false},
                                         {"fields", tell_of_fields, false},
                                         {"sync", tell_of_sync, false}}};

bool is_told(const Scene& scene, const StoryChoice& choice) {
  if (choice.all) return true;
  return choice.scene.empty() ? scene.at_first : scene.word == choice.scene;
}

}  // namespace

std::vector<std::string> scenes_of_story() {
  std::vector<std::string> words;
  for (const Scene& scene : kScenes) words.emplace_back(scene.word);
  return words;
}

int tell_story(const Path& folder, const StoryChoice& choice, const Surroundings& surroundings) {
  std::error_code problem;
  const Path before = std::filesystem::current_path(problem);
  std::filesystem::current_path(folder, problem);
  if (problem) return static_cast<int>(Trouble::place);
  Story story(folder, surroundings);
  surroundings.out << "The demo world is in " << folder.string() << "\n";
  const auto last = std::find_if(kScenes.rbegin(), kScenes.rend(),
                                 [&](const Scene& scene) { return is_told(scene, choice); });
  for (auto scene = kScenes.begin(); scene != last.base(); ++scene) {
    story.tell(is_told(*scene, choice));
    scene->tell(story, folder);
  }
  story.tell(true);
  if (!choice.all)
    story.say(fmt::format(
        "All of it: bayswap demo DIR --all. One scene: bayswap demo DIR --scene WORD, of {}.",
        list_text(scenes_of_story())));
  story.say(fmt::format("Look around in {}; it is yours to try things on.", folder.string()));
  std::filesystem::current_path(before, problem);
  return story.status();
}

}  // namespace bayswap::cli
