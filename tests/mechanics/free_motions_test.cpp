#include "barelattice/mechanics/free_motions.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

namespace barelattice {
namespace {

using ::testing::HasSubstr;

TEST(FreeMotions, areNamed) {
  using ::testing::ElementsAre;
  EXPECT_THAT(freeMotions({}), ElementsAre(HasSubstr("nothing is held")));
  const std::vector<HeldPoint> triangle{{{0, 0, 0}}, {{1, 0, 0}}, {{0, 1, 0}}};
  EXPECT_TRUE(freeMotions(triangle).empty());
  const std::vector<HeldPoint> line{{{0, 0.002, 0}}, {{1, 0.002, 0}}, {{2, 0.002, 0}}};
  EXPECT_THAT(freeMotions(line), ElementsAre(HasSubstr("turning about an axis along x through")));
  EXPECT_EQ(freeMotions({{{1, 2, 3}}}).size(), 3U) << "a single point leaves three turns";
  std::vector<HeldPoint> rails = triangle;
  for (HeldPoint& point : rails) point.held = Vec3(0, 1, 1).asDiagonal();
  EXPECT_THAT(freeMotions(rails), ElementsAre("sliding along x"));
}

}  // namespace
}  // namespace barelattice
