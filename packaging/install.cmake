# What is installed, and the Debian package that CPack makes of it.
include(CMakePackageConfigHelpers)

get_property(libraries GLOBAL PROPERTY williwaw_libraries)
set(package_folder ${CMAKE_INSTALL_LIBDIR}/cmake/williwaw)
install(TARGETS ${libraries} EXPORT williwaw ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(EXPORT williwaw NAMESPACE williwaw:: DESTINATION ${package_folder} FILE williwaw-targets.cmake)
install(DIRECTORY ${PROJECT_SOURCE_DIR}/include/williwaw ${PROJECT_BINARY_DIR}/include/williwaw
  DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
set(with_mpi ${MPI_C_FOUND})
configure_package_config_file(${CMAKE_CURRENT_LIST_DIR}/williwaw-config.cmake.in
  ${PROJECT_BINARY_DIR}/williwaw-config.cmake INSTALL_DESTINATION ${package_folder})
write_basic_package_version_file(${PROJECT_BINARY_DIR}/williwaw-config-version.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/williwaw-config.cmake ${PROJECT_BINARY_DIR}/williwaw-config-version.cmake
  DESTINATION ${package_folder})

# The layers of the core for a linker that goes from left to right: those above first.
set(core_libraries "")
foreach(library verify time terms boundary solve balance problem domain grid)
  string(APPEND core_libraries " -lwilliwaw_${library}")
endforeach()
file(RELATIVE_PATH to_prefix /${CMAKE_INSTALL_LIBDIR}/pkgconfig /)
configure_file(${CMAKE_CURRENT_LIST_DIR}/williwaw-core.pc.in ${PROJECT_BINARY_DIR}/williwaw-core.pc @ONLY)
install(FILES ${PROJECT_BINARY_DIR}/williwaw-core.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)

if(WILLIWAW_PROGRAM)
  install(TARGETS williwaw RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
  # The program says itself what it can do.
  foreach(page manual:williwaw.1 completion:williwaw-completion)
    string(REPLACE ":" ";" page ${page})
    list(GET page 0 kind)
    list(GET page 1 file)
    add_custom_command(TARGET williwaw POST_BUILD COMMAND williwaw describe --as ${kind} >${PROJECT_BINARY_DIR}/${file})
  endforeach()
  install(FILES ${PROJECT_BINARY_DIR}/williwaw.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
  install(FILES ${PROJECT_BINARY_DIR}/williwaw-completion DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions
    RENAME williwaw)
  install(DIRECTORY ${PROJECT_SOURCE_DIR}/cases DESTINATION ${CMAKE_INSTALL_DATADIR}/williwaw PATTERN "*.out" EXCLUDE)
endif()
install(DIRECTORY ${PROJECT_SOURCE_DIR}/docs/ DESTINATION ${CMAKE_INSTALL_DOCDIR})
install(FILES ${PROJECT_SOURCE_DIR}/README.md ${PROJECT_SOURCE_DIR}/ARCHITECTURE.md ${PROJECT_SOURCE_DIR}/CHANGELOG.md
  DESTINATION ${CMAKE_INSTALL_DOCDIR})
install(FILES ${PROJECT_SOURCE_DIR}/LICENSE DESTINATION ${CMAKE_INSTALL_DOCDIR} RENAME copyright)

if(PROJECT_IS_TOP_LEVEL)
  set(CPACK_GENERATOR DEB)
  set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
  set(CPACK_STRIP_FILES ON)
  set(CPACK_PACKAGE_CONTACT "The Williwaw developers <williwaw@example.org>")
  set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
  set(CPACK_DEBIAN_PACKAGE_SECTION science)
  # Libraries that the program is linked with are found by themselves; figures are drawn by a program.
  set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
  set(CPACK_DEBIAN_PACKAGE_DEPENDS "gnuplot-nox | gnuplot, fonts-dejavu-core")
  set(CPACK_DEBIAN_PACKAGE_SUGGESTS
    "g++, cmake, pkg-config, libfftw3-dev, libsleef-dev, libfmt-dev, libspdlog-dev, libtomlplusplus-dev, libudunits2-dev, libnetcdf-dev, libhdf5-dev, libgif-dev, libssl-dev, libopenmpi-dev")
  include(CPack)
endif()
