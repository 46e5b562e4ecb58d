// The library within another program: what lives how long, what threads may share, how a step is stopped, a
// job without a folder, and numbers under another language.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <atomic>
#include <barelattice/barelattice.hpp>
#include <clocale>
#include <cstdlib>
#include <locale>
#include <thread>

#include "support/bracket.hpp"
#include "support/brief.hpp"
#include "support/grids.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using ::testing::HasSubstr;

// A problem shares what it needs of the job and the domain it came from.
TEST(Lifetimes, problemsOutliveWhatTheyWereMadeFrom) {
  const LayoutProblem<3> problem = prepare(parseBrief(firstBrief(), "first.toml"), 3).layoutProblem<3>();
  OptimiseOptions options;
  options.maxIterations = 1;
  EXPECT_EQ(optimiseLayout<3>(problem, options).history.size(), 1U);

  struct Both {
    Domain<3> domain;
    DensityFilter<3> filter;
  };
  const auto made = [] {
    Regions regions;
    regions.space = makeBox({0, 0, 0}, {1, 1, 1});
    Domain<3> domain = sampleRegions<3>(regions, 0.25);
    DensityFilter<3> filter(domain.grid, domain.fill, 0.5, FilterBoundary::reflecting);
    return Both{std::move(domain), std::move(filter)};
  };
  const Both both = made();
  std::vector<double> out(both.domain.fill.size());
  both.filter.forward(both.domain.fill, out);
  EXPECT_NEAR(out[0], 1, 1e-12);

  const Implicit solid = [] {
    Regions regions;
    regions.space = makeSphere({0, 0, 0}, 1);
    const Domain<3> domain = sampleRegions<3>(regions, 0.25);
    return solidFunction(SmoothLayout(domain, std::vector<double>(domain.fill.size(), 1.0), 1), regions, 0.5);
  }();
  EXPECT_NEAR(solid({2, 0, 0}), 1, 1e-12);

  ElasticModel<3> model = [] {
    const Grid<3> grid = testing::boxGrid<3>({4, 2, 2});
    return ElasticModel<3>(grid, {"plain", 1, 0.3, 1, 1},
                           testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; }));
  }();
  std::vector<double> u(model.size(), 0.0);
  EXPECT_TRUE(model.solve({{model.size() - 1, 1.0}}, u, {}).succeeded());
}

static_assert(!std::is_copy_constructible_v<IterationView> && !std::is_move_constructible_v<IterationView>,
              "what a callback sees does not leave it");
static_assert(!std::is_constructible_v<TriangleTree, TriangleMesh>, "nor does a tree outlive its mesh");

// const means that several threads may call.
TEST(Threads, constantObjectsMayBeShared) {
  const testing::Bracket bracket;
  const LayoutProblem<3>& problem = bracket.problem;
  const std::size_t cells = problem.fill.size();
  MakingMaps maps = mapsOf<3>(problem.making, problem.grid, problem.fill, {}, {});
  maps.level.append(std::make_shared<Projection>(4));
  const ShapePtr shape = makeMeshShape(dualContour(*makeTorus({0, 0, 0}, {0, 0, 1}, 3, 1), 0.25));
  std::vector<double> x(cells);
  for (std::size_t c = 0; c < cells; ++c) x[c] = 0.5 + 0.4 * std::sin(static_cast<double>(c));
  const std::vector<double> forward = maps.level.forward(x);
  const std::vector<double> backward = maps.level.backward(x, forward);
  std::vector<double> distances;
  for (int i = 0; i < 200; ++i) distances.push_back(shape->distance(Vec3(0.02 * i, 0.01 * i, 0.3)));
  std::atomic<int> wrong{0};
  const auto work = [&] {
    for (int round = 0; round < 100; ++round) {
      wrong += maps.level.forward(x) != forward;
      wrong += maps.level.backward(x, forward) != backward;
      for (int i = 0; i < 200; ++i)
        wrong += shape->distance(Vec3(0.02 * i, 0.01 * i, 0.3)) != distances[static_cast<std::size_t>(i)];
    }
  };
  std::vector<std::thread> threads;
  for (int t = 0; t < 4; ++t) threads.emplace_back(work);
  for (std::thread& thread : threads) thread.join();
  EXPECT_EQ(wrong, 0);
}

TEST(Threads, designsSideBySideAreTheSame) {
  const testing::Bracket bracket;
  OptimiseOptions options;
  options.maxIterations = 8;
  const OptimiseResult alone = optimiseLayout<3>(bracket.problem, options);
  OptimiseResult first, second;
  std::thread one([&] { first = optimiseLayout<3>(bracket.problem, options); });
  std::thread two([&] { second = optimiseLayout<3>(bracket.problem, options); });
  one.join();
  two.join();
  EXPECT_EQ(first.density, alone.density);
  EXPECT_EQ(second.density, alone.density);
}

TEST(Threads, callbacksRunOnTheThreadThatCalled) {
  const testing::Bracket bracket;
  OptimiseOptions options;
  options.maxIterations = 2;
  const std::thread::id here = std::this_thread::get_id();
  bool same = true;
  int asked = 0;
  options.progress = [&](const Progress&) {
    same = same && std::this_thread::get_id() == here;
    ++asked;
    return true;
  };
  optimiseLayout<3>(bracket.problem, options, [&](const IterationView&) {
    same = same && std::this_thread::get_id() == here;
    return true;
  });
  EXPECT_TRUE(same);
  EXPECT_GT(asked, 50) << "within solves too";
}

// A solve is asked twice an iteration whether to go on, and stops there.
TEST(Cancelling, reachesIntoSolves) {
  const Grid<3> grid = testing::boxGrid<3>({24, 12, 12});
  ElasticModel<3> model(grid, {"plain", 1, 0.3, 1, 1},
                        testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; }));
  std::vector<double> u(model.size(), 0.0);
  SolveOptions options;
  int asked = 0;
  options.goOn = [&] { return ++asked < 1000; };
  const SolveReport whole = model.solve({{model.size() - 1, 1.0}}, u, options);
  EXPECT_GE(asked, 2 * whole.iterations);
  asked = 990;
  std::fill(u.begin(), u.end(), 0.0);
  EXPECT_THROW(model.solve({{model.size() - 1, 1.0}}, u, options), Cancelled);
  EXPECT_EQ(asked, 1000);
}

TEST(Cancelling, meansTheSameEverywhere) {
  const testing::Bracket bracket;
  OptimiseOptions options;
  int asked = 0;
  options.progress = [&](const Progress&) { return ++asked < 30; };
  EXPECT_THROW(optimiseLayout<3>(bracket.problem, options), Cancelled);
  options.progress = {};
  int iterations = 0;
  EXPECT_THROW(
      optimiseLayout<3>(bracket.problem, options, [&](const IterationView&) { return ++iterations < 2; }),
      Cancelled);

  Job job = prepare(parseBrief(testing::kBrief, "b.toml"));
  const auto none = [](const Progress&) { return false; };
  EXPECT_THROW(carryOut(job, {}, none), Cancelled);
  EXPECT_THROW(proveBlock(job, none), Cancelled);
  asked = 0;
  EXPECT_THROW(proveBlock(job, [&](const Progress& p) { return p.stage == "meshing" || ++asked < 9; }),
               Cancelled);
  EXPECT_EQ(asked, 9) << "within its solve";
  // What a callback throws passes through.
  struct Own {};
  EXPECT_THROW(optimiseLayout<3>(bracket.problem, options, [](const IterationView&) -> bool { throw Own(); }),
               Own);
  EXPECT_THROW(proveBlock(job, [](const Progress&) -> bool { throw Own(); }), Own);
}

// The job in memory is the job in a folder.
TEST(InMemory, isTheSameAsInAFolder) {
  const Job job = prepare(parseBrief(testing::kBrief, "b.toml"));
  const JobResult memory = carryOut(job);
  std::filesystem::remove_all(ownFolder() / "b.run");  // of an earlier time: figures read back are rounded
  JobRun run(job, ownFolder() / "b.run");
  run.proof();
  const RunRecord& folder = run.record();
  EXPECT_EQ(memory.layout.record.mass, folder.layout->mass);
  EXPECT_EQ(memory.layout.record.design->compliance, folder.layout->design->compliance);
  EXPECT_EQ(memory.solid.record.threshold, folder.solid->threshold);
  EXPECT_EQ(memory.solid.record.volume, folder.solid->volume);
  EXPECT_EQ(memory.proof.record.tetrahedra, folder.proof->tetrahedra);
  EXPECT_NEAR(memory.proof.record.compliance / folder.proof->compliance, 1, 1e-9);
  EXPECT_EQ(memory.proof.record.verdict, folder.proof->verdict);
  EXPECT_EQ(memory.proof.mesh->tets().size(), memory.proof.record.tetrahedra);
}

/// As much of the world writes: 3,14 and 1.000.
struct Comma : std::numpunct<char> {
  char do_decimal_point() const override { return ','; }
  char do_thousands_sep() const override { return '.'; }
  std::string do_grouping() const override { return "\3"; }
};

/// Makes the language of the whole program another one for its lifetime.
class OtherLanguage {
 public:
  OtherLanguage() : before_(std::locale::global(std::locale(std::locale::classic(), new Comma))) {
    // That of C as well, where it can be made.
    const std::filesystem::path folder = ownFolder();
    const std::string made =
        "localedef -i de_DE -f UTF-8 " + (folder / "de_DE.UTF-8").string() + " >/dev/null 2>&1";
    if (std::system(made.c_str()) == 0) {
      ::setenv("LOCPATH", folder.c_str(), 1);
      ofC_ = std::setlocale(LC_ALL, "de_DE.UTF-8") != nullptr;
    }
  }
  ~OtherLanguage() {
    std::locale::global(before_);
    std::setlocale(LC_ALL, "C");
    ::unsetenv("LOCPATH");
  }
  bool ofC() const { return ofC_; }

 private:
  std::locale before_;
  bool ofC_ = false;
};

TEST(Language, ofTheProgramDoesNotTouchNumbers) {
  const std::filesystem::path folder = ownFolder();
  const ShapePtr body = makeBox({0.0015, 0, 0}, {1.25, 0.5, 0.75});
  const TriangleMesh mesh =
      stuff([&](const Vec3& p) { return body->distance(p); }, body->bounds(), 0.2).boundary();
  const std::string text(firstBrief());
  const double mass = prepare(parseBrief(text, "first.toml"), 3).targetMass;
  const std::string stl =
      "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1.5 0 0\nvertex 0 1000.25 0\n"
      "endloop\nendfacet\nendsolid a\n";
  const std::string ply =
      "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float "
      "z\nelement face 1\n"
      "property list uchar int vertex_indices\nend_header\n0 0 0\n1.5 0 0\n0 1000.25 +0\n3 0 1 2\n";
  const std::string obj = "v 0 0 0\nv 1.5 0 0\nv 0 1000.25 0\nf 1 2 3\n";
  std::string csv = "x,y,z,density\n";
  for (int i = 0; i < 8; ++i)
    csv += std::string(i & 1 ? "1.5" : "0.5") + (i & 2 ? ",1.25" : ",2.25") + (i & 4 ? ",0" : ",1e0") +
           (i == 1 ? ",1e-3\n" : ",0.75\n");

  const OtherLanguage other;
  if (!other.ofC()) GTEST_LOG_(INFO) << "no other language of C here: only that of C++ streams is tried";
  EXPECT_NEAR(prepare(parseBrief(text, "first.toml"), 3).targetMass, mass, 1e-12);
  for (const auto& [bytes, format] :
       {std::pair{stl, MeshFormat::stl}, {ply, MeshFormat::ply}, {obj, MeshFormat::obj}}) {
    const TriangleMesh read = parseMesh(bytes, format, "a", 1);
    EXPECT_NEAR(read.area(), 1.5 * 1000.25 / 2, 1e-9);
  }
  const DensitySamples samples = parseDensity(csv, "a.csv", "density", 1);
  EXPECT_EQ(samples.values[0], 0.75);
  EXPECT_EQ(samples.values[1], 1e-3);
  EXPECT_EQ(samples.places[1], Vec3(1.5, 2.25, 1));
  for (const std::string& format : meshFormatNames()) {
    const std::filesystem::path file = folder / ("mesh." + format);
    writeMesh(file, mesh, meshFormatOf(file));
    EXPECT_NEAR(readMesh(file).volume() / mesh.volume(), 1, 1e-5) << format;
  }
  CellImage image = imageOf(testing::boxGrid<3>({2, 2, 2}, 1.5e-3), 0);
  image.fields = {{"density", std::vector<float>(8, 0.25F)}};
  writeVti(folder / "a.vti", image);
  EXPECT_NEAR(readVti(folder / "a.vti").frame.size, 1.5e-3, 1e-15);
  EXPECT_THAT(readFile(folder / "a.vti"), HasSubstr("Spacing=\"1.5 1.5 1.5\""));
  EXPECT_THAT(placeText({0.0125, 0, 1}), HasSubstr("12.5"));
}

}  // namespace
}  // namespace barelattice
