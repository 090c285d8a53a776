#include "files/folder_watch.h"

#include <poll.h>
#include <sys/inotify.h>
#include <sys/statfs.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <filesystem>

namespace bayswap {
namespace {

// Writing that goes on is not told, only its end.
constexpr std::uint32_t kChanges =
    IN_CLOSE_WRITE | IN_MODIFY | IN_CREATE | IN_DELETE | IN_MOVED_FROM | IN_MOVED_TO;

// File systems that others change without the system's knowing.
bool tells_of_all_changes(const Path& folder) {
  constexpr std::array<std::uint32_t, 8> kSilent{
      0x6969,      // nfs
      0x517B,      // smb
      0xFF534D42,  // cifs
      0xFE534D42,  // smb2
      0x65735546,  // fuse
      0x01021997,  // 9p
      0x4D44,      // fat
      0x2011BAB0,  // exfat
  };
  struct statfs status {};
  return ::statfs(folder.c_str(), &status) == 0 &&
         std::ranges::find(kSilent, static_cast<std::uint32_t>(status.f_type)) == kSilent.end();
}

}  // namespace

FolderWatch::FolderWatch() : descriptor_(::inotify_init1(IN_NONBLOCK | IN_CLOEXEC)) {}

FolderWatch::~FolderWatch() {
  if (descriptor_ >= 0) ::close(descriptor_);
}

bool FolderWatch::add_one(const Path& folder) {
  const int watch = ::inotify_add_watch(descriptor_, folder.c_str(), kChanges | IN_ONLYDIR);
  if (watch < 0) return false;
  folders_[watch] = folder;
  return true;
}

bool FolderWatch::add(const Path& folder) {
  namespace fs = std::filesystem;
  if (descriptor_ < 0 || !tells_of_all_changes(folder) || !add_one(folder)) return false;
  bool all = true;
  std::error_code failed;
  for (fs::recursive_directory_iterator
           at(folder, fs::directory_options::skip_permission_denied, failed),
       end;
       !failed && at != end; at.increment(failed))
    if (at->is_directory(failed) && !at->is_symlink(failed)) all = add_one(at->path()) && all;
  return all && !failed;
}

std::set<Path> FolderWatch::wait(std::chrono::milliseconds most) {
  std::set<Path> changed;
  pollfd ready{descriptor_, POLLIN, 0};
  if (::poll(&ready, 1, static_cast<int>(most.count())) <= 0) return changed;
  alignas(inotify_event) std::array<char, 16'384> room{};
  for (;;) {
    const ssize_t got = ::read(descriptor_, room.data(), room.size());
    if (got <= 0) return changed;
    for (ssize_t at = 0; at < got;) {
      inotify_event event{};
      std::memcpy(&event, room.data() + at, sizeof event);
      const char* name = room.data() + at + sizeof event;
      at += static_cast<ssize_t>(sizeof event + event.len);
      const auto folder = folders_.find(event.wd);
      if (folder == folders_.end()) continue;
      const Path path = event.len > 0 ? folder->second / name : folder->second;
      changed.insert(path);
      if ((event.mask & IN_ISDIR) != 0 && (event.mask & (IN_CREATE | IN_MOVED_TO)) != 0)
        (void)add(path);
      if ((event.mask & IN_IGNORED) != 0) folders_.erase(folder);
    }
  }
}

}  // namespace bayswap
