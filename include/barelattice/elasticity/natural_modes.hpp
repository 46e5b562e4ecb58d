/// @file
/// The lowest natural frequencies of a body on a grid.
#pragma once

#include <span>
#include <vector>

#include "barelattice/elasticity/elastic_model.hpp"

namespace barelattice {

struct ModeOptions {
  int count = 3;            ///< how many modes, 1 or more
  double tolerance = 1e-6;  ///< wanted relative error of the squared frequencies, as estimated
  int maxIterations = 200;  ///< 1 or more
};

struct NaturalMode {
  double frequency = 0;       ///< Hz
  double error = 0;           ///< estimated relative error of its square
  std::vector<double> shape;  ///< displacements as gridDof orders them, with a kinetic mass of 1 kg: x^T M x
};

struct NaturalModes {
  std::vector<NaturalMode> modes;  ///< lowest first
  int iterations = 0;
  bool converged = false;  ///< every mode asked for is within the tolerance
};

/// The mass a cell takes part with when its layout density is `density`, relative to a full one: the density,
/// but of order six below 0.1. Light material keeps its stiffness longer than its mass, so that it has no low
/// frequencies of its own that would hide the body's (Du & Olhoff 2007; compare Pedersen 2000).
double vibratingShare(double density);

/// Solves K x = (2 pi f)^2 M x for the lowest f by LOBPCG (Knyazev 2001), preconditioned with the multigrid
/// cycle of the model. The mass of a cell is spread evenly over its corners; M is diagonal.
///
/// Memory: 9 vectors in double precision for each mode and for two more that guard the highest.
/// @param model its supports must leave no rigid motion free.
/// @param cellMass kg, one entry per cell (per metre of thickness times the thickness in two dimensions); a
///   cell without mass is given 1e-12 of the heaviest.
/// @throws InputError if there is no mass, or fewer free degrees of freedom than modes.
template <int D>
NaturalModes findNaturalModes(ElasticModel<D>& model, std::span<const double> cellMass,
                              const ModeOptions& options = {});

}  // namespace barelattice
