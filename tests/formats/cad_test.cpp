#include "barelattice/formats/cad.hpp"

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <numbers>
#include <regex>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/grid/domain.hpp"
#include "barelattice/shapes/dual_contour.hpp"
#include "barelattice/shapes/face.hpp"
#include "support/cad_answer.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using ::testing::HasSubstr;
constexpr double kPi = std::numbers::pi;

const std::filesystem::path kStep = BARELATTICE_EXAMPLES "/step";

class Cad : public ::testing::Test {
 protected:
  void SetUp() override {
    if (!cadAvailable()) GTEST_SKIP() << "built without barelattice-cad";
  }
};

/// An answer of the reader: a tetrahedron whose first face is given.
std::string answer(const std::string& face,
                   const std::string& triangles = "0,2,1,0,0,1,3,1,0,3,2,1,1,2,3,1") {
  return cadAnswer(
      R"({"solids":[{"volume":0.1666,"deviation":0.001,"vertices":[0,0,0,1,0,0,0,1,0,0,0,1],"triangles":[)" +
      triangles + R"(],"faces":[)" + face +
      R"(,{"kind":"freeform","area":1.9,"centre":[0.3,0.3,0.3],"adjacent":[0]}]}]})");
}

TEST(CadAnswer, isCheckedBeforeItIsBelieved) {
  const std::string plane =
      R"({"kind":"plane","origin":[0,0,0],"axis":[0,0,-1],"area":0.5,"centre":[0.3,0.3,0],"adjacent":[1]})";
  const CadModel model = parseCadModel(answer(plane), "a.step");
  EXPECT_EQ(model.solids.front().faces.size(), 2U);
  EXPECT_LT(makeCadShape(model.solids.front())->distance({0.1, 0.1, 0.1}), 0);
  const auto round = [](const char* axis, const char* radius) {
    return fmt::format(
        R"({{"kind":"cylinder","origin":[0,0,0],"axis":{},"from":[1,0,0],"radius":{},"sweep":1,)"
        R"("inward":false,"area":0.5,"centre":[0,0,0],"adjacent":[1]}})",
        axis, radius);
  };
  EXPECT_EQ(parseCadModel(answer(round("[0,0,1]", "2")), "a.step").solids.front().faces[0].patch.radius, 2);
  const auto refuses = [](const std::string& text, const char* what) {
    try {
      parseCadModel(text, "a.step");
      ADD_FAILURE() << what;
    } catch (const InputError& error) {
      EXPECT_THAT(error.what(), HasSubstr(what));
    }
  };
  refuses("", "half an answer");
  refuses(answer(plane).substr(0, 100), "half an answer");
  refuses(answer(plane) + "more", "half an answer");
  refuses("\x9b\xff\xff\xff\xff\xff\xff\xff\xff", "half an answer");  // an array longer than memory
  refuses(cadAnswer(R"({"solids":7})"), "odd answer");
  refuses(cadAnswer(R"({"solids":[]})"), "holds no solid");
  refuses(cadAnswer(R"({"error":"is damaged"})"), "a.step is damaged");
  refuses(answer(round("[0,0,0]", "2")), "no radius or no axis");
  refuses(answer(round("[0,0,1]", "-2")), "no radius or no axis");
  refuses(answer(round("[0,0]", "2")), "odd answer");
  refuses(answer(plane, "0,2,9,0"), "a vertex that is not there");
  refuses(answer(plane, "0,2,1,5"), "a face that is not there");
  std::string beside = plane;
  refuses(answer(beside.replace(beside.find("[1]"), 3, "[4]")), "meets one that is not there");
  refuses(answer(plane, "0,2,1"), "half a vertex or triangle");
  for (const char* odd : {"[]", "{}", R"({"solids":[{}]})", R"({"error":7})"})
    EXPECT_THROW(parseCadModel(cadAnswer(odd), "a.step"), InputError) << odd;
}

TEST_F(Cad, readsSolidsWithTheirNamesAndUnits) {
  const CadModel model = readStep(kStep / "rigger.step");
  ASSERT_EQ(model.solids.size(), 2U);
  EXPECT_EQ(model.solids[0].name, "package space");
  EXPECT_EQ(model.solids[1].name, "oar sweep");
  EXPECT_THAT(model.unit, HasSubstr("milli"));
  // A disc of radius 140 and height 44: metres, whatever the file's unit.
  EXPECT_NEAR(model.solids[1].volume, kPi * 0.14 * 0.14 * 0.044, 1e-9);
  for (const CadSolid& solid : model.solids) {
    EXPECT_TRUE(solid.valid);
    EXPECT_EQ(inspectMesh(solid.surface).text(), "sound");
    EXPECT_NEAR(solid.surface.volume() / solid.volume, 1, 2e-3) << "triangles";
  }
}

/// Files a CAD system might leave, made for these tests.
class CadVariants : public Cad {
 protected:
  void SetUp() override {
    Cad::SetUp();
    const std::string command = std::string(BARELATTICE_MAKE_PARTS) + " " + kFolder.string() + " variants";
    ASSERT_EQ(std::system(command.c_str()), 0);
  }
  const std::filesystem::path kFolder = ownFolder();
};

TEST_F(CadVariants, everyProtocolAndUnitGivesTheSameBody) {
  const CadSolid wanted = readStep(kStep / "hub.step").solids.front();
  for (const auto& [file, schema, unit] :
       {std::array{"ap203_inch.step", "CONFIG_CONTROL_DESIGN", "inch"},
        std::array{"ap214_millimetre.step", "AUTOMOTIVE_DESIGN", "millimetre"},
        std::array{"ap242_metre.step", "AP242_MANAGED_MODEL_BASED_3D_ENGINEERING", "metre"}}) {
    EXPECT_THAT(readFile(kFolder / file).substr(0, 1000), HasSubstr(schema));
    const CadModel model = readStep(kFolder / file);
    EXPECT_EQ(model.unit, unit);
    ASSERT_EQ(model.solids.size(), 1U) << file;
    const CadSolid& hub = model.solids.front();
    EXPECT_EQ(hub.name, "hub");
    EXPECT_TRUE(hub.valid);
    EXPECT_NEAR(hub.volume / wanted.volume, 1, 1e-9) << file;
    EXPECT_NEAR((hub.surface.bounds().sizes() - wanted.surface.bounds().sizes()).norm(), 0, 1e-9) << file;
    ASSERT_EQ(hub.faces.size(), wanted.faces.size());
    std::vector<double> radii, wantedRadii;
    for (std::size_t f = 0; f < hub.faces.size(); ++f) {
      radii.push_back(hub.faces[f].patch.radius);
      wantedRadii.push_back(wanted.faces[f].patch.radius);
    }
    std::sort(radii.begin(), radii.end());
    std::sort(wantedRadii.begin(), wantedRadii.end());
    for (std::size_t f = 0; f < radii.size(); ++f) EXPECT_NEAR(radii[f], wantedRadii[f], 1e-9) << file;
  }
}

// A pin of radius 2 and length 10 along z: two in an assembly that is moved by 50 along y, a third turned
// about x by a quarter, which takes z to -y.
TEST_F(CadVariants, solidsOfAnAssemblyStandWhereItPlacesThem) {
  const CadModel model = readStep(kFolder / "assembly.step");
  const std::array<Box, 3> wanted{Box(1e-3 * Vec3(-2, 48, 0), 1e-3 * Vec3(2, 52, 10)),
                                  Box(1e-3 * Vec3(18, 48, 0), 1e-3 * Vec3(22, 52, 10)),
                                  Box(1e-3 * Vec3(-2, -10, -2), 1e-3 * Vec3(2, 0, 2))};
  ASSERT_EQ(model.solids.size(), wanted.size());
  for (std::size_t i = 0; i < wanted.size(); ++i) {
    const CadSolid& pin = model.solids[i];
    EXPECT_EQ(pin.name, "pin");
    EXPECT_NEAR(pin.volume / (kPi * 4e-6 * 10e-3), 1, 1e-9);
    const ShapePtr shape = makeCadShape(pin);
    const Vec3 centre = wanted[i].center();
    EXPECT_NEAR(shape->distance(centre), -2e-3, 1e-8) << i;
    for (int axis = 0; axis < 3; ++axis)
      for (const double side : {-1.0, 1.0}) {
        const Vec3 out = side * Vec3::Unit(axis);
        const Vec3 end = centre + 0.5 * wanted[i].sizes().cwiseProduct(out);
        EXPECT_NEAR(shape->distance(end + 1e-4 * out), 1e-4, 1e-6) << i << ' ' << axis << ' ' << side;
      }
  }
}

/// An assembly file whose assembly stands twice in another, and so on.
std::string doubled(const std::string& assembly, int levels) {
  const std::size_t end = assembly.rfind("ENDSEC;");
  std::string text = assembly.substr(0, end);
  int definition = 5, representation = 10;  // of the whole
  for (int level = 0; level < levels; ++level) {
    const int b = 100000 + 100 * level;
    text += fmt::format(
        "#{0}=PRODUCT('','','',(#8));#{1}=PRODUCT_DEFINITION_FORMATION('','',#{0});"
        "#{2}=PRODUCT_DEFINITION('design','',#{1},#9);#{3}=PRODUCT_DEFINITION_SHAPE('','',#{2});"
        "#{4}=SHAPE_REPRESENTATION('',(#11,#{6},#{8}),#23);#{5}=SHAPE_DEFINITION_REPRESENTATION(#{3},#{4});"
        "#{6}=AXIS2_PLACEMENT_3D('',#{7},#13,#14);#{7}=CARTESIAN_POINT('',(0.,0.,0.));"
        "#{8}=AXIS2_PLACEMENT_3D('',#{9},#13,#14);#{9}=CARTESIAN_POINT('',({10:.1f},0.,0.));\n",
        b, b + 1, b + 2, b + 3, b + 4, b + 5, b + 6, b + 7, b + 8, b + 9, 100 * std::pow(2, level));
    for (const auto& [c, place] : {std::pair{b + 10, b + 6}, {b + 20, b + 8}})
      text += fmt::format(
          "#{0}=ITEM_DEFINED_TRANSFORMATION('','',#11,#{5});"
          "#{1}=(REPRESENTATION_RELATIONSHIP('','',#{6},#{7})REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION("
          "#{0})SHAPE_REPRESENTATION_RELATIONSHIP());"
          "#{2}=NEXT_ASSEMBLY_USAGE_OCCURRENCE('{0}','','',#{8},#{9},$);"
          "#{3}=PRODUCT_DEFINITION_SHAPE('','',#{2});#{4}=CONTEXT_DEPENDENT_SHAPE_REPRESENTATION(#{1},#{3});"
          "\n",
          c, c + 1, c + 2, c + 3, c + 4, place, representation, b + 4, b + 2, definition);
    definition = b + 2;
    representation = b + 4;
  }
  return text + assembly.substr(end);
}

// A few kilobytes that stand for three billion pins are refused at once, not after the time a reader has.
TEST_F(CadVariants, assembliesOfAssembliesAreBounded) {
  const std::string assembly = readFile(kFolder / "assembly.step");
  const std::filesystem::path path = kFolder / "doubled.step";
  writeFile(path, doubled(assembly, 3));
  EXPECT_EQ(readStep(path).solids.size(), 3U * 8);
  writeFile(path, doubled(assembly, 30));
  CadLimits limits;
  limits.seconds = 20;
  try {
    readStep(path, 0, limits);
    FAIL();
  } catch (const InputError& error) {
    EXPECT_THAT(error.what(), HasSubstr("stands for more than 10000 solids"));
  }
}

TEST_F(CadVariants, aFileWithoutASolidIsRefused) {
  try {
    readStep(kFolder / "loose.step");
    FAIL() << "was read";
  } catch (const InputError& error) {
    EXPECT_THAT(error.what(), HasSubstr("holds no solid, only one face"));
    EXPECT_THAT(error.cure(), HasSubstr("closed solids"));
  }
}

TEST_F(Cad, tellsHolesFromBosses) {
  const CadSolid hub = readStep(kStep / "hub.step").solids.front();
  int bolts = 0, pockets = 0, bores = 0, rims = 0, cones = 0, tori = 0;
  for (const CadFace& face : hub.faces) {
    const Patch& p = face.patch;
    const auto is = [&](double mm) { return std::abs(p.radius - 1e-3 * mm) < 1e-9; };
    if (p.kind == Patch::Kind::cylinder) {
      bolts += p.isHole() && is(4.5);
      pockets += p.isHole() && is(18);
      bores += p.isHole() && is(20);
      rims += !p.isHole() && is(90);
      EXPECT_NEAR(std::abs(p.direction().z()), 1, 1e-9);
    }
    cones += p.kind == Patch::Kind::cone && p.isHole();
    tori += p.kind == Patch::Kind::torus;
    EXPECT_FALSE(face.adjacent.empty());
  }
  EXPECT_EQ(bolts, 6);
  EXPECT_EQ(pockets, 6);
  EXPECT_EQ(bores, 1);
  EXPECT_GE(rims, 1);
  EXPECT_EQ(cones, 1);
  EXPECT_EQ(tori, 1);
}

// The bore of the conventional arm: radius 8 mm about (16, y, 30), 20 mm long.
TEST_F(Cad, distancesAreThoseToTheExactFaces) {
  const CadSolid solid = readStep(kStep / "arm.step").solids.front();
  const ShapePtr arm = makeCadShape(solid);
  EXPECT_GT(solid.deviation, 3e-5) << "the triangles alone are this coarse";
  for (int i = 0; i < 360; ++i) {
    const double turn = i * kPi / 180;
    const Vec3 radial(std::cos(turn), 0, std::sin(turn));
    const Vec3 axis(0.016, 0.010, 0.030);
    for (const double r : {0.0078, 0.008, 0.0082})
      EXPECT_NEAR(arm->distance(axis + r * radial), 0.008 - r, 3e-6)
          << "at " << i << " degrees, radius " << r;
  }
}

// The rim of the hub (radius 90 about z, ends at 0) is convex, the corner at the floor of a pocket (radius 18
// about (60, 0) turned by 30 degrees, floor at 8) concave. Triangles cut across both.
TEST_F(Cad, edgesAreThoseOfTheExactFaces) {
  const CadSolid solid = readStep(kStep / "hub.step").solids.front();
  const ShapePtr hub = makeCadShape(solid);
  ASSERT_GT(solid.deviation, 5e-5) << "the triangles alone are this coarse";
  for (int i = 0; i < 720; ++i) {
    const double turn = kPi * i / 360;
    const Vec3 out(std::cos(turn), std::sin(turn), 0);
    for (const double a : {-2e-4, 2e-5, 3e-4})
      for (const double b : {-2e-4, 2e-5, 3e-4}) {
        const double wedge = a > 0 && b > 0 ? std::hypot(a, b) : std::max(a, b);
        EXPECT_NEAR(hub->distance((0.09 + a) * out - b * Vec3::UnitZ()), wedge, 2e-6)
            << i << ' ' << a << ' ' << b;
        const Vec3 axis(0.06 * std::cos(kPi / 6), 0.06 * std::sin(kPi / 6), 0.008);
        EXPECT_NEAR(hub->distance(axis + (0.018 + a) * out - b * Vec3::UnitZ()), -wedge, 2e-6)
            << i << ' ' << a << ' ' << b;
      }
  }
}

// Steiner's formula for a disc of radius r and height h grown by d: V + A d + (pi h + pi^2 r) d^2 + 4/3 pi
// d^3. With edges that stay sharp it would be 0.8 % more.
TEST_F(Cad, bodiesGrowWithRoundEdges) {
  const ShapePtr disc = makeCadShape(readStep(kStep / "rigger.step").solids.at(1));
  const double r = 0.14, h = 0.044, d = 0.01;
  const double wanted = kPi * r * r * h + 2 * kPi * r * (h + r) * d + (kPi * h + kPi * kPi * r) * d * d +
                        4 * kPi / 3 * d * d * d;
  EXPECT_NEAR(dualContour(*disc->offset(d), 0.003).volume() / wanted, 1, 1e-3);
  const double shrunk = kPi * (r - d) * (r - d) * (h - 2 * d);
  EXPECT_NEAR(dualContour(*disc->offset(-d), 0.003).volume() / shrunk, 1, 1e-3);
}

TEST_F(Cad, facesHaveTheAreaOfTheKernelAndTheirOwnExtent) {
  const CadSolid solid = readStep(kStep / "rigger.step").solids.front();
  const ShapePtr space = makeCadShape(solid);
  FaceSelector bolts;
  bolts.kind = Patch::Kind::cylinder;
  bolts.radius = 0.005;
  bolts.count = 3;
  const Face face = selectFace(*space, bolts, 6e-4);
  EXPECT_NEAR(face.area(), 3 * 2 * kPi * 0.005 * 0.010, 0.01 * face.area());
  for (const SurfacePoint& p : face.points) EXPECT_LT(std::abs(space->distance(p.position)), 1e-6);
  FaceSelector end;
  end.direction = Vec3::UnitX();
  end.within = Box(Vec3(0.29, -0.1, 0), Vec3(0.31, 0.1, 0.2));
  EXPECT_NEAR(selectFace(*space, end, 1e-3).area(), 0.120 * 0.056, 1e-2 * 0.120 * 0.056);
}

TEST_F(Cad, volumesOfVoxelsMatchTheKernel) {
  for (const char* file : {"rigger.step", "hub.step", "arm.step"}) {
    const CadSolid solid = readStep(kStep / file).solids.front();
    Regions regions;
    regions.space = makeCadShape(solid);
    const double voxel = regions.bounds().sizes().maxCoeff() / 100;
    EXPECT_NEAR(sampleRegions<3>(regions, voxel).volume() / solid.volume, 1, 1e-3) << file;
  }
}

TEST_F(Cad, namesWhatIsWrong) {
  const std::filesystem::path folder = ownFolder();
  const std::string good = readFile(kStep / "rigger.step");
  const auto says = [&](const std::string& bytes, const char* words) {
    writeFile(folder / "bad.step", bytes);
    try {
      readStep(folder / "bad.step");
      ADD_FAILURE() << words << ": was read";
    } catch (const InputError& error) {
      EXPECT_THAT(error.what(), HasSubstr(words));
    }
  };
  says("solid x\n", "is not a STEP file");
  says(good.substr(0, good.find("ENDSEC")), "");
  says(good.substr(0, good.size() / 2), "");
  says("ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n", "can read");
  EXPECT_THROW(readStep(folder / "missing.step"), InputError);
}

// Faults a STEP file may hold; without mending each changes the volume of one of the bodies.
TEST_F(Cad, mendsWhatHasOneAnswer) {
  const std::string good = readFile(kStep / "rigger.step");
  const CadModel wanted = readStep(kStep / "rigger.step");
  const auto expectMended = [&](const std::string& bytes, const char* fault) {
    ASSERT_NE(bytes, good) << fault;
    const std::filesystem::path file = ownFolder() / "faulty.step";
    writeFile(file, bytes);
    const CadModel model = readStep(file);
    ASSERT_EQ(model.solids.size(), wanted.solids.size()) << fault;
    for (std::size_t i = 0; i < wanted.solids.size(); ++i) {
      EXPECT_TRUE(model.solids[i].valid) << fault;
      EXPECT_NEAR(model.solids[i].volume / wanted.solids[i].volume, 1, 1e-6) << fault << ", solid " << i;
      EXPECT_EQ(inspectMesh(model.solids[i].surface).text(), "sound") << fault;
    }
  };
  const std::regex bound(R"((FACE_BOUND\('',#\d+,)\.T\.)");
  const std::regex face(R"((ADVANCED_FACE\('',\([^)]*\),#\d+,)\.T\.)");
  const std::regex faceAgainst(R"((ADVANCED_FACE\('',\([^)]*\),#\d+,)\.F\.)");
  const std::regex loop(R"((EDGE_LOOP\('',\()(#\d+),(#\d+),)");
  constexpr auto kFirst = std::regex_constants::format_first_only;
  expectMended(std::regex_replace(good, bound, "$1.F.", kFirst), "a loop turned round");
  expectMended(std::regex_replace(good, face, "$1.F.", kFirst), "a face turned round");
  expectMended(std::regex_replace(good, loop, "$1$3,$2,", kFirst), "edges of a loop in the wrong order");
  std::string inward = std::regex_replace(good, face, "$1.t.");
  inward = std::regex_replace(inward, faceAgainst, "$1.T.");
  inward = std::regex_replace(inward, bound, "$1.F.");
  expectMended(std::regex_replace(inward, std::regex(R"(\.t\.)"), ".F."), "bodies turned inside out");
}

TEST_F(Cad, limitsWhatReadingMayCost) {
  CadLimits little;
  little.seconds = 1e-3;
  EXPECT_THROW(readStep(kStep / "hub.step", 0, little), InputError);
  // A deviation of a tenth of a nanometre asks for more triangles than memory holds.
  little.seconds = 60;
  little.bytes = 3e8;
  EXPECT_THROW(readStep(kStep / "hub.step", 1e-12, little), InputError);
}

TEST_F(Cad, saysWhenTheReaderIsMissing) {
  ::setenv("BARELATTICE_CAD", "/nowhere", 1);
  EXPECT_FALSE(cadAvailable());
  EXPECT_THROW(readStep(kStep / "hub.step"), RunError);
  ::unsetenv("BARELATTICE_CAD");
  EXPECT_TRUE(cadAvailable());
}

}  // namespace
}  // namespace barelattice
