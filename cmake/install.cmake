# What `cmake --install` puts where, how other projects find it, and the Debian package.
include(GNUInstallDirs)
include(CMakePackageConfigHelpers)

foreach(library ${GAIT_LIBRARIES})
  set_target_properties(gait_${library} PROPERTIES OUTPUT_NAME pliant_gait_${library} EXPORT_NAME ${library})
  target_include_directories(gait_${library} INTERFACE $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}>)
  install(TARGETS gait_${library} EXPORT ${library}_targets
    ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR} LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR})
  install(EXPORT ${library}_targets NAMESPACE PliantGait:: FILE PliantGait-${library}.cmake
    DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/PliantGait)
endforeach()
# Of a static build, for it reaches inside the authoring library.
if(GAIT_BUILD_STAGE AND NOT BUILD_SHARED_LIBS)
  set_target_properties(gait_stage PROPERTIES OUTPUT_NAME pliant_gait_stage EXPORT_NAME stage)
  target_include_directories(gait_stage INTERFACE $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}>)
  install(TARGETS gait_stage EXPORT stage_targets ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR})
  install(EXPORT stage_targets NAMESPACE PliantGait:: FILE PliantGait-stage.cmake
    DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/PliantGait)
endif()
if(GAIT_BUILD_C)
  target_include_directories(gait_c INTERFACE $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}>)
  install(TARGETS gait_c EXPORT c_targets LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR})
  install(EXPORT c_targets NAMESPACE PliantGait:: FILE PliantGait-c.cmake
    DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/PliantGait)
endif()
install(DIRECTORY include/gait DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
install(FILES LICENSE DESTINATION ${CMAKE_INSTALL_DOCDIR})

configure_package_config_file(cmake/PliantGaitConfig.cmake.in ${PROJECT_BINARY_DIR}/PliantGaitConfig.cmake
  INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/PliantGait)
write_basic_package_version_file(${PROJECT_BINARY_DIR}/PliantGaitConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES cmake/PliantGaitCharacter.cmake DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/PliantGait)
install(FILES ${PROJECT_BINARY_DIR}/PliantGaitConfig.cmake ${PROJECT_BINARY_DIR}/PliantGaitConfigVersion.cmake
  DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/PliantGait)
# Wherever the tree is put, pkg-config finds it from where its own file lies.
file(RELATIVE_PATH GAIT_FROM_PKGCONFIG /${CMAKE_INSTALL_LIBDIR}/pkgconfig /)
foreach(library ${GAIT_LIBRARIES})
  configure_file(cmake/pliant-gait-${library}.pc.in ${PROJECT_BINARY_DIR}/pliant-gait-${library}.pc @ONLY)
  install(FILES ${PROJECT_BINARY_DIR}/pliant-gait-${library}.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
endforeach()

if(GAIT_BUILD_TOOL)
  install(TARGETS gait RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
  # The manual page and the completions come from the tool itself.
  add_custom_command(OUTPUT ${PROJECT_BINARY_DIR}/gait.1 ${PROJECT_BINARY_DIR}/gait.bash ${PROJECT_BINARY_DIR}/_gait
    COMMAND gait manual > ${PROJECT_BINARY_DIR}/gait.1
    COMMAND gait completion bash > ${PROJECT_BINARY_DIR}/gait.bash
    COMMAND gait completion zsh > ${PROJECT_BINARY_DIR}/_gait
    DEPENDS gait VERBATIM)
  add_custom_target(gait_manual ALL
    DEPENDS ${PROJECT_BINARY_DIR}/gait.1 ${PROJECT_BINARY_DIR}/gait.bash ${PROJECT_BINARY_DIR}/_gait)
  install(FILES ${PROJECT_BINARY_DIR}/gait.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
  install(FILES ${PROJECT_BINARY_DIR}/gait.bash DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions RENAME gait)
  install(FILES ${PROJECT_BINARY_DIR}/_gait DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/vendor-completions)
endif()

if(NOT PROJECT_IS_TOP_LEVEL)
  return()
endif()
set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME pliant-gait)
set(CPACK_PACKAGE_CONTACT "The developers of Pliant Gait")
set(CPACK_DEBIAN_PACKAGE_SECTION devel)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_PACKAGE_RECOMMENDS "gnuplot-nox, graphviz, fonts-dejavu-core")
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
include(CPack)
