#include "barelattice/voxels/natural_modes.hpp"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numbers>
#include <numeric>

#include "barelattice/base/error.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"
#include "solve/eigenpairs.hpp"
#include "voxel_operator.hpp"

namespace barelattice {
namespace {

// Densities from which cells begin to weigh what they are, and do; see vibratingShare.
constexpr double kLight = 0.1;
constexpr double kSolid = 0.5;

/// From 0 to 1, flat and without curvature at both ends.
double smoothed(double way) {
  return way * way * way * (10 + way * (6 * way - 15));
}

/// A body on a grid. The mass is lumped: diagonal, a share of 2^-D of each cell at each of its corners.
template <int D>
class GridModes final : public ModalSystem {
 public:
  GridModes(ElasticModel<D>& model, std::span<const double> cellMass, const CarriedMass& carried)
      : model_(model), mass_(nodalMass(model.stiffness().grid(), cellMass)), carried_(carried) {}

  std::size_t size() const override { return model_.size(); }
  void stiff(std::span<const double> x, std::span<double> y) override { model_.apply(x, y); }
  void weigh(std::span<double> x) const override {
    std::vector<double> apart;
    if (!carried_.empty()) apart.assign(x.begin(), x.end());
    forEach(x.size(), [&](std::size_t d) { x[d] *= mass_[d % mass_.size()]; });
    if (!carried_.empty()) carried_.add(apart, dofOrder(model_.stiffness().grid()), x);
  }
  void precondition(std::span<const double> r, std::span<double> z) override { model_.precondition(r, z); }
  void project(std::span<double> x) const override { model_.stiffness().template project<double>(x); }

  /// Share of a vector's kinetic energy at nodes of no other cells than `loose` and light ones.
  double shareOf(const std::vector<std::uint8_t>& loose, std::span<const double> x) const {
    double sum = 0;
    for (std::size_t d = 0; d < x.size(); ++d)
      if (loose[d % mass_.size()]) sum += mass_[d % mass_.size()] * x[d] * x[d];
    return sum;
  }

 private:
  static std::vector<double> nodalMass(const Grid<D>& grid, std::span<const double> cellMass) {
    const double most = *std::max_element(cellMass.begin(), cellMass.end());
    std::vector<double> mass(grid.nodeCount(), 0.0);
    for (std::size_t c = 0; c < grid.cellCount(); ++c)
      for (const int n : grid.cellNodes(c))
        mass[static_cast<std::size_t>(n)] += std::max(cellMass[c], 1e-12 * most) / kCorners<D>;
    return mass;
  }

  ElasticModel<D>& model_;
  std::vector<double> mass_;  // per node
  const CarriedMass& carried_;
};

CarriedMass carriedOn(std::span<const MassOnFace> masses, int components) {
  CarriedMass carried;
  for (const MassOnFace& mass : masses) {
    if (mass.face.ties.empty())
      throw InputError("the face of a mass is tied to nothing", "tie it to the grid, see tieToGrid");
    requireNotNegative("mass", mass.mass);
    carried.carry(mass.face, mass.at, mass.mass, components);
  }
  return carried;
}

/// Nodes of islands: of stiff cells that hang together but reach no support.
template <int D>
std::vector<std::uint8_t> nodesOfIslands(const ElasticModel<D>& model) {
  const VoxelOperator<D>& stiffness = model.stiffness();
  const Grid<D>& grid = stiffness.grid();
  std::vector<std::uint8_t> stiff(grid.cellCount());
  for (std::size_t c = 0; c < stiff.size(); ++c) stiff[c] = stiffness.scales()[c] >= kStiffShare;
  const Pieces pieces = findPieces(grid, stiff);
  std::vector<std::uint8_t> supported(grid.nodeCount(), 0);
  for (const NodeSupport<D>& support : stiffness.supports()) supported[support.node] = 1;
  for (const std::size_t node : model.coupledNodes()) supported[node] = 1;
  std::vector<std::uint8_t> held(pieces.cells.size(), 0);
  const auto forEachStiff = [&](const auto& visit) {
    for (std::size_t c = 0; c < stiff.size(); ++c)
      if (stiff[c])
        for (const int n : grid.cellNodes(c))
          visit(static_cast<std::size_t>(pieces.ofCell[c]), static_cast<std::size_t>(n));
  };
  forEachStiff([&](std::size_t piece, std::size_t node) { held[piece] |= supported[node]; });
  std::vector<std::uint8_t> loose(grid.nodeCount(), 0);
  forEachStiff([&](std::size_t piece, std::size_t node) {
    if (!held[piece]) loose[node] = 1;
  });
  forEachStiff([&](std::size_t piece, std::size_t node) {
    if (held[piece]) loose[node] = 0;
  });
  return loose;
}

}  // namespace

double vibratingShare(double density) {
  if (density <= 0) return 0;  // below it by rounding
  const double way = std::clamp((density - kLight) / (kSolid - kLight), 0.0, 1.0);
  return std::pow(density, 3 - 2 * smoothed(way));
}

/// Of d^p: p d^(p - 1) + p' d^p log d, with p = 3 - 2 s(w), s' = 30 w^2 (1 - w)^2 w'.
double vibratingSlope(double density) {
  if (density <= 0) return 0;
  const double way = std::clamp((density - kLight) / (kSolid - kLight), 0.0, 1.0);
  const double power = 3 - 2 * smoothed(way);
  const double slope = -60 * way * way * (1 - way) * (1 - way) / (kSolid - kLight);
  return std::pow(density, power - 1) * (power + slope * density * std::log(density));
}

template <int D>
NaturalModes findNaturalModes(ElasticModel<D>& model, std::span<const double> cellMass,
                              const ModeOptions& options, std::span<const MassOnFace> masses,
                              std::span<const std::vector<double>> start, const std::function<bool()>& goOn) {
  requireCount("cellMass", cellMass.size(), model.stiffness().grid().cellCount(), "cells");
  for (const double mass : cellMass) requireNotNegative("mass of a cell", mass);
  if (options.count < 1)
    throw InputError(fmt::format("{} modes are asked for", options.count), "give 1 or more");
  if (options.maxIterations < 1)
    throw InputError(fmt::format("maxIterations is {}", options.maxIterations), "give 1 or more");
  requirePositive("tolerance", options.tolerance);
  if (!(std::accumulate(cellMass.begin(), cellMass.end(), 0.0) > 0))
    throw InputError("a body without mass has no natural frequencies");
  const int iterated = options.count + kGuardPairs;
  double free = static_cast<double>(model.size());
  for (const NodeSupport<D>& s : model.stiffness().supports()) free -= D - s.free.trace();
  if (3 * iterated > free) throw InputError("there are more modes asked for than the body has motions");
  for (const std::vector<double>& shape : start)
    requireCount("a shape to start from", shape.size(), model.size(), "degrees of freedom");
  const CarriedMass carried = carriedOn(masses, D);
  GridModes<D> system(model, cellMass, carried);
  const Eigenpairs found =
      lowestEigenpairs(system, {options.count, options.tolerance, options.maxIterations}, start, goOn);
  NaturalModes result;
  result.iterations = found.iterations;
  result.converged = found.converged;
  const std::vector<std::uint8_t> loose = nodesOfIslands(model);
  const auto count = static_cast<std::size_t>(options.count);
  result.guards.assign(found.vectors.begin() + options.count, found.vectors.end());
  for (std::size_t i = 0; i < count; ++i) {
    const double squared = model.scale() * found.values[static_cast<Eigen::Index>(i)];
    result.modes.push_back({std::sqrt(std::max(0.0, squared)) / (2 * std::numbers::pi), found.errors[i],
                            found.vectors[i], system.shareOf(loose, found.vectors[i])});
  }
  return result;
}

template BARELATTICE_API NaturalModes findNaturalModes<2>(ElasticModel<2>&, std::span<const double>,
                                                          const ModeOptions&, std::span<const MassOnFace>,
                                                          std::span<const std::vector<double>>,
                                                          const std::function<bool()>&);
template BARELATTICE_API NaturalModes findNaturalModes<3>(ElasticModel<3>&, std::span<const double>,
                                                          const ModeOptions&, std::span<const MassOnFace>,
                                                          std::span<const std::vector<double>>,
                                                          const std::function<bool()>&);

}  // namespace barelattice
