// How finely a proof looks.

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "barelattice/prepare/job.hpp"
#include "barelattice/steps/steps.hpp"
#include "support/brief.hpp"

namespace barelattice {
namespace {

using testing::changed;
using ::testing::HasSubstr;

constexpr std::size_t kDisplacement = 1;  // among the requirements of the test brief; the mass is before it

/// The block of the test brief on about 4000 tetrahedra.
BodyRecord blockBearing(double mostMillimetres) {
  std::string text = changed("tip = \"1 mm\"", fmt::format("tip = \"{:.12f} mm\"", mostMillimetres));
  text.replace(text.find("mass = \"0.2 kg\""), 15, "mass = \"1 kg\"");
  return proveBlock(prepare(parseBrief(text + "[proof]\ntetrahedra = 4000\n", "test.toml"))).record;
}

TEST(Proving, isFinerWhereThatDecides) {
  const BodyRecord asked = blockBearing(1);
  ASSERT_EQ(asked.verdict, "met");
  const RequirementRecord& found = asked.requirements.at(kDisplacement);
  const auto inside = [&](double share) { return blockBearing(found.value + share * found.error); };
  const BodyRecord near = inside(0.85);
  EXPECT_GT(5 * near.tetrahedra, 6 * asked.tetrahedra) << "the error of what was asked for leaves it open";
  EXPECT_LT(near.tetrahedra, 4 * asked.tetrahedra);
  const RequirementRecord& finer = near.requirements.at(kDisplacement);
  EXPECT_NE(finer.error, found.error);
  EXPECT_EQ(near.verdict, finer.value + finer.error <= finer.bound ? "met" : "inconclusive")
      << "what the finer meshes say counts";
  const BodyRecord far = inside(1e-3);
  EXPECT_EQ(far.verdict, "inconclusive");
  EXPECT_EQ(far.tetrahedra, asked.tetrahedra) << "three times as many would not decide";
  EXPECT_THAT(far.requirements.at(kDisplacement).toDecide.value_or(""), HasSubstr("would decide"));
}

}  // namespace
}  // namespace barelattice
