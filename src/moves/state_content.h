// A state with everything in it that can be unpacked.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "bayswap/storage.h"
#include "core/packing/inner_streams.h"
#include "core/states/sections.h"

namespace bayswap {

/// Bytes in which a save may lie: the state's content, or a packed section of it.
struct Ground {
  ByteView bytes;
  std::string inside;      ///< which packed section; empty for the content itself
  std::size_t offset = 0;  ///< of the packed section in the content
  const std::vector<InnerStream>* streams = nullptr;  ///< of the content; null for a section
  std::vector<Section> sections;                      ///< named ones

  /// Whether some of these bytes belong to a packed section: what they mean is inside of it.
  [[nodiscard]] bool is_packed(std::size_t at, std::size_t size) const;
  /// Whether the state says that something of just this size is here.
  [[nodiscard]] bool has_section(std::size_t at, std::size_t size) const;
};

class StateContent {
 public:
  /// Errors: `missing`, `unreadable`, `too-large`, `damaged`.
  static Result<StateContent> open(Storage& storage, const Path& path);
  /// The content first. They point into this object.
  [[nodiscard]] std::vector<Ground> grounds() const;

 private:
  explicit StateContent(FileView file) : file_(std::move(file)) {}
  [[nodiscard]] ByteView content() const {
    return unpacked_ ? ByteView(*unpacked_) : file_.bytes();
  }
  FileView file_;
  std::optional<Bytes> unpacked_;  // nothing: the file is the content
  std::vector<InnerStream> streams_;
  std::vector<Section> sections_;
};

}  // namespace bayswap
