#include "assay/measure/process.hpp"

#include <fcntl.h>
#include <sys/eventfd.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstring>

#include "assay/measure/link.hpp"
#include "assay/model/error.hpp"

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
      return "its input " + command.stdin_file + " can't be read: " + reason;
    case protocol::Step::exec:
      return command.program + " can't be executed: " + reason;
    case protocol::Step::pin:
      return "it can't be pinned to the cores asked for: " + reason;
    case protocol::Step::nice:
      return "its niceness can't be changed by " + std::to_string(command.nice) + ": " + reason;
    case protocol::Step::limit:
      return "its memory can't be limited: " + reason;
    case protocol::Step::cgroup:
      return "its control group can't be joined: " + reason;
    case protocol::Step::others:
      return "another program beside it could not be started";
    default:
      return "it can't be started: " + reason;
  }
}

std::int64_t nanoseconds(double seconds) { return std::llround(std::min(seconds, 1e9) * 1e9); }

std::optional<double> if_told(double value) {
  return value < 0 ? std::nullopt : std::optional<double>(value);
}

void fill_in(const protocol::Program& told, const Command& command, ProcessResult& result) {
  if (told.failed_step != protocol::Step::none) {
    result.beside_failed = told.failed_step == protocol::Step::others;
    result.not_started = why_not_started(told.failed_step, told.error, command);
    return;
  }
  result.exit_status = WIFEXITED(told.status) ? WEXITSTATUS(told.status) : 0;
  result.signal = WIFSIGNALED(told.status) ? WTERMSIG(told.status) : 0;
  result.timed_out = told.timed_out != 0;
  result.wall = static_cast<double>(told.wall_ns) * 1e-9;
  result.user = static_cast<double>(told.user_us) * 1e-6;
  result.system = static_cast<double>(told.system_us) * 1e-6;
  result.peak_memory = static_cast<double>(told.peak_kib) * 1024;
  result.faults_minor = static_cast<double>(told.faults_minor);
  result.faults_major = static_cast<double>(told.faults_major);
  result.switches_voluntary = static_cast<double>(told.switches_voluntary);
  result.switches_involuntary = static_cast<double>(told.switches_involuntary);
  result.bytes_read = if_told(static_cast<double>(told.read_bytes));
  result.bytes_written = if_told(static_cast<double>(told.written_bytes));
  for (const auto counter : command.counting) {
    const auto kind = static_cast<std::size_t>(counter);
    result.counts[kind] = if_told(told.counts[kind]);
  }
  result.counted_share = told.counted_share;
  result.leftovers = told.leftovers;
  if (result.samples) result.samples->finish();
  if (!result.out) return;
  result.out->finish();
  result.err->finish();
}

}  // namespace

/// What goes out for one heat and comes back.
struct Launcher::Heat {
  protocol::Request request;
  std::span<const Command> commands;
  std::vector<ProcessResult> results;
};

Launcher::Launcher() : link_(std::make_unique<Link>()) {}
Launcher::~Launcher() = default;

void Launcher::exchange(Heat& heat, const std::stop_token& stop) {
  if (!link_) link_ = std::make_unique<Link>();
  static const Descriptor nowhere(open("/dev/null", O_WRONLY | O_CLOEXEC));
  std::string block;
  heat.results.resize(heat.commands.size());
  std::vector<int> fds = {-1};
  double timeout = 0, grace = 0;
  for (std::size_t i = 0; i < heat.commands.size(); ++i) {
    const auto& command = heat.commands[i];
    add_texts(command, block);
    timeout = std::max(timeout, command.timeout);
    grace = std::max(grace, command.grace);
    if (!command.discard_output) {
      heat.results[i].out = std::make_unique<Capture>("assay-stdout");
      heat.results[i].err = std::make_unique<Capture>("assay-stderr");
    }
    fds.push_back(command.discard_output ? nowhere.get() : heat.results[i].out->descriptor());
    fds.push_back(command.discard_output ? nowhere.get() : heat.results[i].err->descriptor());
    if (command.samples) heat.results[i].samples = std::make_unique<Capture>("assay-samples");
    fds.push_back(command.samples ? heat.results[i].samples->descriptor() : nowhere.get());
  }
  auto& request = heat.request;
  request.programs = static_cast<std::uint32_t>(heat.commands.size());
  request.text_bytes = block.size();
  request.timeout_ns = nanoseconds(timeout);
  request.grace_ns = nanoseconds(grace);
  request.samples = heat.commands.front().samples ? 1 : 0;
  request.nice = heat.commands.front().nice;
  request.memory_limit = static_cast<std::int64_t>(heat.commands.front().memory_limit);
  const auto texts = memory_file("assay-request", false);
  write_all(texts.get(), block.data(), block.size());
  fds.front() = texts.get();

  const Descriptor stop_event(eventfd(0, EFD_CLOEXEC));
  const std::stop_callback on_stop(stop, [&] {
    const std::uint64_t one = 1;
    [[maybe_unused]] const auto put = write(stop_event.get(), &one, sizeof one);
  });
  protocol::Reply reply;
  try {
    link_->send_run(request, fds);
    reply = link_->wait(heat.results, stop_event.get());
  } catch (const Error&) {
    link_.reset();
    throw;
  }
  if (reply.counting_error != 0) counting_problem_ = std::strerror(reply.counting_error);
  for (std::size_t i = 0; i < heat.results.size(); ++i) {
    fill_in(reply.each.at(i), heat.commands[i], heat.results[i]);
    heat.results[i].interrupted = reply.cancelled != 0;
  }
}

ProcessResult Launcher::run(const Command& command, const std::stop_token& stop) {
  Heat heat{.commands = {&command, 1}};
  for (const auto counter : command.counting) heat.request.counting |= 1U << static_cast<unsigned>(counter);
  heat.request.pinned = command.cores.empty() ? 0 : 1;
  for (const int core : command.cores)
    heat.request.cores.at(static_cast<std::size_t>(core) / 64) |= 1ULL << (static_cast<unsigned>(core) % 64);
  exchange(heat, stop);
  return std::move(heat.results.front());
}

std::vector<ProcessResult> Launcher::run_abreast(std::span<const Command> commands, int core,
                                                 const std::stop_token& stop) {
  if (commands.size() < 2 || commands.size() > most_abreast)
    throw Error(std::to_string(commands.size()) + " programs can't run abreast", "launcher",
                "from 2 to " + std::to_string(most_abreast) + " can");
  Heat heat{.commands = commands};
  heat.request.abreast = 1;
  heat.request.pinned = 1;
  heat.request.cores.at(static_cast<std::size_t>(core) / 64) |= 1ULL << (static_cast<unsigned>(core) % 64);
  exchange(heat, stop);
  return std::move(heat.results);
}

}  // namespace assay::measure
