#include "hub/curl_library.h"

#include <dlfcn.h>

namespace bayswap {
namespace {

template <class Function>
bool find(void* library, const char* name, Function& function) {
  function = reinterpret_cast<Function>(::dlsym(library, name));
  return function != nullptr;
}

bool load_into(CurlLibrary& curl) {
  void* library = ::dlopen("libcurl.so.4", RTLD_NOW | RTLD_LOCAL);
  return library != nullptr && find(library, "curl_global_init", curl.global_init) &&
         find(library, "curl_easy_init", curl.easy_init) &&
         find(library, "curl_easy_cleanup", curl.easy_cleanup) &&
         find(library, "curl_easy_reset", curl.easy_reset) &&
         find(library, "curl_easy_setopt", curl.easy_setopt) &&
         find(library, "curl_easy_perform", curl.easy_perform) &&
         find(library, "curl_easy_getinfo", curl.easy_getinfo) &&
         find(library, "curl_easy_strerror", curl.easy_strerror) &&
         find(library, "curl_slist_append", curl.slist_append) &&
         find(library, "curl_slist_free_all", curl.slist_free_all) &&
         curl.global_init(CURL_GLOBAL_DEFAULT) == CURLE_OK;
}

}  // namespace

Result<const CurlLibrary*> CurlLibrary::load() {
  static CurlLibrary curl;
  static const bool kLoaded = load_into(curl);
  if (kLoaded) return &curl;
  return fail(Trouble::place, Code::hub_failed, "the network library libcurl.so.4 can't be loaded",
              "install the package libcurl4, or mount the share and name its folder");
}

}  // namespace bayswap
