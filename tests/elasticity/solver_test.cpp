#include <gtest/gtest.h>
#include <chrono>
#include <cstdio>
#include <fstream>

#include "barelattice/elasticity/attachment.hpp"
#include "barelattice/optimise/optimiser.hpp"
#include "barelattice/solid/reinterpret.hpp"
#include "barelattice/geometry/stl.hpp"
#include "barelattice/proof/proof.hpp"

using namespace barelattice;
static double now() { return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count(); }

TEST(Trial, rigger) {
  const double mm = 1e-3;
  auto cyl = [&](Vec3 a, Vec3 b, double r) { return makeCylinder(a * mm, b * mm, r * mm); };
  Extrusion ex;
  ex.first = 0; ex.second = 2; ex.from = -60 * mm; ex.to = 60 * mm;
  for (auto p : std::vector<Eigen::Vector2d>{{0, 0}, {60, 0}, {300, 70}, {300, 130}, {0, 130}}) ex.outline.push_back(p * mm);
  Regions r;
  r.space = makeExtrusion(ex);
  auto pin = cyl({270, 0, 60}, {270, 0, 140}, 8);
  auto boss = cyl({270, 0, 75}, {270, 0, 115}, 18);
  std::vector<Vec3> bolts{{0, -42, 100}, {0, 42, 100}, {0, 0, 20}};
  ShapePtr ring;
  for (auto b : bolts) {
    auto hole = cyl(b - Vec3(5, 0, 0), b + Vec3(20, 0, 0), 5);
    ring = makeDifference(cyl(b, b + Vec3(10, 0, 0), 12), {hole});
    r.keeps.push_back(ring);
    r.clears.push_back(hole);
    r.clears.push_back(cyl(b + Vec3(10, 0, 0), b + Vec3(80, 0, 0), 11));
  }
  auto bore = makeDifference(boss, {pin});
  r.keeps.push_back(bore);
  r.clears.push_back(pin);
  r.clears.push_back(cyl({270, 0, 115}, {270, 0, 180}, 130));
  double t0 = now();
  double h = (getenv("H") ? atof(getenv("H")) : 2.5) * mm;
  Domain d = sampleRegions(r, h, MirrorPlane{1, 0});
  std::printf("cells %zu box %zu vol %g keep %g  %.2fs\n", d.grid.cellCount(), d.grid.frame().boxCells(), d.volume() * 1e6, d.keepVolume() * 1e6, now() - t0);
  FaceSelector sel; sel.kind = Patch::Kind::cylinder; sel.radius = 8 * mm;
  Face pinFace = selectFace(*bore, sel, 0.25 * h);
  std::vector<std::size_t> held;
  for (std::size_t k = 0; k < 3; ++k) {
    FaceSelector s; s.kind = Patch::Kind::cylinder; s.radius = 5 * mm;
    Face f = selectFace(*r.keeps[k], s, 0.25 * h);
    for (auto n : Attachment(d.grid, f).nodes()) for (int c = 0; c < 3; ++c) held.push_back(gridDof(d.grid, n, c));
  }
  std::sort(held.begin(), held.end()); held.erase(std::unique(held.begin(), held.end()), held.end());
  LayoutProblem<3> p;
  p.grid = &d.grid; p.material = builtinMaterials()[0]; p.fill = d.fill; p.keep = d.keep; p.held = held;
  std::vector<Vec3> F{{300, 900, -50}, {-200, 1200, -80}, {50, -150, -250}};
  const char* names[] = {"catch", "drive", "recovery"};
  for (int k = 0; k < 3; ++k) {
    GridCase c{names[k], 1.0, std::vector<double>(3 * d.grid.nodeCount())};
    Attachment(d.grid, pinFace).addForce(F[k], c.force);
    p.cases.push_back(c);
  }
  p.massFraction = 0.12; p.filterRadius = 8 * mm; p.mirror = mirrorPartners(d.grid, 1, 0.0);
  OptimiseOptions o;
  t0 = now();
  auto res = optimiseLayout<3>(p, o, [&](const IterationRecord& i, const auto&) {
    std::printf("%3d J %.6g m %.4f ch %.4f b %.0f its %d t %.1f\n", i.iteration, i.compliance, i.massFraction, i.change, i.sharpness, i.solverIterations, i.seconds);
    return true; });
  std::printf("final %g  %s  %.1fs\n", res.compliance, describe(res.stop).c_str(), now() - t0);
  t0 = now();
  SmoothLayout layout(d, res.density);
  std::printf("smooth %.2f\n", now() - t0);
  Solid s = reinterpret(layout, r, 0.12 * d.volume(), {1.25 * h}, [&](const Progress& q) { std::printf("%s %.1f\n", q.stage.c_str(), now() - t0); return true; });
  std::printf("thr %.3f vol %g want %g tris %zu dropped %zu pieces %zu defects %s  %.1fs\n", s.threshold, s.volume * 1e6, s.wantedVolume * 1e6, s.surface.triangles.size(), s.dropped.pieces, s.pieces, s.defects.text().c_str(), now() - t0);
  { std::vector<int> comp(s.surface.vertices.size(), -1); std::vector<std::vector<int>> adj(comp.size());
    for (auto& t : s.surface.triangles) for (int k = 0; k < 3; ++k) adj[t[k]].push_back(t[(k+1)%3]);
    int n = 0; for (size_t v = 0; v < comp.size(); ++v) { if (comp[v] >= 0) continue; std::vector<int> st{(int)v}; comp[v] = n; Box b; size_t cnt = 0;
      while (!st.empty()) { int x = st.back(); st.pop_back(); b.extend(s.surface.vertices[x]); ++cnt; for (int y : adj[x]) if (comp[y] < 0) { comp[y] = n; st.push_back(y); } }
      std::printf("comp %d verts %zu box %g %g %g - %g %g %g\n", n, cnt, b.min().x()*1e3, b.min().y()*1e3, b.min().z()*1e3, b.max().x()*1e3, b.max().y()*1e3, b.max().z()*1e3); ++n; } }
  t0 = now();
  std::size_t pieces = 0;
  double a = std::cbrt(12 * s.volume / (getenv("NT") ? atof(getenv("NT")) : 150000));
  Implicit f = solidFunction(layout, r, s.threshold);
  TetMesh tm = stuff(f, r.bounds(), a);
  dropLoosePieces(tm, r, pieces);
  QuadraticTets qt(tm);
  std::printf("tets %zu nodes %zu vol %g spacing %g mm %.1fs\n", qt.tets().size(), qt.nodeCount(), qt.volume() * 1e6, a * 1e3, now() - t0);
  ProofProblem pp; pp.material = p.material; pp.exclusion = 5e-3;
  pp.faces.push_back({"pin", pinFace});
  for (std::size_t k = 0; k < 3; ++k) {
    FaceSelector q; q.kind = Patch::Kind::cylinder; q.radius = 5 * mm;
    pp.faces.push_back({"bolt", selectFace(*r.keeps[k], q, 0.25 * h)});
    pp.supports.push_back(k + 1);
  }
  for (int k = 0; k < 3; ++k) pp.cases.push_back({names[k], {{"l", 0, F[k]}}});
  Proof pf = prove(qt, a, pp, [&](const Progress& q) { std::printf("%s %.1f\n", q.stage.c_str(), now() - t0); return true; });
  for (auto& c : pf.cases) std::printf("%s J %g (opt %g) u %g mm peak %g judged %g MPa its %d react %g %g %g\n", c.name.c_str(), c.compliance, res.caseCompliance[&c - &pf.cases[0]], c.displacement * 1e3, c.peakStress / 1e6, c.judgedStress / 1e6, c.solve.iterations,
    c.reactions[0].force.y() + c.reactions[1].force.y() + c.reactions[2].force.y(), c.applied.force.y(), c.applied.moment.z());
  std::printf("angles %g %g total %.1fs\n", pf.smallestAngle, pf.largestAngle, now() - t0);
  SurfaceGap g = surfaceGap(qt.surfaceTriangles(), s.surface);
  std::printf("gap mean %g max %g mm\n", g.mean * 1e3, g.largest * 1e3);
  writeStl("/tmp/rigger.stl", s.surface);
  std::ofstream("/tmp/rho.bin", std::ios::binary).write(reinterpret_cast<const char*>(res.density.data()), 8 * res.density.size());
}
