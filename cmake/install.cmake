# What `cmake --install` and `cpack -G DEB` put where. Man pages are made from the programs' own --help, icons from the one drawing.
find_program(HELP2MAN help2man REQUIRED)
find_program(RSVG_CONVERT rsvg-convert REQUIRED)
set(packaging ${CMAKE_SOURCE_DIR}/packaging)
set(made ${CMAKE_BINARY_DIR}/packaging)
file(MAKE_DIRECTORY ${made})

# man_page(NAME PROGRAM "option that prints the help" "one line")
function(man_page name program help line)
  add_custom_command(OUTPUT ${made}/${name}.1
    COMMAND ${HELP2MAN} --no-info --help-option=${help} --version-string=${PROJECT_VERSION} --name=${line} --output=${name}.full $<TARGET_FILE:${program}>
    COMMAND sed "1,2s/^.TH [A-Z-]*/.TH ${name}/" ${name}.full > ${name}.1
    WORKING_DIRECTORY ${made} DEPENDS ${program} VERBATIM)
  set_property(GLOBAL APPEND PROPERTY packaging_made ${made}/${name}.1)
endfunction()

man_page(moth moth "--help" "find the camera that shot a piece of footage")
man_page(moth-solve moth "solve --help" "footage in, camera and points out")
man_page(moth-track moth "track --help" "2D tracks of a piece of footage")
man_page(moth-sweep moth "sweep --help" "what the footage tells about a scalar of the solve")
man_page(moth-frames moth "frames --help" "blurred and repeated frames, cuts")
man_page(moth-mask moth "mask --help" "what masks leave out")
man_page(moth-compare moth "compare --help" "how far a solve is from a known truth")
man_page(moth-info moth "info --help" "what is in a piece of footage or a project")
if(DUSKY_WINDOW)
  man_page(dusky-moth dusky-moth "--help" "the window of Dusky Moth")
endif()

foreach(size 16 24 32 48 64 128 256 512)
  add_custom_command(OUTPUT ${made}/icon-${size}.png
    COMMAND ${RSVG_CONVERT} -w ${size} -h ${size} -o ${made}/icon-${size}.png ${CMAKE_SOURCE_DIR}/apps/desktop/icons/moth.svg
    DEPENDS ${CMAKE_SOURCE_DIR}/apps/desktop/icons/moth.svg VERBATIM)
  set_property(GLOBAL APPEND PROPERTY packaging_made ${made}/icon-${size}.png)
  install(FILES ${made}/icon-${size}.png DESTINATION share/icons/hicolor/${size}x${size}/apps RENAME dusky-moth.png)
endforeach()
get_property(all_made GLOBAL PROPERTY packaging_made)
add_custom_target(packaging ALL DEPENDS ${all_made})

install(TARGETS moth RUNTIME DESTINATION bin)
install(TARGETS dusky_pictures LIBRARY DESTINATION lib/dusky-moth)
if(DUSKY_WINDOW)
  install(TARGETS dusky-moth RUNTIME DESTINATION bin)
  install(FILES ${packaging}/org.duskymoth.DuskyMoth.desktop DESTINATION share/applications)
  install(FILES ${packaging}/org.duskymoth.DuskyMoth.metainfo.xml DESTINATION share/metainfo)
endif()
install(FILES ${CMAKE_SOURCE_DIR}/apps/desktop/icons/moth.svg DESTINATION share/icons/hicolor/scalable/apps RENAME dusky-moth.svg)
install(FILES ${packaging}/dusky-moth.xml DESTINATION share/mime/packages)
install(FILES ${packaging}/completion.bash DESTINATION share/bash-completion/completions RENAME moth)
install(FILES ${packaging}/completion.bash DESTINATION share/bash-completion/completions RENAME dusky-moth)
install(DIRECTORY ${made}/ DESTINATION share/man/man1 FILES_MATCHING PATTERN "*.1")
install(FILES ${CMAKE_SOURCE_DIR}/demo-data/ferry-landing.mp4 ${CMAKE_SOURCE_DIR}/demo-data/ferry-landing.truth.json DESTINATION share/dusky-moth/demo-data)
install(FILES ${CMAKE_SOURCE_DIR}/README.md ${CMAKE_SOURCE_DIR}/CHANGELOG.md ${packaging}/copyright DESTINATION share/doc/dusky-moth)
install(DIRECTORY ${CMAKE_SOURCE_DIR}/docs DESTINATION share/doc/dusky-moth)

set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME dusky-moth)
set(CPACK_PACKAGE_VENDOR "The Dusky Moth developers")
set(CPACK_PACKAGE_CONTACT "The Dusky Moth developers <developers@duskymoth.invalid>")
set(CPACK_PACKAGE_DESCRIPTION_SUMMARY "find the camera that shot a piece of footage")
set(CPACK_DEBIAN_PACKAGE_DESCRIPTION
  "Dusky Moth finds the camera that shot a piece of footage: where it stood, how\n it was turned, its focal length and its lens, for every frame, with 3D points\n of the set, in a window (dusky-moth) or on the command line (moth).")
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
set(CPACK_STRIP_FILES ON)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_PACKAGE_SECTION video)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
# Beside what the programs link: the font, what draws icons, and what knows file types.
set(CPACK_DEBIAN_PACKAGE_DEPENDS "fonts-inter, libqt6svg6, libgl1-mesa-dri, shared-mime-info, hicolor-icon-theme")
include(CPack)
