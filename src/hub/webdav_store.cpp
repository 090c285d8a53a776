#include "hub/webdav_store.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cstdlib>
#include <cstring>
#include <pugixml.hpp>
#include <random>
#include <thread>

#include "core/bytes/text.h"
#include "hub/curl_library.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kLargestAnswer = 64U << 20U;  // bytes, of a listing
constexpr int kTries = 4;
constexpr std::chrono::milliseconds kFirstPause{250};  // each is twice the last
constexpr long kConnectSeconds = 10;
constexpr long kSilentSeconds = 30;  // without a byte

struct Answer {
  long status = 0;
  Bytes body;
  bool too_large = false;
};

struct Request {
  const char* method = "GET";
  std::string name;  // below the share
  std::optional<ByteView> body;
  std::vector<std::string> headers;
  std::uint64_t limit = kLargestAnswer;
};

// What is left of a body to send, and how much of an answer may come.
struct Transfer {
  ByteView to_send;
  std::size_t sent = 0;
  Answer* answer = nullptr;
  std::uint64_t limit = 0;
};

std::size_t on_body(char* data, std::size_t, std::size_t count, void* user) {
  auto& transfer = *static_cast<Transfer*>(user);
  if (transfer.answer->body.size() + count > transfer.limit) {
    transfer.answer->too_large = true;
    return 0;
  }
  const auto* bytes = reinterpret_cast<const std::byte*>(data);
  transfer.answer->body.insert(transfer.answer->body.end(), bytes, bytes + count);
  return count;
}

std::size_t on_send(char* room, std::size_t, std::size_t count, void* user) {
  auto& transfer = *static_cast<Transfer*>(user);
  const ByteView left = transfer.to_send.subspan(transfer.sent);
  const std::size_t size = std::min(count, left.size());
  std::memcpy(room, left.data(), size);
  transfer.sent += size;
  return size;
}

int on_seek(void* user, curl_off_t offset, int origin) {
  auto& transfer = *static_cast<Transfer*>(user);
  if (origin != SEEK_SET || offset < 0 ||
      static_cast<std::size_t>(offset) > transfer.to_send.size())
    return CURL_SEEKFUNC_CANTSEEK;
  transfer.sent = static_cast<std::size_t>(offset);
  return CURL_SEEKFUNC_OK;
}

bool is_worth_a_try(long status) {
  constexpr std::array<long, 7> kPassing{408, 423, 429, 500, 502, 503, 504};
  return std::ranges::find(kPassing, status) != kPassing.end();
}

bool is_good(long status) {
  return status >= 200 && status < 300;
}

std::string unescaped(std::string_view text) {
  std::string out;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const auto byte =
        text[i] == '%' && i + 2 < text.size() ? bytes_of_hex(text.substr(i + 1, 2)) : std::nullopt;
    out += byte ? static_cast<char>(byte->front()) : text[i];
    if (byte) i += 2;
  }
  return out;
}

// Whatever prefix the server gives the namespace.
std::string_view local_name(const pugi::xml_node& node) {
  const std::string_view name = node.name();
  const auto colon = name.find(':');
  return colon == std::string_view::npos ? name : name.substr(colon + 1);
}

void find_hrefs(const pugi::xml_node& root, std::vector<std::string>& hrefs) {
  // Only `multistatus/response/href` counts.
  for (const pugi::xml_node& multistatus : root.children())
    for (const pugi::xml_node& response : multistatus.children())
      for (const pugi::xml_node& href : response.children())
        if (local_name(response) == "response" && local_name(href) == "href")
          hrefs.emplace_back(href.text().get());
}

// The last name in a path, with or without `/` behind it.
std::string last_name(std::string path) {
  while (path.ends_with('/')) path.pop_back();
  const auto slash = path.rfind('/');
  return slash == std::string::npos ? path : path.substr(slash + 1);
}

class WebdavStore final : public HubStore {
 public:
  WebdavStore(const CurlLibrary& library, std::string url, AskLogin ask)
      : library_(library),
        url_(std::move(url)),
        ask_(std::move(ask)),
        curl_(library.easy_init(), library.easy_cleanup) {
    while (url_.ends_with('/')) url_.pop_back();
    const char* user = std::getenv("BAYSWAP_HUB_USER");
    const char* password = std::getenv("BAYSWAP_HUB_PASSWORD");
    if (user != nullptr) login_ = ShareLogin{user, password == nullptr ? "" : password};
  }

  Result<std::optional<Bytes>> get(const std::string& name, std::uint64_t limit) override {
    Request request;
    request.name = name;
    request.limit = limit;
    auto answer = ask(request);
    if (!answer) return tl::unexpected(answer.error());
    if (answer->status == 404 || answer->status == 410) return std::optional<Bytes>{};
    if (answer->too_large)
      return fail(Trouble::input, Code::too_large,
                  fmt::format("{}: is larger than it can be", safe_text(name)));
    if (answer->status != 200) return refused(request, answer->status);
    return std::optional(std::move(answer->body));
  }

  Result<void> put(const std::string& name, ByteView bytes) override {
    Request request{"PUT", name, bytes, {}};
    const auto answer = ask(request);
    if (!answer) return tl::unexpected(answer.error());
    if (!is_good(answer->status)) return refused(request, answer->status);
    return {};
  }

  // Under another name first, then renamed where nothing has the name: also servers that know no
  // conditions for PUT keep to that.
  Result<bool> put_new(const std::string& name, ByteView bytes) override {
    const auto slash = name.rfind('/');
    const std::string folder = slash == std::string::npos ? "" : name.substr(0, slash + 1);
    std::random_device random;
    const std::string unfinished =
        fmt::format("{}.unfinished-{:08x}{:08x}", folder, random(), random());
    if (auto made = put(unfinished, bytes); !made) return tl::unexpected(made.error());
    Request request{"MOVE",
                    unfinished,
                    std::nullopt,
                    {fmt::format("Destination: {}", url_of(name)), "Overwrite: F"}};
    const auto moved = ask(request);
    if (!moved) return tl::unexpected(moved.error());
    if (is_good(moved->status)) return true;
    if (moved->status == 405 || moved->status == 501) return put_if_new(name, bytes, unfinished);
    // Taken; or the answer to an earlier try was lost, and it is there: whoever asks compares.
    const bool taken = moved->status == 412 || moved->status == 404 || moved->status == 409;
    if (!taken) return refused(request, moved->status);
    (void)remove(unfinished);
    return false;
  }

  Result<std::vector<std::string>> list(const std::string& folder) override {
    static constexpr std::string_view kWanted =
        "<?xml version=\"1.0\"?><propfind xmlns=\"DAV:\"><prop><resourcetype/></prop></propfind>";
    Request request{
        "PROPFIND", folder + "/", as_bytes(kWanted), {"Depth: 1", "Content-Type: application/xml"}};
    const auto answer = ask(request);
    if (!answer) return tl::unexpected(answer.error());
    if (answer->status == 404) return std::vector<std::string>{};
    if (answer->status != 207) return refused(request, answer->status);
    pugi::xml_document document;
    std::vector<std::string> hrefs;
    if (document.load_buffer(answer->body.data(), answer->body.size())) {
      find_hrefs(document, hrefs);
    }
    if (hrefs.empty())
      return failed("its listing can't be read", "is it a WebDAV share, and its URL right?");
    const std::string own = last_name(url_ + "/" + folder);
    std::vector<std::string> names;
    for (const std::string& href : hrefs) {
      const std::string path = unescaped(href);
      const bool is_own = last_name(path) == own && path.ends_with('/');
      if (!is_own && !last_name(path).empty()) names.push_back(last_name(path));
    }
    std::ranges::sort(names);
    return names;
  }

  Result<void> make_folder(const std::string& name) override {
    Request request{"MKCOL", name + "/", std::nullopt, {}};
    const auto answer = ask(request);
    if (!answer) return tl::unexpected(answer.error());
    if (is_good(answer->status) || answer->status == 405) return {};  // it is there
    return refused(request, answer->status);
  }

  Result<void> remove(const std::string& name) override {
    Request request{"DELETE", name, std::nullopt, {}};
    const auto answer = ask(request);
    if (!answer) return tl::unexpected(answer.error());
    if (is_good(answer->status) || answer->status == 404) return {};
    return refused(request, answer->status);
  }

  Result<void> flush() override { return {}; }
  bool is_near() const override { return false; }
  std::string where() const override { return url_; }

 private:
  // A server without MOVE.
  Result<bool> put_if_new(const std::string& name, ByteView bytes, const std::string& unfinished) {
    (void)remove(unfinished);
    Request request{"PUT", name, bytes, {"If-None-Match: *"}};
    const auto answer = ask(request);
    if (!answer) return tl::unexpected(answer.error());
    if (answer->status == 412) return false;
    if (!is_good(answer->status)) return refused(request, answer->status);
    return true;
  }

  [[nodiscard]] std::string url_of(const std::string& name) const { return url_ + "/" + name; }

  // Asks again where that may help. An answer of any status is not a failure.
  Result<Answer> ask(const Request& request) {
    auto pause = kFirstPause;
    for (int tries = 1;; ++tries) {
      Answer answer;
      const CURLcode result = ask_once(request, answer);
      if (answer.too_large) return answer;
      const bool passing = result != CURLE_OK || is_worth_a_try(answer.status);
      if (!passing && answer.status == 401 && may_ask_) {
        may_ask_ = false;
        login_ = ask_ ? ask_(url_) : std::nullopt;
        if (login_) continue;
      }
      if (!passing) return answer;
      const bool hopeless = result == CURLE_PEER_FAILED_VERIFICATION ||
                            result == CURLE_URL_MALFORMAT || result == CURLE_SSL_CACERT_BADFILE;
      if (tries == kTries || hopeless) {
        if (result == CURLE_OK) return answer;
        return failed(library_.easy_strerror(result),
                      result == CURLE_PEER_FAILED_VERIFICATION
                          ? "its certificate is not trusted: nothing was sent"
                          : "is the server on, and the network there?");
      }
      std::this_thread::sleep_for(pause);
      pause *= 2;
    }
  }

  CURLcode ask_once(const Request& request, Answer& answer) {
    CURL* curl = curl_.get();
    library_.easy_reset(curl);  // connections stay open
    Transfer transfer{request.body.value_or(ByteView{}), 0, &answer, request.limit};
    curl_slist* list = nullptr;
    for (const std::string& header : request.headers)
      list = library_.slist_append(list, header.c_str());
    list = library_.slist_append(list, "Expect:");  // no second trip for each upload
    library_.easy_setopt(curl, CURLOPT_URL, url_of(request.name).c_str());
    library_.easy_setopt(curl, CURLOPT_CUSTOMREQUEST, request.method);
    library_.easy_setopt(curl, CURLOPT_PROTOCOLS_STR, "http,https");
    library_.easy_setopt(curl, CURLOPT_NOSIGNAL, 1L);
    library_.easy_setopt(curl, CURLOPT_CONNECTTIMEOUT, kConnectSeconds);
    library_.easy_setopt(curl, CURLOPT_LOW_SPEED_LIMIT, 1L);
    library_.easy_setopt(curl, CURLOPT_LOW_SPEED_TIME, kSilentSeconds);
    library_.easy_setopt(curl, CURLOPT_HTTPHEADER, list);
    library_.easy_setopt(curl, CURLOPT_WRITEFUNCTION, on_body);
    library_.easy_setopt(curl, CURLOPT_WRITEDATA, &transfer);
    library_.easy_setopt(curl, CURLOPT_HTTPAUTH,
                         static_cast<long>(CURLAUTH_BASIC | CURLAUTH_DIGEST));
    if (login_) {
      library_.easy_setopt(curl, CURLOPT_USERNAME, login_->user.c_str());
      library_.easy_setopt(curl, CURLOPT_PASSWORD, login_->password.c_str());
    } else {
      library_.easy_setopt(curl, CURLOPT_NETRC, static_cast<long>(CURL_NETRC_OPTIONAL));
    }
    if (const char* trusted = std::getenv("SSL_CERT_FILE"))
      library_.easy_setopt(curl, CURLOPT_CAINFO, trusted);
    if (request.body) {
      library_.easy_setopt(curl, CURLOPT_UPLOAD, 1L);
      library_.easy_setopt(curl, CURLOPT_READFUNCTION, on_send);
      library_.easy_setopt(curl, CURLOPT_READDATA, &transfer);
      library_.easy_setopt(curl, CURLOPT_SEEKFUNCTION, on_seek);
      library_.easy_setopt(curl, CURLOPT_SEEKDATA, &transfer);
      library_.easy_setopt(curl, CURLOPT_INFILESIZE_LARGE,
                           static_cast<curl_off_t>(request.body->size()));
    }
    const CURLcode result = library_.easy_perform(curl);
    library_.easy_getinfo(curl, CURLINFO_RESPONSE_CODE, &answer.status);
    library_.slist_free_all(list);
    return result;
  }

  tl::unexpected<Error> failed(const std::string& why, const std::string& hint) const {
    return fail(Trouble::place, Code::hub_failed,
                fmt::format("the hub {}: {}", safe_text(url_), why), hint);
  }

  tl::unexpected<Error> refused(const Request& request, long status) const {
    const std::string why =
        fmt::format("answers {} to {} {}", status, request.method, safe_text(request.name));
    if (status == 401 || status == 403)
      return failed(why, login_ ? "are the name and the password right, and may that user write?"
                                : "it wants a name and a password: put them in ~/.netrc, or in "
                                  "BAYSWAP_HUB_USER and BAYSWAP_HUB_PASSWORD");
    if (status == 507) return failed(why, "it is full: make room there");
    return failed(why, "is it a WebDAV share, and its URL right?");
  }

  const CurlLibrary& library_;
  std::string url_;
  AskLogin ask_;
  std::optional<ShareLogin> login_;
  bool may_ask_ = true;
  std::unique_ptr<CURL, void (*)(CURL*)> curl_;
};

}  // namespace

Result<std::unique_ptr<HubStore>> open_webdav_store(const std::string& url, AskLogin ask) {
  const auto wrong = [&](const char* why, const char* hint) {
    return fail(Trouble::usage, Code::usage, why, hint);
  };
  const auto slashes = url.find("://");
  const std::string scheme = lower_ascii(url.substr(0, slashes));
  if (slashes == std::string::npos || (scheme != "http" && scheme != "https"))
    return wrong("a hub's URL begins with https:// or http://", "write it out");
  const std::string rest = url.substr(slashes + 3);
  if (rest.substr(0, rest.find('/')).find('@') != std::string::npos)
    return wrong("a password does not belong in the URL: others may see it there",
                 "put name and password in ~/.netrc");
  if (rest.find_first_of("?#") != std::string::npos)
    return wrong("the URL of a share has no ? and no #", "leave that part out");
  const auto library = CurlLibrary::load();
  if (!library) return tl::unexpected(library.error());
  return std::make_unique<WebdavStore>(**library, url, std::move(ask));
}

}  // namespace bayswap
