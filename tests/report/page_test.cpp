// Pages as a browser gets them: what they draw is what the job holds, and no text of a brief can break them.

#include "barelattice/report/page.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <map>
#include <nlohmann/json.hpp>
#include <numeric>
#include <regex>

#include "barelattice/base/file.hpp"
#include "barelattice/formats/stl.hpp"
#include "barelattice/formats/vti.hpp"
#include "barelattice/shapes/dual_contour.hpp"
#include "run/vtu.hpp"
#include "support/brief.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using nlohmann::json;
using testing::changed;
using testing::changedIn;
using ::testing::HasSubstr;
using testing::kBrief;
using testing::kSheet;
namespace fs = std::filesystem;

constexpr double kSteel = 7850;  // density of the briefs' steel, kg/m3

fs::path temporary(const char* name) {
  return ownFolder() / name;
}

Job jobOf(const std::string& brief) {
  return prepare(parseBrief(brief, temporary("report.toml")));
}

std::string checkPageOf(const std::string& brief) {
  const fs::path path = temporary("check.html");
  writeCheckPage(jobOf(brief), path);
  return readFile(path);
}

/// What a page hands to its viewer.
json dataOf(const std::string& html) {
  const std::string opening = "id=\"page-data\">";
  const std::size_t begin = html.find(opening) + opening.size();
  return json::parse(html.substr(begin, html.find("</script>", begin) - begin));
}

template <class T>
std::vector<T> unpacked(const json& packed) {
  const std::string bytes = fromBase64(packed["bytes"].get<std::string>());
  std::vector<T> values(bytes.size() / sizeof(T));
  std::memcpy(values.data(), bytes.data(), values.size() * sizeof(T));
  return values;
}

/// Three by three, mm.
std::vector<Vec3> pointsOf(const json& packed) {
  const std::vector<float> flat = unpacked<float>(packed);
  std::vector<Vec3> points;
  for (std::size_t i = 0; i + 2 < flat.size(); i += 3) points.emplace_back(flat[i], flat[i + 1], flat[i + 2]);
  return points;
}

/// Of a page, in mm.
TriangleMesh meshOf(const json& data) {
  TriangleMesh mesh;
  mesh.vertices = pointsOf(data["positions"]);
  const std::vector<std::uint32_t> corners = unpacked<std::uint32_t>(data["triangles"]);
  for (std::size_t i = 0; i + 2 < corners.size(); i += 3)
    mesh.triangles.push_back(
        {static_cast<int>(corners[i]), static_cast<int>(corners[i + 1]), static_cast<int>(corners[i + 2])});
  return mesh;
}

/// A field in steps of its range, with what a step is.
std::pair<std::vector<double>, double> fieldOf(const json& field) {
  const double step = field["range"].get<double>() / 65535;
  std::vector<double> values;
  for (const std::uint16_t v : unpacked<std::uint16_t>(field))
    values.push_back(field["offset"].get<double>() + step * v);
  return {values, step};
}

std::size_t countOf(const std::string& text, const std::string& passage) {
  std::size_t count = 0;
  for (std::size_t at = 0; (at = text.find(passage, at)) != std::string::npos; at += passage.size()) ++count;
  return count;
}

Vec3 vectorOf(const json& list) {
  return {list[0].get<double>(), list[1].get<double>(), list[2].get<double>()};
}

TEST(CheckPage, drawsTheShapesTrueToSize) {
  const json data = dataOf(checkPageOf(kBrief));
  EXPECT_NEAR(meshOf(data["space"]).volume(), 60 * 20 * 20, 1);
  ASSERT_EQ(data["keeps"].size(), 1U);
  EXPECT_EQ(data["keeps"][0]["name"], "pad");
  const TriangleMesh pad = meshOf(data["keeps"][0]["mesh"]);
  EXPECT_NEAR(pad.volume(), 6 * 20 * 20, 0.1);
  EXPECT_NEAR((pad.bounds().min() - Vec3(54, 0, 0)).norm(), 0, 1e-3);
  ASSERT_EQ(data["clears"].size(), 1U);
  EXPECT_EQ(data["clears"][0]["name"], "pin");
  EXPECT_NEAR(meshOf(data["clears"][0]["mesh"]).volume() / (M_PI * 16 * 22), 1, 2e-3);
  EXPECT_FALSE(data.contains("baseline"));
  EXPECT_TRUE(data["parts"].empty());
}

TEST(CheckPage, placesTheVoxelsAndWeighsThem) {
  const json data = dataOf(checkPageOf(kBrief));
  const Vec3 origin = vectorOf(data["frame"]["origin"]);
  const Vec3 size = vectorOf(data["frame"]["size"]);
  const Vec3 cells = vectorOf(data["frame"]["cells"]);
  EXPECT_NEAR((size - Vec3(2, 2, 2)).norm(), 0, 1e-9);
  EXPECT_NEAR((origin - Vec3::Zero()).norm(), 0, 1e-9);
  EXPECT_NEAR((cells - Vec3(30, 10, 10)).norm(), 0, 1e-9);
  EXPECT_NEAR(data["cellMass"].get<double>(), 8e-9 * kSteel, 1e-15);
  // Four tenths of the block without the pin.
  const double space = kSteel * 1e-9 * (60 * 20 * 20 - M_PI * 16 * 20);
  EXPECT_NEAR(data["targetMass"].get<double>() / (0.4 * space), 1, 1e-3);
  EXPECT_FALSE(data.contains("cellMasses"));
}

// In single precision places 240 m from its zero are told apart to 0.02 mm: pages count from near the part.
TEST(CheckPage, drawsAPartFarFromTheOriginAsOneAtIt) {
  std::string moved;
  const std::string brief = kBrief;
  const std::regex place(R"re(\["(-?\d+) mm", "(-?\d+) mm", "(-?\d+) mm"\])re");
  std::size_t done = 0;
  for (std::sregex_iterator m(brief.begin(), brief.end(), place), end; m != end; ++m) {
    moved += brief.substr(done, static_cast<std::size_t>(m->position()) - done);
    moved += "[\"" + std::to_string(240000 + std::stoi((*m)[1])) + " mm\", \"" +
             std::to_string(-120000 + std::stoi((*m)[2])) + " mm\", \"" + (*m)[3].str() + " mm\"]";
    done = static_cast<std::size_t>(m->position() + m->length());
  }
  const json near = dataOf(checkPageOf(brief));
  const json far = dataOf(checkPageOf(moved + brief.substr(done)));
  EXPECT_NEAR((vectorOf(far["frame"]["origin"]) - vectorOf(near["frame"]["origin"])).norm(), 0, 1e-6);
  const auto radii = [](const json& page) {  // of the pin's points, from the pin's axis
    std::pair<double, double> range{1e9, 0};
    for (const Vec3& p : meshOf(page["clears"][0]["mesh"]).vertices) {
      const double radius = std::hypot(p.x() - 30, p.z() - 10);
      if (p.y() < 0 || p.y() > 20) continue;  // the ends are flat
      range = {std::min(range.first, radius), std::max(range.second, radius)};
    }
    return range;
  };
  EXPECT_NEAR(radii(far).first, radii(near).first, 1e-4);
  EXPECT_NEAR(radii(far).second, radii(near).second, 1e-4);
  ASSERT_EQ(far["faces"].size(), near["faces"].size());
  for (std::size_t f = 0; f < far["faces"].size(); ++f) {
    const std::vector<Vec3> there = pointsOf(far["faces"][f]["points"]);
    const std::vector<Vec3> here = pointsOf(near["faces"][f]["points"]);
    ASSERT_EQ(there.size(), here.size());
    for (std::size_t p = 0; p < here.size(); ++p) ASSERT_NEAR((there[p] - here[p]).norm(), 0, 1e-4);
    EXPECT_NEAR(
        (vectorOf(far["faces"][f]["pieces"][0]["at"]) - vectorOf(near["faces"][f]["pieces"][0]["at"])).norm(),
        0, 1e-4);
  }
}

TEST(CheckPage, weighsTheCellsOfEveryMaterial) {
  const json data = dataOf(checkPageOf(changed("[design]", R"([regions.far]
shape = "pad"
material = { use = "titanium" }
[design])")));
  const std::vector<float> masses = unpacked<float>(data["cellMasses"]);
  ASSERT_EQ(masses.size(), 30U * 10 * 10);
  EXPECT_NEAR(masses[0], 8e-9 * kSteel, 1e-9);
  EXPECT_NEAR(masses[29], 8e-9 * 4430, 1e-9);
  ASSERT_EQ(data["parts"].size(), 1U);
  EXPECT_EQ(data["parts"][0]["name"], "far");
  EXPECT_FALSE(data["parts"][0]["bonded"]);
}

TEST(CheckPage, showsFacesSupportsAndLoadsWhereTheyAct) {
  const json data = dataOf(checkPageOf(changed("root = { face = \"root\" }",
                                               "root = { face = \"root\", hold = [\"x\", \"z\"] }\n"
                                               "tip = { face = \"tip\", hold = [\"y\"] }")));
  ASSERT_EQ(data["faces"].size(), 2U);
  const std::map<std::string, double> at{{"root", 0.0}, {"tip", 60.0}};
  for (const json& face : data["faces"]) {
    const std::vector<Vec3> points = pointsOf(face["points"]);
    EXPECT_GT(points.size(), 20U);
    EXPECT_LE(points.size(), 1500U) << "pages stay small";
    const double x = at.at(face["name"].get<std::string>());
    for (const Vec3& p : points) {
      EXPECT_NEAR(p.x(), x, 1e-4);
      EXPECT_TRUE(p.y() >= 0 && p.y() <= 20 && p.z() >= 0 && p.z() <= 20) << p.transpose();
    }
    ASSERT_EQ(face["pieces"].size(), 1U);
    EXPECT_NEAR((vectorOf(face["pieces"][0]["at"]) - Vec3(x, 10, 10)).norm(), 0, 1e-3);
    EXPECT_NEAR((vectorOf(face["pieces"][0]["normal"]) - Vec3(x > 0 ? 1 : -1, 0, 0)).norm(), 0, 1e-9);
    EXPECT_NEAR(face["pieces"][0]["share"].get<double>(), 1, 1e-9);
  }
  ASSERT_EQ(data["supports"].size(), 2U);
  EXPECT_EQ(data["supports"][0]["kind"], "held (x, z)");
  EXPECT_EQ(data["supports"][1]["kind"], "held (y)");
  ASSERT_EQ(data["cases"].size(), 1U);
  EXPECT_EQ(data["cases"][0]["name"], "down");
  EXPECT_EQ(data["cases"][0]["supports"], json({"root", "tip"}));
  const json& load = data["cases"][0]["loads"][0];
  EXPECT_EQ(load["face"], "tip");
  EXPECT_NEAR((vectorOf(load["force"]) - Vec3(0, 0, -1500)).norm(), 0, 1e-9) << "the case takes it 1.5 times";
  EXPECT_FALSE(load.contains("arrows"));
}

// Two bores of one face, one twice as wide as the other.
TEST(CheckPage, everyPieceOfAFaceHasItsPlaceAndItsShare) {
  const std::string bored = changedIn(
      changed("[design]\nspace = \"block\"",
              "wide = { cylinder = { from = [\"15 mm\", \"-1 mm\", \"10 mm\"], to = [\"15 mm\", \"21 mm\", "
              "\"10 mm\"], "
              "radius = \"4 mm\" } }\n"
              "slim = { cylinder = { from = [\"45 mm\", \"-1 mm\", \"10 mm\"], to = [\"45 mm\", \"21 mm\", "
              "\"10 mm\"], "
              "radius = \"2 mm\" } }\n"
              "bored = { difference = [\"block\", \"wide\", \"slim\"] }\n[design]\nspace = \"bored\""),
      "root = { of = \"block\", kind = \"plane\", facing = \"-x\" }",
      "root = { of = \"bored\", kind = \"cylinder\", side = \"hole\", count = 2 }");
  const json data = dataOf(checkPageOf(bored));
  const json& root = data["faces"][0]["name"] == "root" ? data["faces"][0] : data["faces"][1];
  ASSERT_EQ(root["pieces"].size(), 2U);
  double shares = 0;
  for (const json& piece : root["pieces"]) {
    const bool wide = vectorOf(piece["at"]).x() < 30;
    EXPECT_NEAR((vectorOf(piece["at"]) - Vec3(wide ? 15 : 45, 10, 10)).norm(), 0, 0.01);
    EXPECT_NEAR(piece["share"].get<double>(), wide ? 2.0 / 3 : 1.0 / 3, 0.01);
    EXPECT_EQ(vectorOf(piece["normal"]).norm(), 0) << "a bore looks nowhere";
    shares += piece["share"].get<double>();
  }
  EXPECT_NEAR(shares, 1, 1e-9);
}

TEST(CheckPage, namesNoDirectionsOfASupportThatHoldsAll) {
  EXPECT_EQ(dataOf(checkPageOf(kBrief))["supports"][0]["kind"], "held");
  EXPECT_EQ(dataOf(checkPageOf(kSheet))["supports"][0]["kind"], "held") << "a sheet has two directions";
}

TEST(CheckPage, pressurePointsIntoTheMaterialAndSuctionOutOfIt) {
  for (const double pressure : {2.0, -2.0}) {
    const std::string text = pressure > 0 ? "pressure = \"2 MPa\"" : "pressure = \"-2 MPa\"";
    const json data = dataOf(checkPageOf(changed("force = [\"0 N\", \"0 N\", \"-1 kN\"]", text)));
    const json& load = data["cases"][0]["loads"][0];
    EXPECT_EQ(load["note"], pressure > 0 ? "3 MPa" : "-3 MPa");
    EXPECT_GE(load["arrows"].size(), 8U);
    EXPECT_LE(load["arrows"].size(), 24U);
    for (const json& arrow : load["arrows"]) {
      EXPECT_NEAR(arrow[0].get<double>(), 60, 1e-4);
      EXPECT_NEAR(arrow[3].get<double>(), pressure > 0 ? -1 : 1, 1e-6);
    }
  }
}

// Lightness by the definition of CIE 1976 for sRGB (IEC 61966-2-1).
TEST(CheckPage, coloursOfFieldsGetLighterInEvenSteps) {
  const json stops = dataOf(checkPageOf(kBrief))["colourMap"];
  std::vector<double> lightness;
  for (const json& stop : stops) {
    const int rgb = std::stoi(stop.get<std::string>().substr(1), nullptr, 16);
    double luminance = 0;
    for (const auto& [shift, weight] : {std::pair{16, 0.2126}, std::pair{8, 0.7152}, std::pair{0, 0.0722}}) {
      const double level = (rgb >> shift & 255) / 255.0;
      luminance += weight * (level <= 0.04045 ? level / 12.92 : std::pow((level + 0.055) / 1.055, 2.4));
    }
    lightness.push_back(116 * std::cbrt(luminance) - 16);
  }
  ASSERT_GT(lightness.size(), 8U);
  const double step = (lightness.back() - lightness.front()) / static_cast<double>(lightness.size() - 1);
  EXPECT_GT(step * static_cast<double>(lightness.size() - 1), 70);
  for (std::size_t i = 1; i < lightness.size(); ++i) EXPECT_NEAR(lightness[i] - lightness[i - 1], step, 0.5);
}

TEST(CheckPage, givesASheetItsThickness) {
  const std::string html = checkPageOf(kSheet);
  const json data = dataOf(html);
  const TriangleMesh plate = meshOf(data["space"]);
  EXPECT_NEAR(plate.volume() / (60 * 20 * 5), 1, 1e-3);
  EXPECT_NEAR(plate.bounds().sizes().z(), 5, 1e-4);
  EXPECT_NEAR((vectorOf(data["frame"]["size"]) - Vec3(2, 2, 5)).norm(), 0, 1e-9);
  EXPECT_EQ(data["frame"]["cells"][2], 1);
  EXPECT_THAT(html, HasSubstr("5 mm, plane stress"));
}

TEST(CheckPage, laysTheBaselineOverIt) {
  const json data = dataOf(checkPageOf("baseline = \"slab\"\n" + kBrief));
  EXPECT_NEAR(meshOf(data["baseline"]).volume(), 4 * 22 * 22, 0.1);
}

TEST(CheckPage, saysWhatItWarnsOf) {
  const std::string html = checkPageOf(changed("smallest_member = \"6 mm\"", "smallest_member = \"5 mm\""));
  EXPECT_THAT(html, HasSubstr("<li>the smallest member of 5 mm is under three voxels of 2 mm"));
}

TEST(Pages, noTextOfABriefCanBreakThem) {
  const std::string title = "</script><script>alert('&\\\"')</script><!--<script>";
  const std::string shown = "</script><script>alert('&\"')</script><!--<script>";
  const std::string tame = checkPageOf("title = \"tame\"\n" + kBrief);
  std::string brief = "title = \"" + title + "\"\n" + changed("down = {", "\"<img src=x>\" = {");
  const std::string wild = checkPageOf(brief);
  EXPECT_EQ(dataOf(wild)["title"], shown);
  EXPECT_EQ(dataOf(wild)["cases"][0]["name"], "<img src=x>");
  for (const char* mark : {"<script", "</script", "<!--", "<img", "<"}) {
    EXPECT_EQ(countOf(wild, mark), countOf(tame, mark)) << mark;
  }
  EXPECT_THAT(wild, HasSubstr("<title>&lt;/script&gt;"));
}

TEST(Pages, fetchNothing) {
  const std::regex reference("(src|href)=\"(?!data:|#)|@import|url\\((?!#|data:)");
  for (const std::string& html : {checkPageOf(kBrief), checkPageOf(kSheet)}) {
    // The viewer is a script in the page; what it does is seen in the browser's tests.
    const std::string markup = html.substr(0, html.rfind("<script>"));
    EXPECT_FALSE(std::regex_search(markup, reference));
  }
}

class InspectPage : public ::testing::Test {
 protected:
  static std::string pageOf(const Inspection& inspection) {
    const fs::path path = temporary("inspect.html");
    writeInspectPage(inspection, path);
    return readFile(path);
  }
  static TriangleMesh block() { return dualContour(*makeBox(Vec3(0, 0, 0), Vec3(0.03, 0.02, 0.01)), 2e-3); }
};

TEST_F(InspectPage, givesEveryTriangleItsFace) {
  const fs::path file = temporary("block.stl");
  writeStl(file, block());
  const Inspection inspection = inspectFile(file);
  const std::string html = pageOf(inspection);
  const json data = dataOf(html);
  ASSERT_EQ(data["bodies"].size(), 1U);
  const json& body = data["bodies"][0];
  ASSERT_EQ(body["faces"].size(), 6U);
  EXPECT_EQ(countOf(html, "<li role=\"option\""), 6U);
  const TriangleMesh mesh = meshOf(body["mesh"]);
  EXPECT_NEAR(mesh.volume(), 30 * 20 * 10, 1e-2);
  const std::vector<std::int32_t> faceOf = unpacked<std::int32_t>(body["faceOf"]);
  ASSERT_EQ(faceOf.size(), mesh.triangles.size());
  std::vector<double> areas(6, 0.0);
  for (std::size_t t = 0; t < faceOf.size(); ++t) {
    const auto f = static_cast<std::size_t>(faceOf[t]);
    ASSERT_LT(f, areas.size());
    const Vec3 cross = (mesh.corner(t, 1) - mesh.corner(t, 0)).cross(mesh.corner(t, 2) - mesh.corner(t, 0));
    areas[f] += 0.5 * cross.norm();
  }
  for (std::size_t f = 0; f < areas.size(); ++f) {
    EXPECT_NEAR(areas[f], inspection.bodies[0].faces[f].area * 1e6, 1e-2);
    EXPECT_EQ(body["faces"][f]["selector"], inspection.bodies[0].faces[f].selector);
    EXPECT_NEAR((vectorOf(body["faces"][f]["centre"]) - inspection.bodies[0].faces[f].centre * 1e3).norm(), 0,
                1e-9);
  }
  std::sort(areas.begin(), areas.end());
  EXPECT_NEAR(areas.front(), 200, 1e-2);
  EXPECT_NEAR(areas.back(), 600, 1e-2);
  EXPECT_THAT(html, HasSubstr("<p class=\"note\">none</p>")) << "no defects";
}

TEST_F(InspectPage, marksDefectsWhereTheyAre) {
  TriangleMesh open = block();
  const std::array<int, 3> lost = open.triangles.back();
  open.triangles.pop_back();
  const fs::path file = temporary("open_block.stl");
  writeStl(file, open);
  const Inspection inspection = inspectFile(file);
  const std::string html = pageOf(inspection);
  const json data = dataOf(html);
  ASSERT_EQ(data["defects"].size(), 3U);
  std::vector<Vec3> middles;
  for (std::size_t i = 0; i < 3; ++i)
    middles.push_back(500 * (open.vertices[static_cast<std::size_t>(lost[i])] +
                             open.vertices[static_cast<std::size_t>(lost[(i + 1) % 3])]));
  for (const json& defect : data["defects"]) {
    EXPECT_EQ(defect["what"], "open edge");
    const Vec3 at = vectorOf(defect["at"]);
    const auto near = [&](const Vec3& m) { return (m - at).norm() < 1e-3; };
    EXPECT_TRUE(std::any_of(middles.begin(), middles.end(), near)) << at.transpose();
  }
}

TEST_F(InspectPage, aNameThatIsNotUtf8IsShownAsFarAsItIs) {
  const fs::path file = temporary("tr\xe4ger.stl");
  writeStl(file, block());
  EXPECT_EQ(dataOf(pageOf(inspectFile(file)))["title"], "tr\xef\xbf\xbdger.stl");
}

/// A run of the small brief, short and coarse.
class Report : public ::testing::Test {
 protected:
  static fs::path folder() { return temporary("report.run"); }
  static Job job() {
    // A held wall stays, so that the proof finds it whatever the layout does.
    std::string brief = kBrief;
    brief.replace(brief.find("keep = [\"pad\"]"), 14,
                  "keep = [\"pad\", { face = \"root\", depth = \"4 mm\" }]");
    return jobOf(brief + "[optimise]\niterations = 30\nkeep_every = 10\n[proof]\ntetrahedra = 8000\n");
  }
  void SetUp() override { fs::remove_all(folder()); }
  static std::string reportOf(const JobRun& run) {
    const fs::path path = folder() / "report.html";
    writeReport(run.job(), run.current(), path);
    return readFile(path);
  }
  static bool offers(const std::string& html, const std::string& mode) {
    const std::size_t at = html.find("name=\"mode\" value=\"" + mode + "\"");
    EXPECT_NE(at, std::string::npos) << mode;
    return html.substr(at, html.find('>', at) - at).find("disabled") == std::string::npos;
  }
};

TEST_F(Report, leavesOutWhatIsNotDone) {
  const JobRun run(job(), folder());
  const std::string html = reportOf(run);
  EXPECT_THAT(html, HasSubstr("not proved yet"));
  EXPECT_TRUE(offers(html, "setup"));
  for (const char* mode : {"layout", "solid", "stress"}) EXPECT_FALSE(offers(html, mode)) << mode;
  const json data = dataOf(html);
  for (const char* part : {"layout", "solid", "history", "iterations"}) EXPECT_FALSE(data.contains(part));
  EXPECT_TRUE(data["bodies"].empty());
}

// While a run is at work its folder is read without a lock: its latest layout and figures.
TEST_F(Report, showsARunAtWork) {
  const Job own = job();
  int seen = 0;
  RunListener listener;
  listener.iteration = [&](const IterationRecord& record) {
    if (record.iteration != 3) return;
    const RunRecord now = fitting(readRun(folder()), own);
    ASSERT_TRUE(now.atWork);
    ASSERT_TRUE(now.layout && now.layout->design);
    EXPECT_FALSE(now.layout->finished);
    EXPECT_GE(now.layout->design->iterations, 1U);
    writeReport(own, now, folder() / "watched.html");
    const std::string html = readFile(folder() / "watched.html");
    EXPECT_THAT(html, HasSubstr("at work: the layout after 1 iterations"));
    EXPECT_THAT(html, ::testing::Not(HasSubstr("has not settled")));
    EXPECT_TRUE(offers(html, "layout"));
    EXPECT_EQ(dataOf(html)["history"]["iteration"].size(), 3U);
    ++seen;
  };
  JobRun run(job(), folder(), listener);
  EXPECT_TRUE(readRun(folder()).atWork);
  run.optimise();
  EXPECT_EQ(seen, 1);
  EXPECT_TRUE(run.record().layout->finished);
  EXPECT_EQ(run.record().layout->stamp.files.size(), 2U) << "hashes of what does not change any more";
}

// A run that was killed leaves its last checkpoint, and what it wrote for watchers is told as what it is.
TEST_F(Report, tellsALayoutThatWasCutShort) {
  const Job own = job();
  RunListener listener;
  const fs::path copy = ownFolder() / "killed";
  fs::remove_all(copy);
  listener.iteration = [&](const IterationRecord& record) {
    if (record.iteration == 5) fs::copy(folder(), copy, fs::copy_options::recursive);
  };
  JobRun(job(), folder(), listener).optimise();
  const RunRecord left = fitting(readRun(copy), own);
  EXPECT_FALSE(left.atWork);
  ASSERT_TRUE(left.layout);
  writeReport(own, left, copy / "report.html");
  EXPECT_THAT(readFile(copy / "report.html"), HasSubstr("the layout has not settled: it was cut short"));
  JobRun again(job(), copy);
  again.optimise();
  EXPECT_EQ(readFile(copy / "layout.vti"), readFile(folder() / "layout.vti"));
  EXPECT_TRUE(again.record().layout->finished);
}

TEST_F(Report, holdsTheLayoutItsHistoryAndTheKeptIterations) {
  JobRun run(job(), folder());
  run.optimise();
  const std::string html = reportOf(run);
  EXPECT_TRUE(offers(html, "layout"));
  EXPECT_FALSE(offers(html, "solid"));
  const json data = dataOf(html);
  const CellImage layout = readVti(folder() / "layout.vti");
  for (const char* name : {"density", "fill", "keep"}) {
    const std::vector<std::uint8_t> shown = unpacked<std::uint8_t>(data["layout"][name]);
    const std::vector<float>& stored = layout.field(name);
    ASSERT_EQ(shown.size(), stored.size());
    for (std::size_t c = 0; c < shown.size(); ++c)
      ASSERT_NEAR(shown[c] / 255.0, stored[c], 0.51 / 255) << name;
  }
  std::vector<int> numbers(30);
  std::iota(numbers.begin(), numbers.end(), 1);
  EXPECT_EQ(data["history"]["iteration"], json(numbers));
  for (const char* column : {"compliance", "eroded", "change", "grey", "sharpness", "erosion"})
    EXPECT_EQ(data["history"][column].size(), 30U) << column;
  EXPECT_THAT(html, HasSubstr("the layout has not settled"));
  std::vector<int> kept;
  for (const json& frame : data["iterations"]) {
    kept.push_back(frame["number"]);
    EXPECT_EQ(unpacked<std::uint8_t>(frame["density"]).size(), layout.frame.boxCells());
  }
  EXPECT_TRUE(std::is_sorted(kept.begin(), kept.end()));
  EXPECT_GE(kept.size(), 3U);
  // A layout that did not hold is a gap in the chart.
  std::string csv = readFile(folder() / "history.csv");
  const std::size_t row = csv.find("\n1,") + 3;
  csv.replace(csv.find(',', row), csv.find(',', csv.find(',', row) + 1) - csv.find(',', row), ",inf");
  writeFile(folder() / "history.csv", csv);
  EXPECT_TRUE(dataOf(reportOf(run))["history"]["compliance"][0].is_null());
  writeFile(folder() / "history.csv", "iteration,compliance_J,mass,change\n1,2\n");
  EXPECT_THROW(reportOf(run), InputError);
}

TEST_F(Report, showsTheFieldsOfTheProofAndItsVerdict) {
  JobRun run(job(), folder());
  run.proof();
  const std::string html = reportOf(run);
  for (const char* mode : {"layout", "solid", "stress"}) EXPECT_TRUE(offers(html, mode)) << mode;
  EXPECT_THAT(html, HasSubstr("verdict: " + run.record().proof->verdict));
  const json data = dataOf(html);
  EXPECT_EQ(data["threshold"], run.record().solid->threshold);
  EXPECT_NEAR(meshOf(data["solid"]).volume() / (1e9 * readStl(folder() / "solid.stl").volume()), 1, 1e-5);
  ASSERT_EQ(data["bodies"].size(), 1U);
  EXPECT_EQ(data["bodies"][0]["name"], "the part");
  const ProofSurface stored = readProofSurface(folder() / "proof.vtu");
  ASSERT_EQ(data["bodies"][0]["cases"].size(), stored.cases.size());
  const json& shown = data["bodies"][0]["cases"][0];
  const ProofSurface::Case& c = stored.cases[0];
  for (const auto& [name, values] : {std::pair{"vonMises", &c.vonMises},
                                     {"tension", &c.principalMost},
                                     {"compression", &c.principalLeast}}) {
    const auto [field, step] = fieldOf(shown[name]);
    ASSERT_EQ(field.size(), values->size());
    for (std::size_t v = 0; v < field.size(); ++v)
      ASSERT_NEAR(field[v], 1e-6 * static_cast<double>((*values)[v]),
                  0.51 * step + 1e-6 * std::abs(field[v]));
  }
  const auto [moved, step] = fieldOf(shown["displacement"]);
  double largest = 0;
  for (std::size_t v = 0; v + 2 < moved.size(); v += 3)
    largest = std::max(largest, Vec3(moved[v], moved[v + 1], moved[v + 2]).norm());
  EXPECT_NEAR(shown["largestDisplacement"].get<double>(), largest, 2 * step);
}

TEST_F(Report, anAnalysisShowsTheBlockAloneWhateverElseIsDone) {
  JobRun run(job(), folder());
  run.optimise();
  run.analyse();
  const fs::path path = folder() / "analysis.html";
  writeAnalysis(run.job(), run.current(), path);
  const std::string html = readFile(path);
  EXPECT_THAT(html, HasSubstr("the full block, before any optimisation"));
  EXPECT_FALSE(offers(html, "layout"));
  EXPECT_TRUE(offers(html, "stress"));
  const json data = dataOf(html);
  ASSERT_EQ(data["bodies"].size(), 1U);
  EXPECT_EQ(data["bodies"][0]["name"], "full block");
  // The block without the pin's hole; a coarse mesh chamfers edges.
  EXPECT_NEAR(meshOf(data["bodies"][0]["mesh"]).volume() / (60 * 20 * 20 - M_PI * 16 * 20), 1, 0.04);
}

}  // namespace
}  // namespace barelattice
