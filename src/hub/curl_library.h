// The network library, loaded when a hub behind a URL is used: it brings a dozen libraries with it,
// which every other command would pay for in time and memory.
#pragma once

#define CURL_DISABLE_TYPECHECK  // the functions are called through pointers
#include <curl/curl.h>

#include "bayswap/result.h"

namespace bayswap {

/// Functions of libcurl, by their own names without `curl_`.
struct CurlLibrary {
  decltype(&curl_global_init) global_init = nullptr;
  decltype(&curl_easy_init) easy_init = nullptr;
  decltype(&curl_easy_cleanup) easy_cleanup = nullptr;
  decltype(&curl_easy_reset) easy_reset = nullptr;
  decltype(&curl_easy_setopt) easy_setopt = nullptr;
  decltype(&curl_easy_perform) easy_perform = nullptr;
  decltype(&curl_easy_getinfo) easy_getinfo = nullptr;
  decltype(&curl_easy_strerror) easy_strerror = nullptr;
  decltype(&curl_slist_append) slist_append = nullptr;
  decltype(&curl_slist_free_all) slist_free_all = nullptr;

  /// The library, loaded once and never let go. Errors: `hub-failed` when it is not installed.
  [[nodiscard]] static Result<const CurlLibrary*> load();
};

}  // namespace bayswap
