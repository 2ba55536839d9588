#include "assay/places/same_code.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <fstream>
#include <random>
#include <sstream>

#include "support/tool.hpp"

namespace assay::places {
namespace {

/// A program of C functions that call each other and the library, and read tables, texts and constants. Functions of
/// other sizes go in between if it is `shifted`.
std::string program_source(bool shifted, const std::string& rate = "1.25",
                           const std::string& text = "%d barges\\n", const std::string& callee = "moor_0") {
  std::ostringstream out;
  out << "#include <stdio.h>\n#include <stdlib.h>\n#include <string.h>\n"
         "static int held[64]; int levels[64]; const char* names[4] = {\"a\", \"b\", \"c\", \"d\"};\n"
         "int moor_0(int x); int moor_1(int x);\n"
         "__attribute__((noinline)) int priced(int x) { return (int)(x * "
      << rate
      << "); }\n"
         "__attribute__((noinline)) void shown(int x) { printf(\""
      << text
      << "\", x); }\n"
         "__attribute__((noinline)) int asked(int x) { return "
      << callee << "(x) + 1; }\n";
  for (int i = 0; i < 20; ++i) {
    if (shifted && i % 3 == 1)
      out << "__attribute__((noinline, used)) int spare_" << i << "(int x) { return x * x + levels[" << i
          << "] + held[2]; }\nint more_" << i << "[5] = {1};\n";
    out << "__attribute__((noinline)) int moor_" << i << "(int x) {\n  held[x & 63] += " << i << "; levels["
        << i << "] ^= x; if (x > levels[3]) { puts(names[x & 3]); x += (int)strlen(names[1]); }\n"
        << "  switch (x & 7) { case 0: return held[1]; case 1: return priced(x); case 2: puts(\"lock " << i
        << "\"); return 2; case 3: return rand(); case 4: return x * 77; case 5: shown(x); return 9; case 6: "
           "return "
           "levels[x & 15]; default: return (int)(x * 0."
        << i + 1 << "); }\n}\n";
  }
  out << "int main(int n, char** v) { int s = 0; for (int i = 0; i < n; ++i) s += moor_0(i) + moor_1(i) + "
         "asked(i);\n";
  for (int i = 2; i < 20; ++i) out << "s += moor_" << i << "(s);\n";
  out << "return s; }\n";
  return out.str();
}

class SameCode : public testing::Test {
 protected:
  std::string built(const std::string& name, const std::string& source,
                    std::vector<std::string> flags = {}) const {
    const auto file = scratch_.file(name + ".c", source);
    std::vector<std::string> command = {"/usr/bin/gcc", "-O2", "-w", "-o", scratch_.path(name), file};
    command.insert(command.end(), flags.begin(), flags.end());
    EXPECT_EQ(test::run(scratch_, command).status, 0);
    return scratch_.path(name);
  }

  static int functions_alike(const CodeComparison& both) {
    int alike = 0;
    for (int i = 0; i < 20; ++i)
      alike += both.compare("moor_" + std::to_string(i)) == CodeLikeness::same ? 1 : 0;
    return alike;
  }

  void SetUp() override {
#ifndef __x86_64__
    GTEST_SKIP() << "code is compared on x86-64 only";
#endif
  }

  test::Scratch scratch_;
};

TEST_F(SameCode, AProgramWhoseFunctionsWereShiftedIsTheSameThroughout) {
  for (const std::vector<std::string>& flags :
       {std::vector<std::string>{}, {"-no-pie", "-fno-pie"}, {"-fPIC", "-fcf-protection=full"}}) {
    const CodeFile a(built("a", program_source(false), flags)), b(built("b", program_source(true), flags));
    const CodeComparison both(a, b);
    ASSERT_TRUE(both.is_possible());
    EXPECT_EQ(functions_alike(both), 20);
    EXPECT_THAT(both.differing(), testing::IsEmpty());
    const auto line = both.within_line("moor_7");
    ASSERT_TRUE(line);
    EXPECT_NE(line->first, line->second);
    EXPECT_EQ(both.compare("unheard_of"), CodeLikeness::unknown);
  }
}

TEST_F(SameCode, AChangedConstantTextOrCalleeIsSeen) {
  const CodeFile a(built("a", program_source(false))),
      b(built("b", program_source(true, "1.5", "%d boats.\\n", "moor_1")));
  const CodeComparison both(a, b);
  EXPECT_THAT(both.differing(), testing::ElementsAre("asked", "priced", "shown"));
  EXPECT_EQ(functions_alike(both), 20);
}

TEST_F(SameCode, FunctionsOfOneBuildAloneAreFoundAndThoseThatCallThem) {
  const CodeFile a(built("a",
                         "__attribute__((noinline)) int moor(int x) { return x * 3; }\n"
                         "__attribute__((noinline)) int haul(int x) { return moor(x) + 1; }\n"
                         "int main(int n, char** v) { return haul(n); }\n")),
      b(built("b",
              "static inline int moor(int x) { return x * 3; }\n"
              "__attribute__((noinline)) int haul(int x) { return moor(x) + 1; }\n"
              "int main(int n, char** v) { return haul(n); }\n"));
  const CodeComparison both(a, b);
  EXPECT_TRUE(both.is_alone("moor"));
  EXPECT_FALSE(both.is_alone("haul"));
  EXPECT_FALSE(both.is_alone("unheard_of"));
  EXPECT_THAT(both.callers_of({"moor"}), testing::ElementsAre("haul"));
}

/// One bit of a function's code is changed. 12 of 20 000 were not seen in a program of 2 586 functions; here at most
/// 5 of 600 are, for any compiler.
TEST_F(SameCode, AChangeOfOneBitIsSeen) {
  const auto path = built("b", program_source(true));
  const CodeFile a(built("a", program_source(false))), before(path);
  auto bytes = test::read_file(path);
  std::mt19937 random(5);
  int missed = 0;
  constexpr int tries = 600;
  for (int i = 0; i < tries; ++i) {
    const auto name = "moor_" + std::to_string(random() % 20);
    const auto function = std::ranges::find(before.functions(), name, &Function::symbol);
    ASSERT_NE(function, before.functions().end());
    const auto code = before.bytes(function->address, function->bytes);
    const auto at = bytes.find(std::string(code.begin(), code.end()));
    ASSERT_NE(at, std::string::npos);
    auto& byte = bytes[at + random() % code.size()];
    const auto bit = static_cast<char>(1U << (random() % 8));
    byte = static_cast<char>(byte ^ bit);
    const CodeFile changed(scratch_.file("changed", bytes));
    byte = static_cast<char>(byte ^ bit);
    if (CodeComparison(a, changed).compare(name) == CodeLikeness::same) ++missed;
  }
  EXPECT_LE(missed, 5);
}

TEST_F(SameCode, NothingIsSaidWithoutNames) {
  const CodeFile a(built("a", program_source(false), {"-s"})), b(built("b", program_source(true), {"-s"}));
  EXPECT_EQ(CodeComparison(a, b).compare("moor_3"), CodeLikeness::unknown);
  EXPECT_THAT(CodeComparison(a, b).differing(), testing::IsEmpty());
}

}  // namespace
}  // namespace assay::places
