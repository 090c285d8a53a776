#include "readers/transport.h"

#include <fcntl.h>
#include <fmt/core.h>
#include <libserialport.h>
#include <poll.h>
#include <spawn.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <termios.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <csignal>
#include <cstring>
#include <thread>

#include "core/bytes/text.h"

namespace bayswap {
namespace {

using Clock = std::chrono::steady_clock;
constexpr int kBaud = 115'200;

tl::unexpected<Error> gone(const std::string& name, const std::string& why) {
  return fail(Trouble::place, Code::link_lost, fmt::format("{}: {}", safe_text(name), why),
              "check the plug and the cable; is another program using the port?");
}

class RealTime : public Transport {
 public:
  explicit RealTime(std::string name) : name_(std::move(name)) {}
  [[nodiscard]] Milliseconds now() const override {
    return std::chrono::duration_cast<Milliseconds>(Clock::now().time_since_epoch());
  }
  void pause(Milliseconds time) override { std::this_thread::sleep_for(time); }
  [[nodiscard]] std::string name() const override { return name_; }

 protected:
  tl::unexpected<Error> lost(const std::string& why) const { return gone(name_, why); }

 private:
  std::string name_;
};

// Bytes through a descriptor: of a pseudo-terminal, or of a program.
class DescriptorTransport : public RealTime {
 public:
  DescriptorTransport(std::string name, int descriptor)
      : RealTime(std::move(name)), descriptor_(descriptor) {
    ::fcntl(descriptor_, F_SETFL, ::fcntl(descriptor_, F_GETFL) | O_NONBLOCK);
  }
  DescriptorTransport(const DescriptorTransport&) = delete;
  DescriptorTransport& operator=(const DescriptorTransport&) = delete;
  ~DescriptorTransport() override { ::close(descriptor_); }

  Result<void> send(ByteView bytes) override {
    constexpr int kLongest = 10'000;  // ms that a full buffer may stay full
    while (!bytes.empty()) {
      const ssize_t sent = put(bytes);
      if (sent > 0) {
        bytes = bytes.subspan(static_cast<std::size_t>(sent));
        continue;
      }
      if (sent < 0 && errno == EINTR) continue;
      if (sent < 0 && errno != EAGAIN) return lost(std::strerror(errno));
      pollfd wait{descriptor_, POLLOUT, 0};
      if (::poll(&wait, 1, kLongest) == 0) return lost("takes no more bytes");
    }
    return {};
  }

  Result<std::size_t> receive(std::span<std::byte> room, Milliseconds most) override {
    const auto patience = std::clamp<Milliseconds::rep>(most.count(), 0, 60'000);
    for (const bool may_wait : {true, false}) {
      const ssize_t got = ::read(descriptor_, room.data(), room.size());
      if (got > 0) return static_cast<std::size_t>(got);
      if (got == 0) return lost("the other side has ended");
      if (errno != EAGAIN && errno != EINTR) return lost(std::strerror(errno));
      pollfd wait{descriptor_, POLLIN, 0};
      if (may_wait && ::poll(&wait, 1, static_cast<int>(patience)) < 0 && errno != EINTR)
        return lost(std::strerror(errno));
    }
    return std::size_t{0};
  }

 protected:
  [[nodiscard]] int descriptor() const { return descriptor_; }
  virtual ssize_t put(ByteView bytes) { return ::write(descriptor_, bytes.data(), bytes.size()); }

 private:
  int descriptor_;
};

Result<std::unique_ptr<Transport>> open_terminal(const std::string& name, const std::string& path) {
  const int terminal = ::open(path.c_str(), O_RDWR | O_NOCTTY | O_CLOEXEC | O_NONBLOCK);
  if (terminal < 0) return gone(name, std::strerror(errno));
  termios settings{};
  if (::tcgetattr(terminal, &settings) != 0) {
    ::close(terminal);
    return fail(Trouble::usage, Code::usage, fmt::format("{}: is not a terminal", safe_text(path)),
                "name a serial device, or the terminal of a bridge program");
  }
  ::cfmakeraw(&settings);
  ::tcsetattr(terminal, TCSANOW, &settings);
  return std::make_unique<DescriptorTransport>(name, terminal);
}

// A program that is a reader, or a bridge to one. It is asked to end by the end of its input.
class ProgramTransport final : public DescriptorTransport {
 public:
  ProgramTransport(std::string name, int socket, pid_t program)
      : DescriptorTransport(std::move(name), socket), program_(program) {}
  ~ProgramTransport() override {
    constexpr Milliseconds kPatience{500};
    constexpr Milliseconds kStep{10};
    ::shutdown(descriptor(), SHUT_WR);
    for (Milliseconds waited{0}; waited < kPatience; waited += kStep) {
      if (::waitpid(program_, nullptr, WNOHANG) != 0) return;
      std::this_thread::sleep_for(kStep);
    }
    ::kill(program_, SIGKILL);
    ::waitpid(program_, nullptr, 0);
  }

 private:
  ssize_t put(ByteView bytes) override {
    return ::send(descriptor(), bytes.data(), bytes.size(), MSG_NOSIGNAL);
  }
  pid_t program_;
};

Result<std::unique_ptr<Transport>> run_program(const std::string& name,
                                               const std::string& command) {
  auto words = shell_words(command);
  if (!words) return tl::unexpected(words.error());
  if (words->empty())
    return fail(Trouble::usage, Code::usage, "no program is named", "write run:PROGRAM ARGS");
  std::array<int, 2> ends{};
  if (::socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends.data()) != 0)
    return gone(name, std::strerror(errno));
  posix_spawn_file_actions_t actions;
  ::posix_spawn_file_actions_init(&actions);
  ::posix_spawn_file_actions_adddup2(&actions, ends[1], STDIN_FILENO);
  ::posix_spawn_file_actions_adddup2(&actions, ends[1], STDOUT_FILENO);
  // CTRL-C is for the one who asks: the program has to live until what was begun is put back.
  posix_spawnattr_t attributes;
  ::posix_spawnattr_init(&attributes);
  ::posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETPGROUP);
  ::posix_spawnattr_setpgroup(&attributes, 0);
  std::vector<char*> arguments;
  for (std::string& word : *words) arguments.push_back(word.data());
  arguments.push_back(nullptr);
  pid_t program = 0;
  const int problem =
      ::posix_spawnp(&program, arguments.front(), &actions, &attributes, arguments.data(), environ);
  ::posix_spawn_file_actions_destroy(&actions);
  ::posix_spawnattr_destroy(&attributes);
  ::close(ends[1]);
  if (problem != 0) {
    ::close(ends[0]);
    return fail(Trouble::place, Code::link_lost,
                fmt::format("{}: {}", safe_text(words->front()), std::strerror(problem)),
                "is the bridge program installed, and its name right?");
  }
  return std::make_unique<ProgramTransport>(name, ends[0], program);
}

class SerialTransport final : public RealTime {
 public:
  SerialTransport(const std::string& device, sp_port* port) : RealTime(device), port_(port) {}
  SerialTransport(const SerialTransport&) = delete;
  SerialTransport& operator=(const SerialTransport&) = delete;
  ~SerialTransport() override {
    sp_close(port_);
    sp_free_port(port_);
  }

  Result<void> send(ByteView bytes) override {
    constexpr unsigned kLongest = 10'000;  // ms
    while (!bytes.empty()) {
      const sp_return sent = sp_blocking_write(port_, bytes.data(), bytes.size(), kLongest);
      if (sent < 0) return lost("can't be written");
      if (sent == 0) return lost("takes no more bytes");
      bytes = bytes.subspan(static_cast<std::size_t>(sent));
    }
    return {};
  }

  Result<std::size_t> receive(std::span<std::byte> room, Milliseconds most) override {
    // 0 would wait for ever.
    const auto patience =
        static_cast<unsigned>(std::clamp<Milliseconds::rep>(most.count(), 1, 60'000));
    const sp_return got = sp_blocking_read_next(port_, room.data(), room.size(), patience);
    if (got < 0) return lost("can't be read");
    return static_cast<std::size_t>(got);
  }

 private:
  sp_port* port_;
};

Result<std::unique_ptr<Transport>> open_serial(const std::string& device) {
  sp_port* port = nullptr;
  if (sp_get_port_by_name(device.c_str(), &port) != SP_OK)
    return gone(device, "there is no such serial device");
  if (sp_open(port, SP_MODE_READ_WRITE) != SP_OK) {
    sp_free_port(port);
    return gone(device, "can't be opened");
  }
  sp_set_baudrate(port, kBaud);
  sp_set_bits(port, 8);
  sp_set_parity(port, SP_PARITY_NONE);
  sp_set_stopbits(port, 1);
  sp_set_flowcontrol(port, SP_FLOWCONTROL_NONE);
  return std::make_unique<SerialTransport>(device, port);
}

std::string or_nothing(const char* text) {
  return text == nullptr ? std::string() : std::string(text);
}

}  // namespace

Result<std::unique_ptr<Transport>> open_port(const std::string& port) {
  constexpr std::string_view kTerminal = "pty:";
  constexpr std::string_view kProgram = "run:";
  if (port.starts_with(kTerminal)) return open_terminal(port, port.substr(kTerminal.size()));
  if (port.starts_with(kProgram)) return run_program(port, port.substr(kProgram.size()));
  return open_serial(port);
}

Result<std::vector<std::string>> shell_words(const std::string& text) {
  std::vector<std::string> words;
  bool in_word = false;
  char quote = 0;
  const auto add = [&](char c) {
    if (!in_word) words.emplace_back();
    in_word = true;
    words.back() += c;
  };
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (quote == 0 && (c == ' ' || c == '\t' || c == '\n')) {
      in_word = false;
    } else if (quote == 0 && (c == '\'' || c == '"')) {
      quote = c;
      if (!in_word) words.emplace_back();
      in_word = true;
    } else if (c == quote && quote != 0) {
      quote = 0;
    } else if (c == '\\' && quote != '\'' && i + 1 < text.size()) {
      const char next = text[++i];
      // Between double quotes a backslash stands for itself before other letters.
      if (quote == '"' && next != '"' && next != '\\' && next != '$' && next != '`') add(c);
      add(next);
    } else {
      add(c);
    }
  }
  if (quote != 0)
    return fail(Trouble::usage, Code::usage,
                fmt::format("{}: a quote is never closed", safe_text(text)),
                "close it, or put a backslash before it");
  return words;
}

std::vector<SerialPort> serial_ports() {
  std::vector<SerialPort> ports;
  sp_port** list = nullptr;
  if (sp_list_ports(&list) != SP_OK) return ports;
  for (std::size_t i = 0; list[i] != nullptr; ++i) {
    SerialPort port{
        or_nothing(sp_get_port_name(list[i])), or_nothing(sp_get_port_description(list[i])), {}};
    const std::string maker = or_nothing(sp_get_port_usb_manufacturer(list[i]));
    const std::string product = or_nothing(sp_get_port_usb_product(list[i]));
    port.usb_name = maker.empty() ? product : fmt::format("{} {}", maker, product);
    ports.push_back(std::move(port));
  }
  sp_free_port_list(list);
  return ports;
}

}  // namespace bayswap
