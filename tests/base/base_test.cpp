#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <filesystem>
#include <functional>
#include <limits>
#include <numeric>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/hash.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/base/thread_limit.hpp"
#include "base/file_name.hpp"
#include "base/parallel.hpp"
#include "base/plain_numbers.hpp"
#include "base/root.hpp"
#include "support/own_folder.hpp"

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

TEST(Quantity, errorsHaveOneDigitAndNoExponent) {
  EXPECT_EQ(errorText(0.0214), "0.02");
  EXPECT_EQ(errorText(0.97), "1");
  EXPECT_EQ(errorText(9.4), "9");
  EXPECT_EQ(errorText(9.7), "10");
  EXPECT_EQ(errorText(23.9), "20");
  EXPECT_EQ(errorText(1499), "1000");
  EXPECT_EQ(errorText(2.6e12), "3e+12");
  EXPECT_EQ(errorText(0), "0");
}

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

// Of the list of the hash's authors, https://www.isthe.com/chongo/src/fnv/test_fnv.c.
TEST(Hash, matchesThePublishedVectors) {
  EXPECT_EQ(hashOf(""), "cbf29ce484222325");
  EXPECT_EQ(hashOf("a"), "af63dc4c8601ec8c");
  EXPECT_EQ(hashOf("foobar"), "85944171f73967e8");
}

TEST(FileName, tellsItsEndingWhateverItsCase) {
  EXPECT_EQ(endingOf("folder.d/Part.STL"), ".stl");
  EXPECT_EQ(endingOf("part.old.Step"), ".step");
  EXPECT_EQ(endingOf("folder.d/part"), "");
}

TEST(File, appearsWholeOrNotAtAll) {
  const std::filesystem::path folder = ownFolder() / "whole_file";
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

TEST(Parallel, everyItemHasItsTurnOnce) {
  for (const std::size_t threads : {1U, 2U, 8U}) {
    const ThreadLimit limit(threads);
    for (const std::size_t count : {0U, 1U, 4095U, 4096U, 4097U, 30'001U}) {
      std::vector<int> turns(count, 0);
      forEach(count, [&](std::size_t i) { ++turns[i]; });
      EXPECT_EQ(std::count(turns.begin(), turns.end(), 1), static_cast<std::ptrdiff_t>(count)) << count;
      std::vector<int> inBlocks(count, 0);
      forEachBlock(
          count,
          [&](std::size_t begin, std::size_t end) {
            EXPECT_EQ(begin % 7, 0U);
            EXPECT_LE(end - begin, 7U);
            for (std::size_t i = begin; i < end; ++i) ++inBlocks[i];
          },
          7);
      EXPECT_EQ(inBlocks, turns) << count;
    }
  }
}

TEST(GrowingRoot, isFoundInAHandfulOfEvaluations) {
  const struct {
    std::function<double(double)> f;
    RootSearch search;
    double root;
    int most;
  } trials[]{
      {[](double x) { return x * x * x - 0.2; }, {0.3, 0.1, 0, 1, 0}, std::cbrt(0.2), 12},
      {[](double x) { return std::tanh(20 * (x - 0.7)); }, {0.1, 0.05, 0, 1, 0}, 0.7, 16},
      {[](double x) { return std::exp(x) - 1e-3; }, {0, 0.3, -40, 40, 0}, std::log(1e-3), 20},
  };
  for (const auto& trial : trials) {
    int evaluations = 0;
    double last = 0;
    const double root = growingRoot(
        [&](double x) {
          ++evaluations;
          last = x;
          return trial.f(x);
        },
        trial.search, 1e-9);
    EXPECT_NEAR(trial.f(root), 0, 1e-9);
    EXPECT_NEAR(root, trial.root, 1e-6);
    EXPECT_EQ(root, last);  // what the function left behind belongs to the root
    EXPECT_LE(evaluations, trial.most);
  }
}

TEST(GrowingRoot, takesItsFirstStepByTheSlope) {
  const RootSearch known{.guess = 0.5, .step = 1, .low = 0, .high = 1, .width = 0, .slope = 0.1};
  int evaluations = 0;
  const auto value = [&](double x) {
    ++evaluations;
    return 0.1 * x - 0.03;
  };
  EXPECT_NEAR(growingRoot(value, known, 1e-12), 0.3, 1e-10);
  EXPECT_EQ(evaluations, 2);
}

TEST(GrowingRoot, endsAtTheBoundWhereThereIsNone) {
  for (const double offset : {1.0, -2.0}) {
    double last = 0.5;
    const auto value = [&](double x) {
      last = x;
      return x + offset;
    };
    EXPECT_EQ(growingRoot(value, {0.5, 0.1, 0, 1, 0}, 1e-9), offset > 0 ? 0 : 1);
    EXPECT_EQ(last, offset > 0 ? 0 : 1);
  }

  // A step never comes closer than one side; the interval shrinks to its width.
  const double step =
      growingRoot([](double x) { return x < 0.3 ? -1.0 : 1.0; }, {0.5, 0.1, 0, 1, 1e-6}, 1e-9);
  EXPECT_NEAR(step, 0.3, 1e-5);
}

TEST(PlainNumbers, areReadAsWhole) {
  const double infinite = std::numeric_limits<double>::infinity();
  for (const auto& [word, value] :
       std::vector<std::pair<std::string, double>>{{"1.5", 1.5},
                                                   {"+1.5", 1.5},
                                                   {"-2e-3", -2e-3},
                                                   {".5", 0.5},
                                                   {"5.", 5},
                                                   {"4.9e-324", 4.9e-324},
                                                   {"1e-400", 0},
                                                   {"0." + std::string(400, '0') + "1", 0},
                                                   {"1e400", infinite},
                                                   {"-1e400", -infinite},
                                                   {std::string(400, '9'), infinite},
                                                   {"inf", infinite}}) {
    ASSERT_TRUE(numberFrom(word)) << word;
    EXPECT_EQ(*numberFrom(word), value) << word;
  }
  for (const char* word : {"", "+", "-", "1,5", "1.5x", "1e", "+-1", "--1", " 1", "1 ", "e5", "."})
    EXPECT_FALSE(numberFrom(word)) << word;
  EXPECT_TRUE(std::isnan(*numberFrom("nan")));
}

}  // namespace
}  // namespace barelattice
