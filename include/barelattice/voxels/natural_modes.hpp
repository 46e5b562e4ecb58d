/// @file
/// The lowest natural frequencies of a body on a grid.
#pragma once

#include <functional>
#include <span>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/voxels/elastic_model.hpp"
#include "barelattice/voxels/grid_ties.hpp"

namespace barelattice BARELATTICE_API {

struct ModeOptions {
  int count = 3;            ///< how many modes, 1 or more
  double tolerance = 1e-6;  ///< wanted relative error of the squared frequencies, as estimated
  int maxIterations = 200;  ///< 1 or more
};

/// Share of the modulus from which cells hold together; that of a tenth of the density, cubed.
inline constexpr double kStiffShare = 1e-3;

struct NaturalMode {
  double frequency = 0;       ///< Hz
  double error = 0;           ///< estimated relative error of its square
  std::vector<double> shape;  ///< displacements as gridDof orders them, with a kinetic mass of 1 kg: x^T M x
  /// Share of its kinetic energy in islands: cells of at least kStiffShare of the modulus from which only
  /// softer ones lead to a support. Most of it there means that a loose piece moves, not the body.
  double loose = 0;
};

/// A mass that a face's mean motion carries along at a place, see PointMass.
struct MassOnFace {
  GridTies face;
  Vec3 at = Vec3::Zero();  ///< m
  double mass = 0;         ///< kg
};

struct NaturalModes {
  std::vector<NaturalMode> modes;  ///< lowest first
  /// Shapes of those above, less exact, that guarded the highest: worth starting from with the others.
  std::vector<std::vector<double>> guards;
  int iterations = 0;
  bool converged = false;  ///< every mode asked for is within the tolerance
};

/// The mass a cell takes part with when its layout density is `density`, relative to a full one: d^(3 - 2 s),
/// s rising smoothly from 0 at a density of 0.1 to 1 at 0.5. Where mass falls with the density and stiffness
/// with its cube, light material has frequencies of its own, a density's share of those it would have when
/// full, and they hide the body's. Taking the mass of light material away (Pedersen 2000 stiffens it instead;
/// Du & Olhoff 2007 take a sixth power below 0.1) has to begin well above the densities that do harm, and be
/// as fast as the stiffness: then light material is at most as slow as the full block.
double vibratingShare(double density);
/// Its derivative.
double vibratingSlope(double density);

/// Solves K x = (2 pi f)^2 M x for the lowest f by LOBPCG (Knyazev 2001), preconditioned with the multigrid
/// cycle of the model. The mass of a cell is spread evenly over its corners; M is diagonal.
///
/// Memory: 9 vectors in double precision for each mode and for two more that guard the highest.
/// @param model its supports must leave no rigid motion free.
/// @param cellMass kg, one entry per cell (per metre of thickness times the thickness in two dimensions); a
///   cell without mass is given 1e-12 of the heaviest.
/// @param masses carried by faces, which stay free to deform.
/// @param start shapes to begin with, as of a body that is nearly this one: modes, then guards. Fewer than
///   are needed are made up for.
/// @param goOn asked in each iteration; Cancelled where it says no.
/// @throws InputError if there is no mass, or fewer free degrees of freedom than modes.
template <int D>
NaturalModes findNaturalModes(ElasticModel<D>& model, std::span<const double> cellMass,
                              const ModeOptions& options = {}, std::span<const MassOnFace> masses = {},
                              std::span<const std::vector<double>> start = {},
                              const std::function<bool()>& goOn = {});

}  // namespace barelattice
