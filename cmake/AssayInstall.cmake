# find_package(assay) and pkg-config after `cmake --install`.
include(CMakePackageConfigHelpers)

install(TARGETS assay assay_allocations EXPORT assay-targets ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(TARGETS assay_tool RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
install(EXPORT assay-targets NAMESPACE assay:: DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/assay)
foreach(header ${ASSAY_PUBLIC_HEADERS})
  get_filename_component(folder ${header} DIRECTORY)
  install(FILES ${header} DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}/${folder})
endforeach()

configure_package_config_file(cmake/assay-config.cmake.in ${PROJECT_BINARY_DIR}/assay-config.cmake
  INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/assay)
write_basic_package_version_file(${PROJECT_BINARY_DIR}/assay-config-version.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/assay-config.cmake ${PROJECT_BINARY_DIR}/assay-config-version.cmake
  cmake/FindSoci.cmake DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/assay)

configure_file(cmake/assay.pc.in ${PROJECT_BINARY_DIR}/assay.pc @ONLY)
install(FILES ${PROJECT_BINARY_DIR}/assay.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
