#include "assay/measure/sample_counting.hpp"

#include <algorithm>
#include <iterator>

namespace assay::measure {

void SampleCounting::take(const Event& event) {
  switch (event.kind) {
    case Event::Kind::forked:
      if (const auto found = processes_.find(event.parent); found != processes_.end())
        processes_[event.pid] = Process(found->second);
      return;
    case Event::Kind::executed:
      if (const auto found = processes_.find(event.pid); found != processes_.end())
        found->second = {.program = found->second.program, .runs = true, .program_file = {}, .mapped = {}};
      return;
    case Event::Kind::mapped:
      if (const auto found = processes_.find(event.pid); found != processes_.end()) map(found->second, event);
      return;
    case Event::Kind::sampled:
      return sample(event);
  }
}

std::vector<CodeSamples> SampleCounting::results(const Sampling& how, std::uint64_t lost) const {
  std::vector<CodeSamples> all;
  for (const auto& places : counted_) {
    auto& of = all.emplace_back(CodeSamples{
        .places = {}, .period = static_cast<double>(how.period_ns) * 1e-9, .lost = all.empty() ? lost : 0});
    for (const auto& [place, samples] : places) {
      SampledPlace sampled{place.first, place.second, samples};
      of.places.push_back(std::move(sampled));
      of.taken += samples;
    }
  }
  return all;
}

/// A new mapping takes the place of what it covers.
void SampleCounting::map(Process& process, const Event& event) {
  auto& mapped = process.mapped;
  if (process.program_file.empty()) process.program_file = event.file;
  auto first = mapped.lower_bound(event.address);
  if (first != mapped.begin()) {
    const auto before = std::prev(first);
    const auto end = before->first + before->second.bytes, new_end = event.address + event.bytes;
    if (end > event.address) before->second.bytes = event.address - before->first;
    if (end > new_end) {
      auto rest = before->second;
      rest.offset += new_end - before->first;
      rest.bytes = end - new_end;
      first = mapped.insert_or_assign(new_end, std::move(rest)).first;
    }
  }
  mapped.erase(first, mapped.lower_bound(event.address + event.bytes));
  mapped[event.address] = {
      .bytes = event.bytes, .offset = event.offset, .file = event.file, .build_id = event.build_id};
}

CodePlace SampleCounting::place_of(const Process& process, pid_t pid, std::uint64_t address) {
  auto at = process.mapped.upper_bound(address);
  const bool is_mapped = at != process.mapped.begin() && address - (--at)->first < at->second.bytes;
  const bool from_file = is_mapped && at->second.file.starts_with('/') && !at->second.file.starts_with("//");
  if (!from_file)
    return {.file = is_mapped ? at->second.file : std::string(),
            .build_id = {},
            .offset = address,
            .process = pid};
  return {.file = at->second.file,
          .build_id = at->second.build_id,
          .offset = address - at->first + at->second.offset,
          .in_program = at->second.file == process.program_file};
}

void SampleCounting::sample(const Event& event) {
  const auto found = processes_.find(event.pid);
  if (found == processes_.end() || !found->second.runs) return;
  const auto& process = found->second;
  const auto look_up = [&](std::uint64_t address) { return place_of(process, event.pid, address); };
  auto place = look_up(event.address);
  std::vector<CodePlace> callers;
  const bool in_library = !place.in_program && place.process == 0;
  if (finder_ != nullptr && event.copy && in_library) callers = finder_->callers(*event.copy, look_up);
  ++counted_[process.program][{std::move(place), std::move(callers)}];
}

}  // namespace assay::measure
