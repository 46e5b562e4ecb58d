// Symmetries, and rules that look along directions, against their definitions.
#include "barelattice/layout/making.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <random>
#include <set>

#include "barelattice/base/error.hpp"
#include "barelattice/layout/directed_maps.hpp"
#include "support/grids.hpp"
#include "support/layout_maps.hpp"

namespace barelattice {
namespace {

constexpr double kDegree = std::numbers::pi / 180;

using testing::expectExactGradient;
using testing::randomField;
using testing::through;

const Grid<3>& holedGrid() {
  static const Grid<3> grid =
      testing::gridWhere<3>({11, 8, 9}, 0.5, [](const Index<3>& i) { return (i[0] + i[1] * i[2]) % 9 != 0; });
  return grid;
}

template <int D>
std::shared_ptr<const LayoutMap> symmetric(const Grid<D>& grid, const std::vector<SymmetryRule>& rules) {
  return symmetryMap(grid, Symmetry(rules, 1e-6));
}

/// How many different values there are left of different ones.
std::size_t orbitCount(const Grid<3>& grid, const std::vector<SymmetryRule>& rules) {
  const std::vector<double> out = through(*symmetric(grid, rules), randomField(grid.cellCount(), 2));
  return std::set<double>(out.begin(), out.end()).size();
}

TEST(Symmetry, makesOrbitsOnTheGrid) {
  const Grid<3> box = testing::boxGrid<3>({6, 6, 2}, 0.5);
  const MirrorPlane x{Vec3::UnitX(), 1.5};
  const MirrorPlane diagonal{Vec3(1, -1, 0).normalized(), 0};
  const RepeatRound quarter{Vec3::UnitZ(), {1.5, 1.5, 0}, 4};
  EXPECT_EQ(orbitCount(box, {x}), 36);
  EXPECT_EQ(orbitCount(box, {quarter}), 18);
  EXPECT_EQ(orbitCount(box, {x, diagonal}), 12);  // a quarter turn follows: six of a triangle
  EXPECT_EQ(orbitCount(box, {diagonal, quarter, x}), 12);
  EXPECT_EQ(orbitCount(box, {ConstantSection{Vec3::UnitZ()}}), 36);
  EXPECT_EQ(orbitCount(box, {RepeatAlong{Vec3::UnitX(), 0, 1, false}}), 24);
  EXPECT_EQ(orbitCount(box, {RepeatAlong{Vec3::UnitX(), 0.5, 1, true}}), 24);
  EXPECT_EQ(orbitCount(box, {RepeatAlong{Vec3::UnitX(), 0, 1, false}, x}), 12);
  const std::vector<double> out = through(*symmetric<3>(box, {x}), randomField(box.cellCount(), 2));
  for (std::size_t c = 0; c < out.size(); ++c) {
    Index<3> at = box.cellIndex(c);
    at[0] = 5 - at[0];
    EXPECT_EQ(out[c], out[static_cast<std::size_t>(box.cellAt(at))]);
  }
}

// Wherever planes and axes lie, all images of a point have one representative, which is one of them.
TEST(Symmetry, findsOneRepresentativeForAllImages) {
  const Vec3 tilted = Vec3(1, 2, 3).normalized();
  const Vec3 beside = Vec3(3, 0, -1).normalized();
  const Vec3 centre(0.3, -0.2, 0.7);
  const std::vector<std::vector<SymmetryRule>> sets{
      {MirrorPlane{tilted, 0.37}},
      {RepeatRound{tilted, centre, 7}},
      {RepeatRound{tilted, centre, 6}, MirrorPlane{beside, beside.dot(centre)}},
      {RepeatRound{tilted, centre, 5}, MirrorPlane{tilted, tilted.dot(centre)}},
      {RepeatAlong{tilted, 0.1, 0.83, true}, RepeatAlong{beside, 0.2, 0.5, false}},
      {RepeatAlong{Vec3::UnitX(), 0.1, 0.8, false}, MirrorPlane{Vec3::UnitX(), 0.5}},
      {RepeatAlong{Vec3::UnitX(), 0, 1, true}, RepeatAlong{Vec3::UnitY(), 0, 1, true},
       MirrorPlane{Vec3(1, -1, 0).normalized(), 0}},
      {ConstantSection{tilted}, RepeatRound{tilted, centre, 3}},
      {MirrorPlane{Vec3::UnitX(), 0}, MirrorPlane{Vec3::UnitY(), 0}, MirrorPlane{Vec3::UnitZ(), 0},
       RepeatRound{Vec3(1, 1, 1).normalized(), Vec3::Zero(), 3}}};  // of a cube, 24 without its diagonals
  for (std::size_t s = 0; s < sets.size(); ++s) {
    SCOPED_TRACE(s);
    const Symmetry symmetry(sets[s], 1e-7);
    std::mt19937 random(3);
    std::uniform_real_distribution<double> place(-2, 2);
    for (int k = 0; k < 100; ++k) {
      const Vec3 point(place(random), place(random), place(random));
      const Vec3 representative = symmetry.representative(point);
      EXPECT_LT((symmetry.representative(representative) - representative).norm(), 1e-6);
      for (const SymmetryRule& rule : sets[s])
        EXPECT_LT((symmetry.representative(motionOf(rule, 0.6) * point) - representative).norm(), 1e-6);
    }
  }
}

TEST(Symmetry, refusesWhatDoesNotFitTogether) {
  const auto refused = [](const std::vector<SymmetryRule>& rules) {
    EXPECT_THROW(Symmetry(rules, 1e-6), InputError);
  };
  refused({MirrorPlane{Vec3::UnitX(), 0}, MirrorPlane{Vec3::UnitX(), 1}});  // without an end
  refused({MirrorPlane{Vec3::UnitX(), 0}, MirrorPlane{Vec3(1, 0.3, 0).normalized(), 0}});
  refused({RepeatRound{Vec3::UnitZ(), Vec3::Zero(), 3}, RepeatRound{Vec3::UnitZ(), {1, 0, 0}, 3}});
  refused({RepeatAlong{Vec3::UnitX(), 0, 1, false}, MirrorPlane{Vec3::UnitX(), 0.3},
           MirrorPlane{Vec3::UnitX(), 0.5}});
  refused({RepeatAlong{Vec3::UnitX(), 0, 1, true}, MirrorPlane{Vec3::UnitX(), 0.3}});
  refused({RepeatAlong{Vec3::UnitX(), 0, 1, false}, RepeatRound{Vec3::UnitZ(), Vec3::Zero(), 4}});
  refused({RepeatAlong{Vec3::UnitX(), 0, 1, false}, RepeatAlong{Vec3(1, 1, 0).normalized(), 0, 1, false}});
  refused({ConstantSection{Vec3(1, 1, 0).normalized()}, MirrorPlane{Vec3::UnitX(), 0}});
}

// Off the grid: of what the filter makes of the average, whatever it began from, values at both ends of a
// turn differ by a fifth of what they differ by from cell to cell.
TEST(Symmetry, holdsOffTheGridToAFractionOfACell) {
  const double size = 0.05;
  const Grid<2> grid = testing::boxGrid<2>({60, 60}, size);
  const Vec3 centre(1.483, 1.521, 0);
  const RepeatRound round{Vec3::UnitZ(), centre, 7};
  const std::shared_ptr<const LayoutMap> map = symmetric<2>(grid, {round});
  const DensityFilter<2> filter(grid, std::vector<double>(grid.cellCount(), 1.0), 3.5 * size,
                                FilterBoundary::reflecting);
  std::vector<double> field = through(filter, randomField(grid.cellCount(), 8));
  for (double& v : field) v = v > 0.5;
  const std::vector<double> out = through(filter, through(*map, field));
  double slope = 0;
  double apart = 0;
  int count = 0;
  for (std::size_t c = 0; c < out.size(); ++c) {
    const Point<2> p = grid.cellCentre(c);
    const Vec3 place(p.x(), p.y(), 0);
    if ((place - centre).norm() > 1.3) continue;
    const Vec3 image = (motionOf(round) * place) / size - Vec3::Constant(0.5);
    const int x = static_cast<int>(std::floor(image.x()));
    const int y = static_cast<int>(std::floor(image.y()));
    const double u = image.x() - x;
    const double v = image.y() - y;
    const auto at = [&](int i, int k) { return out[static_cast<std::size_t>(grid.cellAt({i, k}))]; };
    const double there = (1 - u) * ((1 - v) * at(x, y) + v * at(x, y + 1)) +
                         u * ((1 - v) * at(x + 1, y) + v * at(x + 1, y + 1));
    apart += std::pow(there - out[c], 2);
    const Index<2> here = grid.cellIndex(c);
    slope += std::pow(at(here[0] + 1, here[1]) - out[c], 2) + std::pow(at(here[0], here[1] + 1) - out[c], 2);
    ++count;
  }
  EXPECT_LT(std::sqrt(apart / count), 0.2 * std::sqrt(slope / count));
}

/// The definition, cell by cell.
std::vector<double> seenFrom(const Grid<3>& grid, const std::vector<double>& in, std::size_t axis, int sign) {
  std::vector<double> out = in;
  for (std::size_t c = 0; c < in.size(); ++c) {
    Index<3> at = grid.cellIndex(c);
    for (at[axis] += sign; at[axis] >= 0 && at[axis] < grid.frame().cells[axis]; at[axis] += sign)
      if (const int other = grid.cellAt(at); other >= 0)
        out[c] = std::max(out[c], in[static_cast<std::size_t>(other)]);
  }
  return out;
}

TEST(AccessMap, equalsItsDefinitionAlongTheAxes) {
  const Grid<3>& grid = holedGrid();
  const std::vector<double> in = randomField(grid.cellCount(), 4);
  for (int axis = 0; axis < 3; ++axis)
    for (const int sign : {-1, 1}) {
      const Point<3> side = sign * Point<3>::Unit(axis);
      const auto a = static_cast<std::size_t>(axis);
      const std::vector<double> one = seenFrom(grid, in, a, sign);
      const std::vector<double> other = seenFrom(grid, in, a, -sign);
      EXPECT_EQ(through(AccessMap<3>(grid, {{side}}), in), one);
      const double parting = grid.frame().cells[a] / 3 * 0.5 * sign;
      const std::vector<double> both = through(AccessMap<3>(grid, {{side, -side}}), in);
      const std::vector<double> parted = through(AccessMap<3>(grid, {{side, -side}, 0, parting}), in);
      for (std::size_t c = 0; c < in.size(); ++c) {
        EXPECT_EQ(both[c], std::min(one[c], other[c]));
        EXPECT_EQ(parted[c], side.dot(grid.cellCentre(c)) >= parting ? one[c] : other[c]);
      }
    }
}

// What has been made ready once is left as it is; a layout that obeys the rule is.
TEST(DirectedMaps, leaveAloneWhatObeysThem) {
  const Grid<3>& grid = holedGrid();
  const std::vector<double> in = randomField(grid.cellCount(), 4);
  const Point<3> x = Point<3>::UnitX();
  const Point<3> oblique = Point<3>(1, -0.6, 0.3).normalized();
  std::vector<std::unique_ptr<LayoutMap>> maps;
  maps.push_back(std::make_unique<AccessMap<3>>(grid, AccessMap<3>::Options{{x}, 0, {}}));
  maps.push_back(std::make_unique<AccessMap<3>>(grid, AccessMap<3>::Options{{oblique}, 0, {}}));
  maps.push_back(std::make_unique<AccessMap<3>>(
      grid, AccessMap<3>::Options{{x, -x, Point<3>::UnitZ(), -Point<3>::UnitY()}, 0, {}}));
  maps.push_back(std::make_unique<PrintMap<3>>(grid, Point<3>::UnitZ(), 45 * kDegree));
  maps.push_back(std::make_unique<PrintMap<3>>(grid, oblique, 45 * kDegree));
  for (const auto& map : maps) {
    const std::vector<double> once = through(*map, in);
    EXPECT_NE(once, in);
    const std::vector<double> twice = through(*map, once);
    for (std::size_t c = 0; c < in.size(); ++c) EXPECT_NEAR(twice[c], once[c], 1e-15);
    const std::vector<double> full(in.size(), 1.0);
    if (dynamic_cast<const AccessMap<3>*>(map.get())) {  // over a hole nothing is carried
      EXPECT_EQ(through(*map, full), full);
    }
  }
}

TEST(DirectedMaps, haveExactGradients) {
  const Grid<3>& grid = holedGrid();
  const std::size_t n = grid.cellCount();
  const Point<3> z = Point<3>::UnitZ();
  const Point<3> oblique = Point<3>(0.5, -0.8, 0.6).normalized();
  expectExactGradient(AccessMap<3>(grid, {{z}}), n, 7, "case 1");
  expectExactGradient(AccessMap<3>(grid, {{z, -z}, 3 * kDegree, {}}), n, 11, "case 2");
  expectExactGradient(AccessMap<3>(grid, {{-z, z}, 10 * kDegree, -2.0}), n, 11, "case 3");
  expectExactGradient(AccessMap<3>(grid, {{oblique, Point<3>::UnitX(), -Point<3>::UnitY()}, 0, {}}), n, 11,
                      "case 4");
  expectExactGradient(AccessMap<3>(grid, {{oblique}, 25 * kDegree, {}}), n, 11, "case 5");
  std::vector<std::uint8_t> keep(n, 0);
  for (std::size_t c = 0; c < n; c += 17) keep[c] = 1;
  expectExactGradient(PrintMap<3>(grid, z, 45 * kDegree), n, 7, "case 6");
  expectExactGradient(PrintMap<3>(grid, -Point<3>::UnitX(), 30 * kDegree, keep), n, 11, "case 7");
  expectExactGradient(PrintMap<3>(grid, oblique, 60 * kDegree, keep), n, 11, "case 8");
  const Grid<2> sheet = testing::boxGrid<2>({13, 9});
  const RepeatRound threefold{Vec3(1, 1, 0.5).normalized(), {2.6, 2.1, 2.2}, 3};
  expectExactGradient(*symmetric<3>(grid, {threefold}), n, 11, "off the grid");
  const Point<2> up = Point<2>(0.3, 1).normalized();
  expectExactGradient(AccessMap<2>(sheet, {{up, -up}, 5 * kDegree, {}}), sheet.cellCount(), 3, "case 9");
  expectExactGradient(PrintMap<2>(sheet, up, 40 * kDegree), sheet.cellCount(), 3, "case 10");
}

// Where several are equally full a derivative is shared, and none of it is lost.
TEST(DirectedMaps, shareDerivativesAmongEquals) {
  const Grid<3> grid = testing::boxGrid<3>({5, 5, 8});
  const std::vector<double> in(grid.cellCount(), 0.4);
  const std::vector<double> ones(in.size(), 1.0);
  std::vector<double> gradient(in.size());
  const Point<3> z = Point<3>::UnitZ();
  AccessMap<3>(grid, {{z, -z}, 0, {}}).backward(in, in, ones, gradient);
  double sum = 0;
  for (const double g : gradient) {
    sum += g;
    EXPECT_GT(g, 0.3);
    EXPECT_LT(g, 2);
  }
  EXPECT_NEAR(sum, static_cast<double>(in.size()), 1e-9);
}

// The shadow of one full cell under an oblique tool: a line of cells, none further from the true one than
// half a cell along each axis, and none less full than the first, however far away.
TEST(AccessMap, followsObliqueDirectionsWithoutBlur) {
  const Grid<3> grid = testing::boxGrid<3>({60, 40, 90});
  const Point<3> side = Point<3>(0.5, 0.29, 1).normalized();
  std::vector<double> in(grid.cellCount(), 0.0);
  const int source = grid.cellAt({55, 33, 88});
  in[static_cast<std::size_t>(source)] = 1;
  const std::vector<double> out = through(AccessMap<3>(grid, {{side}}), in);
  const Point<3> from = grid.cellCentre(static_cast<std::size_t>(source));
  int found = 0;
  for (std::size_t c = 0; c < out.size(); ++c) {
    if (out[c] == 0) continue;
    EXPECT_EQ(out[c], 1);
    ++found;
    const Point<3> way = grid.cellCentre(c) - from;
    const Point<3> onLine = side * (way.z() / side.z());
    EXPECT_LE((way - onLine).cwiseAbs().maxCoeff(), 1.0);
  }
  EXPECT_EQ(found, 89);
}

// Below a disc the half-full contour grows sideways at the angle of draft, to a cell in a hundred layers; a
// disc with a smooth rim, as a filter leaves it.
TEST(AccessMap, leansWallsByTheDraft) {
  const Grid<3> grid = testing::boxGrid<3>({61, 61, 100});
  for (const double degrees : {1.0, 3.0, 10.0}) {
    std::vector<double> in(grid.cellCount(), 0.0);
    for (std::size_t c = 0; c < in.size(); ++c) {
      const Point<3> p = grid.cellCentre(c);
      if (p.z() > 96) in[c] = std::clamp(0.5 - (std::hypot(p.x() - 30.5, p.y() - 30.5) - 8) / 6, 0.0, 1.0);
    }
    const std::vector<double> out =
        through(AccessMap<3>(grid, {{Point<3>::UnitZ()}, degrees * kDegree, {}}), in);
    for (const int layer : {80, 50, 10}) {
      double area = 0;  // of the half-full contour
      for (int y = 0; y < 61; ++y)
        for (int x = 0; x < 61; ++x) area += out[static_cast<std::size_t>(grid.cellAt({x, y, layer}))] >= 0.5;
      const double radius = 8 + (96.5 - layer) * std::tan(degrees * kDegree);
      EXPECT_NEAR(std::sqrt(area / std::numbers::pi), std::min(radius, 30.0), 1.2)
          << degrees << ", " << layer;
    }
  }
}

// On a plate a cone with its tip down stands if it leans no more than the overhang, and is cut to what does
// if it leans more; a slab that hangs in the air is gone, one under a keep is not.
TEST(PrintMap, cutsWhatLeansTooMuch) {
  const Grid<3> grid = testing::boxGrid<3>({61, 61, 30});
  for (const double degrees : {30.0, 45.0, 60.0}) {
    std::vector<double> in(grid.cellCount(), 0.0);
    for (std::size_t c = 0; c < in.size(); ++c) {
      const Point<3> p = grid.cellCentre(c);
      in[c] = std::clamp(0.5 - (std::hypot(p.x() - 30.5, p.y() - 30.5) - 4 - 3 * p.z()) / 6, 0.0, 1.0);
    }
    const std::vector<double> out = through(PrintMap<3>(grid, Point<3>::UnitZ(), degrees * kDegree), in);
    double area = 0;
    for (int y = 0; y < 61; ++y)
      for (int x = 0; x < 61; ++x) area += out[static_cast<std::size_t>(grid.cellAt({x, y, 12}))] >= 0.5;
    EXPECT_NEAR(std::sqrt(area / std::numbers::pi), 5.5 + 12 * std::tan(degrees * kDegree), 1.0) << degrees;
  }
  std::vector<double> in(grid.cellCount(), 0.0);
  std::vector<std::uint8_t> keep(in.size(), 0);
  for (std::size_t c = 0; c < in.size(); ++c) {
    const Index<3> at = grid.cellIndex(c);
    keep[c] = at[2] == 15 && at[0] < 20;
    in[c] = keep[c] || (at[2] > 15 && at[2] < 20 && (at[0] < 20 || at[0] > 50));
  }
  const std::vector<double> out = through(PrintMap<3>(grid, Point<3>::UnitZ(), 45 * kDegree, keep), in);
  for (std::size_t c = 0; c < in.size(); ++c) EXPECT_EQ(out[c], grid.cellIndex(c)[0] < 20 ? in[c] : 0);
}

// A cone whose side runs along the layers, or ahead of them, has no point in the layer before.
TEST(PrintMap, worksWhereTheConeTouchesTheLayers) {
  const Grid<3> grid = testing::boxGrid<3>({12, 10, 11});
  for (const Point<3>& way :
       {Point<3>(1, 0, 1), Point<3>(1, 0, 0.9), Point<3>(-1, 1, 1), Point<3>(1, -1, 0.2)}) {
    const PrintMap<3> map(grid, way.normalized(), 60 * kDegree);
    const std::vector<double> out = through(map, std::vector<double>(grid.cellCount(), 0.7));
    for (const double value : out) {
      EXPECT_GE(value, 0);
      EXPECT_LE(value, 0.7 + 1e-12);
    }
    EXPECT_GT(std::count_if(out.begin(), out.end(), [](double v) { return v > 0; }), 600);
  }
}

// Between cells too a full layout is full, and no fuller.
TEST(Symmetry, leavesFullLayoutsFull) {
  const Grid<3> grid = holedGrid();
  const std::vector<double> full(grid.cellCount(), 1.0);
  for (const double value :
       through(*symmetric<3>(grid, {MirrorPlane{Vec3(0, 1, 1).normalized(), 2.9}}), full)) {
    EXPECT_LE(value, 1);
    EXPECT_NEAR(value, 1, 1e-14);
  }
}

// A section is the same up to its ends, though the filter sees emptiness beyond them.
TEST(Making, keepsSectionsConstantToTheirEnds) {
  const Grid<3>& grid = holedGrid();
  const std::vector<double> fill(grid.cellCount(), 1.0);
  const MakingMaps maps =
      mapsOf<3>({Walls{1, FilterBoundary::empty}, ConstantSection{Vec3::UnitX()}}, grid, fill, {}, {});
  const std::vector<double> level = maps.level.forward(randomField(grid.cellCount(), 9));
  std::map<std::pair<int, int>, double> columns;
  for (std::size_t c = 0; c < level.size(); ++c) {
    const Index<3> at = grid.cellIndex(c);
    const auto [column, isNew] = columns.try_emplace({at[1], at[2]}, level[c]);
    EXPECT_NEAR(level[c], column->second, 1e-15);
  }
}

// What is marked on one piece, as cells next to a load are, is marked on all: a symmetric layout stays
// symmetric through the filter.
TEST(Making, marksAllPiecesAlike) {
  const Grid<2> grid = testing::boxGrid<2>({20, 20});
  const std::vector<double> fill(grid.cellCount(), 1.0);
  std::vector<std::uint8_t> attached(grid.cellCount(), 0);
  for (int y = 7; y < 13; ++y) attached[static_cast<std::size_t>(grid.cellAt({0, y}))] = 1;
  const RepeatRound quarter{Vec3::UnitZ(), {10, 10, 0}, 4};
  const MakingMaps maps = mapsOf<2>({Walls{5, FilterBoundary::empty}, quarter}, grid, fill, {}, attached);
  const std::vector<double> level = maps.level.forward(std::vector<double>(grid.cellCount(), 1.0));
  const auto at = [&](int x, int y) { return level[static_cast<std::size_t>(grid.cellAt({x, y}))]; };
  EXPECT_NEAR(at(0, 10), 1, 1e-12);  // it reflects there
  EXPECT_LT(at(0, 1), 0.8);
  for (int y = 0; y < 20; ++y)
    for (int x = 0; x < 20; ++x) EXPECT_NEAR(at(x, y), at(19 - y, x), 1e-12);
}

// On the plate a printed part and one with a flat back may be full; at the other walls material keeps off.
TEST(Making, letsPartsLieOnTheirPlate) {
  const Grid<3> grid = testing::boxGrid<3>({12, 12, 12});
  const std::vector<double> fill(grid.cellCount(), 1.0);
  const auto levelOf = [&](const MakingRule& rule, const Index<3>& cell) {
    const MakingMaps maps = mapsOf<3>({Walls{4, FilterBoundary::empty}, rule}, grid, fill, {}, {});
    return maps.level.forward(
        std::vector<double>(grid.cellCount(), 1.0))[static_cast<std::size_t>(grid.cellAt(cell))];
  };
  for (const MakingRule& rule : std::vector<MakingRule>{Printing{Vec3::UnitZ()}, Casting{Vec3::UnitZ()}})
    EXPECT_NEAR(levelOf(rule, {6, 6, 0}), 1, 1e-12);
  EXPECT_LT(levelOf(Printing{Vec3::UnitZ()}, {6, 6, 11}), 0.8);
  EXPECT_LT(levelOf(MirrorPlane{Vec3::UnitX(), 6}, {6, 6, 0}), 0.8);
}

TEST(Making, refusesRulesThatExcludeEachOther) {
  const Vec3 z = Vec3::UnitZ();
  const auto excluded = [](const std::vector<MakingRule>& rules) {
    return contradictionIn(rules).has_value();
  };
  const MirrorPlane across{z, 0};
  const MirrorPlane along{Vec3::UnitX(), 0};
  const RepeatRound round{z, Vec3::Zero(), 6};
  const RepeatAlong up{z, 0, 1, false};
  const Casting back{z};
  const Casting free{z, Casting::Parting::free};
  const Casting parted{z, Casting::Parting::plane, 0.5};
  const Milling five{{z, Vec3::UnitX(), -Vec3::UnitX(), Vec3::UnitY(), -Vec3::UnitY()}};
  const Printing print{z};
  EXPECT_FALSE(excluded({along, round, back}));
  EXPECT_TRUE(excluded({across, back}));
  EXPECT_FALSE(excluded({across, free}));
  EXPECT_TRUE(excluded({across, parted}));  // it halves another plane
  EXPECT_FALSE(excluded({MirrorPlane{z, 0.5}, parted}));
  EXPECT_TRUE(excluded({up, back}));
  EXPECT_TRUE(excluded({RepeatRound{Vec3::UnitX(), Vec3::Zero(), 2}, back}));
  EXPECT_FALSE(excluded({RepeatRound{Vec3::UnitX(), Vec3::Zero(), 2}, free}));
  EXPECT_TRUE(excluded({RepeatRound{Vec3::UnitX(), Vec3::Zero(), 4}, free}));
  EXPECT_FALSE(excluded({ConstantSection{z}, back}));
  EXPECT_TRUE(excluded({ConstantSection{z}, Casting{z, Casting::Parting::back, 0, 0.02}}));
  EXPECT_FALSE(excluded({ConstantSection{Vec3::UnitX()}, Casting{z, Casting::Parting::back, 0, 0.02}}));
  EXPECT_FALSE(excluded({along, five}));
  EXPECT_TRUE(excluded({across, five}));
  EXPECT_TRUE(excluded({RepeatAlong{Vec3::UnitX(), 0, 1, false}, five}));
  EXPECT_TRUE(excluded({RepeatRound{z, Vec3::Zero(), 3}, five}));
  EXPECT_FALSE(excluded({RepeatRound{z, Vec3::Zero(), 4}, five}));
  EXPECT_FALSE(excluded({along, round, print}));
  EXPECT_TRUE(excluded({across, print}));
  for (const MakingRule& process : std::vector<MakingRule>{back, five, print})
    EXPECT_TRUE(excluded({print, process}));
  const Grid<3> grid = testing::boxGrid<3>({4, 4, 4});
  const std::vector<double> fill(grid.cellCount(), 1.0);
  EXPECT_THROW(mapsOf<3>({Walls{2}, across, back}, grid, fill, {}, {}), InputError);
  EXPECT_THROW(mapsOf<3>({Walls{2}, up, along, MirrorPlane{Vec3::UnitX(), 1}}, grid, fill, {}, {}),
               InputError);
  EXPECT_THROW(mapsOf<2>({Walls{2}, back}, testing::boxGrid<2>({8, 8}), std::vector<double>(64, 1.0), {}, {}),
               InputError);
}

}  // namespace
}  // namespace barelattice
