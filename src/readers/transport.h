// A stream of bytes to a reader and back, and the clock that goes with it.
#pragma once

#include <chrono>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/result.h"

namespace bayswap {

using Milliseconds = std::chrono::milliseconds;

/// One end of a stream. One thread at a time.
class Transport {
 public:
  virtual ~Transport() = default;
  /// Errors: Trouble::place when the other side is gone.
  virtual Result<void> send(ByteView bytes) = 0;
  /// What came, at most as much as there is room for; 0 bytes when nothing came in that time.
  /// Errors: Trouble::place when the other side is gone.
  virtual Result<std::size_t> receive(std::span<std::byte> room, Milliseconds most) = 0;
  /// Time that only grows.
  [[nodiscard]] virtual Milliseconds now() const = 0;
  virtual void pause(Milliseconds time) = 0;
  /// For people: `/dev/ttyUSB0`.
  [[nodiscard]] virtual std::string name() const = 0;
};

/// A port as people write it: a device, `pty:PATH`, or `run:PROGRAM ARGS` (split into words as a
/// POSIX shell does with quotes and backslashes, without expansions). Errors: Trouble::usage,
/// Trouble::place.
[[nodiscard]] Result<std::unique_ptr<Transport>> open_port(const std::string& port);

/// The words of a command line. Errors: Trouble::usage for a quote that is left open.
[[nodiscard]] Result<std::vector<std::string>> shell_words(const std::string& text);

/// A serial device of this machine.
struct SerialPort {
  std::string device;       ///< `/dev/ttyUSB0`
  std::string description;  ///< what the system says of it; may be empty
  std::string usb_name;     ///< maker and product by USB; may be empty
};
[[nodiscard]] std::vector<SerialPort> serial_ports();

}  // namespace bayswap
