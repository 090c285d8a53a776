#include "cli/completion.h"

#include <algorithm>

#include "bayswap/code.h"
#include "bayswap/layout.h"
#include "bayswap/shown_card.h"

namespace bayswap::cli {
namespace {

std::vector<std::string> option_names(const CommandInfo& command) {
  std::vector<std::string> names;
  for (const OptionInfo& option : command.options)
    if (!option.is_argument) names.insert(names.end(), option.names.begin(), option.names.end());
  return names;
}

const OptionInfo* option_called(const CommandInfo& command, const std::string& word) {
  for (const OptionInfo& option : command.options)
    if (!option.is_argument && std::ranges::find(option.names, word) != option.names.end())
      return &option;
  return nullptr;
}

std::vector<std::string> bay_names(const Session* session, const std::string& behind) {
  std::vector<std::string> names;
  if (session != nullptr)
    for (const Bay& bay : session->bays.bays()) names.push_back(bay.name + behind);
  return names;
}

// What lies on a card, each behind `before`.
std::vector<std::string> saves_on(Session* session, const std::string& card,
                                  const std::string& before) {
  std::vector<std::string> names;
  if (session == nullptr) return names;
  if (const auto shown = show_card(*session, card, {}))
    for (const CardSave& save : shown->card.saves) names.push_back(before + save.save.name);
  return names;
}

// What may stand for a value: by the word that stands for it in the help.
std::vector<std::string> values_for(const std::string& value, const std::string& begun,
                                    Session* session) {
  std::vector<std::string> words;
  if (value == "LAYOUT")
    for (const auto& layout : layouts().all()) words.push_back(layout->info().id);
  if (value == "CODE")
    for (const CodeInfo& code : all_codes())
      if (code.may_pass) words.emplace_back(code.name);
  if (value == "SYSTEM")
    for (const System system : all_systems()) words.emplace_back(to_string(system));
  if (value == "BAY" || value == "PLACE" || value == "--to" || value == "--from")
    words = bay_names(session, "");
  if (value == "SAVE" || value == "CARD:NAME") {
    words = bay_names(session, ":");
    if (const auto colon = begun.rfind(':'); colon != std::string::npos) {
      const auto saves = saves_on(session, begun.substr(0, colon), begun.substr(0, colon + 1));
      words.insert(words.end(), saves.begin(), saves.end());
    }
  }
  return words;
}

// What may follow the arguments that a command has got: a command in it, or the next argument.
std::vector<std::string> next_words(const CommandInfo& command,
                                    const std::vector<std::string>& arguments,
                                    const std::string& begun, Session* session) {
  std::vector<std::string> words;
  for (const CommandInfo& inner : command.commands) words.push_back(inner.name);
  std::vector<const OptionInfo*> wanted;
  for (const OptionInfo& option : command.options)
    if (option.is_argument) wanted.push_back(&option);
  if (wanted.empty()) return words;
  const std::string& value = wanted[std::min(arguments.size(), wanted.size() - 1)]->value;
  // The first argument can only be a bay's name; after a card it is that of a save on it.
  if (value == "NAME")
    return arguments.empty() ? bay_names(session, "") : saves_on(session, arguments.front(), "");
  return values_for(value, begun, session);
}

}  // namespace

std::vector<std::string> completions(const CommandInfo& root, std::span<const std::string> words,
                                     Session* session) {
  if (words.empty()) return {};
  const CommandInfo* command = &root;
  const OptionInfo* waiting = nullptr;  // for its value
  std::vector<std::string> arguments;
  for (const std::string& word : words.first(words.size() - 1)) {
    const bool is_value = waiting != nullptr;
    waiting = nullptr;
    if (is_value) continue;
    if (word.starts_with('-')) {
      const OptionInfo* option = option_called(*command, word);
      if (option != nullptr && !option->value.empty()) waiting = option;
    } else if (const CommandInfo* inner = command->command(word)) {
      command = inner;
    } else {
      arguments.push_back(word);
    }
  }
  const std::string& begun = words.back();
  std::vector<std::string> found;
  if (waiting != nullptr) {
    found = values_for(waiting->value, begun, session);
  } else if (begun.starts_with('-')) {
    found = option_names(*command);
  } else {
    found = next_words(*command, arguments, begun, session);
  }
  std::erase_if(found, [&](const std::string& word) { return !word.starts_with(begun); });
  std::ranges::sort(found);
  return found;
}

}  // namespace bayswap::cli
