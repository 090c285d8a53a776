#include "bayswap/watch.h"

#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <set>
#include <tuple>

#include "files/folder_watch.h"
#include "sync/local_saves.h"

namespace bayswap {
namespace {

using Clock = std::chrono::steady_clock;
using std::chrono::milliseconds;
using std::chrono::minutes;
using std::chrono::seconds;

constexpr milliseconds kStep{250};  // between looks at whether to go on
constexpr milliseconds kShortestPause{2000};
constexpr milliseconds kLongestPause{60'000};
constexpr minutes kLively{10};
constexpr int kGrowth = 2;  // of the pause, each time nothing is new

class Watcher {
 public:
  Watcher(Session& session, const WatchRequest& request) : session_(session), request_(request) {}

  Result<void> run() {
    begin_bays();
    tell({WatchEvent::What::begun, {}, {}, {}});
    if (auto first = sync_now(); !first) return first;
    while (request_.go_on()) {
      notice();
      const auto now = Clock::now();
      if (dirty_ && now - changed_ < request_.quiet) continue;
      if (dirty_ && somebody_writes()) continue;
      if (!dirty_ && now < next_look_) continue;
      if (auto synced = sync_now(); !synced) return synced;
    }
    tell({WatchEvent::What::ended, {}, {}, {}});
    return {};
  }

 private:
  void tell(const WatchEvent& event) const {
    if (request_.tell) request_.tell(event);
  }

  [[nodiscard]] bool is_chosen(const Bay& bay) const {
    const auto& names = request_.sync.bays;
    if (bay.port) return false;
    return names.empty() || std::ranges::find(names, bay.name) != names.end();
  }

  void begin_bays() {
    polled_.clear();
    for (const Bay& bay : session_.bays.bays())
      if (is_chosen(bay) && !folders_.add(bay.place)) polled_[&bay] = stamp_of_bay(session_, bay);
  }

  // What changed, by the system's word or by looking.
  void notice() {
    const std::set<Path> changed = folders_.wait(kStep);
    files_.insert(changed.begin(), changed.end());
    bool any = !changed.empty();
    const auto now = Clock::now();
    if (now - polled_at_ >= kShortestPause) {
      polled_at_ = now;
      for (auto& [bay, stamp] : polled_) {
        // A file that changed just now has no stamp yet.
        std::string there = stamp_of_bay(session_, *bay);
        any = any || there != stamp || there.empty();
        stamp = std::move(there);
      }
    }
    if (!any) return;
    dirty_ = true;
    changed_ = now;
  }

  // Programs that hold a changed file open are waited for.
  bool somebody_writes() {
    for (const Path& file : files_) {
      const std::string program = session_.storage->writer_of(file);
      if (program.empty()) continue;
      if (program != told_program_) {
        told_program_ = program;
        tell({WatchEvent::What::waiting, {}, {}, program});
      }
      changed_ = Clock::now();
      return true;
    }
    told_program_.clear();
    return false;
  }

  Result<void> sync_now() {
    dirty_ = false;
    files_.clear();
    const auto report = sync(session_, request_.sync);
    const auto now = Clock::now();
    if (!report && report.error().trouble == Trouble::usage) return tl::unexpected(report.error());
    if (!report) {
      say_failed(report.error());
    } else if (report->failed) {
      say_failed(*report->failed);
    } else if (failed_) {
      failed_.reset();
      begin_bays();  // what a removed medium's folders told is over
      tell({WatchEvent::What::back, {}, {}, {}});
    }
    const bool moved = report && !(report->published.empty() && report->carried.empty());
    if (report && (moved || standing_of(*report) != standing_)) {
      standing_ = standing_of(*report);
      tell({WatchEvent::What::synced, *report, {}, {}});
    }
    if (moved) lively_ = now;
    const bool lively = now - std::max(lively_, changed_) < kLively;
    pause_ = lively ? kShortestPause : std::min(pause_ * kGrowth, kLongestPause);
    next_look_ = now + pause_;
    // What was written by the sync itself is not a change.
    for (auto& [bay, stamp] : polled_) stamp = stamp_of_bay(session_, *bay);
    return {};
  }

  void say_failed(const Error& error) {
    if (failed_ && failed_->code == error.code && failed_->text == error.text) return;
    failed_ = error;
    tell({WatchEvent::What::failed, {}, error, {}});
  }

  // What needs somebody: told again only when it changes.
  using Standing = std::set<std::tuple<int, std::string, std::string, std::string>>;
  static Standing standing_of(const SyncReport& report) {
    Standing standing;
    const auto add = [&](int list, const std::vector<SyncItem>& items) {
      for (const SyncItem& item : items) {
        std::string versions;
        for (const SyncItem::Side& side : item.sides) versions += side.version;
        standing.emplace(list, item.game.title + item.label + item.slot, item.bay, versions);
      }
    };
    add(0, report.conflicts);
    add(1, report.held);
    add(2, report.missing);
    return standing;
  }

  Session& session_;
  const WatchRequest& request_;
  FolderWatch folders_;
  std::map<const Bay*, std::string> polled_;  // stamps of bays that have to be looked at
  Clock::time_point polled_at_ = Clock::now();
  bool dirty_ = false;
  Clock::time_point changed_ = Clock::now();
  Clock::time_point lively_ = Clock::now();
  Clock::time_point next_look_ = Clock::now();
  milliseconds pause_ = kShortestPause;
  std::set<Path> files_;  // that changed since the last sync
  std::string told_program_;
  std::optional<Error> failed_;
  Standing standing_;
};

}  // namespace

Result<void> watch(Session& session, const WatchRequest& request) {
  return Watcher(session, request).run();
}

}  // namespace bayswap
