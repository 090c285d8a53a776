// A temporary folder, files in it, and a snapshot of everything below it.
#pragma once

#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <map>
#include <span>
#include <string>

#include "bayswap/bytes.h"
#include "core/bytes/hash.h"

namespace bayswap::test {

using Path = std::filesystem::path;

class TempFolder {
 public:
  TempFolder() {
    std::string pattern = (std::filesystem::temp_directory_path() / "bayswap-test-XXXXXX").string();
    path_ = ::mkdtemp(pattern.data());
  }
  ~TempFolder() {
    std::error_code ignored;
    std::filesystem::remove_all(path_, ignored);
  }
  TempFolder(const TempFolder&) = delete;
  TempFolder& operator=(const TempFolder&) = delete;

  [[nodiscard]] const Path& path() const { return path_; }
  [[nodiscard]] Path operator/(const std::string& name) const { return path_ / name; }

  Path write(const std::string& name, ByteView bytes, int age_days = 0) const {
    const Path full = path_ / name;
    std::filesystem::create_directories(full.parent_path());
    std::ofstream file(full, std::ios::binary | std::ios::trunc);
    file.write(reinterpret_cast<const char*>(bytes.data()),
               static_cast<std::streamsize>(bytes.size()));
    file.close();
    if (age_days > 0)
      std::filesystem::last_write_time(
          full, std::filesystem::file_time_type::clock::now() - std::chrono::hours(24 * age_days));
    return full;
  }
  Path write(const std::string& name, const std::string& text) const {
    return write(name, std::as_bytes(std::span(text)));
  }

 private:
  Path path_;
};

inline Bytes read(const Path& path) {
  std::ifstream file(path, std::ios::binary);
  Bytes all;
  std::array<char, 0x10000> block{};
  while (file.read(block.data(), block.size()), file.gcount() > 0) {
    const auto bytes =
        std::as_bytes(std::span(block).first(static_cast<std::size_t>(file.gcount())));
    all.insert(all.end(), bytes.begin(), bytes.end());
  }
  return all;
}

inline std::string text_of(const Path& path) {
  const Bytes bytes = read(path);
  return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

/// Names, contents, modes and times (to the nanosecond) of everything below a folder.
inline std::map<std::string, std::string> snapshot(const Path& folder) {
  std::map<std::string, std::string> found;
  const auto note = [&](const Path& path) {
    struct stat status {};
    ::lstat(path.c_str(), &status);
    std::string text = std::to_string(status.st_mode) + " " +
                       std::to_string(status.st_mtim.tv_sec) + "." +
                       std::to_string(status.st_mtim.tv_nsec);
    if (S_ISREG(status.st_mode)) {
      text += " " + sha256_hex(read(path));
    }
    found[path.lexically_relative(folder).string()] = text;
  };
  note(folder);
  for (const auto& entry : std::filesystem::recursive_directory_iterator(folder))
    note(entry.path());
  return found;
}

/// The bytes of every file below a folder, by relative path.
inline std::map<std::string, Bytes> contents(const Path& folder) {
  std::map<std::string, Bytes> found;
  if (!std::filesystem::exists(folder)) return found;
  for (const auto& entry : std::filesystem::recursive_directory_iterator(folder))
    if (entry.is_regular_file())
      found[entry.path().lexically_relative(folder).string()] = read(entry.path());
  return found;
}

}  // namespace bayswap::test
