# dusky_options: the one place for warning flags; all of them are errors.
add_library(dusky_options INTERFACE)
target_compile_options(dusky_options INTERFACE -Wall -Wextra -Wpedantic -Wshadow -Wnon-virtual-dtor -Wconversion -Wno-sign-conversion -Wno-float-conversion -Wno-missing-field-initializers -Werror)
target_include_directories(dusky_options INTERFACE ${CMAKE_SOURCE_DIR} ${CMAKE_BINARY_DIR})
if(CMAKE_CXX_FLAGS MATCHES fsanitize)
  target_compile_options(dusky_options INTERFACE -Wno-error)  # GCC 12 warns falsely about what the sanitizers add
endif()
if(CMAKE_BUILD_TYPE STREQUAL "Release")
  # x86-64-v3 is every desktop processor since 2013; fused multiply-add is fixed at build time, so results don't depend on the machine.
  target_compile_options(dusky_options INTERFACE -march=x86-64-v3 -O3 -fno-math-errno)
  # GCC 12 reports these falsely for std::string under -O3 (its bug 105329 and kin).
  target_compile_options(dusky_options INTERFACE -Wno-array-bounds -Wno-stringop-overread -Wno-stringop-overflow -Wno-restrict)
endif()

# dusky_room(NAME SOURCES ... ROOMS other rooms ... LINKS outside targets ...): one static target per core folder.
# ROOMS is also the room's include permission; tools/check-includes reads it.
function(dusky_room name)
  cmake_parse_arguments(ROOM "" "" "SOURCES;ROOMS;LINKS" ${ARGN})
  add_library(dusky_${name} STATIC ${ROOM_SOURCES})
  add_library(dusky::${name} ALIAS dusky_${name})
  list(TRANSFORM ROOM_ROOMS PREPEND dusky:: OUTPUT_VARIABLE rooms)
  target_link_libraries(dusky_${name} PUBLIC dusky_options ${rooms} ${ROOM_LINKS})
endfunction()

# dusky_test(FILE LINKS ...): one test program per x_test.cpp, in the folder's CMake file or above it.
function(dusky_test file)
  cmake_parse_arguments(TEST "" "" "LINKS" ${ARGN})
  get_filename_component(name ${file} NAME_WE)
  add_executable(${name} ${file})
  target_link_libraries(${name} PRIVATE ${TEST_LINKS} dusky_test_support GTest::gmock_main)
  target_compile_definitions(${name} PRIVATE DUSKY_DEMO_DATA="${CMAKE_SOURCE_DIR}/demo-data" DUSKY_SOURCE="${CMAKE_SOURCE_DIR}")
  target_compile_options(${name} PRIVATE -Wno-dangling-else)  # gtest macros hold an if
  target_precompile_headers(${name} REUSE_FROM dusky_test_headers)
  add_test(NAME ${name} COMMAND ${name})
  set_tests_properties(${name} PROPERTIES TIMEOUT 1500)  # for what hangs, on the slowest machine
endfunction()
