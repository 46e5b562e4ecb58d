# Installs the library for find_package(BareLattice), its headers, and the tool.
include(GNUInstallDirs)
include(CMakePackageConfigHelpers)
install(TARGETS barelattice_barelattice EXPORT BareLatticeTargets ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR}
        LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(DIRECTORY ${PROJECT_SOURCE_DIR}/include/barelattice DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
set(package_folder ${CMAKE_INSTALL_LIBDIR}/cmake/BareLattice)
install(EXPORT BareLatticeTargets NAMESPACE BareLattice:: DESTINATION ${package_folder})
configure_package_config_file(${PROJECT_SOURCE_DIR}/cmake/BareLatticeConfig.cmake.in
  ${PROJECT_BINARY_DIR}/BareLatticeConfig.cmake INSTALL_DESTINATION ${package_folder})
write_basic_package_version_file(${PROJECT_BINARY_DIR}/BareLatticeConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/BareLatticeConfig.cmake ${PROJECT_BINARY_DIR}/BareLatticeConfigVersion.cmake
        ${PROJECT_SOURCE_DIR}/cmake/BareLatticeArchives.cmake DESTINATION ${package_folder})
install(FILES ${PROJECT_SOURCE_DIR}/LICENSE DESTINATION ${CMAKE_INSTALL_DOCDIR})
if(BARELATTICE_TOOL)
  install(TARGETS barelattice_tool RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
  set(manual_folder ${PROJECT_BINARY_DIR}/apps/barelattice/manual)
  install(FILES ${manual_folder}/barelattice.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
  install(FILES ${manual_folder}/barelattice.bash DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions
          RENAME barelattice)
  install(FILES ${manual_folder}/_barelattice DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/site-functions)
  install(FILES ${manual_folder}/barelattice.fish DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d)
endif()
