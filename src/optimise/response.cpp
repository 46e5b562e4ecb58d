#include "barelattice/optimise/response.hpp"

#include <fmt/format.h>

#include <cmath>
#include <numeric>

#include "barelattice/base/error.hpp"
#include "barelattice/base/parallel.hpp"

namespace barelattice {

MassFraction::MassFraction(std::vector<double> fill)
    : fill_(std::move(fill)), total_(std::accumulate(fill_.begin(), fill_.end(), 0.0)) {}

double MassFraction::value(std::span<const double> density) const {
  return sumBlocks(density.size(),
                   [&](std::size_t begin, std::size_t end) {
                     double sum = 0;
                     for (std::size_t i = begin; i < end; ++i) sum += fill_[i] * density[i];
                     return sum;
                   }) /
         total_;
}

double MassFraction::evaluate(std::span<const double> density, std::span<double> gradient) {
  forEach(gradient.size(), [&](std::size_t i) { gradient[i] = fill_[i] / total_; });
  return value(density);
}

double StiffnessLaw::share(double density) const {
  return floor + (1 - floor) * std::pow(density, penalty);
}

double StiffnessLaw::derivative(double density) const {
  return (1 - floor) * penalty * std::pow(density, penalty - 1);
}

template <int D>
WeightedCompliance<D>::WeightedCompliance(ElasticModel<D>& model, std::vector<GridCase> cases,
                                          std::vector<double> fill, StiffnessLaw law)
    : model_(model), cases_(std::move(cases)), fill_(std::move(fill)), law_(law), reports_(cases_.size()) {
  displacements_.assign(cases_.size(), std::vector<double>(model.size(), 0.0));
}

template <int D>
double WeightedCompliance<D>::evaluate(std::span<const double> density, std::span<double> gradient) {
  const std::size_t cells = density.size();
  std::vector<double> shares(cells);
  forEach(cells, [&](std::size_t i) { shares[i] = fill_[i] * law_.share(density[i]); });
  model_.setRelativeModuli(shares);
  std::fill(gradient.begin(), gradient.end(), 0.0);
  std::vector<double> energies(cells);
  double sum = 0;
  for (std::size_t k = 0; k < cases_.size(); ++k) {
    report(progress_, "solving case " + cases_[k].name,
           static_cast<double>(k) / static_cast<double>(cases_.size()));
    reports_[k] = model_.solve(cases_[k].force, displacements_[k], options_);
    if (!reports_[k].succeeded())
      throw RunError(fmt::format("case {}: {} ({} iterations, energy error {:.1e})", cases_[k].name,
                                 describe(reports_[k].stop), reports_[k].iterations,
                                 reports_[k].energyError));
    sum += cases_[k].weight * reports_[k].work;
    model_.fullCellEnergies(displacements_[k], energies);
    // dC/d(rho) = -w u^T (dK/d(rho)) u: the loads do not depend on the design, so the adjoint state is u
    // itself.
    forEach(cells, [&](std::size_t i) {
      gradient[i] -= cases_[k].weight * fill_[i] * law_.derivative(density[i]) * energies[i];
    });
  }
  return sum;
}

template class WeightedCompliance<2>;
template class WeightedCompliance<3>;

}  // namespace barelattice
