# `cmake --install`: the shared library, the layers as archives, headers, the tool, a CMake package and
# a pkg-config file. Components, which are the Debian packages too: tool, library, development.
include(CMakePackageConfigHelpers)
install(TARGETS bayswap_shared EXPORT bayswapTargets
  LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR} COMPONENT library NAMELINK_COMPONENT development)
install(TARGETS bayswap bayswap_sync bayswap_moves bayswap_reading bayswap_places bayswap_history bayswap_hub bayswap_readers bayswap_files bayswap_core
  EXPORT bayswapStaticTargets ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR} COMPONENT development)
set(package_folder ${CMAKE_INSTALL_LIBDIR}/cmake/bayswap)
install(EXPORT bayswapTargets NAMESPACE bayswap:: DESTINATION ${package_folder} COMPONENT development)
install(EXPORT bayswapStaticTargets NAMESPACE bayswap:: DESTINATION ${package_folder} COMPONENT development)
install(DIRECTORY ${PROJECT_SOURCE_DIR}/include/bayswap DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}
  COMPONENT development)
configure_package_config_file(${CMAKE_CURRENT_LIST_DIR}/bayswapConfig.cmake.in
  ${PROJECT_BINARY_DIR}/bayswapConfig.cmake INSTALL_DESTINATION ${package_folder})
write_basic_package_version_file(${PROJECT_BINARY_DIR}/bayswapConfigVersion.cmake
  COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/bayswapConfig.cmake ${PROJECT_BINARY_DIR}/bayswapConfigVersion.cmake
  DESTINATION ${package_folder} COMPONENT development)
if(CMAKE_INSTALL_PREFIX STREQUAL "/usr")
  set(zsh_folder vendor-completions)
else()
  set(zsh_folder site-functions)
  # Outside of the system's folders a program has to be told where the library is.
  set(run_path " -Wl,-rpath,\${libdir}")
endif()
configure_file(${CMAKE_CURRENT_LIST_DIR}/bayswap.pc.in ${PROJECT_BINARY_DIR}/bayswap.pc @ONLY)
install(FILES ${PROJECT_BINARY_DIR}/bayswap.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig COMPONENT development)
if(BAYSWAP_BUILD_TOOL)
  install(TARGETS bayswap_cli bayswap_reader RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR} COMPONENT tool)
  configure_file(${CMAKE_CURRENT_LIST_DIR}/systemd/bayswap-watch.service
    ${PROJECT_BINARY_DIR}/bayswap-watch.service @ONLY)
  install(FILES ${PROJECT_BINARY_DIR}/bayswap-watch.service DESTINATION lib/systemd/user COMPONENT tool)
  foreach(section 1 5)
    install(DIRECTORY ${PROJECT_BINARY_DIR}/man/ DESTINATION ${CMAKE_INSTALL_MANDIR}/man${section} COMPONENT tool
      FILES_MATCHING PATTERN "*.${section}.gz")
  endforeach()
  set(completions ${CMAKE_CURRENT_LIST_DIR}/completions)
  install(FILES ${completions}/bayswap.bash
    DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions COMPONENT tool RENAME bayswap)
  install(FILES ${completions}/_bayswap DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/${zsh_folder} COMPONENT tool)
  install(FILES ${completions}/bayswap.fish
    DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d COMPONENT tool)
endif()
