#include "assay/measure/sampling.hpp"

#include <linux/perf_event.h>
#include <sys/ioctl.h>
#include <sys/mman.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <ctime>
#include <map>
#include <optional>
#include <tuple>

#include "assay/measure/file_io.hpp"
#include "assay/model/text.hpp"

namespace assay::measure {

namespace {

constexpr std::size_t largest_ring = 512UL << 10U, smallest_ring = 32UL << 10U;

perf_event_attr attributes_of(const Sampling& how) {
  perf_event_attr event{};
  event.size = sizeof event;
  event.type = PERF_TYPE_SOFTWARE;
  event.config = PERF_COUNT_SW_TASK_CLOCK;
  event.sample_period = static_cast<std::uint64_t>(how.period_ns);
  event.sample_type = PERF_SAMPLE_IP | PERF_SAMPLE_TID | PERF_SAMPLE_TIME;
  event.inherit = 1;
  event.exclude_kernel = event.exclude_hv = 1;
  event.mmap = event.mmap2 = event.comm = event.comm_exec = event.task = 1;
  event.build_id = 1;
  event.sample_id_all = 1;
  event.use_clockid = 1;
  event.clockid = CLOCK_MONOTONIC;
  return event;
}

/// Reads values one after the other from the bytes of a record.
class Reader {
 public:
  Reader(const std::uint8_t* at, const std::uint8_t* end) : at_(at), end_(end) {}

  template <class T>
  T take() {
    T value{};
    if (left() >= sizeof value) std::memcpy(&value, at_, sizeof value);
    at_ += std::min(sizeof value, left());
    return value;
  }
  void skip(std::size_t bytes) { at_ += std::min(bytes, left()); }
  std::string text() {
    const auto* stop = std::find(at_, end_, 0);
    return {reinterpret_cast<const char*>(at_), static_cast<std::size_t>(stop - at_)};
  }
  std::size_t left() const { return static_cast<std::size_t>(end_ - at_); }

 private:
  const std::uint8_t *at_, *end_;
};

/// What the kernel reports of a process, in the order of time.
struct Event {
  enum class Kind { mapped, forked, executed, sampled } kind = Kind::sampled;
  std::uint64_t time = 0;
  pid_t pid = 0, parent = 0;
  std::uint64_t address = 0, bytes = 0, offset = 0;
  std::string file, build_id;
};

Event mapping(Reader record, bool has_build_id) {
  Event event{.kind = Event::Kind::mapped, .pid = record.take<pid_t>()};
  record.take<std::uint32_t>();  // thread
  event.address = record.take<std::uint64_t>();
  event.bytes = record.take<std::uint64_t>();
  event.offset = record.take<std::uint64_t>();
  constexpr std::size_t longest_id = 20, id_bytes = 24;
  if (has_build_id) {
    const auto length = std::min<std::size_t>(record.take<std::uint8_t>(), longest_id);
    record.skip(3);
    const auto id = record.take<std::array<char, longest_id>>();
    event.build_id = model::hexadecimal({id.data(), length});
  } else {
    record.skip(id_bytes);
  }
  record.skip(2 * sizeof(std::uint32_t));  // protection and flags
  event.file = record.text();
  return event;
}

/// Empty for what is of no interest here. `lost` is added to.
std::optional<Event> read_record(const perf_event_header& head, Reader record, std::uint64_t& lost) {
  switch (head.type) {
    case PERF_RECORD_SAMPLE: {
      Event event{.address = record.take<std::uint64_t>()};
      event.pid = record.take<pid_t>();
      record.take<std::uint32_t>();  // thread
      event.time = record.take<std::uint64_t>();
      return event;
    }
    case PERF_RECORD_MMAP2:
      return mapping(record, (head.misc & PERF_RECORD_MISC_MMAP_BUILD_ID) != 0);
    case PERF_RECORD_COMM:
      if ((head.misc & PERF_RECORD_MISC_COMM_EXEC) == 0) return {};
      return Event{.kind = Event::Kind::executed, .pid = record.take<pid_t>()};
    case PERF_RECORD_FORK: {
      Event event{.kind = Event::Kind::forked, .pid = record.take<pid_t>()};
      event.parent = record.take<pid_t>();
      if (event.pid == event.parent) return {};  // a thread
      return event;
    }
    case PERF_RECORD_LOST:
      record.take<std::uint64_t>();
      lost += record.take<std::uint64_t>();
      return {};
    default:
      return {};
  }
}

void read_records(const std::vector<std::uint8_t>& raw, std::vector<Event>& events, std::uint64_t& lost) {
  for (std::size_t at = 0; at + sizeof(perf_event_header) <= raw.size();) {
    perf_event_header head;
    std::memcpy(&head, raw.data() + at, sizeof head);
    if (head.size < sizeof head || at + head.size > raw.size()) break;
    const auto* end = raw.data() + at + head.size;
    if (auto event = read_record(head, Reader(raw.data() + at + sizeof head, end), lost)) {
      if (head.type != PERF_RECORD_SAMPLE)
        std::memcpy(&event->time, end - sizeof event->time, sizeof event->time);
      events.push_back(std::move(*event));
    }
    at += head.size;
  }
}

/// Follows which process is of which program and what it has mapped where, and counts samples by place.
class Counting {
 public:
  /// The processes of the programs themselves. That the launcher made them is not always reported: only where it
  /// ran on a core with a ring.
  explicit Counting(std::span<const int> pids) : counted_(pids.size()) {
    for (std::size_t i = 0; i < pids.size(); ++i) processes_[pids[i]].program = i;
  }

  void take(const Event& event) {
    switch (event.kind) {
      case Event::Kind::forked:
        return fork(event);
      case Event::Kind::executed:
        if (const auto found = processes_.find(event.pid); found != processes_.end())
          found->second = {.program = found->second.program, .runs = true, .mapped = {}};
        return;
      case Event::Kind::mapped:
        if (const auto found = processes_.find(event.pid); found != processes_.end())
          map(found->second, event);
        return;
      case Event::Kind::sampled:
        return sample(event);
    }
  }

  std::vector<CodeSamples> results(const Sampling& how, std::uint64_t lost) const {
    std::vector<CodeSamples> all;
    for (const auto& places : counted_) {
      auto& of = all.emplace_back(CodeSamples{
          .places = {}, .period = static_cast<double>(how.period_ns) * 1e-9, .lost = all.empty() ? lost : 0});
      for (const auto& [place, samples] : places) {
        const auto& [file, build_id, offset, process] = place;
        of.places.push_back(
            {.file = file, .build_id = build_id, .offset = offset, .process = process, .samples = samples});
        of.taken += samples;
      }
    }
    return all;
  }

 private:
  struct Mapped {
    std::uint64_t bytes = 0, offset = 0;
    std::string file, build_id;
  };
  struct Process {
    std::size_t program = 0;
    bool runs = false;  ///< a program: before, it is the launcher's own code
    std::map<std::uint64_t, Mapped> mapped;
  };

  void fork(const Event& event) {
    if (const auto found = processes_.find(event.parent); found != processes_.end())
      processes_[event.pid] = Process(found->second);
  }

  /// A new mapping takes the place of what it covers.
  static void map(Process& process, const Event& event) {
    auto& mapped = process.mapped;
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

  void sample(const Event& event) {
    const auto found = processes_.find(event.pid);
    if (found == processes_.end() || !found->second.runs) return;
    const auto& mapped = found->second.mapped;
    auto at = mapped.upper_bound(event.address);
    const bool known = at != mapped.begin() && event.address - (--at)->first < at->second.bytes;
    const bool from_file = known && at->second.file.starts_with('/') && !at->second.file.starts_with("//");
    auto& places = counted_[found->second.program];
    if (from_file)
      ++places[{at->second.file, at->second.build_id, event.address - at->first + at->second.offset, 0}];
    else
      ++places[{known ? at->second.file : std::string(), std::string(), event.address, event.pid}];
  }

  std::map<pid_t, Process> processes_;
  std::vector<std::map<std::tuple<std::string, std::string, std::uint64_t, int>, std::uint64_t>> counted_;
};

}  // namespace

/// The kernel's samples of one core, in memory that it shares with us.
class Sampler::Ring {
 public:
  Ring(pid_t launcher, int core, const Sampling& how) {
    auto event = attributes_of(how);
    const auto open_event = [&] {
      return Descriptor(
          static_cast<int>(syscall(SYS_perf_event_open, &event, launcher, core, -1, PERF_FLAG_FD_CLOEXEC)));
    };
    file_ = open_event();
    if (!file_ && errno == EINVAL) {  // before Linux 5.12 files are known by name alone
      event.build_id = 0;
      file_ = open_event();
    }
    if (!file_) {
      error_ = errno;
      return;
    }
    for (bytes_ = largest_ring; bytes_ >= smallest_ring; bytes_ /= 2) {
      void* at = mmap(nullptr, bytes_ + page_bytes(), PROT_READ | PROT_WRITE, MAP_SHARED, file_.get(), 0);
      if (at != MAP_FAILED) {
        page_ = static_cast<perf_event_mmap_page*>(at);
        return;
      }
      error_ = errno;
    }
  }
  ~Ring() {
    if (page_ != nullptr) munmap(page_, bytes_ + page_bytes());
  }
  Ring(const Ring&) = delete;
  Ring& operator=(const Ring&) = delete;

  /// Why there is none, as errno; 0: there is.
  int error() const { return page_ == nullptr ? error_ : 0; }
  void stop() const { ioctl(file_.get(), PERF_EVENT_IOC_DISABLE, 0); }

  void drain() {
    const auto head = __atomic_load_n(&page_->data_head, __ATOMIC_ACQUIRE);
    auto tail = page_->data_tail;
    const auto* data = reinterpret_cast<const std::uint8_t*>(page_) + page_->data_offset;
    while (tail < head) {
      const auto at = static_cast<std::size_t>(tail) & (bytes_ - 1),
                 some = std::min(static_cast<std::size_t>(head - tail), bytes_ - at);
      raw.insert(raw.end(), data + at, data + at + some);
      tail += some;
    }
    __atomic_store_n(&page_->data_tail, tail, __ATOMIC_RELEASE);
  }

  std::vector<std::uint8_t> raw;

 private:
  static std::size_t page_bytes() { return static_cast<std::size_t>(sysconf(_SC_PAGESIZE)); }

  Descriptor file_;
  perf_event_mmap_page* page_ = nullptr;
  std::size_t bytes_ = 0;
  int error_ = 0;
};

Sampler::Sampler(int launcher, std::span<const int> cores, const Sampling& how) : how_(how) {
  for (const int core : cores) {
    auto ring = std::make_unique<Ring>(launcher, core, how);
    if (const int error = ring->error(); error != 0) {
      rings_.clear();
      problem_ = "programs can't be sampled here (perf_event_open: " + std::string(std::strerror(error)) +
                 "); as root, sysctl kernel.perf_event_paranoid=2 lets you sample your own programs; in a "
                 "container, --cap-add PERFMON";
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

void Sampler::relieve() {
  for (auto& ring : rings_) ring->drain();
}

std::vector<CodeSamples> Sampler::end(std::span<const int> pids) {
  std::vector<Event> events;
  std::uint64_t lost = 0;
  for (auto& ring : rings_) {
    ring->stop();
    ring->drain();
    read_records(ring->raw, events, lost);
    ring->raw.clear();
  }
  std::ranges::stable_sort(events, {}, &Event::time);
  Counting counting(pids);
  for (const auto& event : events)
    if (event.kind != Event::Kind::sampled || counts(event.time)) counting.take(event);
  auto all = counting.results(how_, lost);
  for (auto& one : all) one.problem = problem_;
  return all;
}

}  // namespace assay::measure
