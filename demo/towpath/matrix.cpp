#include "towpath/route.hpp"

int main(int argc, char** argv) {
  constexpr std::size_t most = 2000;  // the table would not fit into the harbour master's machine
  return towpath::plan_main(argc, argv, "towpath-matrix", towpath::search_by_matrix, most);
}
