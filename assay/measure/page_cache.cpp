#include "assay/measure/page_cache.hpp"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <vector>

#include "assay/measure/file_io.hpp"
#include "assay/model/error.hpp"

namespace assay::measure {

double drop_from_cache(const std::string& path) {
  const Descriptor file(open(path.c_str(), O_RDONLY | O_CLOEXEC));
  struct stat status {};
  if (!file || fstat(file.get(), &status) != 0)
    throw Error(std::string("can't be dropped from the page cache: ") + std::strerror(errno), path,
                "is the path right, and is it readable?", Error::Code::measuring);
  const auto size = static_cast<std::size_t>(status.st_size);
  if (size == 0) return 0;
  fdatasync(file.get());
  posix_fadvise(file.get(), 0, 0, POSIX_FADV_DONTNEED);
  const auto page = static_cast<std::size_t>(sysconf(_SC_PAGESIZE));
  std::vector<unsigned char> resident((size + page - 1) / page);
  void* mapped = mmap(nullptr, size, PROT_READ, MAP_SHARED, file.get(), 0);
  if (mapped == MAP_FAILED) return 0;
  const bool listed = mincore(mapped, size, resident.data()) == 0;
  munmap(mapped, size);
  if (!listed) return 0;
  const auto stayed = std::ranges::count_if(resident, [](unsigned char p) { return (p & 1U) != 0; });
  return static_cast<double>(stayed) / static_cast<double>(resident.size());
}

}  // namespace assay::measure
