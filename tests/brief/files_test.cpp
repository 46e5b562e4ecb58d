// Shapes and faces from files, as a brief names them.

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cstdlib>
#include <nlohmann/json.hpp>

#include "barelattice/base/file.hpp"
#include "barelattice/formats/mesh_files.hpp"
#include "barelattice/prepare/inspect.hpp"
#include "barelattice/prepare/job.hpp"
#include "support/cad_answer.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using ::testing::Contains;
using ::testing::HasSubstr;
using ::testing::Not;
namespace fs = std::filesystem;

const fs::path kStep = BARELATTICE_EXAMPLES "/step";

class FromFiles : public ::testing::Test {
 protected:
  void SetUp() override {
    if (!cadAvailable()) GTEST_SKIP() << "built without barelattice-cad";
  }
  /// The brief of an example with one passage changed.
  static Brief changed(const char* file, const std::string& from, const std::string& to) {
    std::string text = readFile(kStep / file);
    const std::size_t at = text.find(from);
    EXPECT_NE(at, std::string::npos) << from;
    return parseBrief(text.replace(at, from.size(), to), kStep / file);
  }
  static void refuses(const char* file, const std::string& from, const std::string& to, const char* what) {
    try {
      prepare(changed(file, from, to));
      ADD_FAILURE() << to << " was taken";
    } catch (const BriefError& error) {
      EXPECT_THAT(error.what() + (" | " + error.cure()), HasSubstr(what));
      EXPECT_GT(error.place().line, 0) << error.what();
    }
  }
};

TEST_F(FromFiles, theExampleBriefsCanBeRun) {
  const Job rigger = prepare(readBrief(kStep / "rigger.toml"));
  EXPECT_EQ(rigger.face("bolts").patches.size(), 3U);
  EXPECT_NEAR(rigger.spaceMass, 8.706, 0.02);
  const Job arm = prepare(readBrief(kStep / "arm.toml"));
  EXPECT_NEAR(arm.face("beat").area(), 20e-3 * 20e-3, 0.01 * 4e-4);
}

TEST_F(FromFiles, facesAreChosenByTheirNeighboursAreaAndPlace) {
  const auto area = [](const Job& job) { return job.face("beat").area(); };
  const std::string within =
      R"(within = { from = ["119 mm", "-1 mm", "0 mm"], to = ["121 mm", "21 mm", "60 mm"] })";
  EXPECT_NEAR(area(prepare(changed("arm.toml", within, R"(area = ["350 mm2", "450 mm2"])"))), 4e-4, 4e-6);
  // The end of the arm meets its upper flank, which faces up and outward.
  const std::string face = R"(beat = { of = "arm", kind = "plane", facing = "+x", )" + within + " }";
  const Job job = prepare(changed("arm.toml", face,
                                  R"(flank = { of = "arm", kind = "plane", facing = [0.0767, 0, 0.997] }
beat = { of = "arm", kind = "plane", facing = "+x", beside = "flank" })"));
  EXPECT_NEAR(area(job), 4e-4, 4e-6);
}

TEST_F(FromFiles, aFaceIsChosenBesideSeveralOthers) {
  // The end of the arm between its two sides.
  const std::string within =
      R"(within = { from = ["119 mm", "-1 mm", "0 mm"], to = ["121 mm", "21 mm", "60 mm"] })";
  const std::string face = R"(beat = { of = "arm", kind = "plane", facing = "+x", )" + within + " }";
  const Job job = prepare(changed("arm.toml", face,
                                  R"(upper = { of = "arm", kind = "plane", facing = [0.0767, 0, 0.997] }
lower = { of = "arm", kind = "plane", facing = [0.0767, 0, -0.997] }
beat = { of = "arm", kind = "plane", facing = "+x", beside = ["upper", "lower"] })"));
  EXPECT_NEAR(job.face("beat").area(), 4e-4, 4e-6);
}

TEST_F(FromFiles, wrongChoicesFailLoudly) {
  refuses("rigger.toml", "count = 3", "count = 2", "3 pieces of surface fit, but count is 2");
  refuses("rigger.toml", R"(radius = "5 mm")", R"(radius = "6 mm")", "catches no surface");
  refuses("rigger.toml", R"(radius = "5 mm")", R"(radius = ["6 mm", "5 mm"])",
          "smaller end of its range first");
  refuses("arm.toml", R"(from = ["119 mm")", R"(from = ["129 mm")", "needs its lowest corner first");
  refuses("arm.toml", R"(kind = "plane", facing = "+x")", R"(kind = "plane", beside = "tip", facing = "+x")",
          "unknown face \"tip\"");
  refuses("arm.toml", R"(kind = "plane", facing = "+x")", R"(kind = "plane", beside = "beat", facing = "+x")",
          "is chosen by faces that are chosen by it");
}

TEST_F(FromFiles, wrongFilesAndSolidsAreNamed) {
  refuses("rigger.toml", R"(solid = "package space")", R"(solid = "package spade")",
          "did you mean \"package space\"?");
  refuses("rigger.toml", R"(solid = "package space")", "solid = 3", "'solid' is 3, but rigger.step holds 2");
  refuses("rigger.toml", R"(, solid = "package space")", "", "say which: solid = a number from 1");
  refuses("rigger.toml", R"("rigger.step", solid = "p)", R"("rigger.toml", solid = "p)",
          "is not a STEP file");
  refuses("rigger.toml", R"("rigger.step", solid = "p)", R"("none.step", solid = "p)", "none.step");
  refuses("hub.toml", "36 mm", "3 mm", "no round hole of up to 3 mm");
  refuses("arm.toml", R"(along = [["0 mm", "36 mm", "0 mm"]])", "along = []", "leads nowhere");
  refuses("arm.toml", R"(along = [["0 mm", "36 mm", "0 mm"]])", R"(axis = "x")",
          "needs one of 'along' and 'angle'");
}

TEST_F(FromFiles, whatIsMendedIsSaid) {
  const fs::path folder = ownFolder();
  TriangleMesh mesh;
  for (int v = 0; v < 8; ++v)
    mesh.vertices.emplace_back(0.06 * (v & 1), 0.02 * (v >> 1 & 1), 0.02 * (v >> 2));
  mesh.triangles = {{0, 2, 3}, {0, 3, 1}, {4, 5, 7}, {4, 7, 6}, {0, 1, 5}, {0, 5, 4}, {2, 6, 7},
                    {2, 7, 3}, {0, 4, 6}, {0, 6, 2}, {1, 3, 7}, {1, 7, 5}, {1, 7, 5}};
  for (const MeshFormat format : {MeshFormat::obj, MeshFormat::ply}) {
    const std::string name = "bar." + meshFormatNames()[static_cast<std::size_t>(format)];
    writeMesh(folder / name, mesh, format);
    const Brief brief = parseBrief(R"(voxel = "2 mm"
[material]
use = "steel"
[shapes]
bar = { mesh = { file = ")" + name + R"(" } }
[design]
space = "bar"
[faces]
root = { of = "bar", kind = "plane", facing = "-x" }
tip = { of = "bar", kind = "plane", facing = "+x" }
[supports]
root = { face = "root" }
[loads]
push = { face = "tip", force = ["0 N", "0 N", "-1 kN"] }
[cases]
down = { loads = { push = 1.0 } }
[target]
mass_fraction = 0.5
[making]
smallest_member = "6 mm"
)",
                                   folder / "bar.toml");
    EXPECT_THAT(brief.notes, Contains(HasSubstr("[shapes.bar] " + name + ": 1 duplicate triangle dropped")));
    EXPECT_NEAR(prepare(brief).spaceMass, 0.06 * 0.02 * 0.02 * 7850, 1e-6);
  }
}

TEST_F(FromFiles, outlinesComeFromPlaneFaces) {
  const auto brief = [](const std::string& outline) {
    return parseBrief(R"(voxel = "2 mm"
sheet = { thickness = "5 mm" }
[material]
use = "steel"
[shapes]
plate = { outline = { )" + outline +
                          R"( } }
[design]
space = "plate"
[faces]
bore = { of = "plate", kind = "round", side = "hole", radius = "8 mm" }
[supports]
bore = { face = "bore" }
[loads]
push = { face = "bore", force = ["1 N", "0 N"], backing = "0 mm" }
[cases]
down = { loads = { push = 1.0 } }
[target]
mass_fraction = 0.5
[making]
smallest_member = "6 mm"
)",
                      kStep / "test.toml");
  };
  const auto refuses = [&](const std::string& outline, const char* what) {
    try {
      brief(outline);
      ADD_FAILURE() << what;
    } catch (const BriefError& error) {
      EXPECT_THAT(error.what() + (" | " + error.cure()), HasSubstr(what));
    }
  };
  // The flank of the cast arm, with its bore: the arm is 20 thick, so the face's area follows from the file.
  const Job job =
      prepare(brief(R"(cad = "arm.step", solid = "arm", facing = "-y", near = ["16 mm", "0 mm", "30 mm"])"));
  double flank = 0;
  const CadModel model = readStep(kStep / "arm.step");
  for (const CadFace& face : model.solids.front().faces)
    if (face.patch.kind == Patch::Kind::plane && face.patch.direction().y() < -0.99 && face.centre.y() < 1e-6)
      flank = face.area();
  EXPECT_NEAR(job.spaceMass / (flank * 5e-3 * 7850), 1, 2e-3);
  refuses(R"(cad = "arm.step", solid = "arm", facing = "-y")",
          "6 plane faces look that way | choose one with 'near'");
  refuses(R"(cad = "arm.step", solid = "arm", facing = [1, 1, 0])", "no plane face looks that way");
  refuses(R"(cad = "arm.step", solid = "arm")", "'facing' is missing");
  refuses(R"(cad = "arm.step", facing = "-y")", "holds 2 solids");
  refuses(R"(cad = "arm.step", solid = "arm", facing = [0.0767, 0, 0.997])",
          "looks along no coordinate axis");
}

TEST_F(FromFiles, solidsOfOneNameAreToldByNumber) {
  std::string step = readFile(kStep / "arm.step");
  for (std::size_t at = 0; (at = step.find("'shaft'", at)) != std::string::npos;)
    step.replace(at, 7, "'arm'");
  const fs::path folder = ownFolder();
  writeFile(folder / "twins.step", step);
  std::string text = readFile(kStep / "arm.toml");
  const std::string file = "arm.step";
  text.replace(text.find(file), file.size(), "twins.step");
  try {
    parseBrief(text, folder / "twins.toml");
    ADD_FAILURE();
  } catch (const BriefError& error) {
    EXPECT_THAT(error.what(), HasSubstr("several solids are called \"arm\""));
  }
}

/// Pastes the selectors proposed for the faces of a body into a brief and looks at what each catches.
void expectSelectorsToCatchTheirFaces(const InspectedBody& body, int voxelMm, const fs::path& brief) {
  std::string text =
      fmt::format("voxel = \"{} mm\"\n[material]\nuse = \"steel\"\n[shapes]\n{}\n", voxelMm, body.shapeText);
  text += "[design]\nspace = \"part\"\n[faces]\n";
  for (std::size_t f = 0; f < body.faces.size(); ++f)
    text += fmt::format("face{} = {}\n", f + 1, body.faces[f].selector);
  text += R"([supports]
held = { face = "face1" }
[loads]
push = { face = "face2", force = ["0 N", "0 N", "-1 kN"] }
[cases]
down = { loads = { push = 1.0 } }
[target]
mass_fraction = 0.5
[making]
)" + fmt::format("smallest_member = \"{} mm\"\n", 3 * voxelMm);
  const Job job = prepare(parseBrief(text, brief));
  for (std::size_t f = 0; f < body.faces.size(); ++f) {
    const Face& face = job.face(fmt::format("face{}", f + 1));
    EXPECT_NEAR(face.area() / body.faces[f].area, 1, 0.01) << body.faces[f].selector;
    EXPECT_LT((face.centroid() - body.faces[f].centre).norm(), 1e-3) << body.faces[f].selector;
  }
}

TEST_F(FromFiles, everySelectorThatInspectProposesCatchesItsFaceAlone) {
  for (const char* file : {"rigger.step", "hub.step", "arm.step"}) {
    SCOPED_TRACE(file);
    expectSelectorsToCatchTheirFaces(inspectFile(kStep / file).bodies.front(), 6, kStep / "pasted.toml");
  }
}

TEST(Inspect, listsTheFlatFacesOfATriangleBody) {
  // An angle: two of its faces look the same way, twice.
  TriangleMesh mesh;
  const std::vector<Eigen::Vector2d> corners{{0, 0},       {0.04, 0},    {0.04, 0.01},
                                             {0.01, 0.01}, {0.01, 0.03}, {0, 0.03}};
  for (const double y : {0.0, 0.02})
    for (const auto& c : corners) mesh.vertices.emplace_back(c.x(), y, c.y());
  for (const std::array<int, 3>& t : {std::array{0, 1, 2}, {0, 2, 3}, {0, 3, 5}, {3, 4, 5}}) {
    mesh.triangles.push_back(t);
    mesh.triangles.push_back({t[0] + 6, t[2] + 6, t[1] + 6});
  }
  for (int i = 0; i < 6; ++i) {
    const int next = (i + 1) % 6;
    mesh.triangles.push_back({i, i + 6, next});
    mesh.triangles.push_back({next, i + 6, next + 6});
  }
  const fs::path path = ownFolder() / "angle.obj";
  writeMesh(path, mesh, MeshFormat::obj);
  const Inspection inspection = inspectFile(path, 1e-3);
  ASSERT_TRUE(inspection.usable) << describe(inspection);
  const InspectedBody& body = inspection.bodies.front();
  EXPECT_NEAR(body.volume, (0.04 * 0.01 + 0.01 * 0.02) * 0.02, 1e-9);
  ASSERT_EQ(body.faces.size(), 8U);
  double area = 0;
  for (const InspectedFace& face : body.faces) area += face.area;
  EXPECT_NEAR(area / body.area, 1, 0.01);
  // Every triangle belongs to the face it lies in.
  for (std::size_t t = 0; t < body.surface.triangles.size(); ++t) {
    ASSERT_GE(body.faceOf[t], 0) << t;
    const Patch& patch = body.faces[static_cast<std::size_t>(body.faceOf[t])].patch;
    for (int i = 0; i < 3; ++i) EXPECT_LT(patch.distance(body.surface.corner(t, i)), 1e-9);
  }
  // The selectors tell the two that look the same way apart.
  EXPECT_THAT(describe(inspection), HasSubstr("8 flat faces; for [faces]:"));
  expectSelectorsToCatchTheirFaces(body, 2, ownFolder() / "angle.toml");
}

TEST(Inspect, saysWhatIsWrongWithTriangles) {
  const fs::path path = ownFolder() / "open.obj";
  writeFile(path, "v 0 0 0\nv 10 0 0\nv 0 10 0\nv 0 0 10\nf 1 3 2\nf 1 2 4\nf 2 1 3\n");
  const Inspection inspection = inspectFile(path);
  EXPECT_FALSE(inspection.usable);
  const std::string text = describe(inspection);
  EXPECT_THAT(text, HasSubstr("3 triangles"));
  EXPECT_THAT(text, HasSubstr("duplicate triangle"));
  EXPECT_THAT(text, HasSubstr("it encloses no body as it is"));
  const nlohmann::json json = nlohmann::json::parse(jsonText(inspection));
  EXPECT_EQ(json["triangles"], 3);
  EXPECT_EQ(json["defects"][0]["at_mm"].size(), 3U);
  EXPECT_THROW(inspectFile("part.dxf"), InputError);
}

// A stand-in for the reader of STEP files, which mends too much to leave anything doubtful in a file of ours.
TEST(Inspect, saysWhatIsDoubtfulInACadFile) {
  const fs::path folder = ownFolder();
  const auto inspected = [&](int looseFaces) {
    const fs::path reader = folder / "reader.sh";
    writeFile(
        folder / "answer",
        cadAnswer(fmt::format(
            R"({{"unit": "inch", "loose_faces": {}, "solids": [{{"name": "wedge", "valid": false, "volume": 1.6e-7,
"deviation": 1e-6, "vertices": [0,0,0, 0.01,0,0, 0,0.01,0, 0,0,0.01], "triangles": [0,2,1,0, 0,1,3,1, 0,3,2,1, 1,2,3,1],
"faces": [{{"kind": "plane", "origin": [0,0,0], "axis": [0,0,-1], "area": 5e-5, "centre": [0.003,0.003,0], "adjacent": [1]}},
{{"kind": "freeform", "area": 1.9e-4, "centre": [0.003,0.003,0.003], "adjacent": [0]}}]}}]}})",
            looseFaces)));
    writeFile(reader, fmt::format("#!/bin/sh\ncat {}\n", (folder / "answer").string()));
    fs::permissions(reader, fs::perms::owner_all);
    writeFile(folder / "odd.step", "ISO-10303-21;\n");
    ::setenv("BARELATTICE_CAD", reader.c_str(), 1);
    Inspection inspection = inspectFile(folder / "odd.step");
    ::unsetenv("BARELATTICE_CAD");
    return inspection;
  };
  const Inspection inspection = inspected(2);
  EXPECT_FALSE(inspection.usable);
  const nlohmann::json told = nlohmann::json::parse(jsonText(inspection));
  EXPECT_EQ(told["loose_faces"], 2);
  EXPECT_FALSE(told["usable"].get<bool>());
  const std::string text = describe(inspection);
  EXPECT_THAT(text, HasSubstr("1 solid, written in inch"));
  EXPECT_THAT(text, HasSubstr("2 faces belong to no solid and are left out"));
  EXPECT_THAT(text, HasSubstr("mm, topology doubtful"));
  EXPECT_THAT(text, HasSubstr("2 faces; for [faces]:"));
  EXPECT_THAT(describe(inspected(1)), HasSubstr("1 face belongs to no solid and is left out"));
  EXPECT_THAT(describe(inspected(0)), Not(HasSubstr("left out")));
}

}  // namespace
}  // namespace barelattice
