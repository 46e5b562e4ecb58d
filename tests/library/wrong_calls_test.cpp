// Every door of the library, knocked at wrongly in each way its docstring excludes: an answer that names the
// fault, never a crash, never a silent result. Meant to be run under the sanitizers as well.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <barelattice/barelattice.hpp>
#include <cmath>
#include <functional>
#include <limits>

#include "support/bracket.hpp"
#include "support/grids.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using ::testing::HasSubstr;
using Acting = Setup;  // which within a test means another thing

constexpr double kNan = std::numeric_limits<double>::quiet_NaN();
constexpr double kInfinite = std::numeric_limits<double>::infinity();

/// The call is refused as the caller's fault, in words that hold `word`.
void refuses(const std::string& word, const std::function<void()>& call) {
  try {
    call();
    ADD_FAILURE() << "accepted; should have spoken of \"" << word << "\"";
  } catch (const InputError& error) {
    EXPECT_THAT(std::string(error.what()), HasSubstr(word));
  } catch (const std::exception& other) {
    ADD_FAILURE() << "threw something else: " << other.what();
  }
}

TEST(WrongCalls, threads) {
  refuses("threads", [] { ThreadLimit(0); });
}

TEST(WrongCalls, grids) {
  using Frame = GridFrame<3>;
  const std::vector<std::uint8_t> eight(8, 1);
  refuses("inDomain has 7", [] { Grid<3>(Frame{{0, 0, 0}, 1, {2, 2, 2}}, std::vector<std::uint8_t>(7, 1)); });
  refuses("size of a cell", [&] { Grid<3>(Frame{{0, 0, 0}, 0, {2, 2, 2}}, eight); });
  refuses("size of a cell", [&] { Grid<3>(Frame{{0, 0, 0}, kNan, {2, 2, 2}}, eight); });
  refuses("origin", [&] { Grid<3>(Frame{{0, kNan, 0}, 1, {2, 2, 2}}, eight); });
  refuses("cells along an axis", [&] { Grid<3>(Frame{{0, 0, 0}, 1, {2, -2, 2}}, eight); });
  refuses("2^32", [&] { Grid<3>(Frame{{0, 0, 0}, 1, {100000, 100000, 100000}}, eight); });
  const Grid<3> grid = testing::boxGrid<3>({2, 2, 2});
  refuses("chosen has 3", [&] { findPieces(grid, std::vector<std::uint8_t>(3, 1)); });
}

TEST(WrongCalls, domains) {
  const ShapePtr box = makeBox({0, 0, 0}, {1, 1, 1});
  refuses("space", [] { sampleRegions<3>({}, 0.1); });
  refuses("a keep", [&] { sampleRegions<3>({box, {nullptr}, {}}, 0.1); });
  refuses("a clear", [&] { sampleRegions<3>({box, {}, {nullptr}}, 0.1); });
  refuses("shape of a region", [&] { sampleRegions<3>({box, {}, {}, {{nullptr, 1}}}, 0.1); });
  refuses("material of a region", [&] { sampleRegions<3>({box, {}, {}, {{box, 0}}}, 0.1); });
  refuses("material of a region", [&] { sampleRegions<3>({box, {}, {}, {{box, 300}}}, 0.1); });
  refuses("thickness", [&] { sampleRegions<2>({box, {}, {}}, 0.1); });
  refuses("thickness", [&] { sampleRegions<3>({box, {}, {}, {}, -1}, 0.1); });
  for (const double size : {0.0, -1.0, kNan, kInfinite})
    refuses("size of a cell", [&] { sampleRegions<3>({box, {}, {}}, size); });
  refuses("place between cells", [&] { sampleRegions<3>({box, {}, {}}, 0.1, BetweenCells{kNan}); });
}

TEST(WrongCalls, maps) {
  const Grid<3> grid = testing::boxGrid<3>({4, 3, 2});
  const std::vector<double> ones(grid.cellCount(), 1.0);
  std::vector<double> out(grid.cellCount());
  std::vector<double> few(3, 1.0);
  const auto reflecting = FilterBoundary::reflecting;
  refuses("fill has 3", [&] { DensityFilter<3>(grid, few, 2, reflecting); });
  refuses("fill[0]", [&] { DensityFilter<3>(grid, std::vector<double>(24, 0.0), 2, reflecting); });
  refuses("fill[0]", [&] { DensityFilter<3>(grid, std::vector<double>(24, kNan), 2, reflecting); });
  refuses("radius", [&] { DensityFilter<3>(grid, ones, -2, reflecting); });
  refuses("radius", [&] { DensityFilter<3>(grid, ones, kNan, reflecting); });
  refuses("attached has 2", [&] { DensityFilter<3>(grid, ones, 2, reflecting, {1, 1}); });
  const DensityFilter<3> filter(grid, ones, 2, reflecting);
  refuses("in has 3", [&] { filter.forward(few, out); });
  refuses("out has 3", [&] { filter.forward(ones, few); });
  refuses("gradientOut has 3", [&] { filter.backward({}, {}, few, out); });
  refuses("gradientIn has 3", [&] { filter.backward({}, {}, ones, few); });
  refuses("sharpness", [] { Projection{0}; });
  refuses("sharpness", [] { Projection{kNan}; });
  refuses("threshold", [] { Projection(2, 1.5); });
  refuses("out has 3", [&] { Projection(2).forward(ones, few); });
  refuses("gradientIn has 3", [&] { Projection(2).backward(ones, {}, ones, few); });
  refuses("in has 3", [&] { KeepSolid(std::vector<std::uint8_t>(24, 1)).forward(few, out); });
  refuses("orbit", [] { OrbitAverage({0, 7}); });
  refuses("orbit", [] { OrbitAverage({0, -1}); });
  refuses("out has 3", [&] { OrbitAverage({0, 0}).forward(std::vector<double>{1, 2}, few); });
  refuses("normal of the mirror", [] { Symmetry({MirrorPlane{{2, 0, 0}, 0}}, 1e-6); });
  refuses("place of the mirror", [] { Symmetry({MirrorPlane{Vec3::UnitX(), kNan}}, 1e-6); });
  refuses("times is 1", [] { Symmetry({RepeatRound{Vec3::UnitZ(), Vec3::Zero(), 1}}, 1e-6); });
  refuses("step", [] { Symmetry({RepeatAlong{}}, 1e-6); });
  refuses("direction of the section", [] { Symmetry({ConstantSection{Vec3::Zero()}}, 1e-6); });
  refuses("tolerance", [] { Symmetry({}, 0); });
  refuses("no side", [&] { AccessMap<3>(grid, {}); });
  refuses("side", [&] { AccessMap<3>(grid, {{Point<3>(0, 0, 2)}}); });
  refuses("draft", [&] { AccessMap<3>(grid, {{Point<3>::UnitZ()}, 1}); });
  refuses("parting", [&] { AccessMap<3>(grid, {{Point<3>::UnitZ()}, 0, 1.0}); });
  refuses("up", [&] { PrintMap<3>(grid, Point<3>::Zero(), 0.5); });
  refuses("overhang", [&] { PrintMap<3>(grid, Point<3>::UnitZ(), 0); });
  refuses("keep", [&] { PrintMap<3>(grid, Point<3>::UnitZ(), 0.5, {1}); });
  refuses("map is empty", [] { LayoutChain().append(nullptr); });
  refuses("no rule on walls", [&] { mapsOf<3>({}, grid, ones, {}, {}); });
  refuses("two rules on walls", [&] { mapsOf<3>({Walls{2}, Walls{2}}, grid, ones, {}, {}); });
  refuses("smallest member", [&] { mapsOf<3>({Walls{0}}, grid, ones, {}, {}); });
  refuses("smallest member", [&] { mapsOf<3>({Walls{kNan}}, grid, ones, {}, {}); });
  refuses("widening", [&] { mapsOf<3>({Walls{2}}, grid, ones, {}, {}, 0.5); });
}

TEST(WrongCalls, meshes) {
  const TriangleMesh wrong{{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, {{0, 1, 3}}};
  const TriangleMesh negative{{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, {{0, 1, -1}}};
  const TriangleMesh nan{{{0, 0, 0}, {1, kNan, 0}, {0, 1, 0}}, {{0, 1, 2}}};
  const TriangleMesh good{{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, {{0, 1, 2}}};
  const std::filesystem::path file = ownFolder() / "mesh.stl";
  for (const TriangleMesh* mesh : {&wrong, &negative}) {
    refuses("vertex of a triangle", [&] { (void)mesh->volume(); });
    refuses("vertex of a triangle", [&] { (void)mesh->area(); });
    refuses("vertex of a triangle", [&] { inspectMesh(*mesh); });
    refuses("vertex of a triangle", [&] { inspectTopology(*mesh); });
    refuses("vertex of a triangle", [&] { findIntersections(*mesh); });
    refuses("vertex of a triangle", [&] { findDefects(*mesh); });
    refuses("vertex of a triangle", [&] { mended(*mesh); });
    refuses("vertex of a triangle", [&] { shellVolumes(*mesh); });
    refuses("vertex of a triangle", [&] { faultOfShells(*mesh); });
    refuses("vertex of a triangle", [&] { welded(*mesh); });
    refuses("vertex of a triangle", [&] { TriangleTree tree(*mesh); });
    refuses("vertex of a triangle", [&] { makeMeshShape(*mesh); });
    refuses("vertex of a triangle", [&] { surfaceGap(*mesh, *mesh); });
    refuses("vertex of a triangle", [&] { pointsOf(*mesh, 1); });
    for (const MeshFormat format : {MeshFormat::stl, MeshFormat::threeMf, MeshFormat::obj, MeshFormat::ply})
      refuses("vertex of a triangle", [&] { writeMesh(file, *mesh, format); });
  }
  EXPECT_FALSE(std::filesystem::exists(file));
  refuses("not finite", [&] { writeStl(file, nan); });
  refuses("not finite", [&] { makeMeshShape(nan); });
  refuses("empty", [] { makeMeshShape({}); });
  refuses("no triangles", [&] { surfaceGap(good, {}); });
  refuses("spacing", [&] { pointsOf(good, 0); });
  refuses("tolerance", [&] { missingSurface({}, good, -1); });
  refuses("cylinders", [&] { fitOf(good, Patch{}, 1); });
  refuses("nearest", [] {
    const TriangleMesh none;
    TriangleTree(none).nearest({0, 0, 0});
  });
  refuses("number of a triangle", [&] { TriangleTree(good).nearestOf({0, 0, 0}, {1}); });
  refuses("vertex of a defect", [&] { placeOf(good, {MeshDefect::Kind::openEdge, {0, 9}}); });

  const TetMesh tets{{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}}, {{0, 1, 2, 4}}};
  refuses("vertex of a tetrahedron", [&] { (void)tets.volume(); });
  refuses("vertex of a tetrahedron", [&] { (void)tets.boundary(); });
  refuses("vertex of a tetrahedron", [&] { QuadraticTets mesh(tets); });
  refuses("tet is 1", [&] { dihedralRange(tets, 1); });
  const Implicit ball = [](const Vec3& p) { return p.norm() - 1; };
  const Box box(Vec3(-1, -1, -1), Vec3(1, 1, 1));
  refuses("f is empty", [&] { stuff({}, box, 0.1); });
  for (const double spacing : {0.0, -1.0, kNan, kInfinite})
    refuses("spacing", [&] { stuff(ball, box, spacing); });
  refuses("box to be meshed", [&] { stuff(ball, {}, 0.1); });
  refuses("corner of the box", [&] { stuff(ball, Box(Vec3(-1, -1, -1), Vec3(1, 1, kInfinite)), 0.1); });
  TetMesh mesh = stuff(ball, box, 0.5);
  refuses("spacing", [&] { sharpenTets(mesh, ball, 0); });
  refuses("f is empty", [&] { sharpenTets(mesh, {}, 0.5); });
  refuses("along", [&] { sharpenTets(mesh, ball, 0.5, {{}}); });
  const PlaneFunction disc = [](const Eigen::Vector2d& p) { return p.norm() - 1; };
  const Eigen::AlignedBox2d square(Eigen::Vector2d(-2, -2), Eigen::Vector2d(2, 2));
  refuses("f is empty", [&] { traceOutline({}, square, 0.1); });
  refuses("spacing", [&] { traceOutline(disc, square, 0); });
  refuses("box", [&] { traceOutline(disc, {}, 0.1); });
  refuses("deviation", [&] { simplified(traceOutline(disc, square, 0.1), -1); });
  refuses("thickness", [&] { extruded(traceOutline(disc, square, 0.1), 0); });
}

TEST(WrongCalls, shapes) {
  const ShapePtr box = makeBox({0, 0, 0}, {1, 1, 1});
  refuses("corner", [] { makeBox({0, 0, 0}, {1, 1, kInfinite}); });
  refuses("first corner below", [] { makeBox({0, 0, 0}, {1, kNan, 1}); });
  refuses("radius", [] { makeCylinder({0, 0, 0}, {0, 0, 1}, kNan); });
  refuses("radius", [] { makeCylinder({0, 0, 0}, {0, 0, 1}, kInfinite); });
  refuses("end", [] { makeCylinder({0, 0, 0}, {0, kNan, 1}, 1); });
  refuses("radii", [] { makeCone({0, 0, 0}, {0, 0, 1}, 1, kNan); });
  refuses("centre", [] { makeSphere({0, kNan, 0}, 1); });
  refuses("radius", [] { makeSphere({0, 0, 0}, -1); });
  refuses("axis", [] { makeTorus({0, 0, 0}, {0, 0, 0}, 1, 0.1); });
  refuses("part of a union", [&] { makeUnion({box, nullptr}); });
  refuses("at least one", [] { makeUnion({}); });
  refuses("part of an intersection", [&] { makeIntersection({nullptr, box}); });
  refuses("body", [&] { makeDifference(nullptr, {box}); });
  refuses("a cut", [&] { makeDifference(box, {nullptr}); });
  refuses("body", [] { makeTransformed(nullptr, Eigen::Isometry3d::Identity()); });
  refuses("isometry", [&] {
    Eigen::Isometry3d map = Eigen::Isometry3d::Identity();
    map.linear() *= 2;
    makeTransformed(box, map);
  });
  refuses("body", [] { makeLayer(nullptr, {}, 1); });
  refuses("depth", [&] { makeLayer(box, {}, 0); });
  refuses("normal", [] { reflection(Vec3(0, 0, 3), 0); });
  refuses("at is", [] { reflection(Vec3::UnitX(), kNan); });
  refuses("body", [] { makeHull(nullptr); });
  refuses("body", [] { makeFilled(nullptr, 1); });
  refuses("largest", [&] { makeFilled(box, kNan); });
  refuses("body", [] { makeFilledPockets(nullptr, 1); });
  refuses("body", [] { makeSwept(nullptr, {{1, 0, 0}}); });
  refuses("leads nowhere", [&] { makeSwept(box, {}); });
  refuses("point of the path", [&] { makeSwept(box, {{kNan, 0, 0}}); });
  refuses("direction", [&] { makeTurned(box, {0, 0, 0}, {0, 0, 0}, 1); });
  refuses("turns", [&] { makeTurned(box, {0, 0, 0}, {0, 0, 1}, kNan); });
  refuses("a point", [] { convexHull({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, kNan}}); });
  Extrusion extrusion;
  extrusion.outline = {{{0, 0}, {}}, {{1, 0}, {}}, {{0, 1}, {}}};
  extrusion.to = 1;
  Extrusion other = extrusion;
  other.first = 5;
  refuses("'first'", [&] { makeExtrusion(other); });
  other.first = other.second;
  refuses("two axes", [&] { makeExtrusion(other); });
  other = extrusion;
  other.outline[1].point.x() = kNan;
  refuses("a corner", [&] { makeExtrusion(other); });
  other = extrusion;
  other.to = kInfinite;
  refuses("'to'", [&] { makeExtrusion(other); });
  refuses("spacing", [&] { selectFace(*box, {}, 0); });
  refuses("pieces are wanted", [&] {
    FaceSelector selector;
    selector.count = 0;
    selectFace(*box, selector, 0.1);
  });
  refuses("beside", [&] {
    FaceSelector selector;
    selector.beside = {nullptr};
    selectFace(*box, selector, 0.1);
  });
  refuses("spacing", [&] { dualContour(*box, kNan); });
  refuses("sampled every", [&] {
    std::vector<Patch> patches;
    box->appendPatches(patches);
    (void)patches[0].sample(1e-9);
  });
  refuses("too small", [&] { dualContour(*box, 1e-9); });
  refuses("too small", [&] { stuff([](const Vec3& p) { return p.norm() - 1; }, box->bounds(), 1e-9); });
}

/// A block with a face held and one loaded.
Setup someSetup() {
  Setup setup;
  const ShapePtr box = makeBox({0, 0, 0}, {4, 2, 2});
  setup.materials = {{"plain", 1e9, 0.3, 1000, 1e6}};
  for (const double x : {-1.0, 1.0}) {
    FaceSelector selector;
    selector.direction = Vec3(x, 0, 0);
    setup.faces.push_back({x < 0 ? "root" : "end", selectFace(*box, selector, 0.25)});
  }
  setup.supports = {{"root", 0}};
  setup.addCase("push", {{1, {{0, 0, -1}}}});
  return setup;
}

TEST(WrongCalls, setups) {
  const Grid<3> grid = testing::boxGrid<3>({4, 2, 2});
  const Acting good = someSetup();
  const auto wrong = [&](const std::string& word, const std::function<void(Acting&)>& spoil) {
    Acting setup = good;
    spoil(setup);
    refuses(word, [&] { casesOn(grid, setup); });
    const TetMesh tets = stuff([](const Vec3& p) { return (p - Vec3(2, 1, 1)).norm() - 1; },
                               Box(Vec3(0, -1, -1), Vec3(4, 3, 3)), 0.5);
    refuses(word, [&] { prove(QuadraticTets(tets), 0.5, {setup}); });
  };
  wrong("support root: face is 2", [](Acting& s) { s.supports[0].face = 2; });
  wrong("load push: face is 9", [](Acting& s) { s.loads[0].face = 9; });
  wrong("case push: a load is 3", [](Acting& s) { s.cases[0].loads[0].load = 3; });
  wrong("case push: a support is 3", [](Acting& s) { s.cases[0].supports = {3}; });
  wrong("case push: factor", [](Acting& s) { s.cases[0].loads[0].factor = kNan; });
  wrong("case push: weight", [](Acting& s) { s.cases[0].weight = -1; });
  wrong("load push: force", [](Acting& s) { s.loads[0].kind = FaceAction{{kNan, 0, 0}, 0}; });
  wrong("load push: pressure", [](Acting& s) { s.loads[0].kind = FaceAction{{0, 0, 0}, kInfinite}; });
  wrong("load push: the load of one's own",
        [](Acting& s) { s.loads[0].kind = std::shared_ptr<const OwnLoad>(); });
  wrong("the support of one's own",
        [](Acting& s) { s.supports[0].kind = std::shared_ptr<const OwnSupport>(); });
  wrong("normal stiffness", [](Acting& s) { s.supports[0].kind = Foundation{-1, 0}; });
  wrong("stiffness against sliding", [](Acting& s) {
    s.supports[0].kind = MeanSprings{{-1, 0, 0}, {0, 0, 0}};
  });
  wrong("right angles", [](Acting& s) { s.supports[0].kind = Held{7, 2 * Eigen::Matrix3d::Identity()}; });
  wrong("directions", [](Acting& s) { s.supports[0].kind = Held{9}; });
  wrong("Poisson", [](Acting& s) { s.materials[0].poisson = 0.49; });
  wrong("modulus", [](Acting& s) { s.materials[0].modulus = kNan; });
  wrong("modulus", [](Acting& s) { s.materials[0].modulus = kInfinite; });
  wrong("place of a point", [](Acting& s) { s.faces[1].face.points[0].position.x() = kNan; });
  refuses("face is 7", [&] {
    Acting setup = good;
    setup.addCase("more", {{7, {}}});
  });
  refuses("load is 5", [&] { (void)good.actsOnFace(5); });
  refuses("faces has 0", [&] { grounded(good, good.cases[0], {}); });
  refuses("thickness", [&] { sheetMaterial(good.materials[0], SheetState::planeStress, 0); });
  refuses("no face", [&] { (void)prepare(parseBrief(firstBrief(), "first.toml")).face("nowhere"); });
  refuses("empty space", [] { meanMotions({}, Eigen::Matrix3d::Identity()); });
}

TEST(WrongCalls, elasticModels) {
  const Grid<3> grid = testing::boxGrid<3>({4, 2, 2});
  const Material material = someSetup().materials[0];
  using Model = ElasticModel<3>;
  using Supports = std::vector<NodeSupport<3>>;
  refuses("no cells", [&] { Model(Grid<3>(), material, Supports{}); });
  refuses("node of a support", [&] { Model(grid, material, Supports{{grid.nodeCount()}}); });
  refuses("follows", [&] { Model(grid, material, Supports{{3}, {2}}); });
  refuses("follows", [&] { Model(grid, material, Supports{{3}, {3}}); });
  refuses("free directions", [&] {
    Model(grid, material, Supports{{3, kNan * Eigen::Matrix3d::Identity()}});
  });
  const std::vector<std::size_t> beyond{3 * grid.nodeCount()};
  refuses("held degree of freedom", [&] { Model(grid, material, beyond); });
  refuses("node of a coupling", [&] {
    Model(grid, material, Supports{{0}},
          {{0, {{{grid.nodeCount(), {1, 0, 0}}}}, Eigen::MatrixXd::Ones(1, 1)}});
  });
  refuses("motions of a coupling", [&] {
    Model(grid, material, Supports{{0}}, {{0, {}, Eigen::MatrixXd::Ones(1, 1)}});
  });
  Model model(grid, material, testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; }));
  std::vector<double> u(model.size(), 0.0);
  std::vector<double> few(5, 0.0);
  std::vector<double> cells(grid.cellCount());
  refuses("shares has 5", [&] { model.setRelativeModuli(few); });
  refuses("shares[0]", [&] { model.setRelativeModuli(std::vector<double>(grid.cellCount(), kNan)); });
  refuses("shares[0]", [&] { model.setRelativeModuli(std::vector<double>(grid.cellCount(), -0.1)); });
  refuses("degree of freedom of a force", [&] { model.solve({{model.size(), 1.0}}, u, {}); });
  refuses("force is nan", [&] { model.solve({{0, kNan}}, u, {}); });
  refuses("u has 5", [&] { model.solve({{0, 1.0}}, few, {}); });
  refuses("f is empty", [&] {
    const LoadedField field{nullptr, u};
    model.solve({&field, 1}, {});
  });
  refuses("everywhere has 5", [&] {
    const Forces none;
    const LoadedField field{&none, u, few};
    model.solve({&field, 1}, {});
  });
  for (const double tolerance : {0.0, -1.0, kNan, 2.0})
    refuses("energyTolerance", [&] { model.solve({{0, 1.0}}, u, {tolerance}); });
  refuses("maxIterations", [&] { model.solve({{0, 1.0}}, u, {1e-8, 0}); });
  refuses("u has 5", [&] { model.fullCellEnergies(few, cells); });
  refuses("energies has 5", [&] { model.fullCellEnergies(u, few); });
  refuses("u has 5", [&] { model.internalForces(few); });
  refuses("y has 5", [&] { model.apply(u, few); });
  refuses("u has 5", [&] { (void)model.energy(few); });
  refuses("z has 5", [&] { model.precondition(u, few); });
  refuses("cellMass has 5", [&] { findNaturalModes<3>(model, few); });
  refuses("mass of a cell", [&] { findNaturalModes<3>(model, std::vector<double>(grid.cellCount(), kNan)); });
  const std::vector<double> mass(grid.cellCount(), 1.0);
  refuses("modes", [&] { findNaturalModes<3>(model, mass, {0}); });
  const std::vector<MassOnFace> untied(1);
  refuses("tied to nothing", [&] { findNaturalModes<3>(model, mass, {1}, untied); });
  refuses("tolerance", [&] { findNaturalModes<3>(model, mass, {1, 0}); });
  refuses("maxIterations", [&] { findNaturalModes<3>(model, mass, {1, 1e-6, 0}); });
}

TEST(WrongCalls, analyses) {
  const testing::Bracket bracket;
  const LayoutProblem<3>& p = bracket.problem;
  using Analysis3 = GridAnalysis<3>;
  const std::vector<double> few(5, 1.0);
  refuses("fill has 5", [&] { Analysis3(p.grid, p.material, p.cases, few, {}); });
  refuses("cellMass has 5", [&] { Analysis3(p.grid, p.material, p.cases, p.fill, {}, few); });
  refuses("penalty", [&] { Analysis3(p.grid, p.material, p.cases, p.fill, {0.5}); });
  refuses("floor", [&] { Analysis3(p.grid, p.material, p.cases, p.fill, {3, 0}); });
  Analysis3 analysis(p.grid, p.material, p.cases, p.fill, {});
  CaseStates states = analysis.rest();
  std::vector<double> gradient(p.fill.size());
  refuses("before they are analysed", [&] { analysis.complianceGradient(states, 0, gradient); });
  refuses("density has 5", [&] { analysis.attempt(few, states); });
  refuses("displacements has 0", [&] {
    CaseStates none;
    analysis.attempt(p.fill, none);
  });
  analysis.attempt(std::vector<double>(p.fill.size(), 0.5), states);
  refuses("case is 9", [&] { analysis.complianceGradient(states, 9, gradient); });
  std::vector<double> shortGradient(3);
  refuses("gradient has 3", [&] { analysis.complianceGradient(states, 0, shortGradient); });
  refuses("byDisplacement has 5", [&] { analysis.adjoint(states, 0, few); });
  refuses("l has 5", [&] { analysis.adjointGradient(states, 0, few, gradient); });
}

TEST(WrongCalls, layoutProblems) {
  testing::Bracket bracket;
  OptimiseOptions options;
  options.maxIterations = 1;
  const auto wrong = [&](const std::string& word, const std::function<void(LayoutProblem<3>&)>& spoil) {
    LayoutProblem<3> problem = bracket.problem;
    spoil(problem);
    refuses(word, [&] { optimiseLayout<3>(problem, options); });
  };
  using Problem = LayoutProblem<3>;
  wrong("no cells", [](Problem& p) { p.grid = {}; });
  wrong("fill has 1", [](Problem& p) { p.fill = {1}; });
  wrong("fill[4]", [](Problem& p) { p.fill[4] = kNan; });
  wrong("fill[4]", [](Problem& p) { p.fill[4] = 0; });
  wrong("keep has 0", [](Problem& p) { p.keep.clear(); });
  wrong("modulus has 1", [](Problem& p) { p.modulus = {1}; });
  wrong("modulus[0]", [](Problem& p) { p.modulus.assign(p.fill.size(), 0.0); });
  wrong("mass has 1", [](Problem& p) { p.mass = {1}; });
  wrong("mass of a cell", [](Problem& p) { p.mass.assign(p.fill.size(), -1.0); });
  wrong("cellMass has 1", [](Problem& p) { p.cellMass = {1}; });
  wrong("attached has 1", [](Problem& p) { p.attached = {1}; });
  wrong("start has 1", [](Problem& p) { p.start = {1}; });
  wrong("start[0]", [](Problem& p) { p.start.assign(p.fill.size(), 1.5); });
  wrong("massFraction", [](Problem& p) { p.massFraction = kNan; });
  wrong("mass target", [](Problem& p) { p.massFraction = 2; });
  wrong("no making rule mirrors", [](Problem& p) { p.mirrors[0] = 7; });
  wrong("no making rule mirrors", [](Problem& p) { p.mirrors[1] = 3; });
  wrong("not their own image", [](Problem& p) { p.mirrors[1] = 4; });  // one case pulls across the plane
  wrong("no rule on walls", [](Problem& p) { p.making.clear(); });
  wrong("smallest member", [](Problem& p) { p.making = {Walls{-1}}; });
  wrong("no load case", [](Problem& p) { p.cases.clear(); });
  wrong("weight is -1", [](Problem& p) { p.cases[0].weight = -1; });
  wrong("weights are zero", [](Problem& p) {
    for (auto& c : p.cases) c.weight = 0;
  });
  wrong("degree of freedom of a force", [](Problem& p) { p.cases[0].force[3 * p.grid.nodeCount()] = 1; });
  wrong("force is nan", [](Problem& p) { p.cases[0].force.begin()->second = kNan; });
  wrong("node of a support", [](Problem& p) { p.cases[0].supports.back().node = p.grid.nodeCount(); });
  wrong("bodyForce", [](Problem& p) { p.cases[0].bodyForce.perMass.x() = kNan; });
  wrong("has a force on all mass", [](Problem& p) { p.cases[0].bodyForce.perMass.x() = 1; });
  wrong("weight is nan", [](Problem& p) { p.goal.weights = {kNan, 1}; });
  wrong("response of a limit", [](Problem& p) { p.limits = {{nullptr, 0, LimitSense::atMost, 1}}; });
  wrong("bound of a limit", [](Problem& p) {
    p.limits = {{std::make_shared<Compliances>(), 0, LimitSense::atMost, kNan}};
  });
  wrong("bounds value 9", [](Problem& p) {
    p.limits = {{std::make_shared<Compliances>(), 9, LimitSense::atMost, 1}};
  });
  wrong("modulus", [](Problem& p) { p.material.modulus = 0; });
  refuses("load is 9", [&] { narrowText<3>(bracket.problem, {9, Point<3>::Zero()}); });
  refuses("erosion", [&] { loadsInNarrows<3>(bracket.problem, kNan); });
}

TEST(WrongCalls, optimiseOptions) {
  const testing::Bracket bracket;
  const auto wrong = [&](const std::string& word, const std::function<void(OptimiseOptions&)>& spoil) {
    OptimiseOptions options;
    options.maxIterations = 1;
    spoil(options);
    refuses(word, [&] { optimiseLayout<3>(bracket.problem, options); });
  };
  using Options = OptimiseOptions;
  wrong("maxIterations", [](Options& o) { o.maxIterations = -1; });
  wrong("guard", [](Options& o) { o.guard = 0; });
  wrong("erosion", [](Options& o) { o.erosion = 0.5; });
  wrong("erosion", [](Options& o) { o.erosion = kNan; });
  wrong("erodedShare", [](Options& o) { o.erodedShare = 1.1; });
  wrong("agreement", [](Options& o) { o.agreement = 0; });
  wrong("tolerance", [](Options& o) { o.loopTolerance = 0; });
  wrong("tolerance", [](Options& o) { o.finalTolerance = kNan; });
  wrong("penalty", [](Options& o) { o.law.penalty = 0; });
  wrong("move", [](Options& o) { o.update.move = 0; });
  wrong("damping", [](Options& o) { o.update.damping = kNan; });
  wrong("sharpness", [](Options& o) { o.path = {{-1, 0, 1}}; });
  wrong("widening", [](Options& o) { o.path = {{1, 0, 0.5}}; });
  wrong("erosion is 0.6", [](Options& o) { o.path = {{1, 0.6, 1}}; });
  wrong("stageIterations", [](Options& o) { o.continuation.stageIterations = 0; });
  wrong("leastPace", [](Options& o) { o.continuation.leastPace = 0; });
  refuses("path has no reading", [] { readingAt({}, 0); });
  refuses("place", [] { readingAt({{1, 0, 1}}, kNan); });
  refuses("widening", [] { usualPath(0.5, 0); });
}

TEST(WrongCalls, statesToResume) {
  const testing::Bracket bracket;
  OptimiseOptions options;
  options.maxIterations = 3;
  OptimiseState state;
  optimiseLayout<3>(bracket.problem, options, [&](const IterationView& view) {
    if (view.record.iteration == 2) state = view.state;
    return true;
  });
  const auto wrong = [&](const std::string& word, const std::function<void(OptimiseState&)>& spoil) {
    OptimiseState other = state;
    spoil(other);
    refuses(word, [&] { optimiseLayout<3>(bracket.problem, options, {}, &other); });
  };
  const OptimiseState empty;
  refuses("another problem", [&] { optimiseLayout<3>(bracket.problem, options, {}, &empty); });
  wrong("attempt", [](OptimiseState& s) { s.attempt = 50; });
  wrong("variables of the state has 1", [](OptimiseState& s) { s.variables = {1}; });
  wrong("accepted variables", [](OptimiseState& s) { s.accepted = {1}; });
  wrong("displacements of the state", [](OptimiseState& s) { s.states.nominal.displacements.clear(); });
  wrong("a displacement", [](OptimiseState& s) { s.states.eroded.displacements[0].resize(3); });
  wrong("a gradient", [](OptimiseState& s) { s.gradients.goal.front().resize(3); });
  wrong("no derivatives", [](OptimiseState& s) { s.gradients.goal.clear(); });
  wrong("derivatives of limits", [](OptimiseState& s) { s.gradients.limits.clear(); });
  wrong("limits of the state", [](OptimiseState& s) { s.appraisal.limits.clear(); });
  wrong("variables of the state[7]", [](OptimiseState& s) { s.variables[7] = kNan; });
  testing::Bracket other;
  other.problem.massFraction += 0.05;
  refuses("another problem", [&] { optimiseLayout<3>(other.problem, options, {}, &state); });
}

/// A response that is wrong in a way of its own.
class Spoilt final : public Response {
 public:
  enum class Way { values, names, gradient };
  explicit Spoilt(Way way) : way_(way) {}
  std::vector<std::string> names(const Analysis& /*analysis*/) const override {
    return std::vector<std::string>(way_ == Way::names ? 2 : 1, "spoilt_m");
  }
  std::vector<double> values(const Analysed& /*at*/) const override {
    return {way_ == Way::values ? kNan : 1};
  }
  void gradient(const Analysed& /*at*/, std::size_t /*which*/, std::span<double> gradient) const override {
    for (double& g : gradient) g = way_ == Way::gradient ? kInfinite : 1;
  }

 private:
  Way way_;
};

/// A map that leaves what densities may be.
class Beyond final : public LayoutMap {
 public:
  explicit Beyond(double by) : by_(by) {}
  void forward(std::span<const double> in, std::span<double> out) const override {
    for (std::size_t c = 0; c < in.size(); ++c) out[c] = in[c] + by_;
  }
  void backward(std::span<const double>, std::span<const double>, std::span<const double> gradientOut,
                std::span<double> gradientIn) const override {
    std::copy(gradientOut.begin(), gradientOut.end(), gradientIn.begin());
  }

 private:
  double by_;
};

struct OutsideLoad final : OwnLoad {
  NodalVectors forces(const FaceTies& /*face*/) const override { return {{1000000, {0, 0, 1}}}; }
};
struct OutsideSupport final : OwnSupport {
  void ground(const FaceTies& face, int number, Grounding& grounding) const override {
    for (const std::size_t node : face.nodes)
      for (int i = 0; i < 3; ++i) grounding.hold(node, Vec3::Unit(i), number);
    grounding.hold(1000000, Vec3::UnitX(), number);
  }
};

// Parts of one's own that break their promises are told, not computed with.
TEST(WrongCalls, ownPartsThatGoWrong) {
  const auto told = [](const std::string& word, const std::function<void()>& call) {
    try {
      call();
      ADD_FAILURE() << "accepted; should have spoken of \"" << word << "\"";
    } catch (const Error& error) {
      EXPECT_THAT(std::string(error.what()), HasSubstr(word));
    }
  };
  testing::Bracket bracket;
  OptimiseOptions options;
  options.maxIterations = 3;
  for (const auto& [way, word] : {std::pair{Spoilt::Way::values, "spoilt_m is not a number"},
                                  {Spoilt::Way::names, "values of a response"},
                                  {Spoilt::Way::gradient, "derivative of spoilt_m"}}) {
    LayoutProblem<3> problem = bracket.problem;
    problem.limits = {{std::make_shared<Spoilt>(way), 0, LimitSense::atMost, 2}};
    told(word, [&] { optimiseLayout<3>(problem, options); });
    problem.limits.clear();
    problem.goal.response = std::make_shared<Spoilt>(way);
    told(word, [&] { optimiseLayout<3>(problem, options); });
  }
  for (const double by : {kNan, 1.5, -0.7}) {
    LayoutProblem<3> problem = bracket.problem;
    problem.making.emplace_back(OwnMaking{"beyond", nullptr, std::make_shared<Beyond>(by)});
    told("density[", [&] { optimiseLayout<3>(problem, options); });
  }
  const Grid<3> grid = testing::boxGrid<3>({4, 2, 2});
  const Implicit bar = [](const Vec3& p) {
    return std::max({-p.x(), p.x() - 4, -p.y(), p.y() - 2, -p.z(), p.z() - 2});
  };
  const QuadraticTets mesh(stuff(bar, Box(Vec3(0, 0, 0), Vec3(4, 2, 2)), 0.5));
  Acting setup = someSetup();
  setup.loads[0].kind = std::make_shared<OutsideLoad>();
  told("load push: its node", [&] { casesOn(grid, setup); });
  told("load push: its node", [&] { prove(mesh, 0.5, {setup}); });
  setup = someSetup();
  setup.supports[0].kind = std::make_shared<OutsideSupport>();
  told("node of a support", [&] {
    const auto cases = casesOn(grid, setup);
    ElasticModel<3>(grid, setup.materials[0], cases[0].supports);
  });
  told("node of a support", [&] { prove(mesh, 0.5, {setup}); });
  told("not a number", [] {
    stuff([](const Vec3& p) { return p.x() > 0 ? kNan : p.norm() - 1; }, Box(Vec3(-1, -1, -1), Vec3(1, 1, 1)),
          0.2);
  });
  struct Own {};
  EXPECT_THROW(stuff([](const Vec3& p) -> double { return p.x() > 0.5 ? throw Own() : p.norm() - 1; },
                     Box(Vec3(-1, -1, -1), Vec3(1, 1, 1)), 0.2),
               Own)
      << "from whatever thread";
}

TEST(WrongCalls, updates) {
  const std::vector<double> x(4, 0.5);
  const std::vector<double> few(3, 1.0);
  const auto amount = [](std::span<const double> v) { return v[0]; };
  refuses("goalGradient has 3", [&] { updateByOptimality(x, few, x, amount, 1, {}); });
  refuses("limitGradient has 3", [&] { updateByOptimality(x, x, few, amount, 1, {}); });
  refuses("amount", [&] { updateByOptimality(x, x, x, {}, 1, {}); });
  refuses("target", [&] { updateByOptimality(x, x, x, amount, kNan, {}); });
  refuses("move", [&] { updateByOptimality(x, x, x, amount, 1, {2, 0.5}); });
  AsymptotesState state;
  AsymptotesProblem problem;
  refuses("neither a goal nor a limit", [&] { updateByAsymptotes(x, problem, {}, state); });
  problem.goalGradient = few;
  refuses("goalGradient has 3", [&] { updateByAsymptotes(x, problem, {}, state); });
  problem = {{}, {0.1}, {few}, {0}};
  refuses("gradient of a limit", [&] { updateByAsymptotes(x, problem, {}, state); });
  problem = {{}, {0.1}, {x}, {}};
  refuses("shares has 0", [&] { updateByAsymptotes(x, problem, {}, state); });
  problem = {{}, {kNan}, {x}, {0}};
  refuses("value of a limit", [&] { updateByAsymptotes(x, problem, {}, state); });
  problem = {x, {}, {}, {}};
  refuses("move", [&] { updateByAsymptotes(x, problem, {kNan}, state); });
  state.low = few;
  refuses("field of the state", [&] { updateByAsymptotes(x, problem, {}, state); });
  refuses("what cells weigh", [] { MassFraction(std::vector<double>(4, 0.0)); });
  const MassFraction mass(std::vector<double>(4, 1.0));
  refuses("density has 3", [&] { (void)mass.value(few); });
  refuses("density has 3", [&] { readBlackAndWhite(few, mass, 0.5); });
  refuses("massFraction", [&] { readBlackAndWhite(x, mass, kNan); });
  refuses("fill has 3", [&] { greyness(x, few); });
  refuses("chosen has 1", [] { looseLoads<3>(testing::boxGrid<3>({2, 2, 2}), {1}, {}); });
}

TEST(WrongCalls, solids) {
  Regions regions;
  regions.space = makeBox({0, 0, 0}, {1, 1, 1});
  const Domain<3> domain = sampleRegions<3>(regions, 0.25);
  const std::vector<double> level(domain.grid.cellCount(), 0.7);
  refuses("level has 1", [&] { SmoothLayout(domain, std::vector<double>{1}, 1); });
  refuses("level of a cell", [&] { SmoothLayout(domain, std::vector<double>(level.size(), kNan), 1); });
  refuses("reach", [&] { SmoothLayout(domain, level, 0); });
  refuses("passes", [&] { SmoothLayout(domain, level, 1, -1); });
  refuses("no cells", [] { SmoothLayout(Domain<3>{}, std::vector<double>{}, 1); });
  SmoothLayout layout(domain, level, 1);
  refuses("cell", [&] { layout.fill(std::vector<std::size_t>{layout.values().size()}); });
  refuses("space", [&] { solidFunction(layout, {}, 0.5); });
  refuses("threshold", [&] { solidFunction(layout, regions, kNan); });
  refuses("gap", [&] { solidFunction(layout, regions, 0.5, {0, -1}); });
  refuses("fillet", [&] { solidFunction(layout, regions, 0.5, {0, 0, kNan}); });
  refuses("voidSize", [&] { solidFunction(layout, regions, 0.5, {kNan, 0}); });
  SolidOptions options;
  refuses("spacing", [&] { reinterpret(layout, regions, 0.5, options); });
  options.spacing = 0.25;
  refuses("wantedVolume", [&] { reinterpret(layout, regions, 0, options); });
  refuses("wantedVolume", [&] { reinterpret(layout, regions, kNan, options); });
  options.volumeTolerance = -1;
  refuses("volumeTolerance", [&] { reinterpret(layout, regions, 0.5, options); });
  refuses("part is empty", [&] { volumesByMaterial({}, regions, 0.1); });
  refuses("space", [] { narrowestHeld({}); });
}

TEST(WrongCalls, proofs) {
  const Acting setup = someSetup();
  const Implicit bar = [](const Vec3& p) {
    return std::max({-p.x(), p.x() - 4, -p.y(), p.y() - 2, -p.z(), p.z() - 2});
  };
  TetMesh tets = stuff(bar, Box(Vec3(0, 0, 0), Vec3(4, 2, 2)), 0.5);
  const QuadraticTets mesh(tets);
  refuses("mesh is empty", [&] { prove(QuadraticTets(TetMesh{}), 0.5, {setup}); });
  refuses("spacing", [&] { prove(mesh, kNan, {setup}); });
  refuses("exclusion", [&] { prove(mesh, 0.5, {setup, AcrossSheet::body, -1}); });
  refuses("shape of a region", [&] { prove(mesh, 0.5, {setup, AcrossSheet::body, 0, {{nullptr, 1}}}); });
  refuses("material of a region", [&] {
    prove(mesh, 0.5, {setup, AcrossSheet::body, 0, {{makeSphere({0, 0, 0}, 1), 1}}});
  });
  refuses("no material", [&] {
    Acting bare = setup;
    bare.materials.clear();
    prove(mesh, 0.5, {bare});
  });
  refuses("spacing", [&] { partsOf({setup}, 0); });
  const Proof proof = prove(mesh, 0.5, {setup, AcrossSheet::body, 0.5});
  refuses("case is 3", [&] { errorsOf(proof, proof, 3, 1.3); });
  refuses("ratio", [&] { errorsOf(proof, proof, 0, 1); });
  refuses("coarse proof has 0", [&] { judgedBody({}, proof, 1.3); });
  refuses("ratio", [] { extrapolated(1, 1, 1, 2); });
  refuses("order", [] { extrapolated(1, 1, 1.3, 0); });
  const JudgedBody body = judgedBody(proof, proof, 1.3);
  using Kind = Requirement::Kind;
  refuses("about face 7", [&] { judge(body, 0.05, setup, {{Kind::displacement, 7, 1}}); });
  refuses("bound", [&] { judge(body, 0.05, setup, {{Kind::mass, 0, 0}}); });
  refuses("bound", [&] { judge(body, 0.05, setup, {{Kind::safetyFactor, 0, kNan}}); });
  refuses("agreement", [&] { judge(body, kNan, setup, {{Kind::mass, 0, 1}}); });
  const TetMaterials materials{setup.materials, {}};
  const std::vector<double> few(3);
  std::vector<double> forces(3);
  refuses("displacement has 3", [&] { mesh.internalForces(materials, few); });
  refuses("displacement has 3", [&] { mesh.cornerStress(materials, few); });
  refuses("forces has 3", [&] { mesh.addBodyForce(materials, {{0, 0, 1}}, forces); });
  const std::vector<double> u(3 * mesh.nodeCount());
  refuses("no material", [&] { mesh.cornerStress({}, u); });
  refuses("recovered has 0", [&] { (void)mesh.energies(materials, u, {}); });
  refuses("number of a material", [&] {
    mesh.internalForces({setup.materials, std::vector<std::uint8_t>(mesh.tets().size(), 4)}, u);
  });
  refuses("number of materials has 2", [&] { mesh.internalForces({setup.materials, {0, 0}}, u); });
}

TEST(WrongCalls, filesAndJobs) {
  const std::filesystem::path folder = ownFolder();
  const Grid<3> grid = testing::boxGrid<3>({2, 2, 2});
  CellImage image = imageOf(grid, 0);
  image.fields = {{"density", {1, 2}}};
  refuses("field density has 2", [&] { writeVti(folder / "x.vti", image); });
  EXPECT_FALSE(std::filesystem::exists(folder / "x.vti"));
  refuses("values has 1", [&] { spread(grid, {1}); });
  refuses("box has 1", [&] { gathered(grid, {1}); });
  Regions regions;
  regions.space = makeBox({0, 0, 0}, {1, 1, 1});
  const Domain<3> domain = sampleRegions<3>(regions, 0.5);
  refuses("no samples", [&] { resampled<3>({}, domain); });
  refuses("values has 0", [&] { resampled<3>({{{0, 0, 0}}, {}, {0}, 1}, domain); });
  refuses("face is 0", [] { outlineOf(CadSolid{}, 0); });
  refuses("no unit", [] { parseQuantity("12", Measure::length); });
  const Job job = prepare(parseBrief(firstBrief(), "first.toml"), 2);
  refuses("2 dimensions", [&] { (void)job.layoutProblem<2>(); });
  for (const double coarser : {0.0, -1.0, kNan})
    refuses("coarser", [&] { prepare(parseBrief(firstBrief(), "first.toml"), coarser); });
  refuses("level has 0", [&] { smoothLayout(job, {}); });
  refuses("level has 0", [&] { makeSolid(job, {}); });
  refuses("names no layout", [&] { importedLayout(job); });
  refuses("no baseline", [&] { proveBaseline(job); });
  refuses("no triangles", [&] { proveOutside(job, [](const Vec3&) { return 1.0; }, {}); });
  refuses("body is empty", [&] { proveOutside(job, {}, {}); });
}

}  // namespace
}  // namespace barelattice
