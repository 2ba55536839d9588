#include <re2/re2.h>

#include <algorithm>
#include <string>
#include <utility>
#include <vector>

#include "assay/check/extract.hpp"
#include "assay/plan/plan_error.hpp"

namespace assay::plan {
namespace {

bool mentions(const std::vector<std::string>& words, const std::string& placeholder) {
  return std::ranges::any_of(words,
                             [&](const auto& word) { return word.find(placeholder) != std::string::npos; });
}

constexpr const char* port_remedy =
    "write ${port} where its command names it, or give the path of its Unix socket: socket = \"…\"";

/// The checks of one workload.
class ServiceValidator {
 public:
  ServiceValidator(const Plan& plan, const PlannedWorkload& workload, const std::string& path,
                   const PlanErrors& refusal)
      : workload_(workload),
        path_(path),
        twin_(plan.rounds.twin),
        candidates_(plan.candidates),
        refusal_(refusal) {}

  void server() const {
    const auto& service = *workload_.service;
    const auto path = path_ + ".service";
    const bool control_has_port =
        workload_.control.environment && mentions(*workload_.control.environment, "${port}");
    const bool port_given = !service.socket.empty() || control_has_port;
    if (!service.start.empty() && !port_given && !mentions(service.start, "${port}"))
      refusal_.fail(path + ".start", "the server is not given its port", port_remedy);
    for (std::size_t i = 0; service.start.empty() && i < candidates_.size(); ++i) {
      const auto candidate = "candidate[" + std::to_string(i) + "]";
      if (candidates_[i].run.empty())
        refusal_.fail(
            path, "the service has no command that starts it",
            "give it start = [\"${exe}\", \"--port\", \"${port}\"], or each candidate a run of its own");
      if (!port_given && !mentions(candidates_[i].run, "${port}"))
        refusal_.fail(candidate + ".run",
                      "the server of \"" + candidates_[i].name + "\" is not given its port", port_remedy);
    }
    if (!service.ready.path.empty() && !service.ready.log.empty())
      refusal_.fail(path + ".ready", "both path and log say when it is ready", "leave one of them out");
    for (const auto& [key, text] :
         {std::pair<const char*, std::string>{".ready", service.ready.path},
          {".identify", service.identify.path},
          {".requests", workload_.requests ? workload_.requests->path : std::string()}})
      if (std::ranges::any_of(text, [](unsigned char c) { return c < 0x20 || c == 0x7f || c == ' '; }))
        refusal_.fail((key == std::string(".requests") ? path_ : path) + key,
                      "a path has no blank and no control character",
                      "write such a one by its number, like %20");
    if (!service.ready.path.empty() && service.ready.path.front() != '/' && service.ready.path.front() != '$')
      refusal_.fail(path + ".ready", "a path begins with /", "write it like \"/health\"");
    if (const RE2 log("(?m)" + service.ready.log, RE2::Quiet); !log.ok())
      refusal_.fail(path + ".ready", "log is not a regular expression: " + log.error(),
                    "see the RE2 syntax; in TOML, single quotes keep backslashes");
    const bool relinks =
        std::ranges::any_of(candidates_, [](const PlannedCandidate& c) { return c.build.relink != 0; });
    if (service.keep == ServerLifetime::session && relinks)
      refusal_.fail(path + ".keep", "a server that is kept up has one layout, however many relink makes",
                    "write keep = \"round\", or take relink out of [build]");
    if (service.keep == ServerLifetime::session && !twin_)
      refusal_.fail(path + ".keep", "servers that are kept up differ by how each happened to start",
                    "leave the twin of the baseline in ([rounds] twin = true), which shows by how much");
    if (!service.identify.path.empty() && service.identify.path.front() != '/' &&
        service.identify.path.front() != '$')
      refusal_.fail(path + ".identify", "a path begins with /", "write it like { path = \"/version\" }");
    if (!workload_.stdin_file.empty() && workload_.run.empty())
      refusal_.fail(path_ + ".stdin", "a server gets requests, nothing on its standard input",
                    "take stdin out");
  }

  void requests() const {
    if (!workload_.requests && workload_.run.empty())
      refusal_.fail(path_ + ".service", "nothing is asked of the service",
                    "add [workload.requests] with path = \"/…\" and clients = 8, or run = [\"…\"], a program "
                    "that asks it");
    if (workload_.requests && !workload_.run.empty())
      refusal_.fail(path_ + ".run", "a service gets either requests or a program that asks it",
                    "take run out, or requests");
    if (!workload_.requests) return client();
    if (workload_.control.pause > 0)
      refusal_.fail(path_ + ".pause", "a server warms up by requests",
                    "write warmup = 100 in its [workload.requests]");
    const auto& requests = *workload_.requests;
    const auto path = path_ + ".requests";
    if (requests.file.empty() == requests.path.empty())
      refusal_.fail(path, "either a file of requests or one path",
                    "write file = \"requests.jsonl\" or path = \"/plan\"");
    if (!requests.path.empty() && requests.path.front() != '/' && requests.path.front() != '$')
      refusal_.fail(path + ".path", "a path begins with /", "write it like \"/plan?from=3\"");
    if (requests.clients.empty() == requests.arrivals.empty())
      refusal_.fail(path, "either so many clients, each of which waits for its reply, or a rate of arrivals",
                    "write clients = 8 or arrivals = \"40/s\"");
    if (!requests.authority.empty() && !requests.tls)
      refusal_.fail(path + ".authority", "a certificate is looked at with TLS only", "add tls = true");
    if (requests.protocol == Protocol::http_2 && !requests.tls)
      refusal_.fail(path + ".protocol", "HTTP/2 is spoken over TLS", "add tls = true");
    if (requests.clients.empty() && requests.slice != PlannedRequests{}.slice)
      refusal_.fail(path + ".slice", "an open loop has no slices: its rate would begin again in each",
                    "take it out");
  }

  /// A program that asks it is checked as any other.
  void client() const {
    const auto& service = *workload_.service;
    if (service.keep != ServerLifetime::automatic && service.keep != ServerLifetime::trial)
      refusal_.fail(path_ + ".service.keep",
                    "a program that asks a server has it started for each of its trials", "take keep out");
    if (workload_.check.equal == "replies")
      refusal_.fail(path_ + ".check.equal", "the program that asks has standard output",
                    "write equal = \"stdout\"");
  }

  /// A quantile takes ten replies above it.
  void quantiles(const std::vector<std::string>& watch) const {
    const int count = workload_.requests->count > 0 ? workload_.requests->count : fewest_requests;
    for (const auto& [metric, needs] : {std::pair{"latency p50", 20},
                                        {"latency p90", 100},
                                        {"latency p99", 1000},
                                        {"latency p99.9", 10000}})
      if (std::ranges::count(watch, metric) > 0 && count < needs)
        refusal_.fail("plan.watch",
                      std::string(metric) + " takes " + std::to_string(needs) + " requests a trial, and \"" +
                          workload_.name + "\" has " +
                          (workload_.requests->count > 0 ? "" : "perhaps no more than ") +
                          std::to_string(count),
                      "write count = " + std::to_string(needs) + " in its [workload.requests]");
  }

  void check() const {
    const auto& check = workload_.check;
    const auto path = path_ + ".check";
    if (check.equal == "stdout")
      refusal_.fail(path + ".equal", "a service has replies", "write equal = \"replies\"");
    if (!check.file.empty() || !check.program.empty() || check.tolerance != 0 || check.min_size != 0 ||
        check.exit_ok != OutputCheck{}.exit_ok)
      refusal_.fail(path, "replies are checked by equal, match, status_ok, ignore and ignore_json",
                    "take the other keys out");
    if (check.status_ok.empty())
      refusal_.fail(path + ".status_ok", "no status would be a success", "list at least one, usually 200");
    for (const int status : check.status_ok)
      if (status < 200 || status > 599)
        refusal_.fail(path + ".status_ok", std::to_string(status) + " is no status of a reply",
                      "use 200 to 599");
    for (const auto& pattern : check.ignore)
      if (const RE2 parsed("(?m)" + pattern, RE2::Quiet); !parsed.ok())
        refusal_.fail(path + ".ignore", "\"" + pattern + "\" is not a regular expression: " + parsed.error(),
                      "see the RE2 syntax; in TOML, single quotes keep backslashes");
    for (const auto& pointer : check.ignore_json)
      if (const auto problem = check::pointer_error(pointer); !problem.empty())
        refusal_.fail(path + ".ignore_json", "\"" + pointer + "\": " + problem, "see RFC 6901");
  }

 private:
  const PlannedWorkload& workload_;
  const std::string& path_;
  bool twin_;
  const std::vector<PlannedCandidate>& candidates_;
  const PlanErrors& refusal_;
};

}  // namespace

void validate_service(const Plan& plan, const PlannedWorkload& workload, const std::string& path,
                      const PlanErrors& refusal) {
  if (!workload.service) {
    if (workload.requests)
      refusal.fail(path + ".requests", "there is no server that the requests go to",
                   "add [workload.service]");
    if (workload.check.equal == "replies")
      refusal.fail(path + ".check.equal", "a program has standard output", "write equal = \"stdout\"");
    return;
  }
  if (plan.rounds.mode == Way::abreast || plan.rounds.mode == Way::slices)
    refusal.fail(path + ".service", "services can't run " + way_text(plan.rounds.mode), "leave mode out");
  const ServiceValidator validator(plan, workload, path, refusal);
  validator.server();
  validator.requests();
  if (!workload.requests) return;
  validator.quantiles(plan.watch);
  validator.check();
}

}  // namespace assay::plan
