#pragma once

#include <cstdint>
#include <limits>
#include <optional>
#include <vector>

#include "towpath/network.hpp"

namespace towpath {

inline constexpr std::int64_t never = std::numeric_limits<std::int64_t>::max();

/// Minutes from `from` to every lock, `never` where no way leads, or where it is not known since the search
/// stopped at `goal`. Closed locks can't be passed.
using Search = std::vector<std::int64_t>(const Network& network, std::size_t from,
                                         std::optional<std::size_t> goal);

Search search_by_list;    ///< the frontier is a list that is scanned for its nearest lock
Search search_by_heap;    ///< the frontier is a binary heap
Search search_to_goal;    ///< a heap ordered by minutes so far plus the straight line that is left
Search search_by_matrix;  ///< a table of all canals; one network per process
Search search_hastily;    ///< like the last, but goes through closed locks

/// The planner's command line over one search; returns the exit status. With more locks than `most` (0: any
/// number) it says that it can't, with status 77.
int plan_main(int argc, char** argv, const char* name, Search& search, std::size_t most = 0);

}  // namespace towpath
