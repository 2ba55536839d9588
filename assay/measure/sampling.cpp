#include "assay/measure/sampling.hpp"

#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <sstream>

#include "assay/measure/sample_counting.hpp"
#include "assay/measure/sample_records.hpp"

namespace assay::measure {

Sampler::Sampler(int launcher, std::span<const int> cores, const Sampling& how) : how_(how) {
  for (const int core : cores) {
    auto ring = std::make_unique<SampleRing>(launcher, core, cores.size(), how);
    if (const int error = ring->error(); error != 0) {
      rings_.clear();
      problem_ = sampling_problem(error);
      return;
    }
    rings_.push_back(std::move(ring));
  }
}

Sampler::~Sampler() = default;

bool Sampler::counts(std::uint64_t time) const {
  if (!how_.within) return true;
  const double seconds = static_cast<double>(time) * 1e-9;
  const auto after = std::ranges::upper_bound(*how_.within, seconds, {}, &std::pair<double, double>::first);
  return after != how_.within->begin() && seconds < std::prev(after)->second;
}

int Sampler::relief_interval() const {
  constexpr int longest = 100;
  if (rings_.empty()) return longest;
  const auto smallest = std::ranges::min_element(rings_, {}, [](const auto& ring) { return ring->bytes(); });
  return relief_interval_of(how_, (*smallest)->bytes(), rings_.size());
}

void Sampler::relieve() {
  for (auto& ring : rings_) ring->drain();
}

std::vector<CodeSamples> Sampler::end(std::span<const int> pids) {
  std::vector<Event> events;
  std::uint64_t lost = 0;
  for (auto& ring : rings_) {
    ring->stop();
    ring->drain();
    ring->read(events, lost);
  }
  std::ranges::stable_sort(events, {}, &Event::time);
  SampleCounting counting(pids.size(), how_.callers.get());
  for (std::size_t i = 0; i < pids.size(); ++i) counting.set_program(pids[i], i);
  for (const auto& event : events)
    if (event.kind != Event::Kind::sampled || counts(event.time)) counting.take(event);
  auto all = counting.results(how_, lost);
  for (auto& one : all) one.problem = problem_;
  return all;
}

ThreadSampler::ThreadSampler(const Sampling& how) : how_(how) {
  ring_ = std::make_unique<SampleRing>(0, -1, 1, how);
  if (const int error = ring_->error(); error != 0) {
    problem_ = sampling_problem(error);
    ring_.reset();
  }
}

ThreadSampler::~ThreadSampler() = default;

void ThreadSampler::relieve() {
  if (ring_) ring_->drain();
}

namespace {

/// As if this process had begun anew: what it has mapped to run, the program first.
std::vector<Event> mapped_here() {
  std::vector<Event> all = {{.kind = Event::Kind::executed, .pid = getpid()}};
  std::error_code none;
  const auto program = std::filesystem::read_symlink("/proc/self/exe", none).string();
  std::ifstream maps("/proc/self/maps");
  for (std::string line; std::getline(maps, line);) {
    std::istringstream fields(line);
    Event event{.kind = Event::Kind::mapped, .pid = getpid()};
    std::uint64_t end = 0, inode = 0;
    char dash = 0;
    std::string rights, device;
    fields >> std::hex >> event.address >> dash >> end >> rights >> event.offset >> device >> std::dec >>
        inode >> std::ws;
    std::getline(fields, event.file);
    event.bytes = end - event.address;
    if (rights.find('x') == std::string::npos) continue;
    const bool is_first = event.file == program && all.size() > 1;
    all.insert(is_first ? all.begin() + 1 : all.end(), std::move(event));
  }
  return all;
}

}  // namespace

std::vector<CodeSamples> ThreadSampler::end(std::span<const Stretch> stretches, std::size_t programs) {
  SampleCounting counting(programs, how_.callers.get());
  std::uint64_t lost = 0;
  std::vector<Event> events;
  if (ring_) {
    ring_->stop();
    ring_->drain();
    ring_->read(events, lost);
    counting.set_program(getpid(), 0);
    for (const auto& event : mapped_here()) counting.take(event);
  }
  auto stretch = stretches.begin();
  for (const auto& event : events) {
    if (event.kind != Event::Kind::sampled) continue;  // what it had mapped at its end is as good
    while (stretch != stretches.end() && stretch->end <= event.time) ++stretch;
    if (stretch == stretches.end()) break;
    if (event.time < stretch->begin) continue;
    counting.set_program(event.pid, stretch->program);
    counting.take(event);
  }
  auto all = counting.results(how_, lost);
  for (auto& one : all) one.problem = problem_;
  return all;
}

}  // namespace assay::measure
