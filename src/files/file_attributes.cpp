#include "files/file_attributes.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <sys/xattr.h>

#include <algorithm>

#include "files/descriptor.h"

namespace bayswap {
namespace {

// The names of a file's extended attributes, each ended by a NUL.
std::string attribute_names(int file) {
  const ssize_t size = ::flistxattr(file, nullptr, 0);
  std::string names(static_cast<std::size_t>(std::max<ssize_t>(size, 0)), '\0');
  const ssize_t got = ::flistxattr(file, names.data(), names.size());
  names.resize(static_cast<std::size_t>(std::max<ssize_t>(got, 0)));
  return names;
}

bool copy_attribute(int from, int to, const char* name) {
  const ssize_t size = ::fgetxattr(from, name, nullptr, 0);
  if (size < 0) return false;
  std::string value(static_cast<std::size_t>(size), '\0');
  const ssize_t got = ::fgetxattr(from, name, value.data(), value.size());
  return got == size && ::fsetxattr(to, name, value.data(), value.size(), 0) == 0;
}

}  // namespace

std::vector<std::string> copy_file_attributes(const Path& from, const Path& to) {
  const int how = O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK;
  const Descriptor source(::open(from.c_str(), how));
  const Descriptor target(::open(to.c_str(), how));
  struct stat old {};
  struct stat now {};
  if (!source.open() || !target.open() || ::fstat(source.get(), &old) != 0 ||
      ::fstat(target.get(), &now) != 0)
    return {"mode"};
  std::vector<std::string> lost;
  // The owner first: a change of owner takes special bits off the mode.
  if ((old.st_uid != now.st_uid || old.st_gid != now.st_gid) &&
      ::fchown(target.get(), old.st_uid, old.st_gid) != 0) {
    if (old.st_uid != now.st_uid) lost.emplace_back("owner");
    if (old.st_gid != now.st_gid && ::fchown(target.get(), static_cast<uid_t>(-1), old.st_gid) != 0)
      lost.emplace_back("group");
  }
  const std::string names = attribute_names(source.get());
  for (std::size_t at = 0; at < names.size(); at += names.find('\0', at) - at + 1) {
    const char* name = names.c_str() + at;
    if (!copy_attribute(source.get(), target.get(), name))
      lost.push_back(std::string("attribute ") + name);
  }
  const mode_t mode = old.st_mode & 07777U;
  if ((now.st_mode & 07777U) != mode && ::fchmod(target.get(), mode) != 0)
    lost.emplace_back("mode");
  return lost;
}

}  // namespace bayswap
