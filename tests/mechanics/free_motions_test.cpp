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

/// What one body moves more than another at a place, in the directions of the axes and about those given.
std::vector<ResistedSum> joinedAt(const Vec3& at, std::size_t one, std::size_t other,
                                  const std::vector<Vec3>& turnsAbout) {
  std::vector<ResistedSum> sums;
  for (int i = 0; i < 3; ++i) {
    const Vec3 axis = Vec3::Unit(i);
    sums.push_back({{at, axis, one}, {at, -axis, other}});
  }
  // A turn about an axis shows in what two points apart from it do.
  for (const Vec3& axis : turnsAbout) {
    const Vec3 arm = axis.unitOrthogonal();
    const Vec3 way = axis.cross(arm);
    sums.push_back(
        {{at + arm, way, one}, {at - arm, -way, one}, {at + arm, -way, other}, {at - arm, way, other}});
  }
  return sums;
}

// A body that hangs on another by a pin turns about it, one that is joined for good does not; two that are
// joined to each other and to nothing else move together in six ways.
TEST(FreeMotions, ofBodiesThatAreJoined) {
  using ::testing::AllOf;
  const Vec3 pin(0.3, 0.1, 0.2);
  const std::vector<Vec3> all{Vec3::UnitX(), Vec3::UnitY(), Vec3::UnitZ()};
  const std::vector<HeldPoint> triangle{{{0, 0, 0}}, {{1, 0, 0}}, {{0, 1, 0}}};
  EXPECT_TRUE(freeMotions(triangle, joinedAt(pin, 0, 1, all), false, 2).empty());
  const std::vector<std::string> turning =
      freeMotions(triangle, joinedAt(pin, 0, 1, {Vec3::UnitX(), Vec3::UnitZ()}), false, 2);
  ASSERT_EQ(turning.size(), 1U);
  EXPECT_THAT(turning[0], AllOf(HasSubstr("along y through (300, 100, 200) mm"),
                                HasSubstr("of the body that is held or joined round (300, 100, 200) mm")));
  EXPECT_EQ(freeMotions(triangle, joinedAt(pin, 0, 1, {}), false, 2).size(), 3U) << "a ball joint";
  EXPECT_EQ(freeMotions({}, joinedAt(pin, 0, 1, all), false, 2).size(), 6U);
  // Three bars in a row, the middle one by pins: it turns about the line through both if they are ball
  // joints.
  std::vector<HeldPoint> ends = triangle;
  for (HeldPoint point : triangle) {
    point.position += Vec3(3, 0, 0);
    point.body = 2;
    ends.push_back(point);
  }
  std::vector<ResistedSum> joints = joinedAt({1, 0, 0}, 0, 1, {});
  for (const ResistedSum& sum : joinedAt({2, 0, 0}, 1, 2, {})) joints.push_back(sum);
  const std::vector<std::string> link = freeMotions(ends, joints, false, 3);
  ASSERT_EQ(link.size(), 1U);
  EXPECT_THAT(link[0], HasSubstr("turning about an axis along x"));
  // What joins a place to itself joins nothing.
  EXPECT_EQ(
      freeMotions(triangle, {{{pin, Vec3::UnitX(), 0}, {pin, -Vec3::UnitX(), 0}}, {{pin, Vec3::UnitZ(), 1}}},
                  false, 2)
          .size(),
      5U);
}

}  // namespace
}  // namespace barelattice
