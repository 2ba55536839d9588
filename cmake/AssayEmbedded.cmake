# A static program of a module's own, from the sources in its folder `name`, embedded into the library as bytes: between
# the symbols that name/image.S.in names, which is given the program's path as the variable `variable`.
#
#   assay_embedded_program(measure launcher ASSAY_LAUNCHER_FILE)
function(assay_embedded_program module name variable)
  file(GLOB sources CONFIGURE_DEPENDS ${CMAKE_CURRENT_SOURCE_DIR}/${name}/*.cpp)
  set(program assay_${name})
  add_executable(${program} ${sources})
  target_include_directories(${program} PRIVATE ${PROJECT_SOURCE_DIR})
  target_compile_options(${program} PRIVATE -Os -fno-exceptions -fno-rtti -fno-asynchronous-unwind-tables -Wall -Wextra)
  target_link_options(${program} PRIVATE -static -s)
  set(${variable} ${CMAKE_CURRENT_BINARY_DIR}/${name}.bin)
  add_custom_command(OUTPUT ${${variable}} DEPENDS ${program}
    COMMAND ${CMAKE_COMMAND} -E copy $<TARGET_FILE:${program}> ${${variable}} VERBATIM)
  configure_file(${name}/image.S.in image.S @ONLY)
  set_source_files_properties(${CMAKE_CURRENT_BINARY_DIR}/image.S PROPERTIES OBJECT_DEPENDS ${${variable}})
  target_sources(assay_${module} PRIVATE ${CMAKE_CURRENT_BINARY_DIR}/image.S)
endfunction()
