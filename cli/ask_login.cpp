#include "cli/ask_login.h"

#include <fcntl.h>
#include <fmt/core.h>
#include <termios.h>
#include <unistd.h>

#include <cstdlib>

#include "core/bytes/text.h"

namespace bayswap::cli {
namespace {

// The terminal itself, also when the output goes elsewhere.
class Terminal {
 public:
  Terminal() : descriptor_(::open("/dev/tty", O_RDWR | O_CLOEXEC)) {}
  ~Terminal() {
    if (descriptor_ >= 0) ::close(descriptor_);
  }
  Terminal(const Terminal&) = delete;
  Terminal& operator=(const Terminal&) = delete;
  [[nodiscard]] bool is_open() const { return descriptor_ >= 0; }

  std::string ask(const std::string& question) {
    (void)!::write(descriptor_, question.data(), question.size());
    std::string line;
    char letter = 0;
    constexpr std::size_t kLongest = 1024;  // bytes
    while (line.size() < kLongest && ::read(descriptor_, &letter, 1) == 1 && letter != '\n')
      line += letter;
    return line;
  }
  std::string ask_hidden(const std::string& question) {
    termios shown{};
    if (::tcgetattr(descriptor_, &shown) != 0) return {};
    termios hidden = shown;
    hidden.c_lflag &= ~static_cast<tcflag_t>(ECHO);
    ::tcsetattr(descriptor_, TCSAFLUSH, &hidden);
    std::string line = ask(question);
    ::tcsetattr(descriptor_, TCSAFLUSH, &shown);
    (void)!::write(descriptor_, "\n", 1);
    return line;
  }

 private:
  int descriptor_;
};

}  // namespace

std::optional<ShareLogin> ask_login(const std::string& where) {
  Terminal terminal;
  if (!terminal.is_open()) return std::nullopt;
  ShareLogin login;
  login.user = terminal.ask(fmt::format("name at {}: ", safe_text(where)));
  if (login.user.empty()) return std::nullopt;
  login.password = terminal.ask_hidden("password: ");
  return login;
}

std::optional<std::string> ask_words() {
  if (const char* words = std::getenv("BAYSWAP_HUB_WORDS")) return words;
  Terminal terminal;
  if (!terminal.is_open()) return std::nullopt;
  std::string words = terminal.ask_hidden("the hub's words (they are not shown): ");
  return words.empty() ? std::nullopt : std::optional(std::move(words));
}

}  // namespace bayswap::cli
