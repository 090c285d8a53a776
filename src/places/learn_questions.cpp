#include "places/learn_questions.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"

namespace bayswap {

// Names whose case is lost cannot be read back, so no pattern has them.
void LearnQuestions::ask_of_letters(const std::string& path, std::size_t files) {
  questions_.push_back(fmt::format(
      "{}: {} {} a ROM's name or title, but in other capitals and small letters, and such a name "
      "cannot be read back; give one of them the ROM's exact name, see whether the program still "
      "finds it, and learn again",
      path, counted(files, "file"), files == 1 ? "has" : "have"));
}

void LearnQuestions::ask_of_words(const std::string& pattern, std::size_t saves, System system) {
  questions_.push_back(fmt::format(
      "{}: {} saves of {} lie there, each under a word of its own in the place of '…'; no ROM "
      "has that word, so where another game's save belongs cannot be told; if you know, write "
      "the shelf by hand in bays.toml",
      pattern, saves, to_string(system)));
}

void LearnQuestions::ask_of_systems(const std::string& pattern,
                                    const std::vector<std::string>& systems, std::size_t files) {
  questions_.push_back(fmt::format(
      "{}: {} could be of {}: each has a ROM of that name; start a game there that only "
      "one of them has, save in it, and learn again; or write the shelf by hand in bays.toml",
      pattern, counted(files, "file"), joined(systems, " or ")));
}

// A question is asked only where one shelf would hold several files, and readings fit equally.
void LearnQuestions::ask_of_layouts(const std::string& pattern,
                                    const std::map<std::string, std::size_t>& layouts) {
  std::size_t most = 0;
  for (const auto& [id, files] : layouts) most = std::max(most, files);
  if (most < 2) return;
  std::vector<std::string> ids;
  for (const auto& [id, files] : layouts)
    if (files == most) ids.push_back(id);
  constexpr std::size_t kShown = 6;
  const bool more = ids.size() > kShown;
  ids.resize(std::min(ids.size(), kShown));
  questions_.push_back(
      fmt::format("{}: {} could be {}{}; learn the place together with the folder of their "
                  "ROMs, or write the shelf by hand in bays.toml",
                  pattern, counted(most, "file"), joined(ids, " or "), more ? " or others" : ""));
}

}  // namespace bayswap
