#include "barelattice/voxels/grid_ties.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "barelattice/base/error.hpp"
#include "barelattice/grid/domain.hpp"
#include "barelattice/mechanics/reactions.hpp"
#include "barelattice/voxels/node_support.hpp"

namespace barelattice {
namespace {

using ::testing::HasSubstr;

Face boreOf(const ShapePtr& shape, double radius, double spacing) {
  FaceSelector selector;
  selector.kind = Patch::Kind::cylinder;
  selector.radius = radius;
  return selectFace(*shape, selector, spacing);
}

/// Of a force on a face, and that it comes to the same on the nodes of a grid.
Resultant keptResultant(const Grid<3>& grid, const Face& face, const GridTies& ties, const Vec3& force) {
  const Resultant wanted = resultantOnFace(face, FaceAction{force}, Vec3::Zero());
  const Resultant found =
      resultantOf(forcesOn(ties, FaceAction{force}), [&](std::size_t n) { return grid.nodePosition(n); });
  EXPECT_LT((found.force - wanted.force).norm(), 1e-12 * force.norm());
  EXPECT_LT((found.moment - wanted.moment).norm(), 1e-12 * wanted.moment.norm());
  return wanted;
}

TEST(GridTies, keepsTheResultantOfAForceOnACurvedFace) {
  Regions regions;
  const ShapePtr hole = makeCylinder({10, 8, -1}, {10, 8, 7}, 3.3);
  regions.space = makeDifference(makeBox({0, 0, 0}, {20, 15, 6}), {hole});
  const Domain<3> domain = sampleRegions<3>(regions, 1);
  const Face face = boreOf(regions.space, 3.3, 0.25);
  const GridTies ties = tieToGrid(domain.grid, face);
  EXPECT_NEAR(ties.share(), 1, 1e-12);
  const Resultant wanted = keptResultant(domain.grid, face, ties, {3, -5, 7});
  EXPECT_NEAR(wanted.moment.z(), 10 * -5 - 8 * 3, 1e-3 * 74) << "the bore's axis passes (10, 8)";
}

TEST(GridTies, holdsExactlyTheNodesOfAPlaneFaceOnTheGrid) {
  Regions regions;
  regions.space = makeBox({0, 0, 0}, {4, 3, 2});
  const Domain<3> domain = sampleRegions<3>(regions, 0.5);
  FaceSelector left;
  left.direction = -Vec3::UnitX();
  const auto nodes = tieToGrid(domain.grid, selectFace(*regions.space, left, 0.125)).nodes;
  EXPECT_EQ(nodes.size(), 7U * 5);
  for (const std::size_t n : nodes) EXPECT_EQ(domain.grid.nodeIndex(n)[0], 0);
}

TEST(GridTies, averagesDisplacementsExactlyWhereTheyAreLinear) {
  Regions regions;
  regions.space = makeBox({0, 0, 0}, {4, 3, 2});
  const Domain<3> domain = sampleRegions<3>(regions, 0.5);
  FaceSelector right;
  right.direction = Vec3::UnitX();
  const Face face = selectFace(*regions.space, right, 0.1);
  std::vector<double> u(3 * domain.grid.nodeCount());
  for (std::size_t n = 0; n < domain.grid.nodeCount(); ++n) {
    const Vec3 p = domain.grid.nodePosition(n);
    u[gridDof(domain.grid, n, 0)] = p.x() + 2 * p.y();
    u[gridDof(domain.grid, n, 1)] = p.z();
    u[gridDof(domain.grid, n, 2)] = 1;
  }
  EXPECT_LT((meanOn(tieToGrid(domain.grid, face), u, dofOrder(domain.grid)) - Vec3(7, 1, 1)).norm(), 1e-12);
}

/// A boss that begins and ends within cells, in a block that may be designed.
Regions bossInABlock(double bottom, double top) {
  Regions regions;
  const ShapePtr bore = makeCylinder({10, 8, -1}, {10, 8, 13}, 3.3);
  regions.space = makeDifference(makeBox({0, 0, 0}, {20, 16, 12}), {bore});
  regions.keeps = {makeDifference(makeCylinder({10, 8, bottom}, {10, 8, top}, 6.2), {bore})};
  return regions;
}

// The cell below a point of the face, if a keep has the lesser part of it, may come to be empty, and a load
// on its corners would hang in the air.
TEST(GridTies, ofADomainLieOnWhatStaysSolid) {
  for (const double bottom : {2.1, 2.3, 2.45, 2.9})
    for (const double top : {9.1, 9.4, 9.6}) {
      const Regions regions = bossInABlock(bottom, top);
      const Domain<3> domain = sampleRegions<3>(regions, 1);
      const Face face = boreOf(regions.keeps.front(), 3.3, 0.25);
      const GridTies ties = tieToGrid(domain, face);
      EXPECT_NEAR(ties.share(), 1, 1e-12);
      std::vector<std::uint8_t> stays(domain.grid.nodeCount(), 0);
      for (std::size_t c = 0; c < domain.grid.cellCount(); ++c)
        for (const int n : domain.grid.cellNodes(c)) stays[static_cast<std::size_t>(n)] |= domain.keep[c];
      for (const TieWeight& tied : ties.weights) {
        const std::size_t n = tied.node;
        EXPECT_TRUE(stays[n]) << bottom << " " << top << " at " << domain.grid.nodePosition(n).transpose();
      }
      keptResultant(domain.grid, face, ties, {3, -5, 7});
    }
}

TEST(GridTies, seesWhenNothingLiesBelow) {
  Regions regions;
  regions.space = makeBox({0, 0, 0}, {4, 3, 2});
  const Domain<3> domain = sampleRegions<3>(regions, 0.5);
  FaceSelector left;
  left.direction = -Vec3::UnitX();
  const GridTies ties = tieToGrid(domain.grid, selectFace(*makeBox({30, 0, 0}, {31, 1, 1}), left, 0.2));
  EXPECT_EQ(ties.share(), 0);
  EXPECT_THROW(forcesOn(ties, FaceAction{Vec3::UnitX()}), InputError);
}

}  // namespace
}  // namespace barelattice
