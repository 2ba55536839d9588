#include "assay/places/code_file.hpp"

#include <cxxabi.h>
#include <elfutils/libdwelf.h>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstdlib>
#include <cstring>

#include "assay/measure/program_file.hpp"
#include "assay/places/elf_file.hpp"

namespace assay::places {

ElfFile::ElfFile(const std::string& path) : file(open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK)) {
  elf_version(EV_CURRENT);
  if (!file) return;
  elf.reset(elf_begin(file.get(), ELF_C_READ, nullptr));
  if (elf && elf_kind(elf.get()) != ELF_K_ELF) elf.reset();
}

namespace {

/// Where the symbols of a stripped file may be.
std::vector<std::string> debug_paths(Elf* elf, const std::string& path, const std::string& build_id) {
  std::vector<std::string> paths;
  if (build_id.size() > 2)
    paths.push_back("/usr/lib/debug/.build-id/" + build_id.substr(0, 2) + "/" + build_id.substr(2) +
                    ".debug");
  GElf_Word checksum = 0;
  if (const char* link = dwelf_elf_gnu_debuglink(elf, &checksum)) {
    const auto folder = path.substr(0, path.rfind('/') + 1);
    for (const auto& where : {folder, folder + ".debug/", "/usr/lib/debug" + folder})
      paths.push_back(where + link);
  }
  return paths;
}

/// Functions, or data.
std::vector<Function> symbols_of(Elf* elf, unsigned table, bool functions = true) {
  std::vector<Function> found;
  each_section(elf, [&](Elf_Scn* section, const GElf_Shdr& head, std::string_view) {
    Elf_Data* data = head.sh_type == table && head.sh_entsize > 0 ? elf_getdata(section, nullptr) : nullptr;
    if (data == nullptr) return;
    const auto count = static_cast<int>(head.sh_size / head.sh_entsize);
    for (int i = 0; i < count; ++i) {
      GElf_Sym symbol;
      if (gelf_getsym(data, i, &symbol) == nullptr || symbol.st_shndx == SHN_UNDEF || symbol.st_size == 0)
        continue;
      const auto type = GELF_ST_TYPE(symbol.st_info);
      const char* name = elf_strptr(elf, head.sh_link, symbol.st_name);
      const bool asked_for = functions ? type == STT_FUNC || type == STT_GNU_IFUNC : type == STT_OBJECT;
      if (asked_for && name != nullptr && *name != '\0')
        found.push_back({.address = symbol.st_value, .bytes = symbol.st_size, .symbol = name});
    }
  });
  // Of several names for one address the first in the table; those of libraries come in no order that matters.
  std::ranges::stable_sort(found, {}, &Function::address);
  found.erase(std::unique(found.begin(), found.end(),
                          [](const Function& a, const Function& b) { return a.address == b.address; }),
              found.end());
  return found;
}

/// The one of these, by address, that holds an address.
const Function* holding(const std::vector<Function>& all, std::uint64_t address) {
  auto found = std::ranges::upper_bound(all, address, {}, &Function::address);
  constexpr int nested = 4;  // an alias may lie within another function
  for (int back = 0; back < nested && found != all.begin(); ++back)
    if (--found; address - found->address < found->bytes) return &*found;
  return nullptr;
}

}  // namespace

struct CodeFile::Files {
  explicit Files(const std::string& path) : main(path) {}
  ElfFile main;
  std::unique_ptr<ElfFile> debug;
};

CodeFile::CodeFile(const std::string& path, const std::string& build_id)
    : path_(path), build_id_(build_id), files_(std::make_unique<Files>(path)) {
  Elf* elf = files_->main.elf.get();
  if (elf == nullptr) return;
  const auto own = measure::build_id_of(path);
  was_replaced_ = !build_id.empty() && own != build_id;
  if (was_replaced_) return;
  for (const auto& candidate : debug_paths(elf, path, own)) {
    auto debug = std::make_unique<ElfFile>(candidate);
    if (!debug->elf || (!own.empty() && measure::build_id_of(candidate) != own)) continue;
    files_->debug = std::move(debug);
    break;
  }
  read_segments();
  read_functions();
  read_frames();
}

CodeFile::~CodeFile() = default;

void CodeFile::read_segments() {
  Elf* elf = files_->main.elf.get();
  struct stat file {};
  if (fstat(files_->main.file.get(), &file) != 0) return;
  const auto size = static_cast<std::uint64_t>(file.st_size);
  std::size_t count = 0;
  elf_getphdrnum(elf, &count);
  for (std::size_t i = 0; i < count; ++i) {
    GElf_Phdr head;
    if (gelf_getphdr(elf, static_cast<int>(i), &head) == nullptr || head.p_type != PT_LOAD ||
        head.p_offset >= size)
      continue;
    auto& segments = (head.p_flags & PF_X) != 0 ? code_ : constants_;
    segments.push_back({.offset = head.p_offset,
                        .address = head.p_vaddr,
                        .bytes = std::min<std::uint64_t>(head.p_filesz, size - head.p_offset),
                        .content = {}});
  }
  each_section(elf, [&](Elf_Scn*, const GElf_Shdr& head, std::string_view name) {
    if (name.starts_with(".plt"))
      stubs_.push_back(
          {.offset = head.sh_offset, .address = head.sh_addr, .bytes = head.sh_size, .content = {}});
  });
}

void CodeFile::read_functions() {
  Elf* elf = files_->main.elf.get();
  functions_ = symbols_of(elf, SHT_SYMTAB);
  if (functions_.empty() && files_->debug) functions_ = symbols_of(files_->debug->elf.get(), SHT_SYMTAB);
  if (functions_.empty()) functions_ = symbols_of(elf, SHT_DYNSYM);
  has_names_ = !functions_.empty();
}

/// Each entry of .eh_frame holds the range of a function: length, id, then for functions start and size, relative
/// to their own place in four bytes each, as all usual compilers write them.
void CodeFile::read_frames() {
  Elf* elf = files_->main.elf.get();
  std::vector<Function> more;
  each_section(elf, [&](Elf_Scn* section, const GElf_Shdr& head, std::string_view name) {
    if (name != ".eh_frame" || head.sh_type == SHT_NOBITS) return;
    const Elf_Data* data = elf_rawdata(section, nullptr);
    if (data == nullptr || data->d_buf == nullptr) return;
    const auto* bytes = static_cast<const unsigned char*>(data->d_buf);
    const auto word = [&](std::size_t at) {
      std::uint32_t value = 0;
      std::memcpy(&value, bytes + at, sizeof value);
      return value;
    };
    constexpr std::size_t id_at = 4, start_at = 8, size_at = 12, least = 16;
    constexpr std::uint32_t longer = 0xffffffff;
    for (std::size_t at = 0; at + least <= data->d_size;) {
      const auto length = word(at);
      if (length == 0 || length == longer) break;
      if (word(at + id_at) != 0) {
        const auto start = static_cast<std::int64_t>(static_cast<std::int32_t>(word(at + start_at)));
        const auto address = head.sh_addr + at + start_at + static_cast<std::uint64_t>(start);
        if (at_address(address) == nullptr)
          more.push_back({.address = address, .bytes = word(at + size_at), .symbol = {}});
      }
      at += length + id_at;
    }
  });
  functions_.insert(functions_.end(), more.begin(), more.end());
  std::ranges::stable_sort(functions_, {}, &Function::address);
}

std::uint64_t CodeFile::address_of(std::uint64_t offset) const {
  for (const auto& segment : code_)
    if (offset >= segment.offset && offset - segment.offset < segment.bytes)
      return offset - segment.offset + segment.address;
  return ~0ULL;
}

const Function* CodeFile::at_address(std::uint64_t address) const { return holding(functions_, address); }

const Function* CodeFile::at_offset(std::uint64_t offset) const { return at_address(address_of(offset)); }

const Function* CodeFile::data_at(std::uint64_t address) const {
  if (!data_) {
    data_.emplace();
    for (const auto* file : {&files_->main, files_->debug.get()})
      if (file != nullptr && file->elf && data_->empty())
        data_ = symbols_of(file->elf.get(), SHT_SYMTAB, false);
    if (data_->empty() && files_->main.elf) data_ = symbols_of(files_->main.elf.get(), SHT_DYNSYM, false);
  }
  return holding(*data_, address);
}

std::span<const unsigned char> CodeFile::bytes(std::uint64_t address, std::uint64_t most) const {
  for (const auto* segments : {&code_, &constants_})
    for (const auto& segment : *segments) {
      const auto within = address - segment.address;
      if (address < segment.address || within >= segment.bytes) continue;
      if (segment.content.empty()) {
        segment.content.resize(segment.bytes);
        std::size_t done = 0;
        while (done < segment.bytes) {
          const auto got = pread(files_->main.file.get(), segment.content.data() + done, segment.bytes - done,
                                 static_cast<off_t>(segment.offset + done));
          if (got < 0 && errno == EINTR) continue;
          if (got <= 0) break;  // it was made shorter: what is missing is 0
          done += static_cast<std::size_t>(got);
        }
      }
      return std::span<const unsigned char>(segment.content)
          .subspan(within, std::min(most, segment.bytes - within));
    }
  return {};
}

bool CodeFile::is_stub(std::uint64_t offset) const {
  return std::ranges::any_of(stubs_, [&](const Segment& stub) {
    return offset >= stub.offset && offset - stub.offset < stub.bytes;
  });
}

std::string source_name(std::string_view symbol) {
  constexpr std::array<std::string_view, 11> pieces = {".cold",      ".part.", ".constprop.", ".isra.",
                                                       ".lto_priv.", ".llvm.", ".localalias", ".clone.",
                                                       ".warm",      ".hot",   ".unlikely"};
  auto end = symbol.size();
  for (const auto piece : pieces)
    if (const auto at = symbol.find(piece); at != std::string_view::npos && at > 0) end = std::min(end, at);
  if (const auto version = symbol.find('@'); version != std::string_view::npos && version > 0)
    end = std::min(end, version);
  std::string name(symbol.substr(0, end));
  if (!name.starts_with("_Z")) return name;
  int status = 0;
  char* text = abi::__cxa_demangle(name.c_str(), nullptr, nullptr, &status);
  if (status == 0 && text != nullptr) name = text;
  std::free(text);
  for (const std::string_view tag = "[abi:cxx11]"; name.find(tag) != std::string::npos;)
    name.erase(name.find(tag), tag.size());
  constexpr std::size_t hash = 19;  // "::h" and 16 digits
  const bool is_rust =
      name.size() > hash && name.compare(name.size() - hash, 3, "::h") == 0 &&
      name.find_first_not_of("0123456789abcdef", name.size() - hash + 3) == std::string::npos;
  if (is_rust) name.resize(name.size() - hash);
  return name;
}

}  // namespace assay::places
