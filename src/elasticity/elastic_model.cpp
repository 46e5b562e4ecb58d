#include "barelattice/elasticity/elastic_model.hpp"

#include <cmath>

#include "barelattice/base/parallel.hpp"

namespace barelattice {
namespace {

/// Sheets in plane strain have their Poisson's ratio mapped beyond the bound of bodies; see sheetMaterial.
template <int D>
const Material& validated(const Material& material) {
  Material bounded = material;
  if (D == 2 && material.poisson <= kMostPoisson / (1 - kMostPoisson)) bounded.poisson = 0;
  validate(bounded);
  return material;
}

}  // namespace

template <int D>
ElasticModel<D>::ElasticModel(const Grid<D>& grid, const Material& material, std::vector<std::size_t> held)
    : grid_(grid),
      scale_(validated<D>(material).modulus * std::pow(grid.frame().size, D - 2)),
      exact_(grid, material.poisson, held),
      free_(grid, material.poisson, {}),
      fine_(grid, material.poisson, held),
      hierarchy_(grid, material.poisson, held) {
  const std::vector<double> full(grid.cellCount(), 1.0);
  setRelativeModuli(full);
}

template <int D>
void ElasticModel<D>::setRelativeModuli(std::span<const double> shares) {
  exact_.setScales(shares);
  free_.setScales(shares);
  fine_.setScales(shares);
  multigrid_ = hierarchy_.build(fine_, shares);
}

template <int D>
SolveReport ElasticModel<D>::solve(std::span<const double> f, std::span<double> u,
                                   const SolveOptions& options) const {
  std::vector<double> load(f.begin(), f.end());
  for (const std::size_t dof : exact_.held()) {
    load[dof] = 0;
    u[dof] = 0;
  }
  forEach(u.size(), [&](std::size_t i) { u[i] *= scale_; });
  SolveReport report = solveConjugateGradients(
      [this](std::span<const double> x, std::span<double> y) { exact_.apply(x, y); },
      [this](std::span<const double> r, std::span<double> z) { multigrid_->apply(r, z); }, load, u, options);
  forEach(u.size(), [&](std::size_t i) { u[i] /= scale_; });
  report.work /= scale_;
  return report;
}

template <int D>
void ElasticModel<D>::fullCellEnergies(std::span<const double> u, std::span<double> energies) const {
  exact_.cellEnergies(u, energies);
  forEach(energies.size(), [&](std::size_t c) { energies[c] *= scale_; });
}

template <int D>
std::vector<double> ElasticModel<D>::reactions(std::span<const double> u, std::span<const double> f) const {
  std::vector<double> force(u.size());
  free_.apply(u, force);
  std::vector<double> reaction(u.size(), 0.0);
  for (const std::size_t dof : exact_.held()) reaction[dof] = scale_ * force[dof] - f[dof];
  return reaction;
}

template class ElasticModel<2>;
template class ElasticModel<3>;

}  // namespace barelattice
