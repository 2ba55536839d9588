// Compares programs from code: are two ways of planning barges' routes as fast as each other?
//
//   compare_programs LIST HEAP NETWORK ORDERS
//
// LIST and HEAP are builds of the same planner, NETWORK and ORDERS what they are made to plan.

#include <assay/compare.hpp>
#include <assay/error.hpp>
#include <iostream>

int main(int argc, char** argv) {
  if (argc != 5) {
    std::cerr << "usage: compare_programs LIST HEAP NETWORK ORDERS\n";
    return 2;
  }
  const assay::Plan plan{
      .title = "Two ways of planning routes",
      .baseline = "list",
      .margin = 0.02,
      .rounds = {.min = 10, .max = 10},
      .candidates = {{.name = "list", .exe = argv[1]}, {.name = "heap", .exe = argv[2]}},
      .workloads = {{.name = "orders",
                     .run = {"${exe}", "plan", argv[3], argv[4]},
                     .check = {.equal = "stdout", .match = "^total"}}},
  };
  try {
    std::cout << assay::to_text(assay::run_plan(plan));
  } catch (const assay::Error& error) {
    std::cerr << "compare_programs: " << error.what() << "\n";
    return 1;
  }
}
