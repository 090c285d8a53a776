#include "files/turn_lock.h"

#include <fcntl.h>
#include <fmt/core.h>
#include <sys/file.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <cstring>
#include <thread>

#include "core/bytes/text.h"

namespace bayswap {

Result<TurnLock> take_turn(const Path& file) {
  using Clock = std::chrono::steady_clock;
  constexpr std::chrono::seconds kPatience{30};
  constexpr std::chrono::milliseconds kBetweenTries{20};
  const std::string name = file.string() + "-turn";
  const int fd = ::open(name.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0600);
  if (fd < 0)
    return fail(Trouble::place, Code::history_failed,
                fmt::format("{}: cannot be made: {}", safe_text(name), std::strerror(errno)),
                "check the folder that it lies in; nothing was changed");
  const auto end = Clock::now() + kPatience;
  while (::flock(fd, LOCK_EX | LOCK_NB) != 0) {
    if (errno != EWOULDBLOCK && errno != EINTR) break;  // a file system without locks
    if (Clock::now() > end) {
      ::close(fd);
      return fail(Trouble::place, Code::history_failed, "another bayswap is at work",
                  "wait until it is done, and try again; nothing was changed");
    }
    std::this_thread::sleep_for(kBetweenTries);
  }
  return TurnLock(nullptr, [fd](const void*) { ::close(fd); });
}

}  // namespace bayswap
