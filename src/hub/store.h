// What a hub asks of a place: get, put, list, remove and make folders. Nothing runs there.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/result.h"

namespace bayswap {

/// Names are relative paths of letters, digits, `-`, `.` and `/`. Errors of all calls:
/// Trouble::place (`hub-failed`) when the place can't be reached or written. One thread at a time.
class HubStore {
 public:
  virtual ~HubStore() = default;
  /// Nothing when nothing has the name. Errors: `too-large` beyond the limit, in bytes.
  [[nodiscard]] virtual Result<std::optional<Bytes>> get(const std::string& name,
                                                         std::uint64_t limit) = 0;
  /// For content that is named after what it holds: where something has the name, either may stay.
  /// What was cut off may be seen.
  [[nodiscard]] virtual Result<void> put(const std::string& name, ByteView bytes) = 0;
  /// False when something has the name already: that stays as it is. What was cut off is never
  /// seen under the name.
  [[nodiscard]] virtual Result<bool> put_new(const std::string& name, ByteView bytes) = 0;
  /// Names in a folder, without the folder's; none when it is not there. May be stale.
  [[nodiscard]] virtual Result<std::vector<std::string>> list(const std::string& folder) = 0;
  /// Nothing is wrong when it is there already.
  [[nodiscard]] virtual Result<void> make_folder(const std::string& name) = 0;
  /// Nothing is wrong when it is gone already.
  [[nodiscard]] virtual Result<void> remove(const std::string& name) = 0;
  /// Everything that was put is on the medium when it returns.
  [[nodiscard]] virtual Result<void> flush() = 0;
  /// Whether a listing costs next to nothing: no network is asked.
  [[nodiscard]] virtual bool is_near() const = 0;
  /// For people.
  [[nodiscard]] virtual std::string where() const = 0;
};

}  // namespace bayswap
