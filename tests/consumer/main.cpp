// Passes types with matrices of fixed and of any size in and out of the library. What it prints must not
// depend on what it was compiled for.
#include <barelattice/barelattice.hpp>
#include <cstdio>

using namespace barelattice;

static_assert(BARELATTICE_VERSION >= 100, "0.1.0");

int main() {
  const Job job = prepare(parseBrief(firstBrief(), "first.toml"));
  std::printf("%s: %zu voxels\n", job.brief.title.c_str(), job.cellCount());

  // Squares: supports with matrices of 2 x 2, oblique and on springs, and a coupling with one of any size.
  const Grid<2> grid(GridFrame<2>{Point<2>::Zero(), 0.5, {12, 6}}, std::vector<std::uint8_t>(72, 1));
  std::vector<NodeSupport<2>> supports(7);
  for (std::size_t j = 0; j < supports.size(); ++j) {
    supports[j].node = static_cast<std::size_t>(grid.nodeAt({0, static_cast<int>(j)}));
    supports[j].free << 0.5, -0.5, -0.5, 0.5;
    supports[j].spring = 3 * Eigen::Matrix2d::Identity();
  }
  const std::size_t corner = grid.nodeCount() - 1;
  const std::vector<Coupling> couplings{{0, {{{corner, {1, 0, 0}}}}, Eigen::MatrixXd::Constant(1, 1, 0.25)}};
  ElasticModel<2> model(grid, {"unit", 1, 0.3, 1, 1}, supports, couplings);
  std::vector<double> u(model.size(), 0.0);
  const SolveReport report = model.solve({{gridDof(grid, corner, 1), -1.0}}, u, {1e-12, 400});
  std::printf("compliance %.8g\n", report.work);

  // And out of it: what the library allocates is freed here, and the other way round.
  Setup setup;
  setup.materials = {builtinMaterials().front()};
  const ShapePtr box = makeBox({0, 0, 0}, {0.06, 0.02, 0.02});
  for (const double x : {-1.0, 1.0}) {
    FaceSelector selector;
    selector.direction = Vec3(x, 0, 0);
    setup.faces.push_back({x < 0 ? "root" : "end", selectFace(*box, selector, 1e-3)});
  }
  MeanSprings springs;
  springs.slide = {1e8, 1e8, 1e8};
  springs.turn = {1e4, 1e4, 1e4};
  setup.supports = {{"root", 0, springs}};
  setup.addCase("push", {{1, {{0, 0, -100}}}});
  Regions regions;
  regions.space = box;
  const Domain<3> domain = sampleRegions<3>(regions, 2e-3);
  for (const GridCase<3>& c : casesOn(domain.grid, setup))
    for (Coupling coupling : c.couplings) {
      coupling.stiffness *= 2;
      std::printf("coupling of %zu motions, %.8g\n", coupling.motions.size(), coupling.stiffness(5, 5));
    }
  const Proof proof =
      prove(QuadraticTets(stuff([&](const Vec3& p) { return box->distance(p); }, box->bounds(), 4e-3)), 4e-3,
            {setup, AcrossSheet::body, 5e-3});
  std::printf("proof %.6g J, reaction %.6g N\n", proof.cases[0].compliance,
              proof.cases[0].reactions[0].force.z());
  return report.succeeded() && job.cellCount() > 1000 ? 0 : 1;
}
