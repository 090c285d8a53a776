#include "moves/accounts.h"

#include <fmt/core.h>

#include "core/bytes/text.h"

namespace bayswap {

std::optional<std::string> choose_account(const std::map<std::string, std::size_t>& there,
                                          const std::string& own, const std::string& wanted,
                                          Checks& checks) {
  if (!wanted.empty()) {
    const std::string account = lower_ascii(wanted);
    if (!there.empty() && !there.contains(account))
      checks.note({Level::note, Code::new_account,
                   fmt::format("no save there is under account {} yet", safe_text(account)), ""});
    return account;
  }
  if (there.empty()) return own;
  if (there.size() == 1) {
    const std::string& only = there.begin()->first;
    if (own != only)
      checks.note({Level::note, Code::account,
                   fmt::format("goes under account {}, the only one there", only), ""});
    return only;
  }
  std::vector<std::string> choices;
  for (const auto& [account, saves] : there)
    choices.push_back(fmt::format("{} ({})", account, counted(saves, "save")));
  (void)checks.add(
      {Level::error,
       Code::many_match,
       fmt::format("several accounts play there: {}", list_text(choices)),
       {"a save shows only under the account that plays; choose it with ", Remedy::account}});
  return std::nullopt;
}

}  // namespace bayswap
