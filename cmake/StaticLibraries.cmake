# The tool starts in a third of the time when what it links is in it: the system's loader then has
# no thousands of names to look up. Included before the libraries are looked for.
option(BAYSWAP_STATIC_LIBRARIES "Link the static forms of the libraries where they are installed" ON)

# What the static form of libarchive calls; the shared one brings it along.
set(BAYSWAP_ARCHIVE_NEEDS)
foreach(name nettle lzma bz2 zstd lz4 z)
  find_library(BAYSWAP_STATIC_${name} NAMES lib${name}.a)
  mark_as_advanced(BAYSWAP_STATIC_${name})
  list(APPEND BAYSWAP_ARCHIVE_NEEDS ${BAYSWAP_STATIC_${name}})
endforeach()
list(LENGTH BAYSWAP_ARCHIVE_NEEDS found)
if(NOT found EQUAL 6 OR BAYSWAP_SANITIZE OR NOT CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
  set(BAYSWAP_STATIC_LIBRARIES OFF)  # sanitizers replace what the static forms contain
endif()

if(BAYSWAP_STATIC_LIBRARIES)
  list(PREPEND CMAKE_FIND_LIBRARY_SUFFIXES .a)
  # Drops the parts of an archive that nothing calls, with all that they would need in turn.
  add_link_options(-Wl,--gc-sections)
endif()

# Once the libraries are found: completes them, and says which form of fmt and pugixml to link.
macro(bayswap_choose_libraries)
  set(BAYSWAP_FMT fmt::fmt)
  set(BAYSWAP_PUGIXML pugixml::pugixml)
  if(BAYSWAP_STATIC_LIBRARIES)
    set_property(TARGET LibArchive::LibArchive APPEND PROPERTY
      INTERFACE_LINK_LIBRARIES ${BAYSWAP_ARCHIVE_NEEDS})
    if(TARGET pugixml::static)
      set(BAYSWAP_PUGIXML pugixml::static)
    endif()
    add_library(bayswap_fmt STATIC ${PROJECT_SOURCE_DIR}/cmake/fmt_library.cpp)
    target_compile_options(bayswap_fmt PRIVATE -fkeep-inline-functions)
    set_target_properties(bayswap_fmt PROPERTIES POSITION_INDEPENDENT_CODE ON)
    set(BAYSWAP_FMT $<BUILD_INTERFACE:bayswap_fmt> $<INSTALL_INTERFACE:fmt::fmt>)
  endif()
endmacro()

# For a program: the C++ library too, and its own addresses in short form.
function(bayswap_start_quickly target)
  if(NOT BAYSWAP_STATIC_LIBRARIES)
    return()
  endif()
  target_link_options(${target} PRIVATE -static-libstdc++ -static-libgcc)
  include(CheckLinkerFlag)
  check_linker_flag(CXX -Wl,-z,pack-relative-relocs BAYSWAP_SHORT_ADDRESSES)
  if(BAYSWAP_SHORT_ADDRESSES)
    target_link_options(${target} PRIVATE -Wl,-z,pack-relative-relocs)
  endif()
endfunction()
