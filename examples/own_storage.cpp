// Carries a save onto a device that is no folder of this machine: a storage of your own stands in.
//
// The device of this example is a list of files in memory. What lies below "/device" is on it;
// everything else is left to the machine's own file system. The game was started on the device
// once, so that an empty save lies there: the carry imitates and replaces it.
#include <bayswap/carry.h>

#include <algorithm>
#include <iostream>
#include <map>
#include <string>

namespace {

using bayswap::Bytes;
using bayswap::ByteView;
using bayswap::Code;
using bayswap::FileInfo;
using bayswap::FileType;
using bayswap::Path;
using bayswap::Result;
using bayswap::Trouble;

class DeviceStorage final : public bayswap::Storage {
 public:
  DeviceStorage() { files_["/device"] = {{}, {FileType::folder}}; }

  void print() const {
    for (const auto& [path, file] : files_)
      if (file.info.type == FileType::file)
        std::cout << path << ", " << file.bytes.size() << " bytes, " << in_use(file.bytes)
                  << " of them in use\n";
  }

  Result<FileInfo> info(const Path& path) override {
    if (!on_device(path)) return bayswap::disk().info(path);
    const auto found = files_.find(path.string());
    if (found == files_.end()) return missing(path);
    return found->second.info;
  }

  Result<bayswap::FileView> view(const Path& path, std::uint64_t limit) override {
    if (!on_device(path)) return bayswap::disk().view(path, limit);
    const auto found = files_.find(path.string());
    if (found == files_.end()) return missing(path);
    if (found->second.bytes.size() > limit)
      return bayswap::fail(Trouble::input, Code::too_large, path.string() + " is too large");
    return bayswap::FileView(found->second.bytes);
  }

  Result<std::vector<std::string>> list(const Path& folder) override {
    if (!on_device(folder)) return bayswap::disk().list(folder);
    const auto found = files_.find(folder.string());
    if (found == files_.end()) return missing(folder);
    if (found->second.info.type != FileType::folder)
      return bayswap::fail(Trouble::input, Code::unreadable, folder.string() + " is not a folder");
    std::vector<std::string> names;
    for (const auto& [path, file] : files_)
      if (Path(path) != folder && Path(path).parent_path() == folder)
        names.push_back(Path(path).filename().string());
    return names;
  }

  Result<void> create(const Path& path, ByteView bytes, std::uint32_t mode) override {
    if (!on_device(path)) return bayswap::disk().create(path, bytes, mode);
    FileInfo info{FileType::file};
    info.size = bytes.size();
    info.mode = mode;
    return add(path, {{bytes.begin(), bytes.end()}, info});
  }

  Result<void> make_folder(const Path& path) override {
    if (!on_device(path)) return bayswap::disk().make_folder(path);
    return add(path, {{}, {FileType::folder}});
  }

  // Moves between the device and the machine are made by copying, so none is asked for here.
  Result<void> rename(const Path& from, const Path& to) override {
    if (!on_device(from) && !on_device(to)) return bayswap::disk().rename(from, to);
    auto file = files_.extract(from.string());
    if (file.empty()) return missing(from);
    file.key() = to.string();
    files_.erase(to.string());
    files_.insert(std::move(file));
    return {};
  }

  Result<void> remove(const Path& path) override {
    if (!on_device(path)) return bayswap::disk().remove(path);
    if (files_.erase(path.string()) == 0) return missing(path);
    return {};
  }

  Result<void> remove_folder(const Path& path) override {
    if (!on_device(path)) return bayswap::disk().remove_folder(path);
    if (const auto names = list(path); !names || !names->empty()) return failed(path, "not empty");
    files_.erase(path.string());
    return {};
  }

  Result<void> set_modified(const Path& path, std::int64_t modified_ns) override {
    if (!on_device(path)) return bayswap::disk().set_modified(path, modified_ns);
    const auto found = files_.find(path.string());
    if (found == files_.end()) return missing(path);
    found->second.info.modified_ns = modified_ns;
    return {};
  }

  // A device over a cable would send what it has not sent yet.
  Result<void> flush_folder(const Path& path) override {
    return on_device(path) ? Result<void>{} : bayswap::disk().flush_folder(path);
  }

 private:
  struct File {
    Bytes bytes;
    FileInfo info;
  };

  static std::ptrdiff_t in_use(const Bytes& bytes) {
    return std::ranges::count_if(bytes, [](std::byte byte) { return byte != std::byte{0xFF}; });
  }
  static bool on_device(const Path& path) { return path.string().starts_with("/device"); }
  static tl::unexpected<bayswap::Error> missing(const Path& path) {
    return bayswap::fail(Trouble::input, Code::missing, path.string() + " is not there");
  }
  static tl::unexpected<bayswap::Error> failed(const Path& path, const std::string& why) {
    return bayswap::fail(Trouble::place, Code::place_failed, path.string() + ": " + why);
  }
  Result<void> add(const Path& path, File file) {
    if (!files_.contains(path.parent_path().string())) return failed(path, "no such folder");
    if (!files_.emplace(path.string(), std::move(file)).second) return failed(path, "exists");
    return {};
  }

  std::map<std::string, File> files_;
};

int fail(const bayswap::Error& error) {
  std::cerr << error.text << "\n" << error.hint.text() << "\n";
  return 1;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 3) {
    std::cerr << "usage: own_storage SAVE OWN-FOLDER\n";
    return 2;
  }
  DeviceStorage storage;
  const Path save = argv[1];
  const Path own = argv[2];
  const Path there = "/device" / save.filename();
  const auto source = storage.info(save);
  if (!source) return fail(source.error());
  const Bytes erased(static_cast<std::size_t>(source->size), std::byte{0xFF});
  if (const auto made = storage.create(there, erased, 0644); !made) return fail(made.error());

  auto session = bayswap::Session::open(storage, {own / "config", own / "data"});
  if (!session) return fail(session.error());
  bayswap::CarryRequest request;
  request.saves = {save.string()};
  request.to = there.string();
  const auto carried = bayswap::carry(*session, request);
  if (!carried) return fail(carried.error());
  for (const bayswap::MoveReport& move : carried->moves) {
    std::cout << to_string(move.status) << ": " << move.to << "\n";
    for (const bayswap::Finding& check : move.checks) std::cout << "  " << check.text << "\n";
  }
  storage.print();
  const auto back = undo(*session, "", {});
  if (!back) return fail(back.error());
  std::cout << "after undo:\n";
  storage.print();
  return 0;
}
