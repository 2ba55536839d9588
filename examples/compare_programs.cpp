// Compares programs from code: are two ways of planning barges' routes as fast as each other?
//
//   compare_programs LIST HEAP NETWORK ORDERS
//
// LIST and HEAP are builds of the same planner, NETWORK and ORDERS what they plan. Writes results.html, and
// exits with 1 where heap is more than 2 % slower.

#include <assay/compare.hpp>
#include <assay/error.hpp>
#include <iostream>

int main(int argc, char** argv) {
  if (argc != 5) {
    std::cerr << "usage: compare_programs LIST HEAP NETWORK ORDERS\n";
    return 2;
  }
  try {
    assay::ProgramComparison comparison("Two ways of planning routes");
    comparison.baseline("list", {argv[1], "plan", argv[3], argv[4]});
    comparison.candidate("heap", {argv[2], "plan", argv[3], argv[4]});
    comparison.check({.equal = "stdout", .match = "^total"}).margin(0.02).rounds(10, 10);
    const auto results = comparison.run();
    std::cout << results;
    results.write_page("results.html");
    return results.gate({.allow = 0.02}).passes ? 0 : 1;
  } catch (const assay::Error& error) {
    std::cerr << "compare_programs: " << error.what() << "\n";
    return 2;
  }
}
