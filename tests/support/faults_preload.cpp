// A library that is loaded into the tool before all others. One of its changing system calls fails,
// writes half of what it should, or is its last.
//
// BAYSWAP_FAULT_AT: which one, from 1. BAYSWAP_FAULT_KIND: kill, error, full (this one and all that
// need room after it), short; others: another program, the shell script BAYSWAP_FAULT_SCRIPT, runs
// right before the call; others-kill: the same, and the call is not reached. BAYSWAP_FAULT_COUNT: a
// file that is told how many there were.
#include <dlfcn.h>
#include <fcntl.h>
#include <spawn.h>
#include <sys/stat.h>
#include <sys/types.h>
#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <csignal>
#include <cstdarg>
#include <cstdio>
#include <cstdlib>
#include <cstring>

namespace {

enum class Kind { none, kill, error, full, half, others, others_kill };

struct Plan {
  long at = 0;
  Kind kind = Kind::none;
  Plan() {
    const char* number = std::getenv("BAYSWAP_FAULT_AT");
    const char* word = std::getenv("BAYSWAP_FAULT_KIND");
    at = number == nullptr ? 0 : std::atol(number);
    const auto is = [&](const char* wanted) {
      return word != nullptr && std::strcmp(word, wanted) == 0;
    };
    if (is("kill")) kind = Kind::kill;
    if (is("error")) kind = Kind::error;
    if (is("full")) kind = Kind::full;
    if (is("short")) kind = Kind::half;
    if (is("others")) kind = Kind::others;
    if (is("others-kill")) kind = Kind::others_kill;
  }
};

const Plan& plan() {
  static const Plan instance;
  return instance;
}

std::atomic<long> count{0};

enum class Verdict { pass, fail, half };

// Another program, without this library.
void let_others_act() {
  const char* script = std::getenv("BAYSWAP_FAULT_SCRIPT");
  if (script == nullptr) return;
  char shell[] = "/bin/sh";
  char path[] = "PATH=/usr/bin:/bin";
  char* words[] = {shell, const_cast<char*>(script), nullptr};
  char* environment[] = {path, nullptr};
  pid_t child = 0;
  int status = 0;
  if (::posix_spawn(&child, shell, nullptr, nullptr, words, environment) == 0)
    ::waitpid(child, &status, 0);
}

// `room`: whether the call needs room on the medium.
Verdict judge(bool room, bool can_be_short) {
  const long number = ++count;
  const Plan& faults = plan();
  if (faults.kind == Kind::full && faults.at > 0 && number >= faults.at && room) {
    errno = ENOSPC;
    return Verdict::fail;
  }
  if (number != faults.at) return Verdict::pass;
  if (faults.kind == Kind::others || faults.kind == Kind::others_kill) {
    const int before = errno;
    let_others_act();
    errno = before;
  }
  if (faults.kind == Kind::kill || faults.kind == Kind::others_kill) ::kill(::getpid(), SIGKILL);
  if (faults.kind == Kind::error) {
    errno = EIO;
    return Verdict::fail;
  }
  return faults.kind == Kind::half && can_be_short ? Verdict::half : Verdict::pass;
}

template <class Function>
Function* real(const char* name) {
  return reinterpret_cast<Function*>(::dlsym(RTLD_NEXT, name));
}

bool is_terminal(int fd) {
  return fd == STDOUT_FILENO || fd == STDERR_FILENO;
}

__attribute__((destructor)) void tell() {
  const char* path = std::getenv("BAYSWAP_FAULT_COUNT");
  if (path == nullptr) return;
  if (std::FILE* file = std::fopen(path, "w")) {
    std::fprintf(file, "%ld\n", count.load());
    std::fclose(file);
  }
}

int opened(const char* name, const char* path, int flags, mode_t mode) {
  const bool nameless = (flags & O_TMPFILE) == O_TMPFILE;
  if (((flags & (O_CREAT | O_TRUNC)) != 0 || nameless) && judge(true, false) == Verdict::fail)
    return -1;
  return real<int(const char*, int, ...)>(name)(path, flags, mode);
}

mode_t mode_from(int flags, va_list& rest) {
  const bool makes = (flags & O_CREAT) != 0 || (flags & O_TMPFILE) == O_TMPFILE;
  return makes ? static_cast<mode_t>(va_arg(rest, unsigned)) : 0;
}

}  // namespace

extern "C" {

int open(const char* path, int flags, ...) {
  va_list rest;
  va_start(rest, flags);
  const mode_t mode = mode_from(flags, rest);
  va_end(rest);
  return opened("open", path, flags, mode);
}

int open64(const char* path, int flags, ...) {
  va_list rest;
  va_start(rest, flags);
  const mode_t mode = mode_from(flags, rest);
  va_end(rest);
  return opened("open64", path, flags, mode);
}

ssize_t write(int fd, const void* data, size_t size) {
  const auto next = real<ssize_t(int, const void*, size_t)>("write");
  if (is_terminal(fd)) return next(fd, data, size);
  const Verdict verdict = judge(true, size > 1);
  if (verdict == Verdict::fail) return -1;
  return next(fd, data, verdict == Verdict::half ? size / 2 : size);
}

ssize_t pwrite64(int fd, const void* data, size_t size, off64_t at) {
  const auto next = real<ssize_t(int, const void*, size_t, off64_t)>("pwrite64");
  const Verdict verdict = judge(true, size > 1);
  if (verdict == Verdict::fail) return -1;
  return next(fd, data, verdict == Verdict::half ? size / 2 : size, at);
}

ssize_t pwrite(int fd, const void* data, size_t size, off_t at) {
  return pwrite64(fd, data, size, at);
}

int fsync(int fd) {
  return judge(false, false) == Verdict::fail ? -1 : real<int(int)>("fsync")(fd);
}

int fdatasync(int fd) {
  return judge(false, false) == Verdict::fail ? -1 : real<int(int)>("fdatasync")(fd);
}

int ftruncate64(int fd, off64_t size) {
  return judge(true, false) == Verdict::fail ? -1
                                             : real<int(int, off64_t)>("ftruncate64")(fd, size);
}

int ftruncate(int fd, off_t size) {
  return ftruncate64(fd, size);
}

int rename(const char* from, const char* to) {
  return judge(false, false) == Verdict::fail
             ? -1
             : real<int(const char*, const char*)>("rename")(from, to);
}

int renameat2(int from_folder, const char* from, int to_folder, const char* to, unsigned flags) {
  const auto next = real<int(int, const char*, int, const char*, unsigned)>("renameat2");
  return judge(false, false) == Verdict::fail ? -1 : next(from_folder, from, to_folder, to, flags);
}

int linkat(int from_folder, const char* from, int to_folder, const char* to, int flags) {
  const auto next = real<int(int, const char*, int, const char*, int)>("linkat");
  return judge(true, false) == Verdict::fail ? -1 : next(from_folder, from, to_folder, to, flags);
}

int unlink(const char* path) {
  return judge(false, false) == Verdict::fail ? -1 : real<int(const char*)>("unlink")(path);
}

int mkdir(const char* path, mode_t mode) {
  return judge(true, false) == Verdict::fail ? -1
                                             : real<int(const char*, mode_t)>("mkdir")(path, mode);
}

int rmdir(const char* path) {
  return judge(false, false) == Verdict::fail ? -1 : real<int(const char*)>("rmdir")(path);
}

int utimensat(int fd, const char* path, const timespec times[2], int flags) {
  const auto next = real<int(int, const char*, const timespec*, int)>("utimensat");
  return judge(false, false) == Verdict::fail ? -1 : next(fd, path, times, flags);
}

}  // extern "C"
