// A body with something acting on it, analysed on voxels and on tetrahedra: for tests that hold both against
// theory.
#pragma once

#include <numbers>
#include <vector>

#include "barelattice/optimise/analysis.hpp"
#include "barelattice/voxels/grid_ties.hpp"
#include "support/exact_problems.hpp"

namespace barelattice {

struct LoadedBody {
  ShapePtr shape;
  double voxel = 0.0025;                     ///< m
  double spacing = 0.003;                    ///< of the tetrahedra's lattice, m
  Setup setup = {};                          ///< what is looked at is the motion of the last face
  std::vector<MaterialRegion> regions = {};  ///< of materials beyond the first
};

struct Motions {
  std::vector<double> compliances;  ///< by case, J
  std::vector<RigidMotion> last;    ///< mean motion of the last face, by case
  std::vector<CaseProof> cases;     ///< tetrahedra only
};

/// The analysis of a body on voxels, full.
struct OnVoxels {
  explicit OnVoxels(const LoadedBody& body, double energyTolerance = 1e-12)
      : domain(sampled(body)), analysis(made(body, domain)) {
    analysis.setTolerance(energyTolerance);
  }

  CaseStates at(std::vector<double> density) {
    CaseStates states = analysis.rest();
    analysis.attempt(std::move(density), states);
    analysis.requireSuccess(states);
    return states;
  }

  static Domain<3> sampled(const LoadedBody& body) {
    Regions all;
    all.space = body.shape;
    all.materials = body.regions;
    return sampleRegions<3>(all, body.voxel);
  }
  static GridAnalysis<3> made(const LoadedBody& body, const Domain<3>& domain) {
    const std::vector<Material>& materials = body.setup.materials;
    Material base = materials[0];
    for (const Material& m : materials) base.modulus = std::max(base.modulus, m.modulus);
    std::vector<double> fill, mass, expansion;
    for (std::size_t c = 0; c < domain.fill.size(); ++c) {
      const Material& own = materials[domain.material[c]];
      fill.push_back(domain.fill[c] * own.modulus / base.modulus);
      mass.push_back(domain.fill[c] * domain.cellVolume() * own.density);
      expansion.push_back(own.expansion);
    }
    return {domain.grid, base, casesOn(domain.grid, body.setup), HeldField(fill), {}, mass, expansion};
  }

  Domain<3> domain;
  GridAnalysis<3> analysis;
};

inline Motions onVoxels(const LoadedBody& body, double energyTolerance = 1e-12) {
  OnVoxels on(body, energyTolerance);
  const CaseStates states = on.at(std::vector<double>(on.domain.fill.size(), 1.0));
  Motions found{states.compliances, {}, {}};
  const GridTies last = tieToGrid(on.domain.grid, body.setup.faces.back().face);
  for (const auto& u : states.displacements)
    found.last.push_back(meanMotionOn(last, u, dofOrder(on.domain.grid)));
  return found;
}

inline Motions onTets(const LoadedBody& body) {
  const ProofProblem problem{body.setup, AcrossSheet::body, 0, body.regions};
  Proof proof = prove(proofMesh(body.shape, body.spacing, problem), body.spacing, problem);
  Motions found;
  for (const CaseProof& c : proof.cases) {
    found.compliances.push_back(c.compliance);
    found.last.push_back({c.faceDisplacement.back(), c.faceRotation.back(), Vec3::Zero()});
  }
  found.cases = std::move(proof.cases);
  return found;
}

/// A bar along x from the origin, its ends named "root" (0) and "end" (the last face).
inline LoadedBody barOf(const Vec3& size, const Material& material, double voxel, double spacing) {
  LoadedBody body{makeBox({0, 0, 0}, size), voxel, spacing};
  body.setup.materials = {material};
  body.setup.faces = {planeOf("root", body.shape, -Vec3::UnitX(), 0.25 * voxel),
                      planeOf("end", body.shape, Vec3::UnitX(), 0.25 * voxel)};
  return body;
}

/// All supports and one load in one case.
inline void actAlone(LoadedBody& body, std::vector<Support> supports, Load load) {
  body.setup.supports = std::move(supports);
  body.setup.loads = {std::move(load)};
  body.setup.cases = {{"alone", 1, {{0, 1}}, {}}};
  for (std::size_t s = 0; s < body.setup.supports.size(); ++s) body.setup.cases[0].supports.push_back(s);
}

}  // namespace barelattice
