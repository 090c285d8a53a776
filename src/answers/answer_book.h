// What commands said about folders in which nothing has changed since. A cache: it can be deleted
// at any time, and a damaged one is no more than a missing one.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/session.h"

namespace bayswap {

/// A cell of a text that tells how old a file is, and so is written anew each time.
struct AgeCell {
  std::size_t offset = 0;
  std::int64_t modified_ns = 0;  ///< since 1970
};

struct Answer {
  int status = 0;
  std::string text;
  std::vector<AgeCell> ages;
};

class AnswerBook {
 public:
  AnswerBook(Storage& storage, const Places& places) : storage_(storage), places_(places) {}

  /// The answer to the same question, when nothing below its folders and in the user's own files
  /// has changed. The question holds all that the answer depends on besides. `prepare` works on the
  /// answer while it is still being found out whether it holds.
  [[nodiscard]] std::optional<Answer> recall(const std::string& question,
                                             const std::function<void(Answer&)>& prepare = {});

  /// To be called before the folder is read.
  void begin(const Path& folder);
  /// The answer, once it is given. Folders of ROMs that the session's bays have elsewhere count as
  /// read too, and so do the files and folders of `read_too`.
  void remember(const std::string& question, const Session& session, const Answer& answer,
                const std::vector<Path>& read_too = {});

 private:
  [[nodiscard]] Path file_of(const std::string& question) const;
  void make_room(const Path& folder);

  Storage& storage_;
  const Places& places_;
  Path folder_;
  std::int64_t begun_ns_ = 0;
};

}  // namespace bayswap
