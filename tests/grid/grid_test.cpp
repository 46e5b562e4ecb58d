#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <numbers>
#include <random>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/formats/vti.hpp"
#include "barelattice/grid/domain.hpp"
#include "support/grids.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using std::numbers::pi;

TEST(Grid, numbersOnlyWhatExists) {
  const Grid<3> grid = testing::gridWhere<3>({4, 3, 2}, 1, [](const Index<3>& i) { return i[0] != 1; });
  EXPECT_EQ(grid.cellCount(), 3U * 3 * 2);
  EXPECT_EQ(grid.nodeCount(), 5U * 4 * 3);
  EXPECT_EQ(grid.cellAt({1, 0, 0}), -1);
  EXPECT_EQ(grid.cellAt({-1, 0, 0}), -1);
  EXPECT_EQ(grid.runs().size(), 12U);
  for (std::size_t c = 0; c < grid.cellCount(); ++c)
    EXPECT_EQ(grid.cellAt(grid.cellIndex(c)), static_cast<int>(c));
}

template <int D>
void expectRunsToCoverTheGrid(const Grid<D>& grid) {
  std::vector<int> seen(grid.cellCount(), 0);
  for (const CellRun<D>& run : grid.runs())
    for (int i = 0; i < run.length; ++i) {
      const auto cell = static_cast<std::size_t>(run.cell + i);
      ++seen[cell];
      const auto nodes = grid.cellNodes(cell);
      for (std::size_t row = 0; row < run.rows.size(); ++row) {
        EXPECT_EQ(nodes[2 * row], run.rows[row] + i);
        EXPECT_EQ(nodes[2 * row + 1], run.rows[row] + i + 1);
      }
    }
  for (const int count : seen) EXPECT_EQ(count, 1);
  EXPECT_EQ(grid.layers().back(), grid.runs().size());
}

TEST(Grid, runsCoverEveryCellOnceWithTheRightNodes) {
  expectRunsToCoverTheGrid(testing::gridWhere<3>(
      {7, 5, 6}, 1, [](const Index<3>& i) { return (i[0] + 2 * i[1] + i[2]) % 4 != 0 && i[2] != 2; }));
  expectRunsToCoverTheGrid(
      testing::gridWhere<2>({9, 6}, 1, [](const Index<2>& i) { return i[0] * i[1] % 5 != 3; }));
}

TEST(Grid, countsPieces) {
  const Grid<3> grid = testing::boxGrid<3>({5, 1, 1});
  const Pieces pieces = findPieces<3>(grid, {1, 1, 0, 1, 0});
  EXPECT_EQ(pieces.cells, (std::vector<std::size_t>{2, 1}));
  EXPECT_EQ(pieces.ofCell, (std::vector<int>{0, 0, -1, 1, -1}));
}

TEST(Grid, piecesOfALabyrinthAreThoseAFloodFinds) {
  const Grid<3> grid = testing::gridWhere<3>(
      {23, 17, 19}, 1, [](const Index<3>& i) { return (7 * i[0] + 5 * i[1] + 11 * i[2]) % 13 != 0; });
  // Near the share at which cells begin to hang together: pieces of all sizes, bent back on themselves.
  std::vector<std::uint8_t> chosen(grid.cellCount());
  std::mt19937 random(5);
  for (std::uint8_t& c : chosen) c = random() % 100 < 34;
  const Pieces pieces = findPieces<3>(grid, chosen);
  ASSERT_GT(pieces.cells.size(), 100U);
  ASSERT_GT(*std::max_element(pieces.cells.begin(), pieces.cells.end()), 100U);

  std::vector<int> flooded(grid.cellCount(), -1);
  std::vector<std::size_t> sizes;
  for (std::size_t seed = 0; seed < chosen.size(); ++seed) {
    if (!chosen[seed] || flooded[seed] >= 0) continue;
    std::vector<std::size_t> wet{seed};
    flooded[seed] = static_cast<int>(sizes.size());
    for (std::size_t next = 0; next < wet.size(); ++next)
      for (int side = 0; side < 6; ++side) {
        Index<3> at = grid.cellIndex(wet[next]);
        at[static_cast<std::size_t>(side / 2)] += side % 2 ? 1 : -1;
        const int other = grid.cellAt(at);
        if (other < 0 || !chosen[static_cast<std::size_t>(other)]) continue;
        if (flooded[static_cast<std::size_t>(other)] >= 0) continue;
        flooded[static_cast<std::size_t>(other)] = flooded[seed];
        wet.push_back(static_cast<std::size_t>(other));
      }
    sizes.push_back(wet.size());
  }
  EXPECT_EQ(pieces.ofCell, flooded);
  EXPECT_EQ(pieces.cells, sizes);
}

TEST(Domain, sharesOfCellsAreThoseOfManyPoints) {
  Regions regions;
  regions.space =
      makeDifference(makeSphere({0, 0, 0}, 1), {makeTorus({0.2, 0.1, 0.3}, {1, 2, 3}, 0.6, 0.25)});
  regions.clears = {makeCylinder({-1, 0.3, 0}, {1, 0.1, 0.2}, 0.15)};
  const Domain<3> domain = sampleRegions<3>(regions, 0.17);
  constexpr int kAcross = 24;
  double worst = 0;
  for (std::size_t c = 0; c < domain.fill.size(); ++c) {
    const Vec3 low = domain.grid.cellCentre(c) - Vec3::Constant(0.5 * 0.17);
    int inside = 0;
    for (int i = 0; i < kAcross * kAcross * kAcross; ++i) {
      const Vec3 offset(i % kAcross + 0.5, i / kAcross % kAcross + 0.5, i / kAcross / kAcross + 0.5);
      inside += regions.available(low + 0.17 / kAcross * offset) < 0;
    }
    worst = std::max(worst, std::abs(domain.fill[c] - inside / std::pow(kAcross, 3)));
  }
  EXPECT_LT(worst, 6.0 / 67);  // so many of the sampled points: two curved faces cross some of the cells
}

TEST(Domain, volumesComeOutWithinATenthOfAPercentAtAHundredCellsAcross) {
  Regions regions;
  regions.space = makeCylinder({0, 0, 0}, {0, 0, 0.3}, 0.5);
  const Domain<3> domain = sampleRegions<3>(regions, 0.01);
  EXPECT_NEAR(domain.volume() / (pi * 0.25 * 0.3), 1, 1e-3);
}

TEST(Domain, clearsWinOverKeepsAndKeepsReachOutOfTheSpace) {
  Regions regions;
  regions.space = makeBox({0, 0, 0}, {4, 4, 4});
  regions.keeps = {makeBox({3, 0, 0}, {6, 4, 4})};
  regions.clears = {makeBox({5, -1, -1}, {7, 5, 5})};
  const Domain<3> domain = sampleRegions<3>(regions, 0.5);
  EXPECT_NEAR(domain.volume(), 5 * 16, 1e-9);
  double kept = 0;
  for (std::size_t c = 0; c < domain.fill.size(); ++c) kept += domain.keep[c] * domain.fill[c];
  EXPECT_NEAR(kept * domain.cellVolume(), 2 * 16, 1e-9);
  regions.clears = {makeBox({-1, -1, -1}, {7, 5, 5})};
  EXPECT_THROW(sampleRegions<3>(regions, 0.5), InputError);
  EXPECT_THROW(sampleRegions<3>(regions, 1e-4), InputError);
}

TEST(Domain, bondedPartsWinOverClearsAndHaveTheirMaterial) {
  Regions regions;
  regions.space = makeBox({0, 0, 0}, {4, 4, 4});
  regions.clears = {makeBox({2, -1, -1}, {5, 5, 5})};
  regions.materials = {{makeBox({-1, 0, 0}, {1, 4, 4}), 1}, {makeBox({1, 0, 0}, {3.25, 4, 4}), 2, true}};
  const Domain<3> domain = sampleRegions<3>(regions, 0.5);
  std::array<double, 3> volumes{};
  double bonded = 0;
  for (std::size_t c = 0; c < domain.fill.size(); ++c) {
    volumes[domain.material[c]] += domain.fill[c] * domain.cellVolume();
    bonded += domain.bonded[c] * domain.cellVolume();
    EXPECT_LE(domain.bonded[c], domain.fill[c]);
    if (domain.isBonded(c)) {
      EXPECT_TRUE(domain.keep[c]);
    }
  }
  EXPECT_NEAR(volumes[1], 16, 1e-9) << "what lies outside the space is no material";
  EXPECT_NEAR(volumes[2], 2.25 * 16, 0.1) << "the half cells at its end belong to it";
  EXPECT_NEAR(bonded, 2.25 * 16, 0.1);
  EXPECT_LT(regions.available({3, 2, 2}), 0);
  EXPECT_GT(regions.available({3.5, 2, 2}), 0);
  EXPECT_LT(regions.kept({1.5, 2, 2}), 0);
  EXPECT_EQ(regions.materialAt({1.5, 2, 2}), 2);
  EXPECT_EQ(regions.materialAt({0.5, 2, 2}), 1);
  EXPECT_EQ(regions.designedMaterial({1.5, 2, 2}), 0);
}

TEST(Domain, mirrorPlaneFallsBetweenCells) {
  Regions regions;
  regions.space = makeBox({-1.03, 0, 0}, {1.03, 1, 1});
  const Domain<3> domain = sampleRegions<3>(regions, 0.1, BetweenCells{0.0});
  const double cells = -domain.grid.frame().origin.x() / 0.1;
  EXPECT_NEAR(cells, std::round(cells), 1e-9);
  EXPECT_NEAR(domain.volume(), 2.06, 0.01);
}

TEST(Vti, readsBackWhatItWrote) {
  const std::filesystem::path path = ownFolder() / "field.vti";
  const Grid<3> grid = testing::gridWhere<3>({3, 4, 2}, 0.25, [](const Index<3>& i) { return i[1] != 2; });
  std::vector<double> values(grid.cellCount());
  for (std::size_t c = 0; c < values.size(); ++c) values[c] = 0.125 * static_cast<double>(c);
  CellImage written = imageOf(grid, 0);
  written.fields = {{"density", spread(grid, values)}};
  writeVti(path, written);
  const CellImage image = readVti(path);
  EXPECT_EQ(image.frame.cells, grid.frame().cells);
  EXPECT_NEAR(image.frame.size, 0.25, 1e-15);
  for (std::size_t c = 0; c < values.size(); ++c)
    EXPECT_EQ(image.field("density")[image.frame.linear(grid.cellIndex(c))], static_cast<float>(values[c]));
  EXPECT_THROW(image.field("pressure"), InputError);
  EXPECT_EQ(gathered(grid, image.field("density")), values);
}

TEST(Vti, holdsASheetAsOneLayer) {
  const std::filesystem::path path = ownFolder() / "sheet.vti";
  const Grid<2> grid = testing::boxGrid<2>({3, 4}, 0.002);
  CellImage written = imageOf(grid, 0.012);
  written.fields = {{"density", spread(grid, std::vector<double>(12, 0.5))}};
  writeVti(path, written);
  const CellImage image = readVti(path);
  EXPECT_EQ(image.frame.cells, (Index<3>{3, 4, 1}));
  EXPECT_NEAR(image.layer, 0.012, 1e-12);
}

TEST(Sheet, areasOfRoundRegionsComeOutRight) {
  Regions regions;
  regions.thickness = 0.01;
  Extrusion disc;
  disc.outline = {{{0.1, 0}, Eigen::Vector2d(0, -0.1)}, {{-0.1, 0}, Eigen::Vector2d(0, 0.1)}};
  disc.to = 0.01;
  disc.endless = true;
  regions.space = makeExtrusion(disc);
  const Domain<2> domain = sampleRegions<2>(regions, 0.002);
  EXPECT_NEAR(domain.volume() / (3.14159265 * 0.01 * 0.01), 1, 1e-3);
}

TEST(Vti, refusesDamagedFiles) {
  const std::filesystem::path path = ownFolder() / "bad.vti";
  writeFile(path, "<VTKFile><Other/></VTKFile>");
  EXPECT_THROW(readVti(path), InputError);
  const Grid<3> grid = testing::boxGrid<3>({2, 2, 2});
  CellImage image = imageOf(grid, 0);
  image.fields = {{"density", std::vector<float>(8, 1.0F)}};
  writeVti(path, image);
  std::string text = readFile(path);
  const std::size_t extent = text.find("0 2 0 2");
  writeFile(path, std::string(text).replace(extent, 7, "0 9 0 9"));
  EXPECT_THROW(readVti(path), InputError) << "fewer values than cells";
  writeFile(path, text.substr(0, text.size() / 2));
  EXPECT_THROW(readVti(path), InputError);
  const auto says = [&](const std::string& from, const std::string& to, const char* words) {
    std::string spoilt = text;
    const std::size_t at = spoilt.find(from);
    ASSERT_NE(at, std::string::npos) << from;
    writeFile(path, spoilt.replace(at, from.size(), to));
    try {
      readVti(path);
      ADD_FAILURE() << words << ": was read";
    } catch (const InputError& error) {
      EXPECT_THAT(error.what(), ::testing::HasSubstr(words));
    }
  };
  says("Origin=\"0", "Origin=\"zero", "Origin should hold three numbers");
  says("Spacing=\"1000", "Spacing=\"-1000", "the cells must be cubes with a size above zero");
  says("Spacing=\"1000", "Spacing=\"2000", "the cells must be cubes");
  says("0 2 0 2 0 2", "1 2 0 2 0 2", "three ranges that start at 0");
  says("0 2 0 2 0 2", "0 9999 0 99999 0 99999", "more cells than this program reads");
  says("UInt64", "UInt32", "uncompressed with UInt64 sizes");
  says("Float32", "Float64", "is not Float32 in inline base64");
}

}  // namespace
}  // namespace barelattice
