# `cmake --install`: the libraries, headers, the tool, a CMake package and a pkg-config file.
include(CMakePackageConfigHelpers)
install(TARGETS bayswap bayswap_sync bayswap_moves bayswap_reading bayswap_places bayswap_history bayswap_hub bayswap_readers bayswap_files bayswap_core
  EXPORT bayswapTargets ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(DIRECTORY ${PROJECT_SOURCE_DIR}/include/bayswap DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
install(EXPORT bayswapTargets NAMESPACE bayswap:: DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/bayswap)
configure_package_config_file(${CMAKE_CURRENT_LIST_DIR}/bayswapConfig.cmake.in
  ${PROJECT_BINARY_DIR}/bayswapConfig.cmake
  INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/bayswap)
write_basic_package_version_file(${PROJECT_BINARY_DIR}/bayswapConfigVersion.cmake
  COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/bayswapConfig.cmake ${PROJECT_BINARY_DIR}/bayswapConfigVersion.cmake
  DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/bayswap)
configure_file(${CMAKE_CURRENT_LIST_DIR}/bayswap.pc.in ${PROJECT_BINARY_DIR}/bayswap.pc @ONLY)
install(FILES ${PROJECT_BINARY_DIR}/bayswap.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
if(BAYSWAP_BUILD_TOOL)
  install(TARGETS bayswap_cli bayswap_reader RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
  include(GNUInstallDirs)
  configure_file(${CMAKE_CURRENT_LIST_DIR}/systemd/bayswap-watch.service
    ${PROJECT_BINARY_DIR}/bayswap-watch.service @ONLY)
  install(FILES ${PROJECT_BINARY_DIR}/bayswap-watch.service DESTINATION lib/systemd/user)
  install(DIRECTORY ${PROJECT_BINARY_DIR}/man/ DESTINATION ${CMAKE_INSTALL_MANDIR}/man1 FILES_MATCHING PATTERN "*.1")
  install(DIRECTORY ${PROJECT_BINARY_DIR}/man/ DESTINATION ${CMAKE_INSTALL_MANDIR}/man5 FILES_MATCHING PATTERN "*.5")
  install(FILES ${CMAKE_CURRENT_LIST_DIR}/completions/bayswap.bash
    DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions RENAME bayswap)
  install(FILES ${CMAKE_CURRENT_LIST_DIR}/completions/_bayswap DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/site-functions)
  install(FILES ${CMAKE_CURRENT_LIST_DIR}/completions/bayswap.fish
    DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d)
endif()
