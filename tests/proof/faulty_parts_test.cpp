// Ten STEP files of bodies that one way of making cannot make: each fault is found, at its size and place,
// and is no fault to other ways.
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <map>
#include <numbers>
#include <optional>

#include "barelattice/formats/cad.hpp"
#include "barelattice/proof/making_check.hpp"
#include "barelattice/shapes/shape.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

constexpr double kMm = 1e-3;
constexpr double kPi = std::numbers::pi;

class FaultyParts : public ::testing::Test {
 protected:
  static constexpr double kFine = 0.5 * kMm;

  void SetUp() override {
    if (!cadAvailable()) GTEST_SKIP() << "built without barelattice-cad";
    const std::string command = std::string(BARELATTICE_MAKE_PARTS) + " " + folder_.string() + " faulty";
    ASSERT_EQ(std::system(command.c_str()), 0);
  }

  MakingFinding found(const std::string& part, const MakingRule& rule, MakingMeasure measure) {
    auto& surface = surfaces_[part];
    if (!surface) surface = readStep(folder_ / (part + ".step")).solids.front().surface;
    Regions regions;
    regions.space = makeBox(Vec3::Constant(-0.2), Vec3::Constant(0.2));
    for (const MakingFinding& finding : measureMaking(*surface, {rule}, regions, {kFine, 0.25 * kMm}))
      if (finding.measure == measure) return finding;
    ADD_FAILURE() << part << ": not measured";
    return {};
  }
  double value(const std::string& part, const MakingRule& rule, MakingMeasure measure) {
    return found(part, rule, measure).value.value_or(0);
  }
  void expectFault(const std::string& part, const MakingRule& rule, MakingMeasure measure, double size,
                   double slack, const Vec3& at) {
    SCOPED_TRACE(part);
    const MakingFinding finding = found(part, rule, measure);
    EXPECT_NEAR(finding.value.value_or(0), size, slack * size);
    EXPECT_LT((finding.at - kMm * at).norm(), 16 * kMm) << finding.at.transpose();
    if (finding.bound) {
      EXPECT_FALSE(finding.holds);
    }
  }

  const std::filesystem::path folder_ = ownFolder();
  std::map<std::string, std::optional<TriangleMesh>> surfaces_;
};

TEST_F(FaultyParts, areFound) {
  const Vec3 x = Vec3::UnitX(), z = Vec3::UnitZ();
  const double mm2 = kMm * kMm;
  const double mm3 = mm2 * kMm;
  const Casting cast{z, Casting::Parting::free};
  expectFault("undercut", cast, MakingMeasure::unreachable, 2 * kPi * 4 * 30 * mm2, 0.05, {20, 15, 10});
  const Casting leaning{z, Casting::Parting::back, 0, 0.05};
  // Of upright walls what lies deep enough below the rim for the tolerance to show.
  expectFault("upright", leaning, MakingMeasure::withoutDraft, 140 * 15 * mm2, 0.06, {0, 15, 8});
  const Printing print{z};
  expectFault("hanging", print, MakingMeasure::unsupported, 20 * 30 * mm2, 0.06, {50, 15, 12});
  expectFault("hanging", print, MakingMeasure::supports, 20 * 30 * 12 * mm3, 0.06, {50, 15, 12});
  expectFault("thin", Walls{4 * kMm}, MakingMeasure::thinnestWall, 2 * kMm, 0.03, {19, 15, 12});
  expectFault("narrow", Walls{3 * kMm}, MakingMeasure::narrowestGap, 1.5 * kMm, 0.03, {18.75, 15, 12});
  expectFault("lopsided", MirrorPlane{x, 0.02}, MakingMeasure::asymmetry, 6 * kMm, 0.08, {33, 15, 26});
  expectFault("stepped", ConstantSection{x}, MakingMeasure::asymmetry, 5 * kMm, 0.08, {17, 15, 25});
  const Tool tool{8 * kMm, 0, 0, 0, 0};
  const Milling mill{{z, -z}, tool};
  // Eight strips of wall by the corners of the pocket.
  const double strip = 4 - std::sqrt(16 - 3.5 * 3.5);
  EXPECT_NEAR(value("square_pocket", mill, MakingMeasure::unreachable), 8 * strip * 12 * mm2, 40 * mm2);
  const double ball = 4 * kPi / 3 * 343 * mm3;
  expectFault("closed", OpenVoids{}, MakingMeasure::enclosedVoid, ball, 0.03, {20, 15, 10});
  expectFault("bottle", OpenVoids{5 * kMm}, MakingMeasure::enclosedVoid, ball, 0.2, {20, 15, 10});
}

TEST_F(FaultyParts, areFaultyInOneWayOnly) {
  const Vec3 x = Vec3::UnitX(), y = Vec3::UnitY(), z = Vec3::UnitZ();
  for (const char* part : {"upright", "thin", "narrow", "lopsided", "stepped", "square_pocket", "bottle"}) {
    SCOPED_TRACE(part);
    EXPECT_TRUE(found(part, Printing{z}, MakingMeasure::enclosedVoid).holds);
    EXPECT_TRUE(found(part, OpenVoids{2 * kMm}, MakingMeasure::enclosedVoid).holds);
    EXPECT_TRUE(found(part, MirrorPlane{y, 0.015}, MakingMeasure::asymmetry).holds);
  }
  for (const char* part : {"upright", "thin", "narrow", "lopsided", "stepped", "square_pocket"}) {
    SCOPED_TRACE(part);
    EXPECT_TRUE(found(part, Casting{z, Casting::Parting::free}, MakingMeasure::unreachable).holds);
  }
  EXPECT_TRUE(found("undercut", ConstantSection{y}, MakingMeasure::asymmetry).holds);
  EXPECT_TRUE(found("stepped", ConstantSection{y}, MakingMeasure::asymmetry).holds);
  EXPECT_TRUE(found("hanging", Printing{-z}, MakingMeasure::unsupported).holds);
  EXPECT_TRUE(found("undercut", Milling{{y, -y}, {7 * kMm, 0, 0, 0, 0}}, MakingMeasure::unreachable).holds);
  EXPECT_TRUE(found("undercut", MirrorPlane{x, 0.02}, MakingMeasure::asymmetry).holds);
}

}  // namespace
}  // namespace barelattice
