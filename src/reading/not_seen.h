// What the program of a bay will not see: saves under names, regions and accounts that its games do
// not have.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "bayswap/look.h"
#include "places/inspect.h"

namespace bayswap {

/// For a file on a shelf of a known bay: that no ROM there has the name that the file bears, and
/// what mends it. Nothing when the program will see it, or no ROM tells.
[[nodiscard]] std::optional<Finding> name_not_seen(RomFolders& folders, const Inspection& found);

/// Accounts of a bay and how many saves lie under each.
class AccountsInUse {
 public:
  /// `titles`: the folders that are saves.
  AccountsInUse(const std::vector<Bay>& bays, const std::vector<std::string>& titles);
  /// For a title's save: that it lies under an account that hardly plays there.
  [[nodiscard]] std::optional<Finding> not_seen(const std::string& folder) const;

 private:
  struct Place {
    const Bay* bay = nullptr;
    std::string account;
    std::string title;  // the path without its account
  };
  std::map<std::string, Place> places_;  // by folder
  std::map<const Bay*, std::map<std::string, std::size_t>> counts_;
};

}  // namespace bayswap
