# pliant_gait_header(TARGET DOCUMENT [NAME STRUCT])
#
# Makes a header of a document's names with `gait header`, anew whenever the document or a file that it takes changes, and lets
# TARGET include it by the document's name: `lamplighter.gait.yaml` becomes `lamplighter.hpp`.
#
# pliant_gait_character(TARGET DOCUMENT [NAME STRUCT] [INTO FOLDER] [CLIPS fast|small] [STRIP])
#
# The same, and packs the character with `gait pack` into FOLDER, that of the target's build where none is given:
# `lamplighter.gait.yaml` becomes `lamplighter.gaitpack`. TARGET is told where as PLIANT_GAIT_PACK_lamplighter, a text.
function(pliant_gait_find_tool)
  find_program(PLIANT_GAIT_TOOL gait HINTS "${PLIANT_GAIT_BINARIES}")
  if(NOT PLIANT_GAIT_TOOL)
    message(FATAL_ERROR "a document needs the tool 'gait' to be built; set PLIANT_GAIT_TOOL to it")
  endif()
endfunction()

function(pliant_gait_header target document)
  cmake_parse_arguments(PARSE_ARGV 2 own "" "NAME" "")
  pliant_gait_find_tool()
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

function(pliant_gait_character target document)
  cmake_parse_arguments(PARSE_ARGV 2 own "STRIP" "NAME;INTO;CLIPS" "")
  set(name)
  if(own_NAME)
    set(name NAME "${own_NAME}")
  endif()
  pliant_gait_header(${target} "${document}" ${name})
  cmake_path(ABSOLUTE_PATH document OUTPUT_VARIABLE from)
  cmake_path(GET from FILENAME stem)
  string(REGEX REPLACE "[.].*" "" stem "${stem}")
  set(folder "${CMAKE_CURRENT_BINARY_DIR}/pliant_gait/${target}")
  set(into "${CMAKE_CURRENT_BINARY_DIR}")
  if(own_INTO)
    set(into "${own_INTO}")
  endif()
  set(how)
  if(own_CLIPS)
    list(APPEND how --clips "${own_CLIPS}")
  endif()
  if(own_STRIP)
    list(APPEND how --strip)
  endif()
  set(pack "${into}/${stem}.gaitpack")
  file(MAKE_DIRECTORY "${into}")
  add_custom_command(OUTPUT "${pack}"
    COMMAND "${PLIANT_GAIT_TOOL}" pack "${from}" -o "${pack}" --depfile "${folder}/${stem}.gaitpack.d" --quiet ${how}
    DEPENDS "${from}" DEPFILE "${folder}/${stem}.gaitpack.d" COMMENT "Packing ${stem}.gaitpack" VERBATIM)
  target_sources(${target} PRIVATE "${pack}")
  string(MAKE_C_IDENTIFIER "${stem}" id)
  target_compile_definitions(${target} PRIVATE "PLIANT_GAIT_PACK_${id}=\"${pack}\"")
endfunction()
