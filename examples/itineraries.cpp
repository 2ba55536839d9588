// Writing barges' itineraries out: every line a string of its own, joined at the end, against one buffer that
// is appended to. Linked with assay::allocations, so that allocations are counted too.

#include <assay/contest.hpp>

#include "canals.hpp"

int main(int argc, char** argv) {
  assay::Contest contest("writing itineraries");
  contest.input(make_itinerary);
  contest.baseline("many strings", write_many_strings);
  contest.candidate("one buffer", write_one_buffer);
  contest.options().watch = {"time per call", "allocations", "allocated bytes"};
  return assay::run_main(contest, argc, argv);
}
