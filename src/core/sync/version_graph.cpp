#include "core/sync/version_graph.h"

#include <algorithm>
#include <numeric>

namespace bayswap {

// Sets that grow together.
class VersionGraph::Union {
 public:
  explicit Union(std::size_t count) : above_(count) {
    std::iota(above_.begin(), above_.end(), std::size_t{0});
  }
  std::size_t of(std::size_t item) {
    while (above_[item] != item) item = above_[item] = above_[above_[item]];
    return item;
  }
  // The smaller number stands for both, so that the order of joining does not matter.
  void join(std::size_t a, std::size_t b) {
    a = of(a);
    b = of(b);
    above_[std::max(a, b)] = std::min(a, b);
  }

 private:
  std::vector<std::size_t> above_;
};

VersionGraph::VersionGraph(std::vector<SaveVersion> versions) {
  take_known(std::move(versions));
  group();
  find_heads();
}

// Parents first; what refers to unknown ones waits, and so does what follows it.
void VersionGraph::take_known(std::vector<SaveVersion> versions) {
  std::ranges::sort(versions, {}, &SaveVersion::id);
  versions.erase(
      std::unique(versions.begin(), versions.end(),
                  [](const SaveVersion& a, const SaveVersion& b) { return a.id == b.id; }),
      versions.end());
  std::map<std::string, std::vector<std::size_t>> children;
  std::vector<std::size_t> missing(versions.size());
  std::vector<std::size_t> ready;
  for (std::size_t i = 0; i < versions.size(); ++i) {
    missing[i] = versions[i].parents.size();
    for (const std::string& parent : versions[i].parents) children[parent].push_back(i);
    if (missing[i] == 0) ready.push_back(i);
  }
  std::vector<std::size_t> order;
  for (std::size_t next = 0; next < ready.size(); ++next) {
    order.push_back(ready[next]);
    const auto found = children.find(versions[ready[next]].id);
    if (found == children.end()) continue;
    for (const std::size_t child : found->second)
      if (--missing[child] == 0) ready.push_back(child);
  }
  waiting_ = versions.size() - order.size();
  for (const std::size_t i : order) {
    place_.emplace(versions[i].id, versions_.size());
    versions_.push_back(std::move(versions[i]));
  }
}

// Versions with one title are of one save, unless their strong names contradict each other: then
// those without any are only joined to each other.
void VersionGraph::join_by_title(const std::vector<IdentityNames>& names, Union& sets) {
  struct Titled {
    std::vector<std::size_t> all;
    std::vector<std::size_t> nameless;
    std::map<std::string, std::set<std::string>> strong;  // by kind
  };
  std::map<std::size_t, std::map<std::string, std::string>> strong_of;  // by set
  for (std::size_t i = 0; i < names.size(); ++i)
    strong_of[sets.of(i)].insert(names[i].strong.begin(), names[i].strong.end());
  std::map<std::string, Titled> titled;
  for (std::size_t i = 0; i < names.size(); ++i) {
    if (names[i].weak.empty()) continue;
    Titled& one = titled[names[i].weak];
    one.all.push_back(i);
    const auto& strong = strong_of[sets.of(i)];
    if (strong.empty()) one.nameless.push_back(i);
    for (const auto& [kind, name] : strong) one.strong[kind].insert(name);
  }
  for (const auto& [title, one] : titled) {
    const bool contradict =
        std::ranges::any_of(one.strong, [](const auto& kind) { return kind.second.size() > 1; });
    const auto& joined = contradict ? one.nameless : one.all;
    for (const std::size_t i : joined) sets.join(i, joined.front());
  }
}

void VersionGraph::group() {
  Union sets(versions_.size());
  std::vector<IdentityNames> names;
  std::map<std::string, std::size_t> first;  // version with a strong name
  for (std::size_t i = 0; i < versions_.size(); ++i) {
    names.push_back(names_of(versions_[i].identity));
    for (const auto& [kind, name] : names[i].strong)
      sets.join(i, first.emplace(name, i).first->second);
    for (const std::string& parent : versions_[i].parents) sets.join(i, place_.at(parent));
  }
  join_by_title(names, sets);
  std::map<std::size_t, std::size_t> save_of_set;
  for (std::size_t i = 0; i < versions_.size(); ++i) {
    const auto [save, made] = save_of_set.emplace(sets.of(i), saves_.size());
    if (made) saves_.emplace_back();
    saves_[save->second].versions.push_back(i);
    save_of_.push_back(save->second);
    for (const auto& [kind, name] : names[i].strong) named_[name].insert(save->second);
    if (!names[i].weak.empty()) named_[names[i].weak].insert(save->second);
  }
}

void VersionGraph::find_heads() {
  std::set<std::string> followed;
  for (const SaveVersion& version : versions_)
    followed.insert(version.parents.begin(), version.parents.end());
  for (SyncedSave& save : saves_) {
    for (const std::size_t place : save.versions)
      if (!followed.contains(versions_[place].id)) save.tips.push_back(place);
    std::map<std::size_t, std::set<Digest>> before;
    if (save.tips.size() > 1)
      for (const std::size_t tip : save.tips) before[tip] = progress_before(tip);
    const auto repeats = [&](std::size_t tip, std::size_t other) {
      return versions_[tip].progress != versions_[other].progress &&
             before[other].contains(versions_[tip].progress) && !versions_[tip].on_purpose;
    };
    std::map<Digest, std::size_t> heads;  // the last of those that hold the same stands for them
    for (const std::size_t tip : save.tips) {
      const bool behind = std::ranges::any_of(save.tips, [&](std::size_t other) {
        return repeats(tip, other) && !repeats(other, tip);
      });
      if (!behind) heads.insert_or_assign(versions_[tip].progress, tip);
    }
    for (const auto& [progress, tip] : heads) save.heads.push_back(tip);
    std::ranges::sort(save.heads);
  }
}

std::set<Digest> VersionGraph::progress_before(std::size_t version) const {
  std::set<Digest> progress;
  std::set<std::size_t> seen;
  std::vector<std::size_t> open{version};
  while (!open.empty()) {
    const SaveVersion& at = versions_[open.back()];
    open.pop_back();
    for (const std::string& parent : at.parents) {
      const std::size_t place = place_.at(parent);
      if (!seen.insert(place).second) continue;
      progress.insert(versions_[place].progress);
      open.push_back(place);
    }
  }
  return progress;
}

const SaveVersion* VersionGraph::find(const std::string& id) const {
  const auto found = place_.find(id);
  return found == place_.end() ? nullptr : &versions_[found->second];
}

const SyncedSave* VersionGraph::save_of(const std::string& id) const {
  const auto found = place_.find(id);
  return found == place_.end() ? nullptr : &saves_[save_of_[found->second]];
}

const SyncedSave* VersionGraph::save_named(const IdentityNames& names) const {
  std::set<std::size_t> fits;
  for (const auto& [kind, name] : names.strong)
    if (const auto found = named_.find(name); found != named_.end())
      fits.insert(found->second.begin(), found->second.end());
  if (fits.empty() && !names.weak.empty())
    if (const auto found = named_.find(names.weak); found != named_.end()) fits = found->second;
  return fits.size() == 1 ? &saves_[*fits.begin()] : nullptr;
}

bool VersionGraph::is_before(const std::string& older, const std::string& newer) const {
  std::vector<std::string> open{newer};
  std::set<std::string> seen;
  while (!open.empty()) {
    const SaveVersion* version = find(open.back());
    open.pop_back();
    if (version == nullptr) continue;
    for (const std::string& parent : version->parents) {
      if (parent == older) return true;
      if (seen.insert(parent).second) open.push_back(parent);
    }
  }
  return false;
}

}  // namespace bayswap
