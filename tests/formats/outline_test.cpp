// Outlines from drawings and CAD faces.

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "barelattice/base/error.hpp"
#include "barelattice/formats/outline_files.hpp"
#include "barelattice/shapes/face.hpp"

namespace barelattice {
namespace {

using ::testing::HasSubstr;
constexpr double kPi = std::numbers::pi;

std::string drawing(const std::string& content,
                    const std::string& size = R"(width="40mm" viewBox="0 0 40 30")") {
  return "<svg xmlns=\"http://www.w3.org/2000/svg\" " + size + ">" + content + "</svg>";
}

ShapePtr prism(const PlaneOutline& outline, double height) {
  return makeExtrusion({.outline = outline.outer, .to = height, .holes = outline.holes});
}

/// Area in mm2, by the lengths of the rows of a fine raster that lie inside.
double area(const PlaneOutline& outline) {
  const ShapePtr shape = prism(outline, 1);
  const Box box = shape->bounds();
  constexpr int kRows = 400;
  const Vec3 step = Vec3::Constant(box.sizes().head<2>().maxCoeff() / kRows);
  double inside = 0;
  for (int j = 0; j < kRows; ++j)
    for (int i = 0; i < kRows; ++i) {
      Vec3 p = box.min() + step.cwiseProduct(Vec3(i + 0.5, j + 0.5, 0));
      p.z() = 0.5;
      // The share of a small square on one side of a smooth edge follows from the distance of its centre.
      inside += std::clamp(0.5 - shape->distance(p) / step.x(), 0.0, 1.0);
    }
  return inside * step.x() * step.y() * 1e6;
}

PlaneOutline parsed(const std::string& content) {
  return parseSvgOutline(drawing(content), "plate.svg", "", std::nullopt);
}

TEST(SvgOutline, keepsLinesAndCircularArcs) {
  // A stadium 20 long between centres, 10 high, with a hole of radius 2 drawn as two arcs.
  const PlaneOutline outline = parsed(
      "<path d='M10 5 h20 a5 5 0 0 1 0 10 H10 A5,5 0 0 1 10 5z M28 10 a2 2 0 1 0 4 0 a2 2 0 10-4 0Z'/>");
  ASSERT_EQ(outline.holes.size(), 1U);
  EXPECT_NEAR(area(outline), 200 + 25 * kPi - 4 * kPi, 0.3);
  std::vector<Patch> patches;
  prism(outline, 0.01)->appendPatches(patches);
  std::vector<double> radii;
  for (const Patch& patch : patches)
    if (patch.kind == Patch::Kind::cylinder) radii.push_back(patch.radius * 1e3);
  EXPECT_THAT(
      radii, ::testing::UnorderedElementsAre(::testing::DoubleNear(5, 1e-9), ::testing::DoubleNear(5, 1e-9),
                                             ::testing::DoubleNear(2, 1e-9), ::testing::DoubleNear(2, 1e-9)));
  // The drawing's y points down.
  EXPECT_LT(prism(outline, 1)->distance({0.02, -0.008, 0.5}), 0);
}

TEST(SvgOutline, curvesStayWithinTheirTolerance) {
  // A circle of radius 10 by four cubic curves, which leave it by 0.027 % at most; an ellipse by two arcs.
  const double k = 4.0 / 3 * (std::sqrt(2.0) - 1) * 10;
  const std::string circle =
      fmt::format("<path d='M10 0 C10 {0} {0} 10 0 10 S-10 {0} -10 0 S-{0} -10 0 -10 S10 -{0} 10 0Z'/>", k);
  const PlaneOutline round = parsed(circle);
  for (const OutlineCorner& corner : round.outer) EXPECT_NEAR(corner.point.norm(), 0.01, 3e-6);
  EXPECT_NEAR(area(round), 100 * kPi, 0.3);
  EXPECT_GT(round.outer.size(), 60U);
  EXPECT_LT(round.outer.size(), 600U);
  EXPECT_NEAR(area(parsed("<path d='M0 0 A8 4 30 0 1 6 6 A8 4 30 1 1 0 0'/>")), 32 * kPi, 0.2);
  // Radii too small for their ends grow until they reach (SVG 1.1, F.6.6): a half circle of radius 5.
  EXPECT_NEAR(area(parsed("<path d='M0 0 A1 1 0 0 1 10 0 Z'/>")), 12.5 * kPi, 0.2);
  // The parabola through (0, 0), (5, 5) and (10, 0) over its chord, then the same again mirrored by T.
  EXPECT_NEAR(area(parsed("<path d='M0 0 Q5 10 10 0 T20 0 V-20 H0Z'/>")), 400, 0.5);
}

TEST(SvgOutline, curvesAreOneFaceEach) {
  const auto faces = [](const std::string& content) {
    std::vector<Patch> patches;
    const ShapePtr body = prism(parsed(content), 0.01);
    body->appendPatches(patches);
    std::vector<double> areas;
    for (const Patch& patch : patches) {
      if (patch.kind != Patch::Kind::freeform) continue;
      double sum = 0;
      for (const SurfacePoint& p : patch.sample(1e-3)) {
        sum += p.area;
        EXPECT_NEAR(body->distance(p.position), 0, 1e-12);
        EXPECT_GT(body->distance(p.position + 1e-5 * p.normal), 0) << "the normal points out";
      }
      areas.push_back(sum * 1e6);
    }
    return areas;
  };
  // Round an ellipse of half axes 8 and 4 (Ramanujan 1914, to 1e-6 here), 10 thick; however it is drawn.
  const double h = std::pow(4.0 / 12, 2);
  const double whole = 10 * kPi * 12 * (1 + 3 * h / (10 + std::sqrt(4 - 3 * h)));
  const auto one = ::testing::ElementsAre(::testing::DoubleNear(whole, 1e-3 * whole));
  EXPECT_THAT(faces("<ellipse cx='3' cy='4' rx='8' ry='4'/>"), one);
  EXPECT_THAT(faces("<circle r='4' transform='rotate(20) scale(2 1)'/>"), one);
  EXPECT_THAT(faces("<path d='M8 0 A8 4 0 0 1 -8 0 A8 4 0 0 1 8 0Z'/>"), one);
  EXPECT_THAT(faces("<path d='M8 0 A8 4 0 0 0 -8 0 A8 4 0 0 0 8 0Z'/>"), one) << "the other sense";
  // Two halves with a line between them are two; so are two curves that meet at a corner.
  EXPECT_EQ(faces("<path d='M8 0 A8 4 0 0 1 -8 0 V-3 A8 4 0 0 1 8 -3Z'/>").size(), 2U);
  EXPECT_EQ(faces("<path d='M0 0 Q5 8 10 0 Q5 2 0 0'/>").size(), 2U);
  EXPECT_EQ(faces("<path d='M0 0 Q5 8 10 0 T20 0 V-20 H0Z'/>").size(), 1U);
}

TEST(SvgOutline, facesOfCurvesMoveAndHaveLayers) {
  const ShapePtr body = prism(parsed("<ellipse rx='8' ry='4'/>"), 0.01);
  std::vector<Patch> patches;
  body->appendPatches(patches);
  const auto curve = std::find_if(patches.begin(), patches.end(),
                                  [](const Patch& p) { return p.kind == Patch::Kind::freeform; });
  ASSERT_NE(curve, patches.end());
  for (const double by : {1e-3, -1.5e-3}) {
    const std::optional<Patch> moved = curve->moved(by);
    ASSERT_TRUE(moved);
    // Steiner: the perimeter changes by a full turn of the way.
    EXPECT_NEAR(moved->net->area, curve->net->area + 2 * kPi * by * 0.01, 1e-3 * curve->net->area);
    for (const SurfacePoint& p : moved->sample(1e-3)) {
      if (std::abs(p.position.z() - 5e-3) < 3e-3) {  // where the ends are further away
        EXPECT_NEAR(body->distance(p.position), by, 2e-3 * std::abs(by));
      }
    }
  }
  EXPECT_FALSE(curve->moved(-3e-3)) << "the sharp ends have a radius of 2";
  const ShapePtr layer = makeIntersection({body, makeLayer(body, *curve, 1e-3)});
  EXPECT_LT(layer->distance({7.5e-3, 0, 5e-3}), 0);
  EXPECT_GT(layer->distance({6.5e-3, 0, 5e-3}), 0);
}

TEST(SvgOutline, followsTransformsAndUnits) {
  const std::string turned =
      "<g transform='translate(3,4) rotate(30)'><rect transform='scale(2)' x='1' y='0' "
      "width='3' height='2'/></g>";
  const PlaneOutline outline = parsed(turned);
  EXPECT_NEAR(area(outline), 24, 0.1);
  const double c = std::cos(kPi / 6), s = std::sin(kPi / 6);
  EXPECT_NEAR((outline.outer.back().point - Eigen::Vector2d(3 + 2 * c, -4 - 2 * s) * 1e-3).norm(), 0, 1e-12);
  // A quarter turn, twice as large, moved by (5, 6): x' = -2 y + 5, y' = 2 x + 6, y down.
  const PlaneOutline mapped =
      parsed("<rect transform='matrix(0 2 -2 0 5 6)' x='1' y='0' width='3' height='2'/>");
  EXPECT_NEAR(area(mapped), 24, 0.1);
  for (const OutlineCorner& corner : mapped.outer) {
    EXPECT_GE(corner.point.x(), 1e-3 - 1e-12);
    EXPECT_LE(corner.point.x(), 5e-3 + 1e-12);
    EXPECT_GE(corner.point.y(), -14e-3 - 1e-12);
    EXPECT_LE(corner.point.y(), -8e-3 + 1e-12);
  }
  const auto radius = [](const std::string& size, std::optional<double> unit) {
    const PlaneOutline circle =
        parseSvgOutline(drawing("<circle cx='0' cy='0' r='2'/>", size), "c.svg", "", unit);
    return circle.outer.front().point.norm();
  };
  EXPECT_NEAR(radius("width='2in' viewBox='0 0 4 4'", std::nullopt), 0.0254, 1e-12);
  EXPECT_NEAR(radius("width='2in' viewBox='0 0 4 4'", 1e-3), 2e-3, 1e-12) << "what is given wins";
}

TEST(Extrusion, refusesAHoleWithinAHole) {
  const std::string rings = "<path d='M0 0 H40 V40 H0Z M5 5 H35 V35 H5Z M10 10 H30 V30 H10Z'/>";
  try {
    prism(parsed(rings), 0.01);
    FAIL() << "an island is no hole";
  } catch (const InputError& error) {
    EXPECT_THAT(error.what(), HasSubstr("a hole lies inside another hole"));
  }
  EXPECT_NO_THROW(prism(parsed("<path d='M0 0 H40 V40 H0Z M5 5 H15 V35 H5Z M20 10 H30 V30 H20Z'/>"), 0.01));
}

TEST(SvgOutline, choosesByIdAndRefusesWhatItCannotRead) {
  const std::string two = drawing("<path id='a' d='M0 0H4V4Z'/><polygon id='b' points='0,0 9,0 9,9'/>");
  EXPECT_NEAR(area(parseSvgOutline(two, "two.svg", "b", std::nullopt)), 40.5, 0.3);
  const auto refuses = [](const std::string& text, const std::string& id, const char* what) {
    try {
      parseSvgOutline(text, "bad.svg", id, std::nullopt);
      ADD_FAILURE() << what;
    } catch (const InputError& error) {
      EXPECT_THAT(error.what() + (" | " + error.cure()), HasSubstr(what));
    }
  };
  refuses(two, "", "2 outlines | choose one by its id with 'path': \"a\", \"b\"");
  refuses(two, "c", "no outline \"c\" | it has \"a\", \"b\"");
  refuses("<html/>", "", "is not an SVG drawing");
  refuses(two.substr(0, 60), "", "is not an SVG drawing");
  refuses(drawing("<text>x</text>"), "", "holds no path");
  refuses(drawing("<path d='M0 0H4V4Z'/>", "width='40'"), "", "does not say how large it is");
  refuses(drawing("<path d='M0 0H4V4Z'/>", "width='40mm'"), "", "no viewBox");
  refuses(drawing("<path d='M0 0H4V4Z'/>", "width='40mm' viewBox='0 0 0 9'"), "",
          "viewBox is not above zero");
  refuses(drawing("<path d='M0 0 L4'/>"), "", "a number is expected");
  refuses(drawing("<path d='M0 0 R4 4'/>"), "", "no command 'R'");
  refuses(drawing("<path d='4 4 5 5'/>"), "", "begins with a command");
  refuses(drawing("<path d=''/>"), "", "there is no outline");
  refuses(drawing("<rect width='4' height='4' rx='1'/>"), "", "round corners");
  refuses(drawing("<circle r='0'/>"), "", "radius above zero");
  refuses(drawing("<circle r='2' transform='skewX(4)'/>"), "", "'skewX' is not read");
  refuses(drawing("<circle r='2' transform='scale 2'/>"), "", "should read name(numbers)");
  refuses(drawing("<circle r='2' transform='scale(2'/>"), "", "misses its closing bracket");
  refuses(drawing("<circle r='2' transform='scale(1 2 3)'/>"), "", "'scale' has 3 numbers");
  refuses(drawing("<path d='M0 0 A4 4 0 2 1 8 0 V4Z'/>"), "", "an arc's flag should be 0 or 1");
  std::string deep = "<circle r='2'/>";
  for (int level = 0; level < 120; ++level) deep = "<g>" + deep + "</g>";
  refuses(drawing(deep), "", "nested too deeply");
}

class CadOutline : public ::testing::Test {
 protected:
  void SetUp() override {
    if (!cadAvailable()) GTEST_SKIP() << "built without barelattice-cad";
  }
};

TEST_F(CadOutline, hasTheAreaOfItsFaceAndItsArcs) {
  const CadModel model = readStep(BARELATTICE_EXAMPLES "/step/hub.step");
  const CadSolid& hub = model.solids.front();
  int planes = 0;
  int round = 0;
  for (std::size_t f = 0; f < hub.faces.size(); ++f) {
    if (hub.faces[f].patch.kind != Patch::Kind::plane) {
      EXPECT_THROW(outlineOf(hub, f), InputError);
      continue;
    }
    ++planes;
    const PlaneOutline outline = outlineOf(hub, f);
    EXPECT_NEAR(area(outline), hub.faces[f].area() * 1e6, 2e-3 * hub.faces[f].area() * 1e6)
        << "face " << f + 1;
    for (const OutlineCorner& corner : outline.outer) round += corner.through.has_value();
  }
  EXPECT_GE(planes, 3);
  EXPECT_GE(round, 4);
}

}  // namespace
}  // namespace barelattice
