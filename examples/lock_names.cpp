// Looking a lock up by its name: a scan of all names, against an index that is built on first use. The first
// call of the one is dear, every later one cheap: from how many calls on does it pay?

#include <assay/contest.hpp>
#include <cstddef>
#include <cstdint>
#include <string>
#include <unordered_map>
#include <vector>

namespace {

struct Register {
  std::vector<std::string> names;
  std::string wanted;
};

Register make_register(std::int64_t locks) {
  Register all;
  const char* rivers[] = {"Alder", "Birch", "Hazel", "Rowan", "Willow"};
  for (std::int64_t i = 0; i < locks; ++i)
    all.names.push_back(std::string(rivers[i % 5]) + " Lock " + std::to_string(i * 7 % locks));
  all.wanted = all.names[all.names.size() / 2];
  return all;
}

std::size_t find_by_scan(const Register& all) {
  for (std::size_t i = 0; i < all.names.size(); ++i)
    if (all.names[i] == all.wanted) return i;
  return all.names.size();
}

/// Keeps its index from call to call; a copy that was never called has none.
struct FindByIndex {
  std::unordered_map<std::string, std::size_t> index;

  std::size_t operator()(const Register& all) {
    if (index.empty())
      for (std::size_t i = 0; i < all.names.size(); ++i) index.emplace(all.names[i], i);
    const auto found = index.find(all.wanted);
    return found == index.end() ? all.names.size() : found->second;
  }
};

}  // namespace

int main(int argc, char** argv) {
  assay::Contest contest("finding a lock by name");
  contest.factor("locks", {200, 2000});
  contest.input([](const assay::Setting& setting) { return make_register(setting.integer("locks")); });
  contest.baseline("scan", find_by_scan);
  contest.candidate("index", FindByIndex{});
  return assay::run_main(contest, argc, argv);
}
