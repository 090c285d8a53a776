#include "files/open_files.h"

#include <fcntl.h>
#include <fmt/core.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <charconv>
#include <csignal>
#include <fstream>

#include "core/bytes/text.h"

namespace bayswap {
namespace {

enum class Held { no, yes, unknown };

// The kernel grants a read lease only where nobody has the file open for writing.
Held held_by_lease(const Path& path) {
  const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOFOLLOW);
  if (fd < 0) return Held::unknown;
  Held held = Held::unknown;
  // Whoever opens it in this moment waits until the lease is back. The signal that tells of it
  // would end the process, so that it is made one that is ignored.
  if (::fcntl(fd, F_SETSIG, SIGURG) == 0) {
    if (::fcntl(fd, F_SETLEASE, F_RDLCK) == 0) {
      held = Held::no;
      (void)::fcntl(fd, F_SETLEASE, F_UNLCK);
    } else if (errno == EAGAIN) {
      held = Held::yes;
    }
  }
  ::close(fd);
  return held;
}

bool is_number(const std::string& name) {
  return !name.empty() && std::ranges::all_of(name, [](char c) { return c >= '0' && c <= '9'; });
}

bool writes(const Path& process, const std::string& number) {
  std::ifstream info(process / "fdinfo" / number);
  for (std::string line; std::getline(info, line);) {
    if (!line.starts_with("flags:")) continue;
    const std::string digits = line.substr(line.find_first_not_of(" \t", 6));
    unsigned flags = 0;
    std::from_chars(digits.data(), digits.data() + digits.size(), flags, 8);
    return (flags & O_ACCMODE) != O_RDONLY;
  }
  return false;
}

std::string named(const Path& process) {
  std::ifstream file(process / "comm");
  std::string name;
  std::getline(file, name);
  return fmt::format("{} (process {})", name.empty() ? "a program" : safe_text(name),
                     process.filename().string());
}

// A process, other than this one, that writes to the file.
std::string writer_among_processes(const Path& path) {
  struct stat wanted {};
  if (::stat(path.c_str(), &wanted) != 0) return {};
  std::error_code problem;
  const std::string own = std::to_string(::getpid());
  for (std::filesystem::directory_iterator at("/proc", problem), end; !problem && at != end;
       at.increment(problem)) {
    const Path& process = at->path();
    const std::string number = process.filename().string();
    if (!is_number(number) || number == own) continue;
    std::error_code ended;
    for (std::filesystem::directory_iterator fd(process / "fd", ended), last; !ended && fd != last;
         fd.increment(ended)) {
      struct stat open {};
      if (::stat(fd->path().c_str(), &open) != 0 || open.st_ino != wanted.st_ino ||
          open.st_dev != wanted.st_dev)
        continue;
      if (writes(process, fd->path().filename().string())) return named(process);
    }
  }
  return {};
}

}  // namespace

std::string writer_of_file(const Path& path) {
  const Held held = held_by_lease(path);
  if (held == Held::no) return {};
  std::string writer = writer_among_processes(path);
  if (writer.empty() && held == Held::yes) writer = "another program";
  return writer;
}

}  // namespace bayswap
