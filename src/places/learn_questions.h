// What learning a bay could not tell, as questions for people.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "bayswap/game.h"

namespace bayswap {

class LearnQuestions {
 public:
  /// Names with a ROM's letters in another case.
  void ask_of_letters(const std::string& path, std::size_t files);
  /// Saves under words that no ROM has.
  void ask_of_words(const std::string& pattern, std::size_t saves, System system);
  /// Names that ROMs of several systems have.
  void ask_of_systems(const std::string& pattern, const std::vector<std::string>& systems,
                      std::size_t files);
  /// Files that several layouts fit equally; `layouts`: how many files fit each.
  void ask_of_layouts(const std::string& pattern,
                      const std::map<std::string, std::size_t>& layouts);
  void add(std::string question) { questions_.push_back(std::move(question)); }

  [[nodiscard]] const std::vector<std::string>& all() const { return questions_; }

 private:
  std::vector<std::string> questions_;
};

}  // namespace bayswap
