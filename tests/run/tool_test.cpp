// The tool as its users meet it: a process, its output, its exit code, its files.

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/wait.h>

#include <cmath>
#include <csignal>
#include <cstdio>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <numbers>
#include <regex>

#include "barelattice/base/file.hpp"
#include "barelattice/base/file_lock.hpp"
#include "barelattice/formats/mesh_files.hpp"
#include "barelattice/formats/stl.hpp"
#include "barelattice/meshes/tet_mesh.hpp"
#include "barelattice/run/run.hpp"
#include "barelattice/shapes/dual_contour.hpp"
#include "barelattice/shapes/shape.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using ::testing::HasSubstr;
using ::testing::Not;
namespace fs = std::filesystem;

struct Outcome {
  int code = -1;
  std::string text;  // both streams
};

Outcome tool(const std::string& arguments) {
  Outcome outcome;
  FILE* pipe = ::popen((std::string(BARELATTICE_TOOL) + " " + arguments + " 2>&1").c_str(), "r");
  char buffer[4096];
  while (const std::size_t n = std::fread(buffer, 1, sizeof buffer, pipe)) outcome.text.append(buffer, n);
  const int status = ::pclose(pipe);
  outcome.code = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  return outcome;
}

/// A brief that runs in about two seconds.
const std::string kBrief = R"(voxel = "2.5 mm"
[material]
use = "steel"
[shapes]
block = { box = { from = ["0 mm", "0 mm", "0 mm"], to = ["60 mm", "20 mm", "30 mm"] } }
pad = { box = { from = ["55 mm", "0 mm", "10 mm"], to = ["60 mm", "20 mm", "20 mm"] } }
[design]
space = "block"
keep = ["pad"]
[faces]
root = { of = "block", kind = "plane", facing = "-x" }
tip = { of = "pad", kind = "plane", facing = "+x" }
[supports]
root = { face = "root" }
[loads]
push = { face = "tip", force = ["0 N", "0 N", "-1 kN"] }
[cases]
down = { loads = { push = 1.0 } }
[target]
mass_fraction = 0.4
[making]
smallest_member = "7.5 mm"
[proof]
tetrahedra = 8000
[require]
displacement = { tip = "5 mm" }
)";

class Tool : public ::testing::Test {
 protected:
  void SetUp() override {
    fs::remove_all(ownFolder());
    folder_ = ownFolder();
    brief("", "");
  }
  void brief(const std::string& from, const std::string& to) {
    std::string text = kBrief;
    if (!from.empty()) text.replace(text.find(from), from.size(), to);
    writeFile(folder_ / "b.toml", text);
  }
  std::string path() const { return (folder_ / "b.toml").string(); }
  fs::path run() const { return folder_ / "b.run"; }
  nlohmann::json results() const { return nlohmann::json::parse(readFile(run() / "results.json")); }

  fs::path folder_;
};

TEST_F(Tool, carriesPartsAndRegionsThroughTheWholeJob) {
  brief("[design]", R"(plate = { box = { from = ["-5 mm", "0 mm", "0 mm"], to = ["0 mm", "20 mm", "30 mm"] } }
far = { box = { from = ["40 mm", "-1 mm", "-1 mm"], to = ["70 mm", "21 mm", "31 mm"] } }
[inserts.plate]
shape = "plate"
material = { use = "aluminium" }
[regions.far]
shape = "far"
material = { use = "titanium" }
[design])");
  std::string text = readFile(path());
  const std::string face = "root = { of = \"block\"";
  text.replace(text.find(face), face.size(), "root = { of = \"plate\"");
  writeFile(path(), text);
  const Outcome outcome = tool("run " + path());
  EXPECT_EQ(outcome.code, 0) << outcome.text;
  EXPECT_THAT(outcome.text, HasSubstr("part plate: aluminium"));
  EXPECT_THAT(outcome.text, HasSubstr("region far: titanium"));
  const nlohmann::json r = results();
  const double plate = 2700 * 5e-3 * 20e-3 * 30e-3;
  EXPECT_NEAR(r["masses_kg"]["bonded"].get<double>(), plate, 1e-3 * plate);
  EXPECT_NEAR(r["proof"]["bonded_mass_kg"].get<double>(), plate, 0.06 * plate)
      << "a coarse mesh chamfers edges";
  const double space = 20e-3 * 30e-3 * (7850 * 40e-3 + 4430 * 20e-3);
  EXPECT_NEAR(r["masses_kg"]["space"].get<double>(), space, 1e-3 * space);
  // The exported solid ends where the plate begins, and its two materials make the target mass.
  const TriangleMesh solid = readStl(run() / "solid.stl");
  EXPECT_NEAR(solid.bounds().min().x(), 0, 1e-6);
  EXPECT_EQ(inspectMesh(solid).text(), "sound");
  EXPECT_NEAR(r["solid"]["mass_kg"].get<double>() / r["masses_kg"]["target"].get<double>(), 1, 0.02);
  EXPECT_EQ(r["proof"]["mass_kg"], r["solid"]["mass_kg"]) << "the mesh's own is less: it chamfers edges";
  EXPECT_EQ(r["other_materials"]["far"]["name"], "titanium");
  const std::string report = readFile(run() / "report.html");
  EXPECT_THAT(report, HasSubstr("plate (bonded)"));
  EXPECT_THAT(report, HasSubstr("the strength of the material named beside it"));
  // Another material is another job.
  writeFile(path(), text.replace(text.find("titanium"), 8, "magnesium"));
  EXPECT_THAT(tool("optimise " + path()).text, ::testing::Not(HasSubstr("reused")));
}

TEST_F(Tool, startsFromAShapeAndSaysWhatIsWrong) {
  brief("[target]", "[optimise]\niterations = 4\nstart = \"pad\"\n[target]");
  EXPECT_EQ(tool("optimise " + path()).code, 1) << "a layout taken before it settled";
  EXPECT_THAT(tool("optimise " + path()).text, HasSubstr("reused"));
  brief("[target]", "[optimise]\niterations = 4\nstart = \"pod\"\n[target]");
  const Outcome outcome = tool("optimise " + path());
  EXPECT_EQ(outcome.code, 2);
  EXPECT_THAT(outcome.text, HasSubstr("did you mean \"pad\"?"));
}

TEST_F(Tool, doesTheWholeJobAndLeavesEveryFile) {
  const Outcome outcome = tool("run " + path());
  EXPECT_EQ(outcome.code, 0) << outcome.text;
  for (const char* name :
       {"check.html", "layout.vti", "history.csv", "solid.stl", "proof.vtu", "results.json", "report.html"})
    EXPECT_TRUE(fs::exists(run() / name)) << name;
  EXPECT_THAT(outcome.text, HasSubstr("verdict: met"));
  const nlohmann::json r = results();
  const TriangleMesh solid = readStl(run() / "solid.stl");
  EXPECT_EQ(inspectMesh(solid).text(), "sound");
  EXPECT_NEAR(solid.volume() * 7850 / r["masses_kg"]["target"].get<double>(), 1, 0.01);
  // What is proved is what is exported: the two surfaces lie close together, and hold the same volume.
  const double spacing = r["proof"]["spacing_mm"];
  EXPECT_LT(r["proof"]["surface_gap_mm"]["mean"].get<double>(), 0.1 * spacing);
  EXPECT_LT(r["proof"]["surface_gap_mm"]["largest"].get<double>(), 1.2 * spacing);
  EXPECT_NEAR(r["proof"]["volume_difference"].get<double>(), 0, 0.04);  // a coarse mesh chamfers edges,
  EXPECT_NEAR(r["proof"]["mass_kg"].get<double>() / (7850 * solid.volume()), 1,
              1e-6);  // which weigh all the same
  EXPECT_NEAR(r["proof"]["compliance_J"].get<double>() / r["optimise"]["compliance_J"].get<double>(), 1,
              0.35);
  const auto force = r["proof"]["cases"][0]["reactions"]["root"]["force_N"];
  EXPECT_NEAR(force[2].get<double>(), 1000, 1);
}

TEST_F(Tool, redoesOnlyWhatAChangeTouches) {
  ASSERT_EQ(tool("run " + path()).code, 0);
  const Outcome again = tool("proof " + path());
  EXPECT_EQ(again.code, 0);
  EXPECT_THAT(again.text, HasSubstr("proof     reused"));
  brief("tip = \"5 mm\"", "tip = \"0.0001 mm\"");
  const Outcome stricter = tool("run " + path());
  EXPECT_EQ(stricter.code, 1) << "the verdict is not met: " << stricter.text;
  EXPECT_THAT(stricter.text, HasSubstr("solid     reused"));
  EXPECT_THAT(stricter.text,
              ::testing::AnyOf(HasSubstr("verdict: not met"), HasSubstr("verdict: inconclusive")))
      << "on meshes as coarse as these";
  brief("mass_fraction = 0.4", "mass_fraction = 0.45");
  const Outcome heavier = tool("solid " + path());
  EXPECT_EQ(heavier.code, 0);
  EXPECT_THAT(heavier.text, ::testing::Not(HasSubstr("reused")));
}

// A step depends on values, not on how they are written, and on those it reads only; a redo says why.
TEST_F(Tool, saysWhichChangeMakesItRedoAStep) {
  ASSERT_EQ(tool("run " + path()).code, 0);
  const auto after = [&](const std::string& from, const std::string& to, const std::string& verb) {
    brief(from, to);
    return tool(verb + " " + path()).text;
  };
  using ::testing::AllOf;
  using ::testing::Not;
  EXPECT_THAT(after("smallest_member = \"7.5 mm\"", "smallest_member = \"0.750 cm\"  # the same", "proof"),
              AllOf(HasSubstr("proof     reused"), Not(HasSubstr("redone"))));
  EXPECT_THAT(
      after("to = [\"60 mm\", \"20 mm\", \"30 mm\"]", "to = [\"6 cm\", \"20.0 mm\", \"0.03 m\"]", "proof"),
      HasSubstr("proof     reused"));
  EXPECT_THAT(
      after("tip = {", "side = { of = \"block\", kind = \"plane\", facing = \"+y\" }\ntip = {", "proof"),
      AllOf(HasSubstr("optimise  reused"), HasSubstr("solid     redone: [faces.side]")));
  EXPECT_THAT(after("use = \"steel\"", "use = \"steel\"\nstrength = \"300 MPa\"", "proof"),
              AllOf(HasSubstr("solid     redone: [faces.side]"), HasSubstr("is gone")));
  EXPECT_THAT(
      after("use = \"steel\"", "use = \"steel\"\nstrength = \"290 MPa\"", "proof"),
      AllOf(HasSubstr("solid     reused"), HasSubstr("proof     redone: [material] strength changed")));
  EXPECT_THAT(after("-1 kN", "-1001 N", "optimise"),
              HasSubstr("optimise  redone: [loads.push] force changed"));
  EXPECT_THAT(after("-1 kN", "-1.001 kN", "optimise"), HasSubstr("optimise  reused"));
  EXPECT_THAT(after("push = 1.0", "push = 2.0", "optimise"),
              HasSubstr("optimise  redone: [cases.down] loads changed, [loads.push] force changed"));
}

// Results by case stand in the brief's order: in another, those there are would be taken for another case's.
TEST_F(Tool, casesInAnotherOrderAreAnotherJob) {
  const std::string one = "down = { loads = { push = 1.0 } }\n";
  const std::string other = "up = { weight = 0.1, loads = { push = -1.5 } }\n";
  brief("down = { loads = { push = 1.0 } }\n", one + other);
  ASSERT_EQ(tool("run " + path()).code, 0);
  EXPECT_EQ(results()["proof"]["cases"][0]["name"], "down");
  brief("down = { loads = { push = 1.0 } }\n", other + one);
  const Outcome outcome = tool("run " + path());
  EXPECT_THAT(outcome.text, HasSubstr("optimise  redone: [cases] order changed"));
  for (const char* step : {"optimise", "proof"}) EXPECT_EQ(results()[step]["cases"][0]["name"], "up") << step;
}

TEST_F(Tool, goesOnWhereMoreIterationsAreWishedFor) {
  const auto of = [&](int iterations) {
    brief("[target]", fmt::format("[optimise]\niterations = {}\n[target]", iterations));
  };
  of(9);
  const std::string other = " --folder " + (folder_ / "other.run").string();
  ASSERT_EQ(tool("optimise " + path() + other).code, 1);
  of(4);
  ASSERT_EQ(tool("optimise " + path()).code, 1);
  of(9);
  EXPECT_THAT(tool("optimise " + path()).text, HasSubstr("goes on after iteration 4"));
  EXPECT_EQ(readFile(run() / "layout.vti"), readFile(folder_ / "other.run" / "layout.vti"));
  EXPECT_EQ(results()["optimise"]["iterations"], 9);
  of(3);
  EXPECT_THAT(tool("optimise " + path()).text, ::testing::Not(HasSubstr("reused")));
  EXPECT_EQ(results()["optimise"]["iterations"], 3);
}

TEST_F(Tool, writesAnotherFormatWithoutDoingAnythingAgain) {
  ASSERT_EQ(tool("run " + path()).code, 0);
  brief("[proof]", "[solid]\nformats = [\"obj\"]\n[proof]");
  const Outcome outcome = tool("proof " + path());
  EXPECT_THAT(outcome.text, HasSubstr("solid     reused"));
  EXPECT_THAT(outcome.text, HasSubstr("proof     reused"));
  EXPECT_NEAR(readMesh(run() / "solid.obj").volume() / readStl(run() / "solid.stl").volume(), 1, 1e-6);
}

// What is required is held against figures that are there: nothing is solved for it.
TEST_F(Tool, judgesAnewWithoutSolving) {
  ASSERT_EQ(tool("run " + path()).code, 0);
  const nlohmann::json before = results()["proof"];
  const auto written = fs::last_write_time(run() / "proof.vtu");
  const std::string limits = "{ tip = \"0.001 mm\" }\nsafety_factor = 0.5\nmass = \"10 kg\"";
  brief("{ tip = \"5 mm\" }", limits);
  // A page is judged by what the brief says now, even before any step is done.
  ASSERT_EQ(tool("report " + path()).code, 0);
  EXPECT_THAT(readFile(run() / "report.html"), HasSubstr("verdict: not met"));
  const Outcome outcome = tool("proof " + path());
  EXPECT_EQ(outcome.code, 1) << outcome.text;
  EXPECT_THAT(outcome.text, HasSubstr("proof     reused"));
  EXPECT_THAT(
      outcome.text,
      HasSubstr("judged anew: [require] displacement of tip changed, [require] mass is new and 1 more"));
  EXPECT_EQ(fs::last_write_time(run() / "proof.vtu"), written);
  const nlohmann::json judged = results()["proof"];
  EXPECT_EQ(judged["seconds"], before["seconds"]);
  EXPECT_EQ(judged["cases"], before["cases"]) << "figures keep their bits";
  EXPECT_EQ(judged["verdict"], "not met");
  ASSERT_EQ(tool("proof " + path() + " --fresh").code, 1);
  EXPECT_EQ(results()["proof"]["requirements"], judged["requirements"]) << "as if solved for it";

  brief("{ tip = \"5 mm\" }", "{ tip = \"5.0 mm\" }");
  EXPECT_EQ(tool("proof " + path()).code, 0);
  EXPECT_EQ(results()["proof"]["requirements"], before["requirements"]);
  EXPECT_THAT(tool("proof " + path()).text, ::testing::Not(HasSubstr("judged anew")));
}

TEST_F(Tool, givesTheSameBitsOnOneThreadAndTwo) {
  ASSERT_EQ(tool("proof " + path() + " --threads 1").code, 0);
  ASSERT_EQ(tool("proof " + path() + " --threads 2 --folder " + (folder_ / "two.run").string()).code, 0);
  for (const char* name : {"layout.vti", "solid.stl", "proof.vtu"})
    EXPECT_EQ(readFile(run() / name), readFile(folder_ / "two.run" / name)) << name;
}

TEST_F(Tool, checkTellsWithoutSolving) {
  const Outcome outcome = tool("check " + path() + " --json");
  EXPECT_EQ(outcome.code, 0);
  const nlohmann::json told = nlohmann::json::parse(outcome.text);
  EXPECT_EQ(told["voxels"], 24 * 8 * 12);
  EXPECT_EQ(told["cases"][0]["force_N"][2], -1000.0);
  EXPECT_TRUE(fs::exists(run() / "check.html"));
  EXPECT_FALSE(fs::exists(run() / "layout.vti"));
}

TEST_F(Tool, takesNamesThatAreNotUtf8) {
  const fs::path named = folder_ / "tr\xe4ger.toml";
  brief("[target]", "[optimise]\niterations = 2\n[target]");
  fs::rename(path(), named);
  const Outcome checked = tool("check " + named.string() + " --json");
  EXPECT_EQ(checked.code, 0) << checked.text;
  EXPECT_EQ(nlohmann::json::parse(checked.text)["title"], "tr\xef\xbf\xbdger");
  const Outcome designed = tool("optimise " + named.string() + " --json");
  EXPECT_EQ(designed.code, 1) << designed.text;
  EXPECT_TRUE(nlohmann::json::accept(designed.text));
  const fs::path file = folder_ / "tr\xe4ger.stl";
  writeStl(file, dualContour(*makeBox(Vec3::Zero(), Vec3(0.01, 0.01, 0.01)), 2e-3));
  const Outcome inspected = tool("inspect " + file.string() + " --json");
  EXPECT_EQ(inspected.code, 0) << inspected.text;
  EXPECT_TRUE(nlohmann::json::accept(inspected.text));
}

TEST_F(Tool, refusesWithTheLineTheCureAndCodeTwo) {
  brief("use = \"steel\"", "use = \"steal\"");
  const Outcome outcome = tool("run " + path());
  EXPECT_EQ(outcome.code, 2);
  EXPECT_THAT(outcome.text, HasSubstr("b.toml:3:7: [material] names the unknown material \"steal\""));
  EXPECT_THAT(outcome.text, HasSubstr("did you mean \"steel\"?"));
  EXPECT_FALSE(fs::exists(run())) << "nothing is left behind";
  EXPECT_EQ(tool("run /nowhere.toml").code, 2);
  EXPECT_EQ(tool("run").code, 2);
  EXPECT_EQ(tool("fly " + path()).code, 2);
  const Outcome later = tool("compare " + path());
  EXPECT_EQ(later.code, 2);
  EXPECT_THAT(later.text, HasSubstr("'compare' is not offered yet"));
  EXPECT_EQ(tool("--version").code, 0);
}

TEST_F(Tool, stopsCleanlyOnInterruptAndGoesOnFromThere) {
  brief("voxel = \"2.5 mm\"", "voxel = \"1 mm\"");
  const Outcome outcome = [&] {
    Outcome o = tool("run " + path() + " & pid=$!; while ! [ -s " + (run() / "history.csv").string() +
                     " ]; do sleep 0.05; done; kill -INT $pid; wait $pid");
    return o;
  }();
  EXPECT_EQ(outcome.code, 3) << outcome.text;
  EXPECT_THAT(outcome.text, HasSubstr("stopped on request"));
  EXPECT_TRUE(fs::exists(run() / "layout.vti"));
  EXPECT_FALSE(results()["optimise"]["finished"].get<bool>());
  EXPECT_FALSE(fs::exists(run() / "solid.stl"));
  EXPECT_EQ(tool("report " + path()).code, 0);
  EXPECT_THAT(readFile(run() / "report.html"),
              HasSubstr("the layout has not settled: stopped on request. Nothing"));
}

// A cap of the user's own: everything goes on, nothing is called proven.
TEST_F(Tool, goesOnWithALayoutThatWasCappedButNeverCallsItProven) {
  brief("[target]", "[optimise]\niterations = 20\n[target]");
  const Outcome outcome = tool("run " + path());
  EXPECT_EQ(outcome.code, 1) << outcome.text;
  EXPECT_THAT(outcome.text, HasSubstr("not settled: the wanted number of iterations was reached"));
  EXPECT_THAT(outcome.text, HasSubstr("the layout has not settled"));
  EXPECT_EQ(results()["proof"]["verdict"], "met");
  EXPECT_FALSE(results()["optimise"]["settled"].get<bool>());
  EXPECT_EQ(results()["optimise"]["iterations"], 20);
  EXPECT_THAT(readFile(run() / "report.html"), HasSubstr("the layout has not settled"));
  EXPECT_EQ(tool("proof " + path()).code, 1);
}

// Too little mass for the members asked for: told before the run, and after it with what would do; nothing
// that looks like a part is left.
TEST_F(Tool, endsByNameWhereTheMassCannotHoldTheMembers) {
  brief("mass_fraction = 0.4", "mass_fraction = 0.05");
  const Outcome checked = tool("check " + path());
  EXPECT_EQ(checked.code, 0);
  EXPECT_THAT(checked.text, HasSubstr("a layout will hardly connect below about"));
  const Outcome outcome = tool("run " + path());
  EXPECT_EQ(outcome.code, 3) << outcome.text;
  EXPECT_THAT(outcome.text, HasSubstr("members of 7.5 mm"));
  EXPECT_THAT(outcome.text, HasSubstr("smallest_member"));
  EXPECT_TRUE(fs::exists(run() / "layout.vti"));
  EXPECT_TRUE(fs::exists(run() / "history.csv"));
  EXPECT_TRUE(fs::exists(run() / "checkpoint.bin"));
  EXPECT_FALSE(fs::exists(run() / "solid.stl"));
  const Outcome again = tool("solid " + path());
  EXPECT_EQ(again.code, 3) << "the same end, from what is kept";
  EXPECT_THAT(again.text, HasSubstr("reused"));
  EXPECT_EQ(tool("report " + path()).code, 0);
  EXPECT_THAT(readFile(run() / "report.html"), HasSubstr("members of 7.5 mm"));
}

TEST_F(Tool, saysWhenTheMeshOfTheProofTearsTheMembers) {
  // With the fewer nothing is left; with the more one piece, far too thin.
  for (const auto& [tetrahedra, fault] :
       {std::pair{"1000", "holds 0 % of the solid, in 0 pieces"}, {"2200", "% of the solid, in 1 piece:"}}) {
    brief("tetrahedra = 8000", std::string("tetrahedra = ") + tetrahedra);
    const Outcome outcome = tool("run " + path());
    EXPECT_EQ(outcome.code, 3) << outcome.text;
    EXPECT_THAT(outcome.text, HasSubstr(fault));
    EXPECT_THAT(outcome.text, HasSubstr("members are thinner than it can hold"));
    EXPECT_THAT(outcome.text, HasSubstr(std::string("more tetrahedra than ") + tetrahedra));
    EXPECT_FALSE(results().contains("proof"));
  }
}

TEST_F(Tool, endsAtOnceOnASecondInterrupt) {
  brief("tetrahedra = 8000", "tetrahedra = 2000000");  // meshes it for seconds on end
  const Outcome outcome =
      tool("analyse " + path() + " 2>&1 & pid=$!; while ! [ -e " + (run() / "run.lock").string() +
           " ]; do sleep 0.05; done; sleep 0.3; kill -INT $pid; sleep 0.1; kill -INT $pid; "
           "wait $pid");
  EXPECT_EQ(outcome.code, 128 + SIGINT) << outcome.text;
  EXPECT_THAT(outcome.text, HasSubstr("a second signal ends it at once"));
  EXPECT_FALSE(fs::exists(run() / "block.vtu"));
  brief("", "");
  EXPECT_EQ(tool("analyse " + path()).code, 0) << "the folder is free and whole";
}

TEST_F(Tool, goesOnFromACheckpointToTheSameBits) {
  brief("voxel = \"2.5 mm\"", "voxel = \"1.25 mm\"");
  ASSERT_EQ(tool("optimise " + path() + " --folder " + (folder_ / "whole.run").string()).code, 0);
  const Outcome stopped =
      tool("optimise " + path() + " & pid=$!; while [ $(cat " + (run() / "history.csv").string() +
           " 2>/dev/null | wc -l) -lt 9 ]; do sleep 0.02; done; kill -INT $pid; wait $pid");
  ASSERT_EQ(stopped.code, 3) << stopped.text;
  ASSERT_TRUE(fs::exists(run() / "checkpoint.bin"));
  const Outcome resumed = tool("optimise " + path());
  EXPECT_EQ(resumed.code, 0);
  EXPECT_THAT(resumed.text, HasSubstr("goes on after iteration"));
  EXPECT_EQ(readFile(run() / "layout.vti"), readFile(folder_ / "whole.run" / "layout.vti"));
  EXPECT_FALSE(fs::exists(run() / "checkpoint.bin"));
}

TEST_F(Tool, survivesBeingKilled) {
  brief("voxel = \"2.5 mm\"", "voxel = \"1 mm\"");
  tool("run " + path() + " & pid=$!; while ! [ -s " + (run() / "history.csv").string() +
       " ]; do sleep 0.02; done; kill -KILL $pid; wait $pid");
  brief("",
        "");  // the same folder with another brief: nothing of the killed run may be mistaken for a result
  const Outcome again = tool("run " + path());
  EXPECT_EQ(again.code, 0) << again.text;
  for (const auto& entry : fs::recursive_directory_iterator(run()))
    EXPECT_EQ(entry.path().string().find(".part"), std::string::npos) << entry.path();
}

TEST_F(Tool, letsOneRunAtATimeIntoAFolder) {
  fs::create_directories(run());
  const FileLock lock(run() / "run.lock");
  const Outcome outcome = tool("optimise " + path());
  EXPECT_EQ(outcome.code, 3);
  EXPECT_THAT(outcome.text, HasSubstr("another run is at work in"));
  EXPECT_THAT(outcome.text, HasSubstr("--folder"));
}

TEST_F(Tool, saysWhenTheDiskIsFull) {
  ASSERT_EQ(tool("optimise " + path()).code, 0);
  const std::string layout = readFile(run() / "layout.vti");
  const Outcome outcome = tool("check " + path() + " >/dev/null; ulimit -f 8; " + BARELATTICE_TOOL +
                               " optimise " + path() + " --fresh");
  EXPECT_EQ(outcome.code, 3) << outcome.text;
  EXPECT_THAT(outcome.text, HasSubstr("cannot write"));
  EXPECT_EQ(readFile(run() / "layout.vti"), layout) << "what was there is whole";
  for (const auto& entry : fs::recursive_directory_iterator(run()))
    EXPECT_EQ(entry.path().string().find(".part"), std::string::npos) << entry.path();
}

TEST_F(Tool, leavesFoldersAloneThatAreNoRunFolders) {
  fs::create_directories(folder_ / "iterations");
  writeFile(folder_ / "iterations" / "mine.txt", "mine");
  writeFile(folder_ / "report.html", "mine");
  for (const char* verb : {"check ", "optimise ", "run "}) {
    const Outcome outcome = tool(verb + path() + " --folder " + folder_.string());
    EXPECT_EQ(outcome.code, 2);
    EXPECT_THAT(outcome.text, HasSubstr("holds other files and is no run folder"));
  }
  EXPECT_EQ(readFile(folder_ / "iterations" / "mine.txt"), "mine");
  EXPECT_EQ(readFile(folder_ / "report.html"), "mine");
  fs::create_directories(folder_ / "empty");
  EXPECT_EQ(tool("check " + path() + " --folder " + (folder_ / "empty").string()).code, 0);
  EXPECT_EQ(tool("optimise " + path() + " --folder " + (folder_ / "empty").string()).code, 0)
      << "checked before";
}

TEST_F(Tool, neverWritesOverWhatItsBriefReads) {
  ASSERT_EQ(tool("optimise " + path()).code, 0);
  const std::string layout = readFile(run() / "layout.vti");
  brief("[proof]", "[layout]\nfrom = \"b.run/layout.vti\"\nfield = \"density\"\nunit = \"mm\"\n[proof]");
  const Outcome outcome = tool("optimise " + path());
  EXPECT_EQ(outcome.code, 2);
  EXPECT_THAT(outcome.text, HasSubstr("which the run would overwrite"));
  EXPECT_EQ(readFile(run() / "layout.vti"), layout);
  fs::create_directories(run() / "iterations");
  fs::copy_file(run() / "layout.vti", run() / "iterations" / "far.vti");
  std::string deeper = readFile(folder_ / "b.toml");
  deeper.replace(deeper.find("b.run/layout.vti"), 16, "b.run/iterations/far.vti");
  writeFile(folder_ / "b.toml", deeper);
  EXPECT_EQ(tool("optimise " + path()).code, 2) << "within the folder at any depth";
  EXPECT_EQ(tool("optimise " + path() + " --folder " + (folder_ / "other").string()).code, 0);
}

TEST_F(Tool, saysWhenItsOutputCannotBeWritten) {
  const Outcome outcome = tool("check " + path() + " --json > /dev/full");
  EXPECT_EQ(outcome.code, 3);
}

TEST_F(Tool, tellsErrorsToScriptsToo) {
  brief("\"7.5 mm\"", "\"7,5 mm\"");
  const Outcome outcome = tool("check " + path() + " --json");
  EXPECT_EQ(outcome.code, 2);
  const nlohmann::json told = nlohmann::json::parse(outcome.text.substr(outcome.text.find('{')));
  EXPECT_THAT(told["error"].get<std::string>(), HasSubstr("comma for its decimal point"));
  EXPECT_EQ(told["fix"], "write \"7.5 mm\"");
}

// Names are the user's: whatever stands in them, files stay valid and are read back.
TEST_F(Tool, takesNamesWithMarkupInThem) {
  std::string text = readFile(folder_ / "b.toml");
  for (const auto& [from, to] : {std::pair{"down = ", "'d<o\"w]]>&é' = "},
                                 {"root = { of", "'r<b>\"&' = { of"},
                                 {"root = { face = \"root\"", "'r<b>\"&' = { face = 'r<b>\"&'"}})
    text.replace(text.find(from), std::string(from).size(), to);
  writeFile(folder_ / "b.toml", "title = 'a</script><b>\"&'\n" + text);
  const Outcome outcome = tool("run " + path());
  ASSERT_LE(outcome.code, 1) << outcome.text;
  EXPECT_EQ(results()["proof"]["cases"][0]["name"], "d<o\"w]]>&é");
  EXPECT_THAT(readFile(run() / "proof.vtu"), HasSubstr("d&lt;o&quot;w]]&gt;&amp;é"));
  const std::string page = readFile(run() / "report.html");
  // As far as the page's own program, whose short names may be anything, cannot hold it by accident.
  for (const char* raw : {"<b>", "d<o\"", "a</script>"}) EXPECT_THAT(page, Not(HasSubstr(raw)));
}

TEST_F(Tool, knowsWhatWasMeant) {
  EXPECT_THAT(tool("optimize " + path()).text, HasSubstr("did you mean 'optimise'?"));
  EXPECT_THAT(tool(path()).text, HasSubstr("e.g. barelattice run " + path()));
  EXPECT_EQ(tool(path()).code, 2);
}

// Neither pages nor messages show what belongs to another state of the brief.
TEST_F(Tool, leavesOutWhatBelongsToAnotherStateOfTheBrief) {
  ASSERT_LE(tool("run " + path()).code, 1);
  EXPECT_THAT(readFile(run() / "report.html"), Not(HasSubstr("another state of the brief")));
  brief("[cases]", "[cases]\nup = { loads = { push = -1.0 } }");
  const Outcome analysed = tool("analyse " + path());
  EXPECT_EQ(analysed.code, 0) << analysed.text;
  const Outcome reported = tool("report " + path() + " --json");
  EXPECT_EQ(reported.code, 0) << reported.text;
  const nlohmann::json told = nlohmann::json::parse(reported.text);
  EXPECT_FALSE(told.contains("proof"));
  EXPECT_EQ(told["left_out"], nlohmann::json({"optimise", "solid", "proof"}));
  EXPECT_EQ(told["block"]["cases"].size(), 2U);
  EXPECT_THAT(tool("report " + path()).text, HasSubstr("not shown here: optimise, solid, proof"));
  EXPECT_THAT(readFile(run() / "report.html"), HasSubstr("not shown here: optimise, solid, proof"));
  EXPECT_LE(tool("run " + path()).code, 1);
  EXPECT_EQ(results()["proof"]["cases"].size(), 2U);
}

TEST_F(Tool, writesAFirstBriefOnce) {
  const std::string name = (folder_ / "new.toml").string();
  EXPECT_EQ(tool("new " + name).code, 0);
  EXPECT_EQ(tool("check " + name).code, 0);
  const Outcome again = tool("new " + name);
  EXPECT_EQ(again.code, 2);
  EXPECT_THAT(again.text, HasSubstr("is there already"));
}

TEST_F(Tool, analysesTheBlockAndTheBaselineBesideThePart) {
  brief("voxel = \"2.5 mm\"", "voxel = \"2.5 mm\"\nbaseline = \"old\"");
  std::string text = readFile(folder_ / "b.toml");
  text.replace(text.find("[design]"), 8,
               "old = { box = { from = [\"0 mm\", \"0 mm\", \"5 mm\"], to = [\"60 mm\", \"20 mm\", \"25 "
               "mm\"] } }\n[design]");
  writeFile(folder_ / "b.toml", text);
  const Outcome outcome = tool("run " + path());
  ASSERT_EQ(outcome.code, 0) << outcome.text;
  const nlohmann::json r = results();
  for (const char* body : {"proof", "baseline", "block"}) ASSERT_TRUE(r.contains(body)) << body;
  EXPECT_GT(r["baseline"]["compliance_J"], r["block"]["compliance_J"]);
  EXPECT_NEAR(r["block"]["mass_kg"].get<double>() / (0.06 * 0.02 * 0.03 * 7850), 1, 0.03);
  // Reactions balance the load.
  for (const char* body : {"proof", "baseline", "block"})
    EXPECT_LT(r[body]["cases"][0]["unbalanced_N"].get<double>(), 1);
  const Outcome analysed = tool("analyse " + path());
  EXPECT_EQ(analysed.code, 0);
  EXPECT_THAT(analysed.text, HasSubstr("analyse   reused: block.vtu"));
  EXPECT_TRUE(fs::exists(run() / "analysis.html"));
}

// A brief without target and making is enough to analyse by, and designs nothing. The steel bar of
// 60 x 20 x 20 mm bends first at 3.516 / (2 pi) sqrt(E I / (rho A l^4)), a twentieth less for its shear.
TEST_F(Tool, analysesWithoutADesign) {
  std::string text = kBrief;
  text.erase(text.find("[target]"), text.find("[proof]") - text.find("[target]"));
  writeFile(path(), text);
  const ShapePtr bar = makeBox({0, 0, 0.005}, {0.06, 0.02, 0.025});
  const std::string file = (folder_ / "bar.stl").string();
  writeStl(file, stuff([&](const Vec3& p) { return bar->distance(p); }, bar->bounds(), 0.004).boundary());
  const Outcome outcome = tool("analyse " + path() + " --solid " + file);
  EXPECT_EQ(outcome.code, 0) << outcome.text;
  const nlohmann::json r = results();
  ASSERT_TRUE(r.contains("block") && r.contains("outside"));
  EXPECT_FALSE(r.contains("layout"));
  const double pi = std::numbers::pi;
  const double bending = 3.516 / (2 * pi) * std::sqrt(205e9 * 0.02 * 0.02 / 12 / 7850) / (0.06 * 0.06);
  const nlohmann::json lowest = r["outside"]["frequencies"][0]["lowest_Hz"];
  ASSERT_EQ(lowest.size(), 3U);
  EXPECT_NEAR(lowest[0]["value"].get<double>() / bending, 0.95, 0.03);
  EXPECT_TRUE(fs::exists(run() / "analysis.html"));
  EXPECT_THAT(readFile(run() / "outside.vtu"), HasSubstr("Name=\"mode 3\""));
  for (const char* verb : {"run ", "optimise ", "solid ", "proof "}) {
    const Outcome designed = tool(verb + path());
    EXPECT_EQ(designed.code, 2) << verb << designed.text;
    EXPECT_THAT(designed.text, HasSubstr("neither [target] nor [making]")) << verb;
  }
  EXPECT_EQ(tool("analyse " + path() + " --solid /nowhere.stl").code, 2);
}

// Two bars end to end, 10 mm apart, and what joins them: both are analysed, and in series they are as soft as
// both.
TEST_F(Tool, analysesBodiesThatAreJoined) {
  writeFile(path(), R"([material]
use = "steel"
[shapes]
near = { box = { from = ["0 mm", "0 mm", "0 mm"], to = ["40 mm", "20 mm", "20 mm"] } }
far = { box = { from = ["50 mm", "0 mm", "0 mm"], to = ["110 mm", "20 mm", "20 mm"] } }
space = { union = ["near", "far"] }
[design]
space = "space"
[faces]
root = { of = "near", kind = "plane", facing = "-x" }
left = { of = "near", kind = "plane", facing = "+x" }
right = { of = "far", kind = "plane", facing = "-x" }
tip = { of = "far", kind = "plane", facing = "+x" }
[supports]
root = { face = "root", hold = ["x"] }
rail = { face = "root", springs = { slide = "rigid", turn = "rigid" } }
[loads]
pull = { face = "tip", force = ["20 kN", "0 N", "0 N"] }
[connections]
link = { between = ["left", "right"], slide = "100 kN/mm", turn = "rigid" }
[cases]
pull = { loads = { pull = 1.0 } }
[proof]
tetrahedra = 20000
frequencies = 0
)");
  const Outcome outcome = tool("analyse " + path());
  EXPECT_EQ(outcome.code, 0) << outcome.text;
  EXPECT_THAT(outcome.text, Not(HasSubstr("left out")));
  EXPECT_THAT(outcome.text, Not(HasSubstr("not joined")));
  EXPECT_THAT(outcome.text, Not(HasSubstr("are kept"))) << "nothing is designed";
  const nlohmann::json block = results()["block"];
  EXPECT_NEAR(block["mass_kg"].get<double>() / (0.1 * 0.02 * 0.02 * 7850), 1, 1e-3);
  const double softness = 0.1 / (205e9 * 0.02 * 0.02) + 1 / 1e8;
  EXPECT_NEAR(block["cases"][0]["face_displacement_mm"]["tip"][0].get<double>() / (1e3 * 20e3 * softness), 1,
              0.01);
}

TEST_F(Tool, goesOnWithHalfAJobToTheSameBits) {
  brief("smallest_member", "mirror = { across = \"y\", at = \"10 mm\", half = true }\nsmallest_member");
  std::string text = readFile(path());
  text.replace(text.find("[proof]"), 7, "[optimise]\niterations = 9\n[proof]");
  writeFile(path(), text);
  tool("optimise " + path());
  text.replace(text.find("iterations = 9"), 14, "iterations = 16");
  writeFile(path(), text);
  const Outcome resumed = tool("optimise " + path());
  EXPECT_THAT(resumed.text, HasSubstr("goes on after iteration 9"));
  const std::string layout = readFile(run() / "layout.vti");
  tool("optimise " + path() + " --fresh");
  EXPECT_EQ(readFile(run() / "layout.vti"), layout);
}

TEST_F(Tool, provesASolidFromOutsideUnderTheSameBrief) {
  const ShapePtr bar = makeBox({0, 0, 0.005}, {0.06, 0.02, 0.025});
  const std::string file = (folder_ / "bar.stl").string();
  writeStl(file, stuff([&](const Vec3& p) { return bar->distance(p); }, bar->bounds(), 0.004).boundary());
  const Outcome outcome = tool("proof " + path() + " --solid " + file);
  EXPECT_EQ(outcome.code, 0) << outcome.text;
  EXPECT_THAT(outcome.text, HasSubstr("bar.stl"));
  const nlohmann::json r = results();
  EXPECT_FALSE(r.contains("solid")) << "the run's own steps are left alone";
  // A cantilever of 60 x 20 x 20 mm under 1 kN at its end: F l^3 / 3 E I with a tenth for shear and the mesh.
  const double inertia = 0.02 * std::pow(0.02, 3) / 12;
  const double deflection = 1e3 * 1e3 * std::pow(0.06, 3) / (3 * 205e9 * inertia);
  EXPECT_NEAR(r["outside"]["cases"][0]["face_displacement_mm"]["tip"][2].get<double>() / -deflection, 1.1,
              0.12);
  EXPECT_EQ(tool("proof " + path() + " --solid /nowhere.stl").code, 2);
  const ShapePtr elsewhere = makeBox({1, 0, 0}, {1.1, 0.1, 0.1});
  writeStl(
      file,
      stuff([&](const Vec3& p) { return elsewhere->distance(p); }, elsewhere->bounds(), 0.02).boundary());
  const Outcome far = tool("proof " + path() + " --solid " + file);
  EXPECT_EQ(far.code, 2);
  EXPECT_THAT(far.text, HasSubstr("nothing of that is on the solid"));
}

TEST_F(Tool, worksNearAPartThatLiesFarFromTheOrigin) {
  const auto near = [&] {
    EXPECT_EQ(tool("run " + path()).code, 0);
    return results();
  }();
  std::string text;
  std::size_t copied = 0;
  const std::regex place("\\[\"(\\d+) mm\", \"(\\d+) mm");
  for (std::sregex_iterator found(kBrief.begin(), kBrief.end(), place), end; found != end; ++found) {
    const auto at = static_cast<std::size_t>(found->position());
    text += kBrief.substr(copied, at - copied) + fmt::format("[\"{} mm\", \"{} mm",
                                                             100000 + std::stoi(found->str(1)),
                                                             std::stoi(found->str(2)) - 50000);
    copied = at + static_cast<std::size_t>(found->length());
  }
  text += kBrief.substr(copied);
  writeFile(path(), text);
  const Outcome outcome = tool("run " + path());
  EXPECT_EQ(outcome.code, 0) << outcome.text;
  EXPECT_THAT(outcome.text, HasSubstr("relative to (100000, -50000, 0) mm"));
  const nlohmann::json far = results();
  for (const char* figure : {"mass_kg", "compliance_J"})
    EXPECT_NEAR(far["proof"][figure].get<double>() / near["proof"][figure].get<double>(), 1, 0.002);
  EXPECT_LT(readStl(run() / "solid.stl").bounds().max().norm(), 0.1);
  // The part goes through CAD and comes back counting from either place.
  const TriangleMesh part = readStl(run() / "solid.stl");
  for (const Vec3& shift : {Vec3(0, 0, 0), Vec3(100, -50, 0)}) {
    writeStl(folder_ / "back.stl", part.moved(shift));
    const Outcome back = tool("proof " + path() + " --solid " + (folder_ / "back.stl").string());
    EXPECT_NE(back.code, 2) << back.text;
    EXPECT_NEAR(
        results()["outside"]["compliance_J"].get<double>() / far["proof"]["compliance_J"].get<double>(), 1,
        0.03);
  }
}

TEST_F(Tool, writesEveryFormatAsked) {
  brief("[proof]", "[solid]\nformats = [\"3mf\", \"obj\", \"ply\"]\n[proof]");
  ASSERT_EQ(tool("solid " + path()).code, 0);
  for (const char* name : {"solid.stl", "solid.3mf", "solid.obj", "solid.ply"})
    EXPECT_TRUE(fs::exists(run() / name)) << name;
}

TEST_F(Tool, logsEveryIterationWhenPlain) {
  const Outcome outcome = tool("optimise " + path() + " --plain");
  EXPECT_THAT(outcome.text, HasSubstr("iteration   2   compliance"));
  EXPECT_THAT(outcome.text, HasSubstr("iteration   3   compliance"));
}

TEST_F(Tool, saysWhenTheFolderCannotBeMade) {
  writeFile(folder_ / "b.run", "a file where the folder should be");
  const Outcome outcome = tool("optimise " + path());
  EXPECT_EQ(outcome.code, 3);
  EXPECT_THAT(outcome.text, HasSubstr("cannot make the run folder"));
}

TEST_F(Tool, startsOverFromADamagedResultFile) {
  fs::create_directories(run());
  writeFile(run() / "run.lock", "");
  writeFile(run() / "results.json", "{ half");
  const Outcome outcome = tool("optimise " + path());
  EXPECT_EQ(outcome.code, 0) << outcome.text;
  EXPECT_THAT(outcome.text, HasSubstr("results.json is damaged"));
}

// A layout that somebody else put there, and a figure somebody changed: neither is taken for a result, the
// layout is not lost, and the same comes out again.
TEST_F(Tool, takesNothingForAResultThatItDidNotWrite) {
  ASSERT_EQ(tool("run " + path()).code, 0);
  const std::string layout = readFile(run() / "layout.vti");
  const std::string results = readFile(run() / "results.json");
  const std::string key = "\"compliance_J\": ";
  std::string forged = results;
  char& digit = forged[forged.find(key) + key.size() + 3];
  digit = digit == '7' ? '8' : '7';
  writeFile(run() / "results.json", forged);
  EXPECT_THAT(tool("report " + path()).text, HasSubstr("results.json was changed since it was written"));
  const nlohmann::json spaced = nlohmann::json::parse(results);  // the same in another form is the same
  writeFile(run() / "results.json", spaced.dump());
  EXPECT_THAT(tool("optimise " + path()).text, HasSubstr("reused"));

  const fs::path other = folder_ / "other.run";
  ASSERT_EQ(tool("optimise " + path() + " --quick --folder " + other.string()).code, 0);
  fs::copy_file(other / "layout.vti", run() / "layout.vti", fs::copy_options::overwrite_existing);
  const Outcome outcome = tool("solid " + path());
  EXPECT_EQ(outcome.code, 0) << outcome.text;
  EXPECT_THAT(outcome.text, HasSubstr("layout.vti is not as the run wrote it (moved to layout.changed.vti)"));
  EXPECT_EQ(readFile(run() / "layout.vti"), layout);
  EXPECT_EQ(readFile(run() / "layout.changed.vti"), readFile(other / "layout.vti"));
  writeFile(run() / "layout.vti", "another");
  EXPECT_THAT(tool("solid " + path()).text, HasSubstr("moved to layout.changed-2.vti"));
  EXPECT_EQ(readFile(run() / "layout.changed.vti"), readFile(other / "layout.vti")) << "nothing is lost";
}

// An existing design may be larger than the space: all of it is analysed.
TEST_F(Tool, analysesABaselineThatSticksOutOfTheSpace) {
  std::string text = readFile(path());
  const std::string from = "[design]";
  text.replace(
      text.find(from), from.size(),
      "old = { box = { from = [\"0 mm\", \"-50 mm\", \"0 mm\"], to = [\"60 mm\", \"70 mm\", \"30 mm\"] } }\n"
      "[design]");
  writeFile(path(), "baseline = \"old\"\n" + text);
  const Outcome outcome = tool("analyse " + path());
  EXPECT_EQ(outcome.code, 0) << outcome.text;
  EXPECT_NEAR(results()["baseline"]["mass_kg"].get<double>() / (0.06 * 0.12 * 0.03 * 7850), 1, 0.01);
}

// A run folder of another version may hold anything under any key.
TEST_F(Tool, usesNoResultsOfAnotherVersion) {
  ASSERT_EQ(tool("run " + path()).code, 0);
  for (const char* stamp : {"\"0\"", "7", "null"}) {
    writeFile(run() / "results.json", std::string("{ \"method\": ") + stamp +
                                          ", \"optimise\": {}, \"proof\": { \"requirements\": [{}] } }");
    const Outcome outcome = tool("report " + path());
    EXPECT_THAT(outcome.text, HasSubstr("results are those of another version"));
    EXPECT_THAT(outcome.text, ::testing::Not(HasSubstr("json")));
  }
  const Outcome again = tool("run " + path());
  EXPECT_EQ(again.code, 0) << again.text;
  EXPECT_THAT(again.text, ::testing::Not(HasSubstr("reused")));
}

TEST_F(Tool, takesOverALayoutFromElsewhere) {
  std::string csv = "x,y,z,rho\n";
  const auto centre = [](int n) { return 2.5 * (n + 0.5); };
  for (int z = 0; z < 12; ++z)
    for (int y = 0; y < 8; ++y)
      for (int x = 0; x < 24; ++x)
        csv += fmt::format("{},{},{},{}\n", centre(x), centre(y), centre(z),
                           std::abs(centre(z) - 15) < 7 ? 1.0 : 0.05);
  writeFile(folder_ / "given.csv", csv);
  brief("[proof]", "[layout]\nfrom = \"given.csv\"\nfield = \"rho\"\nunit = \"mm\"\n[proof]");
  const Outcome outcome = tool("run " + path());
  EXPECT_EQ(outcome.code, 0) << outcome.text;
  EXPECT_THAT(outcome.text, HasSubstr("samples of \"rho\" every 2.5 mm"));
  const nlohmann::json r = results();
  const nlohmann::json& taken = r["optimise"]["imported"];
  EXPECT_NEAR(taken["mass_taken_kg"].get<double>() / taken["mass_given_kg"].get<double>(), 1, 1e-6);
  EXPECT_NEAR(r["solid"]["mass_kg"].get<double>() / r["solid"]["wanted_mass_kg"].get<double>(), 1, 3e-3);
  EXPECT_TRUE(fs::exists(run() / "report.html"));
  EXPECT_THAT(tool("solid " + path()).text, HasSubstr("reused"));
  writeFile(folder_ / "given.csv", csv + "1,1,1,0.5\n");
  EXPECT_THAT(tool("optimise " + path()).text, HasSubstr("samples of")) << "another file is another layout";
  fs::remove(folder_ / "given.csv");
  EXPECT_EQ(tool("optimise " + path()).code, 2);
}

// Meshes bridge a saw cut much narrower than their cells: what hangs together there proves nothing.
TEST_F(Tool, neverCallsASawnThroughPartMet) {
  const ShapePtr root = makeBox({0, 0, 0}, {0.03, 0.02, 0.03});
  const ShapePtr end = makeBox({0.0304, 0, 0}, {0.06, 0.02, 0.03});
  TriangleMesh both =
      stuff([&](const Vec3& p) { return root->distance(p); }, root->bounds(), 0.004).boundary();
  const TriangleMesh other =
      stuff([&](const Vec3& p) { return end->distance(p); }, end->bounds(), 0.004).boundary();
  const int first = static_cast<int>(both.vertices.size());
  both.vertices.insert(both.vertices.end(), other.vertices.begin(), other.vertices.end());
  for (const auto& t : other.triangles) both.triangles.push_back({t[0] + first, t[1] + first, t[2] + first});
  const std::string file = (folder_ / "sawn.stl").string();
  writeStl(file, both);
  const Outcome outcome = tool("proof " + path() + " --solid " + file);
  EXPECT_EQ(outcome.code, 1) << outcome.text;
  EXPECT_THAT(outcome.text, HasSubstr("verdict: inconclusive"));
  EXPECT_THAT(outcome.text, HasSubstr("2 bodies"));
  EXPECT_THAT(outcome.text, HasSubstr("lacks material of keep"));
  EXPECT_EQ(tool("report " + path()).code, 0);
  EXPECT_THAT(readFile(run() / "report.html"), HasSubstr("2 bodies"));
}

// Walls that no mesh of the wanted size can hold: refused, whether it holds some of them or nothing.
TEST_F(Tool, refusesWallsThinnerThanItsMeshes) {
  for (const double wall : {0.0002, 0.001}) {
    TriangleMesh shell;
    for (const double inset : {0.0, wall}) {
      const Vec3 low = Vec3::Constant(inset);
      const Vec3 high = Vec3(0.06, 0.02, 0.03) - low;
      const int first = static_cast<int>(shell.vertices.size());
      for (int k = 0; k < 8; ++k)
        shell.vertices.emplace_back(k & 1 ? high.x() : low.x(), k & 2 ? high.y() : low.y(),
                                    k & 4 ? high.z() : low.z());
      const int quads[6][4] = {{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4},
                               {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}};
      for (const auto& q : quads)
        for (const std::array<int, 3> t : {std::array{q[0], q[1], q[2]}, std::array{q[0], q[2], q[3]}})
          shell.triangles.push_back(inset > 0 ? std::array{first + t[0], first + t[2], first + t[1]}
                                              : std::array{first + t[0], first + t[1], first + t[2]});
    }
    const std::string file = (folder_ / "shell.stl").string();
    writeStl(file, shell);
    const Outcome outcome = tool("proof " + path() + " --solid " + file);
    EXPECT_EQ(outcome.code, 3) << outcome.text;
    EXPECT_THAT(outcome.text, HasSubstr("members are thinner than it can hold"));
  }
}

TEST_F(Tool, inspectsFilesForPeopleAndForScripts) {
  const std::string step = BARELATTICE_EXAMPLES "/step/hub.step";
  Outcome outcome = tool("inspect " + step);
  if (outcome.text.find("barelattice-cad is missing") != std::string::npos) GTEST_SKIP();
  EXPECT_EQ(outcome.code, 0);
  EXPECT_THAT(outcome.text, HasSubstr("part = { cad = { file = \"hub.step\" } }"));
  EXPECT_THAT(outcome.text, HasSubstr("cylinder hole, radius 20 mm"));
  outcome = tool("inspect --json " + step);
  const nlohmann::json json = nlohmann::json::parse(outcome.text);
  EXPECT_EQ(json["solids"][0]["faces"].size(), 28U);
  EXPECT_NEAR(json["solids"][0]["high_mm"][0].get<double>(), 90, 1e-3);
  EXPECT_EQ(tool("inspect missing.step").code, 2);
  EXPECT_EQ(tool("inspect " + path()).code, 2) << "a brief is no geometry";
  writeFile(folder_ / "open.stl",
            "solid a\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendsolid a\n");
  outcome = tool("inspect " + (folder_ / "open.stl").string());
  EXPECT_EQ(outcome.code, 2);
  EXPECT_THAT(outcome.text, HasSubstr("3 x open edge"));
}

TEST_F(Tool, provesAPartRebuiltInCad) {
  const std::string brief = BARELATTICE_EXAMPLES "/step/arm.toml";
  const Outcome alone =
      tool("proof " + brief + " --solid " + BARELATTICE_EXAMPLES "/step/arm.step --folder " + run().string());
  if (alone.text.find("barelattice-cad is missing") != std::string::npos) GTEST_SKIP();
  EXPECT_EQ(alone.code, 2) << "two solids";
  EXPECT_THAT(alone.text, HasSubstr("holds 2 solids; one is proved"));
  const Outcome hub = tool("proof " BARELATTICE_EXAMPLES "/step/hub.toml --solid " BARELATTICE_EXAMPLES
                           "/step/hub.step --folder " +
                           run().string());
  EXPECT_EQ(hub.code, 0) << hub.text;
  EXPECT_NEAR(results()["outside"]["mass_kg"].get<double>(), 594356e-9 * 2700, 0.01 * 1.605);
}

}  // namespace
}  // namespace barelattice
