#include "assay/measure/launcher_request.hpp"

#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <cstdlib>
#include <cstring>
#include <string>

#include "assay/measure/file_io.hpp"

extern char** environ;  // NOLINT(readability-redundant-declaration): unistd.h has it only as an extension

namespace assay::measure {
namespace {

static_assert(counter_kinds == protocol::count_kinds);

/// What a command gets of this process's environment.
std::vector<std::string> variables_for(const Command& command) {
  std::vector<std::string> variables;
  if (command.samples) variables.emplace_back("ASSAY_SAMPLES=3");
  if (!command.environment) {
    for (char** variable = environ; *variable != nullptr; ++variable) {
      const std::string entry = *variable;
      if (!entry.starts_with("ASSAY_SAMPLES=")) variables.push_back(entry);  // an outer one is not for it
    }
    return variables;
  }
  for (const auto& entry : *command.environment) {
    if (entry.find('=') != std::string::npos)
      variables.push_back(entry);
    else if (const char* value = std::getenv(entry.c_str()); value != nullptr)
      variables.push_back(entry + "=" + value);
  }
  return variables;
}

/// A program's head and texts, in the order that the protocol says.
void add_texts(const Command& command, std::string& block) {
  std::string texts;
  const auto add = [&](const std::string& text) { texts.append(text.c_str(), text.size() + 1); };
  add(command.directory);
  add(command.program);
  add(command.stdin_file.empty() ? "/dev/null" : command.stdin_file);
  add(command.cgroup_file);
  for (const auto& argument : command.arguments) add(argument);
  const auto variables = variables_for(command);
  for (const auto& variable : variables) add(variable);
  const protocol::ProgramHead head{.arguments = static_cast<std::uint32_t>(command.arguments.size()),
                                   .variables = static_cast<std::uint32_t>(variables.size()),
                                   .text_bytes = texts.size()};
  block.append(reinterpret_cast<const char*>(&head), sizeof head);
  block += texts;
}

std::string why_not_started(protocol::Step step, int error, const Command& command) {
  const std::string reason = std::strerror(error);
  switch (step) {
    case protocol::Step::directory:
      return "its working directory " + command.directory + " can't be entered: " + reason;
    case protocol::Step::input:
      if (error == ESPIPE)
        return "its input " + command.stdin_file + " is a pipe, whose content can be read once only";
      return "its input " + command.stdin_file + " can't be read: " + reason;
    case protocol::Step::exec:
      return command.program + " can't be executed: " + reason;
    case protocol::Step::pin:
      return "it can't be pinned to the cores asked for: " + reason;
    case protocol::Step::nice:
      return "its niceness can't be changed by " + std::to_string(command.nice) + ": " + reason;
    case protocol::Step::limit:
      return "its memory or its files can't be limited: " + reason;
    case protocol::Step::cgroup:
      return "its control group can't be joined: " + reason;
    case protocol::Step::peer:
      return "another program beside it could not be started";
    default:
      return "it can't be started: " + reason;
  }
}

std::optional<double> if_known(double value) {
  return value < 0 ? std::nullopt : std::optional<double>(value);
}

void fill_result(const protocol::Program& reply, const Command& command, ProcessResult& result) {
  if (reply.failed_step != protocol::Step::none) {
    result.peer_failed = reply.failed_step == protocol::Step::peer;
    result.not_started = why_not_started(reply.failed_step, reply.error, command);
    return;
  }
  result.exit_status = WIFEXITED(reply.status) ? WEXITSTATUS(reply.status) : 0;
  result.signal = WIFSIGNALED(reply.status) ? WTERMSIG(reply.status) : 0;
  result.timed_out = reply.timed_out != 0;
  result.wall = static_cast<double>(reply.wall_ns) * 1e-9;
  result.user = static_cast<double>(reply.user_us) * 1e-6;
  result.system = static_cast<double>(reply.system_us) * 1e-6;
  result.peak_memory = static_cast<double>(reply.peak_kib) * 1024;
  result.faults_minor = static_cast<double>(reply.faults_minor);
  result.faults_major = static_cast<double>(reply.faults_major);
  result.switches_voluntary = static_cast<double>(reply.switches_voluntary);
  result.switches_involuntary = static_cast<double>(reply.switches_involuntary);
  if (reply.core_wait_ns >= 0) result.core_wait = static_cast<double>(reply.core_wait_ns) * 1e-9;
  result.bytes_read = if_known(static_cast<double>(reply.read_bytes));
  result.bytes_written = if_known(static_cast<double>(reply.written_bytes));
  for (const auto counter : command.counting) {
    const auto kind = static_cast<std::size_t>(counter);
    result.counts[kind] = if_known(reply.counts[kind]);
  }
  result.counted_share = reply.counted_share;
  result.orphans = reply.orphans;
  if (result.samples) result.samples->finish();
  if (!result.out) return;
  result.out->finish();
  result.err->finish();
}

}  // namespace

LauncherRequest::LauncherRequest(std::span<const Command> commands)
    : commands_(commands), results_(commands.size()), texts_(memory_file("assay-request", false)) {
  static const Descriptor nowhere(open("/dev/null", O_WRONLY | O_CLOEXEC));
  std::string block;
  descriptors_.push_back(texts_.get());
  for (std::size_t i = 0; i < commands.size(); ++i) {
    const auto& command = commands[i];
    auto& result = results_[i];
    add_texts(command, block);
    if (!command.discard_output) {
      result.out = std::make_unique<Capture>("assay-stdout");
      result.err = std::make_unique<Capture>("assay-stderr");
    }
    if (command.samples) result.samples = std::make_unique<Capture>("assay-samples");
    for (const auto* capture : {&result.out, &result.err, &result.samples})
      descriptors_.push_back(*capture ? (*capture)->descriptor() : nowhere.get());
  }
  write_all(texts_.get(), block.data(), block.size());
  const auto& first = commands.front();
  request_.programs = static_cast<std::uint32_t>(commands.size());
  request_.text_bytes = block.size();
  request_.timeout_ns = nanoseconds(time_limit() - grace());
  request_.grace_ns = nanoseconds(grace());
  request_.samples = first.samples ? 1 : 0;
  request_.nice = first.nice;
  request_.memory_limit = static_cast<std::int64_t>(first.memory_limit);
  request_.file_limit = static_cast<std::int64_t>(first.file_limit);
}

void LauncherRequest::ask_for_counters() {
  for (const auto counter : commands_.front().counting)
    request_.counting |= 1U << static_cast<unsigned>(counter);
}

void LauncherRequest::pin(const std::vector<int>& cores) {
  cores_ = cores;
  request_.pinned = cores.empty() ? 0 : 1;
  for (const int core : cores)
    request_.cores.at(static_cast<std::size_t>(core) / 64) |= 1ULL << (static_cast<unsigned>(core) % 64);
}

void LauncherRequest::release_together(double slice) {
  request_.together = protocol::Together::abreast;
  request_.slice_ns = nanoseconds(slice);
}

void LauncherRequest::take_turns(double slice, std::uint64_t seed) {
  request_.together = protocol::Together::sliced;
  request_.slice_ns = nanoseconds(slice);
  request_.seed = seed;
}

void LauncherRequest::send(const LauncherConnection& link) {
  if (const auto& how = commands_.front().sampling) {
    sampler_ = std::make_unique<Sampler>(link.pid(), cores_.empty() ? cores_allowed() : cores_, *how);
    request_.phase_ns = how->phase_ns;
  }
  link.send_run(request_, descriptors_);
}

void LauncherRequest::relieve() {
  if (sampler_) sampler_->relieve();
  for (const auto& result : results_)
    for (const auto* capture : {&result.out, &result.err, &result.samples})
      if (*capture) (*capture)->drain();
}

int LauncherRequest::relief_interval() const {
  constexpr int of_output = 100;
  return sampler_ ? sampler_->relief_interval() : of_output;
}

double LauncherRequest::time_limit() const {
  const double one = std::ranges::max(commands_, {}, &Command::timeout).timeout;
  const bool sliced = request_.together == protocol::Together::sliced;
  return (sliced ? one * static_cast<double>(commands_.size()) : one) + grace();
}

double LauncherRequest::grace() const { return std::ranges::max(commands_, {}, &Command::grace).grace; }

std::vector<ProcessResult> LauncherRequest::results(const protocol::Reply& reply) {
  std::vector<int> pids;
  for (std::size_t i = 0; i < results_.size(); ++i) pids.push_back(reply.each.at(i).pid);
  auto sampled = sampler_ ? sampler_->end(pids) : std::vector<CodeSamples>();
  for (std::size_t i = 0; i < results_.size(); ++i) {
    fill_result(reply.each.at(i), commands_[i], results_[i]);
    if (sampler_) results_[i].code = std::move(sampled[i]);
    results_[i].interrupted = reply.cancelled != 0;
    results_[i].left_group = reply.left_group != 0;
  }
  return std::move(results_);
}

std::vector<ProcessResult> LauncherRequest::lost_results(const std::string& why) {
  for (auto& result : results_) {
    result.lost = why;
    result.signal = SIGKILL;
    for (const auto* capture : {&result.out, &result.err, &result.samples})
      if (*capture) (*capture)->finish();
  }
  return std::move(results_);
}

}  // namespace assay::measure
