#include "assay/measure/system_load.hpp"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <ctime>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <vector>

#include "assay/measure/file_io.hpp"

namespace assay::measure {
namespace fs = std::filesystem;
namespace {

double clock_seconds(clockid_t clock) {
  timespec t{};
  clock_gettime(clock, &t);
  return static_cast<double>(t.tv_sec) + static_cast<double>(t.tv_nsec) * 1e-9;
}

/// The beginning of a file of the kernel's, read again.
std::string head_of(const Descriptor& file) {
  std::array<char, 512> text{};
  const auto got = file ? pread(file.get(), text.data(), text.size(), 0) : -1;
  return {text.data(), static_cast<std::size_t>(std::max<ssize_t>(got, 0))};
}

std::optional<double> number_in(const std::string& text) {
  double value = 0;
  const auto [end, failed] = std::from_chars(text.data(), text.data() + text.size(), value);
  return failed == std::errc{} ? std::optional(value) : std::nullopt;
}

Descriptor open_file(const std::string& path) { return Descriptor(open(path.c_str(), O_RDONLY | O_CLOEXEC)); }

}  // namespace

struct LoadMonitor::Files {
  Descriptor load, times;
  std::vector<Descriptor> frequencies, throttlings, supplies;
};

LoadMonitor::LoadMonitor(std::string root) : root_(std::move(root)), files_(std::make_unique<Files>()) {
  files_->load = open_file(root_ + "/proc/loadavg");
  files_->times = open_file(root_ + "/proc/stat");
  std::error_code none;
  for (const auto& core : fs::directory_iterator(root_ + "/sys/devices/system/cpu", none)) {
    const auto path = core.path().string();
    if (auto file = open_file(path + "/cpufreq/scaling_cur_freq"))
      files_->frequencies.push_back(std::move(file));
    if (auto file = open_file(path + "/thermal_throttle/core_throttle_count"))
      files_->throttlings.push_back(std::move(file));
  }
  for (const auto& supply : fs::directory_iterator(root_ + "/sys/class/power_supply", none)) {
    std::string type;
    std::ifstream(supply.path() / "type") >> type;
    if (type != "Mains" && type != "USB") continue;
    if (auto file = open_file((supply.path() / "online").string()))
      files_->supplies.push_back(std::move(file));
  }
}

LoadMonitor::~LoadMonitor() = default;

LoadSample LoadMonitor::now() const {
  LoadSample moment{.monotonic = clock_seconds(CLOCK_MONOTONIC), .boottime = clock_seconds(CLOCK_BOOTTIME)};
  moment.load = number_in(head_of(files_->load));
  std::istringstream times(head_of(files_->times));
  std::string label;
  double user = 0, nice = 0, system = 0, idle = 0, waiting = 0, irq = 0, soft = 0, stolen = 0;
  if (times >> label >> user >> nice >> system >> idle >> waiting >> irq >> soft >> stolen &&
      label == "cpu") {
    const double tick = 1.0 / static_cast<double>(sysconf(_SC_CLK_TCK));
    moment.busy = (user + nice + system + irq + soft) * tick;
    moment.steal = stolen * tick;
  }
  const auto all = [](const std::vector<Descriptor>& files, auto&& each) {
    for (const auto& file : files)
      if (const auto value = number_in(head_of(file))) each(*value);
  };
  double sum = 0;
  int cores = 0;
  all(files_->frequencies, [&](double khz) { sum += khz * 1e3, ++cores; });
  if (cores > 0) moment.frequency = sum / cores;
  all(files_->throttlings,
      [&](double count) { moment.throttlings = moment.throttlings.value_or(0) + count; });
  all(files_->supplies,
      [&](double online) { moment.on_battery = moment.on_battery.value_or(true) && online == 0; });
  return moment;
}

LoadDuring difference(const LoadSample& before, const LoadSample& after, double cpu) {
  constexpr double clocks_agree = 0.01;  // seconds; read one after the other, they differ by microseconds
  LoadDuring found{
      .suspended = (after.boottime - before.boottime) - (after.monotonic - before.monotonic) > clocks_agree,
      .load = before.load,
      .steal = {},
      .other_load = {},
      .frequency = after.frequency,
      .on_battery = after.on_battery,
      .throttlings = {}};
  if (before.steal && after.steal) found.steal = std::max(0.0, *after.steal - *before.steal);
  if (before.busy && after.busy) found.other_load = *after.busy - *before.busy - cpu;
  if (before.throttlings && after.throttlings) found.throttlings = *after.throttlings - *before.throttlings;
  return found;
}

}  // namespace assay::measure
