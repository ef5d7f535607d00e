# What is installed where, and the packages that it is divided into: the window, the command line, what both share.
set(private ${CMAKE_INSTALL_LIBDIR}/refero) # nobody else's libraries
set_target_properties(refero refero-cli PROPERTIES INSTALL_RPATH "$ORIGIN/../${private}")
set_target_properties(refero_base refero_colour refero_frame PROPERTIES INSTALL_RPATH "$ORIGIN")
install(TARGETS refero RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR} COMPONENT refero)
install(TARGETS refero-cli RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR} COMPONENT refero-cli)
install(TARGETS refero_base refero_colour refero_frame LIBRARY DESTINATION ${private} COMPONENT refero-cli)
install(TARGETS refero_pictures refero_clips LIBRARY DESTINATION ${private}/refero COMPONENT refero-cli)
install(DIRECTORY charts demo DESTINATION ${CMAKE_INSTALL_DATADIR}/refero COMPONENT refero-data)
install(DIRECTORY docs/guide docs/screenshots DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/refero-data COMPONENT refero-data)
install(FILES docs/formats.md docs/glossary.md docs/methods.md docs/benchmarks.md
  DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/refero-data COMPONENT refero-data)
foreach(package refero refero-cli refero-data)
  install(FILES packaging/copyright DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/${package} COMPONENT ${package})
endforeach()
install(FILES packaging/refero.desktop DESTINATION ${CMAKE_INSTALL_DATADIR}/applications COMPONENT refero)
install(FILES packaging/refero.metainfo.xml DESTINATION ${CMAKE_INSTALL_DATADIR}/metainfo COMPONENT refero)
install(FILES packaging/refero-mime.xml DESTINATION ${CMAKE_INSTALL_DATADIR}/mime/packages COMPONENT refero)
install(FILES app/ui/icons/refero.svg DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/scalable/apps COMPONENT refero)
install(FILES app/ui/icons/refero.svg DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/scalable/mimetypes
  RENAME application-x-refero-job.svg COMPONENT refero)
install(FILES packaging/refero-symbolic.svg DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/symbolic/apps COMPONENT refero)

# Manual pages and completions, made from what the program says of itself.
find_package(Python3 REQUIRED COMPONENTS Interpreter)
set(texts ${CMAKE_BINARY_DIR}/texts)
add_custom_command(OUTPUT ${texts}/made
  COMMAND ${Python3_EXECUTABLE} ${PROJECT_SOURCE_DIR}/packaging/texts.py $<TARGET_FILE:refero-cli> ${texts}
  COMMAND ${CMAKE_COMMAND} -E touch ${texts}/made
  DEPENDS refero-cli ${PROJECT_SOURCE_DIR}/packaging/texts.py VERBATIM)
add_custom_target(texts ALL DEPENDS ${texts}/made)
install(FILES ${texts}/man/man1/refero.1.gz DESTINATION ${CMAKE_INSTALL_MANDIR}/man1 COMPONENT refero)
install(DIRECTORY ${texts}/man/ DESTINATION ${CMAKE_INSTALL_MANDIR} COMPONENT refero-cli PATTERN refero.1.gz EXCLUDE)
install(DIRECTORY ${texts}/bash-completion ${texts}/zsh DESTINATION ${CMAKE_INSTALL_DATADIR} COMPONENT refero-cli)

set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME refero)
set(CPACK_PACKAGE_VENDOR "Refero")
set(CPACK_PACKAGE_VERSION ${PROJECT_VERSION})
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
set(CPACK_STRIP_FILES ON)
set(CPACK_THREADS 0)
set(CPACK_INSTALL_DEFAULT_DIRECTORY_PERMISSIONS
  OWNER_READ OWNER_WRITE OWNER_EXECUTE GROUP_READ GROUP_EXECUTE WORLD_READ WORLD_EXECUTE)
set(CPACK_COMPONENTS_ALL refero refero-cli refero-data)
set(CPACK_DEB_COMPONENT_INSTALL ON)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_PACKAGE_MAINTAINER "Refero <refero@localhost>")
set(CPACK_DEBIAN_PACKAGE_SECTION graphics)
set(CPACK_DEBIAN_COMPRESSION_TYPE xz)
set(CPACK_DEBIAN_PACKAGE_CONTROL_STRICT_PERMISSION ON)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS_PRIVATE_DIRS ${CMAKE_BINARY_DIR}/lib ${CMAKE_BINARY_DIR}/lib/refero)
foreach(package refero refero-cli refero-data)
  string(TOUPPER ${package} key)
  set(CPACK_DEBIAN_${key}_PACKAGE_NAME ${package})
endforeach()
set(CPACK_DEBIAN_REFERO_DESCRIPTION "measures colour charts, makes corrections and proves them
 The window: plan and judge chart shots, fit, prove and match corrections,
 and hand them over to other programs.")
set(CPACK_DEBIAN_REFERO-CLI_DESCRIPTION "measures colour charts by command line
 The command line of Refero, with the libraries that the window shares.")
set(CPACK_DEBIAN_REFERO-DATA_DESCRIPTION "charts, demo and guide of Refero
 Chart definitions, the scenes of the demo, and the guide with its pictures.")
set(CPACK_DEBIAN_REFERO_PACKAGE_DEPENDS "refero-cli (= ${PROJECT_VERSION})")
set(CPACK_DEBIAN_REFERO-CLI_PACKAGE_DEPENDS "refero-data (= ${PROJECT_VERSION})")
set(CPACK_DEBIAN_REFERO-CLI_PACKAGE_SUGGESTS refero)
set(CPACK_DEBIAN_REFERO-DATA_PACKAGE_ARCHITECTURE all)
set(CPACK_DEBIAN_REFERO-DATA_PACKAGE_SHLIBDEPS OFF)
include(CPack)
