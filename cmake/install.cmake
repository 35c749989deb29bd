# make install: libraries, headers, the command, and package files for pkg-config and CMake.

include(CMakePackageConfigHelpers)

set(WRY_LIBRARIES wrytograph_static wry_loader)
set(WRY_HEADERS include/wrytograph)
set(WRY_PACKAGE_FILES wrytograph.pc wrytograph-loader.pc)
if(WRY_HOSTED)
    install(TARGETS wrytograph RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
    # What 'make man' has made; without it there is none to install.
    foreach(section 1 3)
        install(DIRECTORY ${CMAKE_CURRENT_BINARY_DIR}/man/ OPTIONAL
            DESTINATION ${CMAKE_INSTALL_MANDIR}/man${section} FILES_MATCHING PATTERN "*.${section}")
    endforeach()
    install(FILES cli/completion/wrytograph.bash RENAME wrytograph
        DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions)
    install(FILES cli/completion/_wrytograph DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/site-functions)
    install(FILES cli/completion/wrytograph.fish
        DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d)
    list(APPEND WRY_LIBRARIES wrytograph_host)
    list(APPEND WRY_HEADERS include/wrytograph-host)
    list(APPEND WRY_PACKAGE_FILES wrytograph-host.pc)
endif()
if(TARGET wrytograph_shared)
    list(APPEND WRY_LIBRARIES wrytograph_shared)
endif()
install(TARGETS ${WRY_LIBRARIES} EXPORT wrytograph
    LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR}
    ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(DIRECTORY ${WRY_HEADERS} DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}
    FILES_MATCHING PATTERN "*.h")

# The files find their tree from where they lie, so that it may stand anywhere.
file(RELATIVE_PATH WRY_PC_TO_PREFIX "/${CMAKE_INSTALL_LIBDIR}/pkgconfig" "/")
foreach(file ${WRY_PACKAGE_FILES})
    configure_file(cmake/${file}.in ${file} @ONLY)
    install(FILES ${CMAKE_CURRENT_BINARY_DIR}/${file}
        DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
endforeach()

set(WRY_PACKAGE_DIR ${CMAKE_INSTALL_LIBDIR}/cmake/wrytograph)
install(EXPORT wrytograph NAMESPACE wrytograph:: FILE wrytographTargets.cmake
    DESTINATION ${WRY_PACKAGE_DIR})
configure_package_config_file(cmake/wrytographConfig.cmake.in wrytographConfig.cmake
    INSTALL_DESTINATION ${WRY_PACKAGE_DIR})
write_basic_package_version_file(wrytographConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/wrytographConfig.cmake
    ${CMAKE_CURRENT_BINARY_DIR}/wrytographConfigVersion.cmake DESTINATION ${WRY_PACKAGE_DIR})
