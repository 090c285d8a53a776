// How far an operation is, and how to stop it.
//
// Library bayswap_core. Which thread is called is said at Progress.
#pragma once

#include <cstdint>

#pragma GCC visibility push(default)

namespace bayswap {

/// What an operation counts while it works.
enum class Work { files, saves, versions, bytes, cartridge, hub };  // the last three in bytes

/// Told by every operation that can take long: one call at a time, mostly on the thread that
/// called the operation.
class Progress {
 public:
  virtual ~Progress() = default;
  /// So much is done, of so much in all (0: not known yet). False asks the operation to stop: it
  /// ends with the error `cancelled`, and leaves nothing half-done.
  virtual bool report(Work work, std::uint64_t done, std::uint64_t all) = 0;
};

}  // namespace bayswap

#pragma GCC visibility pop
