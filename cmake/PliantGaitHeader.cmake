# pliant_gait_header(TARGET DOCUMENT [NAME STRUCT])
#
# Makes a header of a document's names with `gait header`, anew whenever the document or a file that it takes changes, and lets
# TARGET include it by the document's name: `lamplighter.gait.yaml` becomes `lamplighter.hpp`.
function(pliant_gait_header target document)
  cmake_parse_arguments(PARSE_ARGV 2 own "" "NAME" "")
  find_program(PLIANT_GAIT_TOOL gait HINTS "${PLIANT_GAIT_BINARIES}")
  if(NOT PLIANT_GAIT_TOOL)
    message(FATAL_ERROR "pliant_gait_header needs the tool 'gait'; set PLIANT_GAIT_TOOL to it")
  endif()
  cmake_path(ABSOLUTE_PATH document OUTPUT_VARIABLE from)
  cmake_path(GET from FILENAME stem)
  string(REGEX REPLACE "[.].*" "" stem "${stem}")
  set(folder "${CMAKE_CURRENT_BINARY_DIR}/pliant_gait/${target}")
  set(header "${folder}/${stem}.hpp")
  set(name)
  if(own_NAME)
    set(name --name "${own_NAME}")
  endif()
  file(MAKE_DIRECTORY "${folder}")
  add_custom_command(OUTPUT "${header}"
    COMMAND "${PLIANT_GAIT_TOOL}" header "${from}" -o "${header}" --depfile "${header}.d" ${name}
    DEPENDS "${from}" DEPFILE "${header}.d" COMMENT "Writing ${stem}.hpp" VERBATIM)
  target_sources(${target} PRIVATE "${header}")
  target_include_directories(${target} PRIVATE "${folder}")
endfunction()
