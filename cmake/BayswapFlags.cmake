# Flags of our own targets; a project that uses the library is not asked to follow them.
add_library(bayswap_flags INTERFACE)
target_compile_options(bayswap_flags INTERFACE -Wall -Wextra -Wpedantic -Wconversion)
if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
  # GCC 12 sees overlaps in std::string that are not there (its bug 105329).
  target_compile_options(bayswap_flags INTERFACE -Wno-restrict)
endif()
if(BAYSWAP_WARNINGS_AS_ERRORS)
  target_compile_options(bayswap_flags INTERFACE -Werror)
endif()
if(BAYSWAP_SANITIZE)
  add_compile_options(-fsanitize=address,undefined -fno-sanitize-recover=all -fno-omit-frame-pointer)
  add_link_options(-fsanitize=address,undefined)
endif()
