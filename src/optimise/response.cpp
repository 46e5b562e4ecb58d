#include "barelattice/optimise/response.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
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
  return floor + (1 - floor) * (penalty == 3 ? density * density * density : std::pow(density, penalty));
}

double StiffnessLaw::derivative(double density) const {
  return (1 - floor) * penalty * (penalty == 3 ? density * density : std::pow(density, penalty - 1));
}

bool CaseStates::succeeded() const {
  return std::all_of(reports.begin(), reports.end(), [](const SolveReport& r) { return r.succeeded(); });
}

template <int D>
CaseCompliances<D>::CaseCompliances(const Grid<D>& grid, const Material& material,
                                    std::vector<GridCase<D>> cases, std::vector<double> fill,
                                    StiffnessLaw law, std::vector<double> cellMass)
    : grid_(grid),
      cases_(std::move(cases)),
      fill_(std::move(fill)),
      cellMass_(std::move(cellMass)),
      law_(law) {
  for (std::size_t k = 0; k < cases_.size(); ++k) {
    if (!cases_[k].bodyForce.isZero() && cellMass_.size() != fill_.size())
      throw InputError("case " + cases_[k].name + " has a force on all mass, but the cells have none");
    std::size_t same = 0;
    while (same < k && !cases_[same].standsAs(cases_[k])) ++same;
    if (same == k) {
      modelOf_.push_back(models_.size());
      models_.push_back(
          std::make_unique<ElasticModel<D>>(grid, material, cases_[k].supports, cases_[k].couplings));
    } else {
      modelOf_.push_back(modelOf_[same]);
    }
  }
}

template <int D>
CaseStates CaseCompliances<D>::rest() const {
  CaseStates states;
  states.compliances.resize(cases_.size());
  states.reports.resize(cases_.size());
  states.cycles.assign(models_.size(), Cycle::v);
  for (const std::size_t m : modelOf_) states.displacements.emplace_back(models_[m]->size(), 0.0);
  return states;
}

template <int D>
void CaseCompliances<D>::attempt(std::span<const double> density, CaseStates& states) {
  states.density.assign(density.begin(), density.end());
  std::vector<double> shares(density.size());
  forEach(shares.size(), [&](std::size_t i) { shares[i] = fill_[i] * law_.share(density[i]); });
  for (const auto& model : models_) model->setRelativeModuli(shares);
  for (std::size_t m = 0; m < models_.size(); ++m) {
    std::vector<std::size_t> own;
    std::vector<std::vector<double>> weighing(cases_.size());
    std::vector<LoadedField> fields;
    for (std::size_t k = 0; k < cases_.size(); ++k) {
      if (modelOf_[k] != m) continue;
      own.push_back(k);
      if (!cases_[k].bodyForce.isZero()) weighing[k] = bodyForces(density, cases_[k].bodyForce);
      fields.push_back({&cases_[k].force, states.displacements[k], weighing[k]});
    }
    report(progress_, "solving case " + cases_[own.front()].name,
           static_cast<double>(m) / static_cast<double>(models_.size()));
    models_[m]->setCycle(states.cycles[m]);
    const std::vector<SolveReport> reports = models_[m]->solve(fields, options_);
    states.cycles[m] = models_[m]->cycle();
    for (std::size_t i = 0; i < own.size(); ++i) {
      const std::size_t k = own[i];
      const bool good = reports[i].succeeded() && std::isfinite(reports[i].work);
      states.reports[k] = reports[i];
      states.compliances[k] = good ? reports[i].work : std::numeric_limits<double>::infinity();
      if (!good) std::fill(states.displacements[k].begin(), states.displacements[k].end(), 0.0);
    }
  }
}

template <int D>
void CaseCompliances<D>::requireSuccess(const CaseStates& states) const {
  for (std::size_t k = 0; k < cases_.size(); ++k) {
    const SolveReport& solved = states.reports[k];
    if (!solved.succeeded())
      throw RunError(fmt::format("case {}: {} ({} iterations, energy error {:.1e})", cases_[k].name,
                                 describe(solved.stop), solved.iterations, solved.energyError));
  }
}

template <int D>
void CaseCompliances<D>::gradient(const CaseStates& states, std::size_t k, std::span<double> gradient) const {
  // The adjoint state is u itself.
  const std::vector<double>& u = states.displacements[k];
  models_[modelOf_[k]]->fullCellEnergies(u, gradient);
  forEach(gradient.size(),
          [&](std::size_t i) { gradient[i] *= -fill_[i] * law_.derivative(states.density[i]); });
  const Vec3& perMass = cases_[k].bodyForce;
  if (perMass.isZero()) return;
  const DofOrder order = dofOrder(grid_);
  forEach(gradient.size(), [&](std::size_t i) {
    double work = 0;  // of a unit mass spread evenly over the corners
    for (const int node : grid_.cellNodes(i))
      work += perMass.dot(order.at(u, static_cast<std::size_t>(node))) / kCorners<D>;
    gradient[i] += 2 * cellMass_[i] * work;
  });
}

/// A cell's weight falls on its corners alike, by degree of freedom, N.
template <int D>
std::vector<double> CaseCompliances<D>::bodyForces(std::span<const double> density,
                                                   const Vec3& perMass) const {
  std::vector<double> forces(D * grid_.nodeCount(), 0.0);
  for (std::size_t c = 0; c < density.size(); ++c)
    for (const int node : grid_.cellNodes(c))
      for (int i = 0; i < D; ++i)
        forces[gridDof(grid_, static_cast<std::size_t>(node), i)] +=
            density[c] * cellMass_[c] / kCorners<D> * perMass[i];
  return forces;
}

template <int D>
double WeightedCompliance<D>::evaluate(std::span<const double> density, std::span<double> gradient) {
  compliances_.attempt(density, states_);
  compliances_.requireSuccess(states_);
  std::fill(gradient.begin(), gradient.end(), 0.0);
  std::vector<double> own(gradient.size());
  double sum = 0;
  for (std::size_t k = 0; k < states_.compliances.size(); ++k) {
    const double weight = compliances_.cases()[k].weight;
    sum += weight * states_.compliances[k];
    compliances_.gradient(states_, k, own);
    forEach(own.size(), [&](std::size_t i) { gradient[i] += weight * own[i]; });
  }
  return sum;
}

template class CaseCompliances<2>;
template class CaseCompliances<3>;
template class WeightedCompliance<2>;
template class WeightedCompliance<3>;

}  // namespace barelattice
