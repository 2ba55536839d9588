// Compares two functions and uses the results in code: the longest queue before a lock, found by sorting all
// queues, and by looking at each once.

#include <algorithm>
#include <assay/contest.hpp>
#include <chrono>
#include <iostream>
#include <vector>

using namespace std::chrono_literals;

std::vector<int> queues_of_a_year() {
  std::vector<int> queues;
  for (int day = 0; day < 365; ++day) queues.push_back(day * 7919 % 211);
  return queues;
}

int longest_by_sorting(std::vector<int> queues) {
  std::sort(queues.begin(), queues.end());
  return queues.back();
}

int longest_by_looking(const std::vector<int>& queues) {
  return *std::max_element(queues.begin(), queues.end());
}

int main() {
  const auto results = assay::Contest("longest queue")
                           .input(queues_of_a_year)
                           .baseline("sorting", longest_by_sorting)
                           .candidate("looking", longest_by_looking)
                           .budget(1s)
                           .run();
  for (const auto& row : results.comparisons())
    std::cout << row.candidate() << ": " << row.verdict_text() << ' ' << row.change() << '\n';
}
