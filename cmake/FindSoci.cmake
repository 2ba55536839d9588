# Debian's libsoci-dev ships no CMake package: finds the headers, the core and the backends for SQLite and PostgreSQL.
find_path(SOCI_INCLUDE_DIR soci/soci.h)
find_library(SOCI_CORE_LIBRARY soci_core)
find_library(SOCI_SQLITE3_LIBRARY soci_sqlite3)
find_library(SOCI_POSTGRESQL_LIBRARY soci_postgresql)
include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(Soci REQUIRED_VARS SOCI_CORE_LIBRARY SOCI_SQLITE3_LIBRARY
  SOCI_POSTGRESQL_LIBRARY SOCI_INCLUDE_DIR)
if(Soci_FOUND AND NOT TARGET Soci::Soci)
  add_library(Soci::Soci INTERFACE IMPORTED)
  target_include_directories(Soci::Soci SYSTEM INTERFACE ${SOCI_INCLUDE_DIR} ${SOCI_INCLUDE_DIR}/soci)
  target_link_libraries(Soci::Soci INTERFACE ${SOCI_SQLITE3_LIBRARY} ${SOCI_POSTGRESQL_LIBRARY} ${SOCI_CORE_LIBRARY})
endif()
