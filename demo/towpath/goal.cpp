#include "towpath/route.hpp"

int main(int argc, char** argv) {
  return towpath::plan_main(argc, argv, "towpath-goal", towpath::search_to_goal);
}
