// Writing barges' itineraries out: every line a string of its own, joined at the end, against one buffer that
// is appended to. Linked with assay::allocations, so that what each call takes from the heap is told too.

#include <assay/contest.hpp>
#include <string>
#include <vector>

namespace {

struct Stop {
  std::string lock;
  int minutes;
};
using Itinerary = std::vector<Stop>;

Itinerary make_itinerary() {
  Itinerary itinerary;
  for (int i = 0; i < 200; ++i)
    itinerary.push_back({"Lock " + std::to_string(i * 37 % 200) + " on the Hazel", 8 + i % 13});
  return itinerary;
}

std::string write_many_strings(const Itinerary& itinerary) {
  std::vector<std::string> lines;
  for (const auto& stop : itinerary)
    lines.push_back(stop.lock + ", " + std::to_string(stop.minutes) + " min\n");
  std::string all;
  for (const auto& line : lines) all += line;
  return all;
}

std::string write_one_buffer(const Itinerary& itinerary) {
  std::string all;
  all.reserve(itinerary.size() * 32);
  for (const auto& stop : itinerary) {
    all += stop.lock;
    all += ", ";
    all += std::to_string(stop.minutes);
    all += " min\n";
  }
  return all;
}

}  // namespace

int main(int argc, char** argv) {
  assay::Contest contest("writing itineraries");
  contest.input(make_itinerary);
  contest.baseline("many strings", write_many_strings);
  contest.candidate("one buffer", write_one_buffer);
  contest.options().watch = {"time per call", "allocations", "allocated bytes"};
  return assay::run_main(contest, argc, argv);
}
