// Running a program as a process.
#pragma once

#include <sys/wait.h>
#include <unistd.h>

#include <cstdlib>
#include <string>
#include <vector>

#include "support/folder.h"

namespace bayswap::test {

struct Outcome {
  int status = -1;
  std::string out;
  std::string err;
};

/// `environment`: NAME=VALUE pairs added to the process's own.
inline Outcome run_program(const std::vector<std::string>& words, const Path& folder,
                           const std::vector<std::string>& environment) {
  const TempFolder streams;
  const Path out = streams / "out";
  const Path err = streams / "err";
  const pid_t child = ::fork();
  if (child == 0) {
    if (::freopen(out.c_str(), "w", stdout) == nullptr ||
        ::freopen(err.c_str(), "w", stderr) == nullptr || ::chdir(folder.c_str()) != 0)
      ::_exit(126);
    for (const std::string& pair : environment) {
      const std::size_t equals = pair.find('=');
      ::setenv(pair.substr(0, equals).c_str(), pair.substr(equals + 1).c_str(), 1);
    }
    std::vector<char*> arguments;
    for (const std::string& word : words) arguments.push_back(const_cast<char*>(word.c_str()));
    arguments.push_back(nullptr);
    ::execvp(arguments[0], arguments.data());
    ::_exit(127);
  }
  int status = 0;
  ::waitpid(child, &status, 0);
  const auto text = [](const Path& path) {
    const Bytes bytes = read(path);
    return std::string(reinterpret_cast<const char*>(bytes.data()), bytes.size());
  };
  return {WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status), text(out), text(err)};
}

}  // namespace bayswap::test
