# Compile options of Assay's own targets; never exported to users of the library.
add_library(assay_flags INTERFACE)
target_compile_options(assay_flags INTERFACE -Wall -Wextra -Wpedantic -Wshadow -Wconversion -Wsign-conversion
  -Wnon-virtual-dtor -Wold-style-cast -Woverloaded-virtual -Wno-missing-field-initializers
  $<$<CXX_COMPILER_ID:GNU>:-Wno-restrict>)  # GCC 12 warns of every std::string operator+ (its bug 105651)
if(ASSAY_STRICT)
  target_compile_options(assay_flags INTERFACE -Werror)
endif()
if(ASSAY_SANITIZE)
  # Without the vptr check: it needs type information that the SOCI library does not export.
  target_compile_options(assay_flags INTERFACE -fsanitize=address,undefined -fno-sanitize=vptr
    -fno-sanitize-recover=all -fno-omit-frame-pointer)
  target_link_options(assay_flags INTERFACE -fsanitize=address,undefined)
endif()
