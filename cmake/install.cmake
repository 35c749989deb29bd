# make install: libraries, headers, the command, and package files for pkg-config and CMake.

include(CMakePackageConfigHelpers)

if(WRY_HOSTED)
    install(TARGETS wrytograph RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
endif()
set(WRY_LIBRARIES wrytograph_static wry_loader)
if(TARGET wrytograph_shared)
    list(APPEND WRY_LIBRARIES wrytograph_shared)
endif()
install(TARGETS ${WRY_LIBRARIES} EXPORT wrytograph
    LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR}
    ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(DIRECTORY include/wrytograph DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}
    FILES_MATCHING PATTERN "*.h")

configure_file(cmake/wrytograph.pc.in wrytograph.pc @ONLY)
configure_file(cmake/wrytograph-loader.pc.in wrytograph-loader.pc @ONLY)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/wrytograph.pc
    ${CMAKE_CURRENT_BINARY_DIR}/wrytograph-loader.pc
    DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)

set(WRY_PACKAGE_DIR ${CMAKE_INSTALL_LIBDIR}/cmake/wrytograph)
install(EXPORT wrytograph NAMESPACE wrytograph:: FILE wrytographTargets.cmake
    DESTINATION ${WRY_PACKAGE_DIR})
configure_package_config_file(cmake/wrytographConfig.cmake.in wrytographConfig.cmake
    INSTALL_DESTINATION ${WRY_PACKAGE_DIR})
write_basic_package_version_file(wrytographConfigVersion.cmake COMPATIBILITY SameMajorVersion)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/wrytographConfig.cmake
    ${CMAKE_CURRENT_BINARY_DIR}/wrytographConfigVersion.cmake DESTINATION ${WRY_PACKAGE_DIR})
