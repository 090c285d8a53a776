// Packages on their way to open folders, and open folders on their way into packages.
#pragma once

#include <vector>

#include "moves/target.h"

namespace bayswap {

/// The files inside of a package, as a save of its own name. `source`: a package, or one file of
/// it. Errors: `damaged`.
[[nodiscard]] Result<Source> opened_package(Session& session, const Source& source);

/// A package with the files of a save in it instead of its own of these names. Files that it has no
/// name for stay behind, and are named in `left`. Errors: `no-match` when it has none of the names;
/// those of CardLayout::change().
struct FilledPackage {
  Bytes bytes;
  std::vector<std::string> left;
};
[[nodiscard]] Result<FilledPackage> filled_package(const CardLayout& layout, ByteView package,
                                                   const Save& save);

/// What a new save needs beside its own files, as all others of its title there have it: further
/// files in its folder, and files elsewhere that bear its name. `others`: the folders of these
/// saves; the youngest one's files are taken.
struct FilesBeside {
  Path from;  ///< empty: the others have nothing more
  std::vector<FileChange> changes;
};
[[nodiscard]] Result<FilesBeside> files_beside(Session& session, const std::vector<Path>& others,
                                               const Save& save, const Path& folder);

}  // namespace bayswap
