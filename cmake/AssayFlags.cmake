# Compile options of Assay's own targets; never exported to users of the library.
add_library(assay_flags INTERFACE)
target_compile_options(assay_flags INTERFACE -Wall -Wextra -Wpedantic -Wshadow -Wconversion -Wsign-conversion
  -Wnon-virtual-dtor -Wold-style-cast -Woverloaded-virtual -Wno-missing-field-initializers
  $<$<CXX_COMPILER_ID:GNU>:-Wno-restrict>)  # GCC 12 warns of every std::string operator+ (its bug 105651)
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
  target_link_options(assay_flags INTERFACE -fsanitize=address,undefined)
endif()
