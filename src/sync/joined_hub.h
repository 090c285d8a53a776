// The hub that this device has joined, with all journals as far as they are known.
#pragma once

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "core/sync/version_graph.h"
#include "hub/hub.h"
#include "sync/local_state.h"

namespace bayswap {

/// The store behind an address: a folder, or an http or https URL. Errors: `usage`, `hub-failed`.
[[nodiscard]] Result<std::unique_ptr<HubStore>> open_store(Session& session,
                                                           const std::string& where);

/// Where what is remembered of the joined hub lies.
[[nodiscard]] StateFolder hub_state(Session& session);

/// The hub of a state; where it is sealed, with the key that is kept. Errors: `hub-failed`,
/// `hub-differs`, `unreadable`.
[[nodiscard]] Result<Hub> open_hub(Session& session, const StateFolder& folder,
                                   const std::string& where, const std::string& id);

class JoinedHub {
 public:
  /// Opens the hub of the state and reads what is new on it. Errors: `no-match` when none is
  /// joined; `hub-failed`, `hub-differs`. What is damaged there is in notes().
  [[nodiscard]] static Result<JoinedHub> open(Session& session, StateFolder folder);

  [[nodiscard]] Hub& hub() { return *hub_; }
  [[nodiscard]] LocalState& state() { return state_; }
  [[nodiscard]] const LocalState& state() const { return state_; }
  /// The hub's folder or URL.
  [[nodiscard]] const std::string& place() const { return state_.where; }
  [[nodiscard]] const StateFolder& folder() const { return folder_; }
  [[nodiscard]] const VersionGraph& graph() const { return graph_; }
  /// Sound journals by the devices' ids.
  [[nodiscard]] const std::map<std::string, std::vector<JournalEntry>>& journals() const {
    return journals_;
  }
  [[nodiscard]] const Findings& notes() const { return notes_; }
  /// The device's name; its id where it is not known.
  [[nodiscard]] std::string name_of(const std::string& device) const;
  /// Ids of versions that were let go.
  [[nodiscard]] const std::set<std::string>& let_go() const { return let_go_; }

  /// Objects that some device could not read.
  [[nodiscard]] const std::set<Digest>& wanted() const { return wanted_; }

  /// What stands in one journal entry.
  struct News {
    std::vector<SaveVersion> versions;
    std::vector<std::string> let_go;
    std::vector<Digest> wanted;
  };
  /// Writes it into this device's journal. The versions' content has to be on the hub already.
  /// Gives the versions' ids. Errors: `hub-failed`.
  Result<std::vector<std::string>> publish(const News& news, std::int64_t now_ns);
  /// Asks the others for objects, unless somebody did already.
  Result<void> ask_for(std::vector<Digest> objects, std::int64_t now_ns);
  /// Writes versions; for a plan only here, as if they had been published.
  Result<std::vector<std::string>> make_known(std::vector<SaveVersion> versions, bool plan,
                                              std::int64_t now_ns);

 private:
  JoinedHub(StateFolder folder, LocalState state)
      : folder_(std::move(folder)), state_(std::move(state)) {}
  Result<void> load();
  Result<void> check_own();
  void become_new_device();
  void build_graph();
  std::vector<std::string> pretend(std::vector<SaveVersion> versions);

  StateFolder folder_;
  LocalState state_;
  TurnLock turn_;  // as long as it is open
  std::unique_ptr<Hub> hub_;
  std::map<std::string, std::vector<JournalEntry>> journals_;
  std::set<std::string> let_go_;
  std::set<Digest> wanted_;
  VersionGraph graph_{{}};
  Findings notes_;
};

}  // namespace bayswap
