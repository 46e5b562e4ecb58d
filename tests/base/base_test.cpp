#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <numeric>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/parallel.hpp"
#include "barelattice/base/quantity.hpp"

namespace barelattice {
namespace {

using ::testing::HasSubstr;

TEST(Quantity, readsUnitsIntoSi) {
  EXPECT_DOUBLE_EQ(parseQuantity("12 mm", Measure::length), 0.012);
  EXPECT_DOUBLE_EQ(parseQuantity("1.4kN", Measure::force), 1400);
  EXPECT_DOUBLE_EQ(parseQuantity(" -3e2 N ", Measure::force), -300);
  EXPECT_DOUBLE_EQ(parseQuantity("69 GPa", Measure::pressure), 69e9);
  EXPECT_DOUBLE_EQ(parseQuantity("+2.7 g/cm3", Measure::density), 2700);
  // 1 psi = 6894.757293168 Pa (NIST SP 811, appendix B.8).
  EXPECT_NEAR(parseQuantity("1 psi", Measure::pressure), 6894.757293168, 1e-6);
}

struct BadQuantity {
  const char* text;
  const char* message;
};

class QuantityErrors : public ::testing::TestWithParam<BadQuantity> {};

TEST_P(QuantityErrors, sayWhatIsWrongAndHowToMendIt) {
  try {
    parseQuantity(GetParam().text, Measure::length);
    FAIL() << "accepted " << GetParam().text;
  } catch (const InputError& error) {
    EXPECT_THAT(error.what(), HasSubstr(GetParam().message));
    EXPECT_THAT(error.cure(), HasSubstr("mm"));
  }
}

INSTANTIATE_TEST_SUITE_P(
    all, QuantityErrors,
    ::testing::Values(BadQuantity{"12", "has no unit"}, BadQuantity{"12 furlong", "unknown unit"},
                      BadQuantity{"12 N", "is a force"}, BadQuantity{"mm", "is not a length"},
                      BadQuantity{"", "is not a length"}, BadQuantity{"nan mm", "is not a length"},
                      BadQuantity{"1e999 mm", "is not a length"}));

TEST(Base64, matchesTheVectorsOfTheStandard) {  // RFC 4648, section 10
  const std::pair<const char*, const char*> vectors[] = {
      {"", ""}, {"f", "Zg=="}, {"fo", "Zm8="}, {"foo", "Zm9v"}, {"foob", "Zm9vYg=="}, {"foobar", "Zm9vYmFy"}};
  for (const auto& [plain, coded] : vectors) {
    EXPECT_EQ(toBase64(plain), coded);
    EXPECT_EQ(fromBase64(coded), plain);
  }
  EXPECT_THROW(fromBase64("Zg="), InputError);
  EXPECT_THROW(fromBase64("Z*=="), InputError);
  EXPECT_THROW(fromBase64("Zg==Zg=="), InputError);
}

TEST(File, appearsWholeOrNotAtAll) {
  const std::filesystem::path folder = std::filesystem::path(::testing::TempDir()) / "whole_file";
  std::filesystem::create_directories(folder);
  writeFile(folder / "a.txt", "one");
  writeFile(folder / "a.txt", "two");
  EXPECT_EQ(readFile(folder / "a.txt"), "two");
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder), {}), 1)
      << "a partial file was left behind";
  EXPECT_THROW(writeFile(folder / "missing" / "a.txt", "x"), RunError);
  EXPECT_THROW(readFile(folder / "b.txt"), InputError);
  EXPECT_THROW(readFile(folder), InputError);
}

TEST(Parallel, sumsAreTheSameBitsOnAnyNumberOfThreads) {
  std::vector<double> values(100'003);
  for (std::size_t i = 0; i < values.size(); ++i) values[i] = 1.0 / static_cast<double>(3 * i + 1);
  const auto sum = [&](std::size_t threads) {
    const ThreadLimit limit(threads);
    return sumBlocks(values.size(), [&](std::size_t begin, std::size_t end) {
      return std::accumulate(values.begin() + static_cast<std::ptrdiff_t>(begin),
                             values.begin() + static_cast<std::ptrdiff_t>(end), 0.0);
    });
  };
  const double one = sum(1);
  EXPECT_EQ(one, sum(2));
  EXPECT_EQ(one, sum(8));
}

}  // namespace
}  // namespace barelattice
