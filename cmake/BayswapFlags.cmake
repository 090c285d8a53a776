# Flags of our own targets; a project that uses the library is not asked to follow them.
add_library(bayswap_flags INTERFACE)
target_compile_options(bayswap_flags INTERFACE -Wall -Wextra -Wpedantic -Wconversion)
if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
  # GCC 12 sees overlaps and overflows in std::string, and unset members in std::variant, that are not
  # there (its bugs 105329, 105651, 105562). Which ones depends on what it inlines.
  target_compile_options(bayswap_flags INTERFACE -Wno-restrict -Wno-stringop-overflow -Wno-maybe-uninitialized)
  # It collects its garbage once it has half a gigabyte: less time, and about a fifth more memory.
  target_compile_options(bayswap_flags INTERFACE --param=ggc-min-heapsize=524288)
endif()
if(CMAKE_UNITY_BUILD AND CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
  # It takes sources that are compiled together for headers.
  target_compile_options(bayswap_flags INTERFACE -Wno-subobject-linkage)
endif()
if(BAYSWAP_WARNINGS_AS_ERRORS)
  target_compile_options(bayswap_flags INTERFACE -Werror)
endif()
if(BAYSWAP_BUILD_FUZZ)
  add_compile_options(-fsanitize=fuzzer-no-link,address,undefined -fno-sanitize-recover=all -fno-omit-frame-pointer)
endif()
if(BAYSWAP_SANITIZE)
  add_compile_options(-fsanitize=address,undefined -fno-sanitize-recover=all -fno-omit-frame-pointer)
  add_link_options(-fsanitize=address,undefined)
endif()

if(BAYSWAP_CCACHE AND CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
  target_compile_options(bayswap_flags INTERFACE -fpch-preprocess)
endif()

# The standard headers that nearly every source includes, parsed once. Sources name what they use
# all the same; `./dev lint` compiles without this.
file(CONFIGURE OUTPUT ${PROJECT_BINARY_DIR}/standard_headers.cpp CONTENT "")
function(bayswap_standard_headers target)
  if(NOT TARGET bayswap_standard_headers)
    add_library(bayswap_standard_headers OBJECT ${PROJECT_BINARY_DIR}/standard_headers.cpp)
    set_target_properties(bayswap_standard_headers PROPERTIES POSITION_INDEPENDENT_CODE ON)
    target_link_libraries(bayswap_standard_headers PRIVATE fmt::fmt tl::expected bayswap_flags)
    target_precompile_headers(bayswap_standard_headers PRIVATE
      <algorithm> <array> <chrono> <cstdint> <filesystem> <functional> <map> <memory> <optional> <set>
      <span> <string> <string_view> <unordered_map> <vector> <fmt/core.h> <tl/expected.hpp>)
  endif()
  target_precompile_headers(${target} REUSE_FROM bayswap_standard_headers)
endfunction()

# Up to sixteen sources of a folder are compiled as one, which halves the time of a clean build. So
# two sources of a folder can't use the same name in their unnamed namespaces; where they want to, a
# named one stands around it. Off with -DCMAKE_UNITY_BUILD=OFF.
#
#   bayswap_group_sources(TARGET)
function(bayswap_group_sources target)
  get_target_property(sources ${target} SOURCES)
  set(folder "")
  set(group 0)
  foreach(source IN LISTS sources)
    cmake_path(ABSOLUTE_PATH source)
    cmake_path(GET source PARENT_PATH parent)
    if(NOT parent STREQUAL folder OR size EQUAL 16)
      set(folder ${parent})
      set(size 0)
      math(EXPR group "${group} + 1")
    endif()
    math(EXPR size "${size} + 1")
    set_source_files_properties(${source} PROPERTIES UNITY_GROUP ${group})
  endforeach()
  set_target_properties(${target} PROPERTIES UNITY_BUILD_MODE GROUP)
endfunction()
