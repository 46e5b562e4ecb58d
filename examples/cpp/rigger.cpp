// The sculling rigger without a brief: shapes, cases, layout, solid and proof through the public headers.
// Usage: rigger [voxel in mm] [STL file to write]

#include <barelattice/barelattice.hpp>
#include <cstdio>
#include <cstdlib>

using namespace barelattice;

namespace {

constexpr double mm = 1e-3;

ShapePtr rod(Vec3 from, Vec3 to, double radius) {
  return makeCylinder(mm * from, mm * to, mm * radius);
}

NamedFace boreOf(const char* name, const ShapePtr& shape, double voxel) {
  FaceSelector hole;
  hole.kind = Patch::Kind::cylinder;
  hole.hole = true;
  return {name, selectFace(*shape, hole, 0.25 * voxel)};
}

}  // namespace

int main(int argc, char** argv) {
  const double voxel = mm * (argc > 1 ? std::atof(argv[1]) : 2.5);

  // The wedge from the hull to the pin, three bolted rings, the bush of the pin, and what must stay free.
  Extrusion wedge;
  for (const auto& [x, z] : {std::pair{0.0, 0.0}, {55, 0}, {300, 64}, {300, 120}, {0, 140}})
    wedge.outline.push_back({{x * mm, z * mm}, {}});
  wedge.second = 2;
  wedge.from = -60 * mm;
  wedge.to = 60 * mm;
  Regions regions;
  regions.space = makeExtrusion(wedge);
  Setup setup;
  setup.materials = {builtinMaterials().front()};  // aluminium
  for (const auto& [name, y, z] : {std::tuple{"low", 0.0, 20.0}, {"bow", 42, 118}, {"stern", -42, 118}}) {
    const ShapePtr hole = rod({-1, y, z}, {11, y, z}, 5);
    const ShapePtr ring = makeDifference(rod({0, y, z}, {10, y, z}, 13), {hole});
    regions.keeps.push_back(ring);
    regions.clears.insert(regions.clears.end(), {hole, rod({10, y, z}, {70, y, z}, 11)});
    setup.supports.push_back({name, setup.faces.size()});
    setup.faces.push_back(boreOf(name, ring, voxel));
  }
  const ShapePtr pin = rod({270, 0, 50}, {270, 0, 130}, 8);
  regions.keeps.push_back(makeDifference(rod({270, 0, 66}, {270, 0, 106}, 17), {pin}));
  regions.clears.insert(regions.clears.end(), {pin, rod({270, 0, 106}, {270, 0, 150}, 140)});
  setup.faces.push_back(boreOf("pin", regions.keeps.back(), voxel));
  setup.addCase("catch", {{3, {{500, 600, -400}}}});
  setup.addCase("drive", {{3, {{-200, 1100, -100}}}});

  const MirrorPlane mirror{Vec3::UnitY(), 0};
  const Domain<3> domain = sampleRegions<3>(regions, voxel, {std::nullopt, mirror.at, std::nullopt});
  LayoutProblem<3> layout;
  layout.grid = domain.grid;
  layout.material = setup.materials.front();
  layout.fill = domain.fill;
  layout.keep = domain.keep;
  layout.massFraction = 0.108;
  layout.making = {Walls{std::max(8 * mm, 2 * voxel), FilterBoundary::empty}, mirror};
  layout.cases = casesOn(domain, setup);
  const OptimiseResult found = optimiseLayout<3>(layout, {});
  std::printf("layout: %zu iterations, compliance %.4g J\n", found.history.size(), found.nominal);

  const SmoothLayout smooth(domain, found.level, layout.filterRadius());
  SolidOptions options;
  options.spacing = voxel;
  const Solid solid = reinterpret(smooth, regions, layout.massFraction * domain.volume(), options);
  if (argc > 2) writeMesh(argv[2], solid.surface, MeshFormat::stl);
  std::printf("solid: %.4g kg, %s\n", solid.volume * layout.material.density, solid.defects.text().c_str());

  const double spacing = 0.8 * voxel;
  TetMesh tets = stuff(solidFunction(smooth, regions, solid.threshold), regions.bounds(), spacing,
                       FeatherEdges::trimmed);
  std::size_t pieces = 0;
  dropLoosePieces(tets, regions, pieces);
  const Proof proof = prove(QuadraticTets(tets), spacing, {setup, AcrossSheet::body, 8 * mm});
  for (const CaseProof& c : proof.cases)
    std::printf("%s: compliance %.4g J, safety factor %.3g\n", c.name.c_str(), c.compliance, c.safetyFactor);
  return solid.defects.sound() && pieces == 1 ? 0 : 1;
}
