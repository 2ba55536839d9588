# Compile options of Assay's own targets; never exported to users of the library.
add_library(assay_flags INTERFACE)
target_compile_options(assay_flags INTERFACE -Wall -Wextra -Wpedantic -Wshadow -Wconversion -Wsign-conversion
  -Wnon-virtual-dtor -Wold-style-cast -Woverloaded-virtual -Wno-missing-field-initializers
  $<$<CXX_COMPILER_ID:GNU>:-Wno-restrict>)  # GCC 12 warns of every std::string operator+ (its bug 105651)
if(CMAKE_UNITY_BUILD AND CMAKE_CXX_COMPILER_ID STREQUAL GNU)  # many sources in one: less often collected, sooner done
  target_compile_options(assay_flags INTERFACE "SHELL:--param ggc-min-heapsize=524288")
endif()
if(CMAKE_UNITY_BUILD AND ASSAY_TESTS)  # some thirty programs are linked: in half the time, or less
  if(CMAKE_CXX_COMPILER_ID STREQUAL GNU)
    find_program(ASSAY_LINKER ld.gold)
    set(linker gold)
  else()
    find_program(ASSAY_LINKER ld.lld)
    set(linker lld)
  endif()
  if(ASSAY_LINKER)
    add_link_options(-fuse-ld=${linker})
  endif()
endif()
if(ASSAY_EXTRA_FLAGS)  # of scripts that look for faults: other sanitizers, coverage; not for embedded programs
  target_compile_options(assay_flags INTERFACE ${ASSAY_EXTRA_FLAGS})
  target_link_options(assay_flags INTERFACE ${ASSAY_EXTRA_FLAGS})
endif()
if(ASSAY_STRICT)
  target_compile_options(assay_flags INTERFACE -Werror)
endif()
if(ASSAY_SANITIZE)
  # Without the vptr check: it needs type information that the SOCI library does not export. Targets with the
  # property ASSAY_ADDRESSES_ONLY do without the checks for undefined behaviour, which make most of the build's
  # time where templates of arguments, JSON or expectations are many.
  set(all_but_addresses $<NOT:$<BOOL:$<TARGET_PROPERTY:ASSAY_ADDRESSES_ONLY>>>)
  target_compile_options(assay_flags INTERFACE -fsanitize=address -fno-omit-frame-pointer
    $<${all_but_addresses}:-fsanitize=undefined> $<${all_but_addresses}:-fno-sanitize=vptr> -fno-sanitize-recover=all)
  if(CMAKE_UNITY_BUILD)  # marks every scope's beginning and end
    target_compile_options(assay_flags INTERFACE -fno-sanitize-address-use-after-scope)
  endif()
  target_link_options(assay_flags INTERFACE -fsanitize=address,undefined)
endif()
