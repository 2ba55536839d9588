#include <cctype>
#include <filesystem>
#include <string>
#include <utility>

#include "assay/cli/duel_to_plan.hpp"
#include "assay/error.hpp"
#include "assay/plan.hpp"

namespace assay::cli {

namespace {

/// The text with ${port} for every PORT that is a word of its own, as in --port=PORT and 127.0.0.1:PORT.
std::string with_port(const std::string& text) {
  const std::string word = "PORT";
  const auto is_part = [&](std::size_t at) {
    return at < text.size() && (std::isalnum(static_cast<unsigned char>(text[at])) != 0 || text[at] == '_');
  };
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    const bool here = text.compare(at, word.size(), word) == 0 && (at == 0 || !is_part(at - 1)) &&
                      !is_part(at + word.size());
    out += here ? "${port}" : std::string(1, text[at]);
    at += here ? word.size() : 1;
  }
  return out;
}

}  // namespace

PlannedWorkload service_of_duel(const DuelOptions& asked, Plan& plan) {
  PlannedWorkload workload{.name = "requests"};
  workload.check.equal = asked.equal ? "replies" : "";
  workload.check.match = asked.match;
  workload.service = PlannedService{.ready = {.path = asked.ready}, .identify = {.path = asked.identify}};
  PlannedRequests requests{.clients = asked.clients, .arrivals = asked.rate};
  const bool is_path = asked.serve.starts_with("/") && !std::filesystem::is_regular_file(asked.serve);
  (is_path ? requests.path : requests.file) = plan::escape(asked.serve);
  if (requests.clients.empty() && requests.arrivals.empty()) requests.clients = "4";
  requests.count = asked.requests;
  if (!asked.timeout.empty()) requests.timeout = parse_duration(asked.timeout);
  workload.requests = std::move(requests);
  const bool by_variable = asked.environment.find("${port}") != std::string::npos;
  for (auto& candidate : plan.candidates) {
    bool port_given = by_variable;
    for (auto& word : candidate.run) {
      auto filled = with_port(word);
      port_given = port_given || filled != word;
      word = std::move(filled);
    }
    if (!port_given)
      throw Error("the server " + candidate.name + " is not given its port", "--serve",
                  "write PORT where its command names it, as in --port PORT");
  }
  return workload;
}

}  // namespace assay::cli
