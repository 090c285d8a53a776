// A hub behind an http or https URL: a WebDAV share (RFC 4918).
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>

#include "bayswap/login.h"
#include "hub/store.h"

namespace bayswap {

/// Who logs in there: asked when the share wants it and neither the environment
/// (BAYSWAP_HUB_USER, BAYSWAP_HUB_PASSWORD) nor ~/.netrc says it. May be empty.
using AskLogin = std::function<std::optional<ShareLogin>(const std::string& where)>;

/// Certificates of https are checked; the file that SSL_CERT_FILE names counts instead of the
/// system's. Errors: `usage` for a URL with a password in it, or of another kind.
[[nodiscard]] Result<std::unique_ptr<HubStore>> open_webdav_store(const std::string& url,
                                                                  AskLogin ask = {});

}  // namespace bayswap
