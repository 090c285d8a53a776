// A WebDAV server from the system's packages, on a loopback port with a configuration of its own.
#pragma once

#include <arpa/inet.h>
#include <netinet/in.h>
#include <spawn.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <string>
#include <thread>
#include <vector>

#include "support/folder.h"
#include "support/program.h"

namespace bayswap::test {

/// A port that nobody listens on.
inline int free_port() {
  const int socket = ::socket(AF_INET, SOCK_STREAM, 0);
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  socklen_t size = sizeof address;
  ::bind(socket, reinterpret_cast<sockaddr*>(&address), size);
  ::getsockname(socket, reinterpret_cast<sockaddr*>(&address), &size);
  ::close(socket);
  return ntohs(address.sin_port);
}

/// A connection to the port; -1 when nobody listens.
inline int connect_to(int port) {
  const int socket = ::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  address.sin_port = htons(static_cast<std::uint16_t>(port));
  if (::connect(socket, reinterpret_cast<sockaddr*>(&address), sizeof address) == 0) return socket;
  ::close(socket);
  return -1;
}

class WebServer {
 public:
  enum class Program { apache2, nginx, nginx_https };

  /// `protect`: only `keeper` with the password `lamp oil` may come in.
  explicit WebServer(Program program, bool protect = false)
      : secure_(program == Program::nginx_https), port_(free_port()) {
    if (secure_) make_certificate();
    std::filesystem::permissions(folder_.path(), std::filesystem::perms(0755));
    std::filesystem::create_directories(folder_ / "share/saves");
    std::filesystem::create_directories(folder_ / "temporary");
    for (const char* open : {"share", "share/saves", "temporary"})
      std::filesystem::permissions(folder_ / open, std::filesystem::perms::all);
    if (program == Program::apache2)
      start("/usr/sbin/apache2", {"-X", "-d", folder_.path().string(), "-f",
                                  folder_.write("apache.conf", apache(protect)).string()});
    else
      start("/usr/sbin/nginx", {"-p", folder_.path().string(), "-c",
                                folder_.write("nginx.conf", nginx(secure_)).string()});
    for (int i = 0; i < 1200 && !answers(); ++i)
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
  }
  ~WebServer() {
    ::kill(process_, SIGTERM);
    ::waitpid(process_, nullptr, 0);
  }
  WebServer(const WebServer&) = delete;
  WebServer& operator=(const WebServer&) = delete;

  [[nodiscard]] int port() const { return port_; }
  [[nodiscard]] std::string url() const {
    return (secure_ ? "https://127.0.0.1:" : "http://127.0.0.1:") + std::to_string(port_) +
           "/saves";
  }
  [[nodiscard]] Path share() const { return folder_ / "share/saves"; }
  /// Of https: made just now, and trusted by nobody.
  [[nodiscard]] Path certificate() const { return folder_ / "certificate.pem"; }
  [[nodiscard]] bool answers() const {
    const int socket = connect_to(port_);
    if (socket >= 0) ::close(socket);
    return socket >= 0;
  }

 private:
  [[nodiscard]] std::string apache(bool protect) const {
    const std::string at = folder_.path().string();
    std::string text = "ServerName localhost\nListen 127.0.0.1:" + std::to_string(port_) +
                       "\nPidFile " + at + "/pid\nErrorLog " + at + "/error.log\nUser www-data\n" +
                       "Group www-data\nDefaultRuntimeDir " + at + "\nKeepAlive On\n" +
                       "MaxKeepAliveRequests 0\nDocumentRoot " + at + "/share\n";
    for (const char* module : {"mpm_event", "authz_core", "authz_user", "authn_core", "authn_file",
                               "auth_basic", "dav", "dav_fs"})
      text += std::string("LoadModule ") + module + "_module /usr/lib/apache2/modules/mod_" +
              module + ".so\n";
    text += "DavLockDB " + at + "/temporary/lock\n<Directory " + at + "/share>\nDav On\n";
    // The password's hash is of the plain SHA-1 kind.
    folder_.write("users", std::string("keeper:{SHA}ZRPKgg8wFRjJybxl1mP70VVvrM0=\n"));
    text += protect ? "AuthType Basic\nAuthName saves\nAuthUserFile " + at +
                          "/users\nRequire valid-user\n"
                    : "Require all granted\n";
    return text + "</Directory>\n";
  }
  void make_certificate() const {
    const Outcome made =
        run_program({"/usr/bin/openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days",
                     "2", "-subj", "/CN=127.0.0.1", "-addext", "subjectAltName=IP:127.0.0.1",
                     "-keyout", (folder_ / "key.pem").string(), "-out", certificate().string()},
                    folder_.path(), {});
    EXPECT_EQ(made.status, 0) << made.err;
  }
  [[nodiscard]] std::string nginx(bool secure) const {
    const std::string at = folder_.path().string();
    std::string text =
        "load_module /usr/lib/nginx/modules/ngx_http_dav_ext_module.so;\n"
        "daemon off;\npid " +
        at + "/pid;\nerror_log " + at +
        "/error.log;\n"
        "events {}\nhttp {\naccess_log off;\n";
    for (const char* kind : {"client_body", "proxy", "fastcgi", "uwsgi", "scgi"})
      text += std::string(kind) + "_temp_path " + at + "/temporary/" + kind + ";\n";
    text += "server { listen 127.0.0.1:" + std::to_string(port_);
    if (secure)
      text += " ssl; ssl_certificate " + certificate().string() + "; ssl_certificate_key " + at +
              "/key.pem";
    return text + "; root " + at +
           "/share; client_max_body_size 0; location / {\n"
           "dav_methods PUT DELETE MKCOL COPY MOVE; dav_ext_methods PROPFIND OPTIONS; } } }\n";
  }

  void start(const std::string& program, std::vector<std::string> arguments) {
    arguments.insert(arguments.begin(), program);
    std::vector<char*> words;
    for (std::string& word : arguments) words.push_back(word.data());
    words.push_back(nullptr);
    ::posix_spawn(&process_, program.c_str(), nullptr, nullptr, words.data(), environ);
  }

  TempFolder folder_;
  bool secure_;
  int port_;
  pid_t process_ = -1;
};

}  // namespace bayswap::test
