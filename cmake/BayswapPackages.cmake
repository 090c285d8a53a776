# Debian packages, made by `./dev package`: the tool, the shared library, and what a program needs to be
# built against it. What each of them holds stands in BayswapInstall.cmake as its component.
set(library_package libbayswap${PROJECT_VERSION_MAJOR}.${PROJECT_VERSION_MINOR})

set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME bayswap)
set(CPACK_PACKAGE_CONTACT "the Bay Swap maintainers <maintainers@bayswap.invalid>")
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
set(CPACK_STRIP_FILES ON)
set(CPACK_COMPONENTS_ALL tool library development)
set(CPACK_COMPONENTS_GROUPING ONE_PER_GROUP)
set(CPACK_DEB_COMPONENT_INSTALL ON)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_PACKAGE_RELEASE 1)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_PACKAGE_CONTROL_STRICT_PERMISSION ON)

set(CPACK_DEBIAN_TOOL_PACKAGE_NAME bayswap)
set(CPACK_DEBIAN_TOOL_PACKAGE_SECTION utils)
# It is loaded when a hub behind a URL is used.
set(CPACK_DEBIAN_TOOL_PACKAGE_RECOMMENDS libcurl4)
set(CPACK_COMPONENT_TOOL_DESCRIPTION
"command-line tool that moves retro-game saves
bayswap finds out what a save is, converts it, gives it the name that the
other program looks for and puts it in place. It knows battery images of
cartridges, memory cards, title folders and save states. It keeps what it
replaces, and can undo each change.")

set(CPACK_DEBIAN_LIBRARY_PACKAGE_NAME ${library_package})
set(CPACK_DEBIAN_LIBRARY_PACKAGE_SECTION libs)
set(CPACK_DEBIAN_LIBRARY_PACKAGE_RECOMMENDS libcurl4)
set(CPACK_COMPONENT_LIBRARY_DESCRIPTION
"library that moves retro-game saves
Identifies, converts, carries and undoes saves of retro games for programs
such as front ends and file managers.

This package holds the shared library.")

set(CPACK_DEBIAN_DEVELOPMENT_PACKAGE_NAME libbayswap-dev)
set(CPACK_DEBIAN_DEVELOPMENT_PACKAGE_SECTION libdevel)
set(CPACK_DEBIAN_DEVELOPMENT_PACKAGE_SHLIBDEPS OFF)
set(CPACK_DEBIAN_DEVELOPMENT_PACKAGE_DEPENDS
  "${library_package} (= ${PROJECT_VERSION}-${CPACK_DEBIAN_PACKAGE_RELEASE}), libexpected-dev")
set(CPACK_COMPONENT_DEVELOPMENT_DESCRIPTION
"library that moves retro-game saves, development files
Identifies, converts, carries and undoes saves of retro games for programs
such as front ends and file managers.

This package holds the headers, a CMake package and a pkg-config file.")

# What Debian's policy wants beside the files: the licence and the changelog in each package, and the
# linker's cache made anew for the library.
set(papers ${PROJECT_BINARY_DIR}/debian)
file(READ ${PROJECT_SOURCE_DIR}/LICENSE licence)
file(CONFIGURE OUTPUT ${papers}/copyright CONTENT "${licence}")
string(TIMESTAMP when "%a, %d %b %Y %H:%M:%S +0000" UTC)
foreach(component tool library development)
  string(TOUPPER ${component} upper)
  set(package ${CPACK_DEBIAN_${upper}_PACKAGE_NAME})
  file(CONFIGURE OUTPUT ${papers}/${package}/changelog.Debian @ONLY CONTENT
"@package@ (@PROJECT_VERSION@-@CPACK_DEBIAN_PACKAGE_RELEASE@) stable; urgency=low

  * Version @PROJECT_VERSION@; CHANGELOG.md in the sources says what changed.

 -- @CPACK_PACKAGE_CONTACT@  @when@
")
  execute_process(COMMAND ${BAYSWAP_GZIP} -9nfk ${papers}/${package}/changelog.Debian COMMAND_ERROR_IS_FATAL ANY)
  install(FILES ${papers}/copyright ${papers}/${package}/changelog.Debian.gz
    DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/${package} COMPONENT ${component})
endforeach()
file(CONFIGURE OUTPUT ${papers}/triggers CONTENT "activate-noawait ldconfig\n")
# Which package other packages need when they link to the library.
file(CONFIGURE OUTPUT ${papers}/shlibs @ONLY CONTENT
"libbayswap @PROJECT_VERSION_MAJOR@.@PROJECT_VERSION_MINOR@ @library_package@ (>= @PROJECT_VERSION@)\n")
set(CPACK_DEBIAN_LIBRARY_PACKAGE_CONTROL_EXTRA "${papers}/triggers;${papers}/shlibs")

include(CPack)
