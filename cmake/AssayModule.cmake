# A module of the library: the sources of one folder below assay/, as an object library.
#
#   assay_module(judge USES schedule stats model LIBRARIES Boost::headers)
#
# USES names the modules that it may call. LIBRARIES are third-party ones of its own sources; no installed header
# includes any. ADDRESSES_ONLY: mostly templates of others, for which the checks for undefined behaviour would double
# the build's time. COLD: nothing in it takes long when it runs, so it is hardly optimised. The library `assay` is
# put together from all modules, in the order in which they are declared.
function(assay_module name)
  cmake_parse_arguments(PARSE_ARGV 1 module "ADDRESSES_ONLY;COLD" "" "USES;LIBRARIES")
  set(target assay_${name})
  file(GLOB sources CONFIGURE_DEPENDS ${CMAKE_CURRENT_SOURCE_DIR}/*.cpp)
  add_library(${target} OBJECT ${sources})
  target_include_directories(${target} PUBLIC ${PROJECT_SOURCE_DIR})
  target_link_libraries(${target} PRIVATE assay_flags ${module_LIBRARIES})
  if(module_COLD)
    target_compile_options(${target} PRIVATE $<$<NOT:$<CONFIG:Debug>>:-Og>)
  endif()
  if(module_ADDRESSES_ONLY)
    set_target_properties(${target} PROPERTIES ASSAY_ADDRESSES_ONLY ON)
  endif()
  set_property(GLOBAL APPEND PROPERTY ASSAY_MODULES ${name})
  set_property(GLOBAL PROPERTY ASSAY_MODULE_${name}_USES "${module_USES}")
  set_property(GLOBAL PROPERTY ASSAY_MODULE_${name}_LIBRARIES "${module_LIBRARIES}")
endfunction()
