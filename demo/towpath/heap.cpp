#include "towpath/route.hpp"

int main(int argc, char** argv) {
  return towpath::plan_main(argc, argv, "towpath-heap", towpath::search_by_heap);
}
