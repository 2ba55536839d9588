# The headers that users of the library may include, and all that those include in turn: what is installed.
#
#   assay_public_headers(variable)
#
# Sets `variable` to paths below the source tree: those in assay/ itself, and from there along their includes.
function(assay_public_headers variable)
  file(GLOB open RELATIVE ${PROJECT_SOURCE_DIR} CONFIGURE_DEPENDS ${PROJECT_SOURCE_DIR}/assay/*.hpp)
  set(found ${open})
  while(open)
    list(POP_FRONT open header)
    set_property(DIRECTORY APPEND PROPERTY CMAKE_CONFIGURE_DEPENDS ${PROJECT_SOURCE_DIR}/${header})
    file(STRINGS ${PROJECT_SOURCE_DIR}/${header} lines REGEX "^#include [\"]assay/")
    foreach(line ${lines})
      string(REGEX REPLACE "^#include [\"]([^\"]+)[\"].*" "\\1" included "${line}")
      if(NOT included IN_LIST found)
        list(APPEND found ${included})
        list(APPEND open ${included})
      endif()
    endforeach()
  endwhile()
  list(SORT found)
  set(${variable} ${found} PARENT_SCOPE)
endfunction()
