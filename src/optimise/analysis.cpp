#include "barelattice/optimise/analysis.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>
#include <numeric>

#include "barelattice/base/error.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"
#include "solve/superposition.hpp"
#include "voxels/voxel_operator.hpp"

namespace barelattice {
namespace {

/// Kept from growing in all directions a cell presses on each of its sides with the same stress, a corner's
/// share of which is h^(D-1) / 2^(D-1) along each axis.
template <int D>
std::vector<double> growthForces(const Grid<D>& grid, const Material& material,
                                 const std::vector<double>& expansion) {
  const double corner = std::pow(0.5 * grid.frame().size, D - 1);
  const double stress = material.modulus * hydrostaticStiffness<D>(material.poisson);
  std::vector<double> forces(grid.cellCount());
  for (std::size_t c = 0; c < forces.size(); ++c)
    forces[c] = corner * stress * (expansion.empty() ? material.expansion : expansion[c]);
  return forces;
}

}  // namespace

std::vector<std::vector<double>> Analysis::adjoints(const CaseStates& at, std::span<const AdjointLoad> loads,
                                                    std::vector<std::vector<double>> /*starts*/) {
  std::vector<std::vector<double>> found;
  for (const AdjointLoad& load : loads) found.push_back(adjoint(at, load.k, load.byDisplacement));
  return found;
}

void Analysis::modeGradient(const CaseStates& /*at*/, std::size_t set, std::size_t mode,
                            std::span<double> /*gradient*/) const {
  throw InputError(fmt::format("mode {} under set {} of supports is asked for", mode, set),
                   "this analysis finds none");
}

bool CaseStates::succeeded() const {
  return std::all_of(reports.begin(), reports.end(), [](const SolveReport& r) { return r.succeeded(); });
}

template <int D>
GridAnalysis<D>::GridAnalysis(const Grid<D>& grid, const Material& material, std::vector<GridCase<D>> cases,
                              HeldField fill, StiffnessLaw law, std::vector<double> cellMass,
                              std::vector<double> cellExpansion, const MirrorLayers<D>& mirrors,
                              std::vector<MassOnFace> carried)
    : whole_(grid),
      grid_(grid),
      cases_(std::move(cases)),
      fill_(std::move(fill)),
      cellMass_(std::move(cellMass)),
      carried_(std::move(carried)),
      law_(law) {
  requireCount("fill", fill_->size(), grid_.cellCount(), "cells");
  requireCountOrNone("cellMass", cellMass_.size(), grid_.cellCount(), "cells");
  requireCountOrNone("cellExpansion", cellExpansion.size(), grid_.cellCount(), "cells");
  validate(law_);
  for (const GridCase<D>& c : cases_) validate(grid_, c);
  if (std::any_of(mirrors.begin(), mirrors.end(), [](const auto& layer) { return layer.has_value(); })) {
    piece_ = std::make_shared<const MirrorPiece<D>>(grid, mirrors);
    grid_ = piece_->grid();
    fill_ = piece_->heldBy(*fill_);
    if (!cellMass_.empty()) cellMass_ = piece_->heldBy(cellMass_);
    if (!cellExpansion.empty()) cellExpansion = piece_->meansOf(cellExpansion);
    for (GridCase<D>& c : cases_) naming("case", c.name, [&] { c = piece_->caseOf(c); });
  }
  for (std::size_t k = 0; k < cases_.size(); ++k) {
    if (cases_[k].temperature != 0 && growthForce_.empty())
      growthForce_ = growthForces(grid_, material, cellExpansion);
    if (!cases_[k].bodyForce.isZero() && cellMass_.size() != fill_->size())
      throw InputError("case " + cases_[k].name + " has a force on all mass, but the cells have none");
    std::size_t same = 0;
    while (same < k && !cases_[same].standsAs(cases_[k])) ++same;
    if (same == k)
      groups_.push_back(
          {std::make_unique<ElasticModel<D>>(grid_, material, cases_[k].supports, cases_[k].couplings),
           {},
           {}});
    groupOf_.push_back(same == k ? groups_.size() - 1 : groupOf_[same]);
    groups_[groupOf_[k]].cases.push_back(k);
  }
  for (Group& group : groups_) group.loads = std::make_shared<Superposition>(superpositionOf(group.cases));
}

/// By products of what loads are made of: forces on nodes, and such as belong to a layout: forces on all
/// mass, a temperature, and what nodes are moved by, each in forces of the full body's size.
template <int D>
Superposition GridAnalysis<D>::superpositionOf(const std::vector<std::size_t>& cases) const {
  const double mass = std::accumulate(cellMass_.begin(), cellMass_.end(), 0.0);
  const double perNode = mass * mass / static_cast<double>(grid_.nodeCount());
  const GridFrame<D>& frame = grid_.frame();
  Vec3 middle = Vec3::Zero();
  double reach = 0;
  for (std::size_t i = 0; i < D; ++i) {
    const auto e = static_cast<Eigen::Index>(i);
    middle[e] = frame.origin[e] + 0.5 * frame.size * frame.cells[i];
    reach = std::max(reach, 0.5 * frame.size * frame.cells[i]);
  }
  double perKelvin = 0;
  for (const double force : growthForce_) perKelvin += force * force;
  const double perMove = std::pow(groups_.front().model->scale(), 2);
  const auto count = static_cast<Eigen::Index>(cases.size());
  Eigen::MatrixXd products(count, count);
  for (Eigen::Index i = 0; i < count; ++i)
    for (Eigen::Index j = 0; j < count; ++j) {
      const GridCase<D>& a = cases_[cases[static_cast<std::size_t>(i)]];
      const GridCase<D>& b = cases_[cases[static_cast<std::size_t>(j)]];
      double sum = perNode * (a.bodyForce.at(middle).dot(b.bodyForce.at(middle)) +
                              reach * reach * a.bodyForce.gradient.cwiseProduct(b.bodyForce.gradient).sum());
      sum += perKelvin * a.temperature * b.temperature;
      auto other = b.moved.begin();
      for (const NodalVector& at : a.moved) {
        while (other != b.moved.end() && other->node < at.node) ++other;
        if (other != b.moved.end() && other->node == at.node) sum += perMove * at.value.dot(other->value);
      }
      for (const auto& [dof, force] : a.force)
        if (const auto found = b.force.find(dof); found != b.force.end()) sum += force * found->second;
      products(i, j) = sum;
    }
  return superposed(products);
}

template <int D>
CaseStates GridAnalysis<D>::rest() const {
  CaseStates states;
  states.compliances.resize(cases_.size());
  states.reports.resize(cases_.size());
  states.cycles.assign(groups_.size(), Cycle::v);
  for (std::size_t k = 0; k < cases_.size(); ++k)
    states.displacements.emplace_back(D * whole_.nodeCount(), 0.0);
  return states;
}

template <int D>
void GridAnalysis<D>::attempt(std::vector<double> density, CaseStates& states, int modes) {
  requireCount("density", density.size(), whole_.cellCount(), "cells");
  constexpr double kRounding = 1e-9;
  requireEach("density", density, -kRounding, 1 + kRounding);
  requireAll(states);
  states.density = std::move(density);
  if (modes > 0 && piece_)
    throw InputError("natural modes are asked for, and only a piece of the body is solved",
                     "leave the mirrors out: a piece has only the modes that are their own image");
  if (modes > 0 && cellMass_.size() != fill_->size())
    throw InputError("natural modes are asked for, but the cells have no mass", "give cellMass");
  if (!piece_) return solveAll(states, modes);
  constexpr double kAlike = 0.01;  // filters reflect at faces as far as voxels see them
  if (const double unlike = piece_->unlikeness(states.density); unlike > kAlike)
    throw InputError(
        fmt::format("density is not its own image in the planes of symmetry: {:.2g} % of it has no like",
                    100 * unlike),
        "let a making rule mirror the layout");
  CaseStates own = states;
  own.density = piece_->meansOf(states.density);
  for (std::vector<double>& u : own.displacements) u = piece_->displacementOf(u);
  solveAll(own, 0);
  for (std::size_t k = 0; k < cases_.size(); ++k) {
    piece_->spread(own.displacements[k], states.displacements[k]);
    states.compliances[k] = piece_->count() * own.compliances[k];
    own.reports[k].work *= piece_->count();
  }
  states.reports = std::move(own.reports);
  states.cycles = std::move(own.cycles);
}

/// Solves on the cells of `grid_`, which the states are of.
template <int D>
void GridAnalysis<D>::solveAll(CaseStates& states, int modes) {
  std::vector<double> moduli = shares(states.density);
  if (modes > 0) states.modes.resize(groups_.size());
  for (std::size_t g = 0; g < groups_.size(); ++g) {
    groups_[g].model->setRelativeModuli(moduli);
    now_ = {"solving case " + cases_[groups_[g].cases.front()].name,
            static_cast<double>(g) / static_cast<double>(groups_.size())};
    report(progress_, now_.stage, now_.fraction);
    if (g + 1 == groups_.size()) moduli = {};  // the solver has its own
    solve(groups_[g], g, states.density, states);
    if (modes > 0) states.modes[g] = modesOf(groups_[g], states.density, modes, std::move(states.modes[g]));
  }
}

/// Of the body as it was just solved. The error of squared frequencies is asked for, which is that of their
/// derivatives squared.
template <int D>
ModeStates GridAnalysis<D>::modesOf(const Group& group, std::span<const double> density, int count,
                                    ModeStates before) const {
  constexpr double kLeastExact = 1e-4;
  constexpr double kUseless = 5e-3;
  constexpr int kMostIterations = 100;
  std::vector<double> mass(density.size());
  forEach(mass.size(), [&](std::size_t i) { mass[i] = cellMass_[i] * vibratingShare(density[i]); });
  const ModeOptions options{count, std::min(options_.energyTolerance, kLeastExact), kMostIterations};
  const auto goOn = [this] { return !progress_ || progress_(now_); };
  NaturalModes found = findNaturalModes<D>(*group.model, mass, options, carried_, before.shapes, goOn);
  ModeStates states;
  for (NaturalMode& mode : found.modes) {
    if (!(mode.error < kUseless && mode.frequency > 0)) return {};
    states.squared.push_back(std::pow(2 * std::numbers::pi * mode.frequency, 2));
    states.shapes.push_back(std::move(mode.shape));
  }
  for (std::vector<double>& guard : found.guards) states.shapes.push_back(std::move(guard));
  return states;
}

template <int D>
std::vector<std::size_t> GridAnalysis<D>::supportSets() const {
  std::vector<std::size_t> first;
  for (const Group& group : groups_) first.push_back(group.cases.front());
  return first;
}

template <int D>
void GridAnalysis<D>::modeGradient(const CaseStates& at, std::size_t set, std::size_t mode,
                                   std::span<double> gradient) const {
  requireIndex("set of supports", set, at.modes.size(), "sets whose modes were found");
  requireIndex("mode", mode, at.modes[set].squared.size(), "modes");
  requireCount("gradient", gradient.size(), whole_.cellCount(), "cells");
  const std::vector<double>& shape = at.modes[set].shapes[mode];
  const double squared = at.modes[set].squared[mode];
  groups_[set].model->fullCellEnergies(shape, gradient);
  const DofOrder order = dofOrder(grid_);
  forEach(gradient.size(), [&](std::size_t i) {
    double moves = 0;  // mean square of its corners
    for (const int node : grid_.cellNodes(i))
      moves += order.at(shape, static_cast<std::size_t>(node)).squaredNorm() / kCorners<D>;
    gradient[i] = gradient[i] * fill_[i] * law_.derivative(at.density[i]) -
                  squared * cellMass_[i] * vibratingSlope(at.density[i]) * moves;
  });
}

/// Of the material's modulus, by cell.
template <int D>
std::vector<double> GridAnalysis<D>::shares(std::span<const double> density) const {
  std::vector<double> result(density.size());
  forEach(result.size(), [&](std::size_t i) { result[i] = fill_[i] * law_.share(density[i]); });
  return result;
}

/// First the base, in as few passes as it needs; then those that follow from it, solved on where what the
/// base is in doubt by is too much for them.
template <int D>
void GridAnalysis<D>::solve(const Group& group, std::size_t number, std::span<const double> density,
                            CaseStates& states) {
  std::vector<std::vector<double>> everywhere(group.cases.size());
  for (std::size_t i = 0; i < group.cases.size(); ++i)
    everywhere[i] = forcesEverywhere(group, group.cases[i], density);
  const auto solveThose = [&](const std::vector<std::size_t>& places) {
    std::vector<LoadedField> fields;
    for (const std::size_t i : places)
      fields.push_back({&cases_[group.cases[i]].force, states.displacements[group.cases[i]], everywhere[i]});
    group.model->setCycle(states.cycles[number]);
    const std::vector<SolveReport> reports = group.model->solve(fields, asking());
    states.cycles[number] = group.model->cycle();
    for (std::size_t p = 0; p < places.size(); ++p) {
      const std::size_t k = group.cases[places[p]];
      const bool good = reports[p].succeeded() && std::isfinite(reports[p].work);
      states.reports[k] = reports[p];
      states.compliances[k] = good ? reports[p].work + workOfMoving(group, k, everywhere[places[p]])
                                   : std::numeric_limits<double>::infinity();
      if (!good) std::fill(states.displacements[k].begin(), states.displacements[k].end(), 0.0);
      dofOrder(grid_).add(cases_[k].moved, 1, states.displacements[k]);
    }
  };
  solveThose(group.loads->base);
  std::vector<std::size_t> inDoubt;
  for (std::size_t i = 0; i < group.cases.size(); ++i)
    if (!group.loads->isBase(i) && !combine(group, i, everywhere[i], states)) inDoubt.push_back(i);
  if (!inDoubt.empty()) solveThose(inDoubt);
}

/// The state of a case as a sum of those of the base. Its compliance, right to second order in the errors as
/// those of solves are, is 2 f^T u - u^T A u; energy norms of errors add up.
/// @return whether its energy error is small enough.
template <int D>
bool GridAnalysis<D>::combine(const Group& group, std::size_t place, std::span<const double> everywhere,
                              CaseStates& states) const {
  const std::size_t k = group.cases[place];
  if (!cases_[k].moved.empty()) return false;  // its energy is not of the free nodes alone
  std::vector<double>& u = states.displacements[k];
  std::fill(u.begin(), u.end(), 0.0);
  double error = 0;
  for (std::size_t b = 0; b < group.loads->base.size(); ++b) {
    const double factor =
        group.loads->combination(static_cast<Eigen::Index>(place), static_cast<Eigen::Index>(b));
    if (factor == 0) continue;
    const std::size_t from = group.cases[group.loads->base[b]];
    if (!std::isfinite(states.compliances[from])) return false;
    const std::vector<double>& own = states.displacements[from];
    forEach(u.size(), [&](std::size_t d) { u[d] += factor * own[d]; });
    error += std::abs(factor) * std::sqrt(states.reports[from].energyError * states.compliances[from]);
  }
  double work = 0;
  for (const auto& [dof, force] : cases_[k].force) work += force * u[dof];
  for (std::size_t d = 0; d < everywhere.size(); ++d) work += everywhere[d] * u[d];
  const double compliance = 2 * work - group.model->energy(u);
  states.compliances[k] = compliance;
  states.reports[k] = {SolveStop::converged, 0, error * error / compliance, 0, compliance, 0};
  return error * error <= kSumsErrorBy * options_.energyTolerance * compliance;
}

/// The options of a solve, which asks whether to go on.
template <int D>
SolveOptions GridAnalysis<D>::asking() const {
  SolveOptions options = options_;
  if (progress_) options.goOn = [this] { return progress_(now_); };
  return options;
}

/// States have one entry for each case, as `rest` makes them.
template <int D>
void GridAnalysis<D>::requireAll(const CaseStates& states) const {
  requireCount("displacements", states.displacements.size(), cases_.size(), "cases");
  requireCount("compliances", states.compliances.size(), cases_.size(), "cases");
  requireCount("reports", states.reports.size(), cases_.size(), "cases");
  requireCount("cycles", states.cycles.size(), groups_.size(), "sets of supports");
}

/// A case that has been analysed, and a field of derivatives by its layout.
template <int D>
void GridAnalysis<D>::requireAnalysed(const CaseStates& at, std::size_t k) const {
  requireIndex("case", k, cases_.size(), "cases");
  requireAll(at);
  requireCount("density of the states (nothing is there before they are analysed)", at.density.size(),
               whole_.cellCount(), "cells");
  requireCount("a displacement", at.displacements[k].size(), D * whole_.nodeCount(), "degrees of freedom");
}

template <int D>
auto GridAnalysis<D>::solvedOf(const CaseStates& at, std::size_t k) const -> Solved {
  Solved solved{at.density, at.displacements[k], {}, {}};
  if (piece_) {
    solved.density = solved.ownDensity = piece_->meansOf(at.density);
    solved.displacement = solved.ownDisplacement = piece_->displacementOf(at.displacements[k]);
  }
  return solved;
}

template <int D>
void GridAnalysis<D>::requireSuccess(const CaseStates& states) const {
  requireAll(states);
  for (std::size_t k = 0; k < cases_.size(); ++k) {
    const SolveReport& solved = states.reports[k];
    if (!solved.succeeded())
      throw RunError(fmt::format("case {}: {} ({} iterations, energy error {:.1e})", cases_[k].name,
                                 describe(solved.stop), solved.iterations, solved.energyError));
  }
}

template <int D>
void GridAnalysis<D>::complianceGradient(const CaseStates& at, std::size_t k,
                                         std::span<double> gradient) const {
  requireAnalysed(at, k);
  requireCount("gradient", gradient.size(), whole_.cellCount(), "cells");
  const Solved solved = solvedOf(at, k);
  // The adjoint state is u itself.
  const auto differentiate = [&](std::span<double> own) {
    groups_[groupOf_[k]].model->fullCellEnergies(solved.displacement, own);
    forEach(own.size(), [&](std::size_t i) { own[i] *= -fill_[i] * law_.derivative(solved.density[i]); });
    addLoadWork(solved.density, k, solved.displacement, 2, own);
  };
  byCell(gradient, differentiate);
}

/// Derivatives by all cells, from a function that fills in those by the cells that are solved.
template <int D>
template <class Fill>
void GridAnalysis<D>::byCell(std::span<double> gradient, const Fill& fill) const {
  if (!piece_) return fill(gradient);
  std::vector<double> own(grid_.cellCount());
  fill(std::span<double>(own));
  piece_->handOut(own, gradient);
}

template <int D>
std::vector<double> GridAnalysis<D>::adjoint(const CaseStates& at, std::size_t k,
                                             std::span<const double> byDisplacement) {
  const AdjointLoad load{k, {byDisplacement.begin(), byDisplacement.end()}};
  return adjoints(at, std::span(&load, 1), {}).front();
}

template <int D>
std::vector<std::vector<double>> GridAnalysis<D>::adjoints(const CaseStates& at,
                                                           std::span<const AdjointLoad> loads,
                                                           std::vector<std::vector<double>> starts) {
  starts.resize(loads.size());
  for (std::size_t i = 0; i < loads.size(); ++i) {
    requireAnalysed(at, loads[i].k);
    requireCount("byDisplacement", loads[i].byDisplacement.size(), D * whole_.nodeCount(),
                 "degrees of freedom");
    requireCountOrNone("a start", starts[i].size(), D * whole_.nodeCount(), "degrees of freedom");
    if (starts[i].empty()) starts[i].assign(D * whole_.nodeCount(), 0.0);
  }
  for (std::size_t g = 0; g < groups_.size(); ++g) {
    std::vector<std::size_t> own;
    for (std::size_t i = 0; i < loads.size(); ++i)
      if (groupOf_[loads[i].k] == g) own.push_back(i);
    if (!own.empty()) solveAdjoints(groups_[g], at, loads, own, starts);
  }
  return starts;
}

/// Those of one set of supports. @param fields from what they start, then what was found.
template <int D>
void GridAnalysis<D>::solveAdjoints(const Group& group, const CaseStates& at,
                                    std::span<const AdjointLoad> loads, const std::vector<std::size_t>& own,
                                    std::vector<std::vector<double>>& fields) {
  // It may have been set to another reading since; to set it anew costs as much as some iterations.
  const std::vector<double> moduli = shares(solvedOf(at, loads[own.front()].k).density);
  const auto set = group.model->stiffness().scales();
  if (!std::equal(moduli.begin(), moduli.end(), set.begin(), set.end()))
    group.model->setRelativeModuli(moduli);
  const Forces none;
  std::vector<std::vector<double>> forces;
  std::vector<std::vector<double>> states;
  for (const std::size_t i : own) {
    forces.push_back(piece_ ? piece_->forceOf(loads[i].byDisplacement) : loads[i].byDisplacement);
    states.push_back(piece_ ? piece_->displacementOf(fields[i]) : std::move(fields[i]));
  }
  std::vector<LoadedField> systems;
  for (std::size_t j = 0; j < own.size(); ++j) systems.push_back({&none, states[j], forces[j]});
  constexpr int kFromRest = 3;  // where states start from those of the layout before
  SolveOptions options = asking();
  options.maxIterations *= kFromRest;
  const std::vector<SolveReport> reports = group.model->solve(systems, options);
  constexpr double kGoodEnough =
      1e-3;  // energy error of one that gets no further: derivatives are off by 3 %
  for (std::size_t j = 0; j < own.size(); ++j) {
    const bool stands = reports[j].stop == SolveStop::stagnated && reports[j].energyError < kGoodEnough;
    if (!reports[j].succeeded() && !stands)
      throw RunError(fmt::format("case {}: the adjoint state: {} ({} iterations, energy error {:.1e})",
                                 cases_[loads[own[j]].k].name, describe(reports[j].stop),
                                 reports[j].iterations, reports[j].energyError));
    std::vector<double>& field = fields[own[j]];
    if (!piece_) {
      field = std::move(states[j]);
      continue;
    }
    field.resize(D * whole_.nodeCount());
    piece_->spread(states[j], field);
  }
}

/// A cell's part of l^T K u follows from its energies, (E(u + l) - E(u - l)) / 4.
template <int D>
void GridAnalysis<D>::adjointGradient(const CaseStates& at, std::size_t k, std::span<const double> l,
                                      std::span<double> gradient) const {
  requireAnalysed(at, k);
  requireCount("l", l.size(), D * whole_.nodeCount(), "degrees of freedom");
  requireCount("gradient", gradient.size(), whole_.cellCount(), "cells");
  const Solved solved = solvedOf(at, k);
  const std::span<const double> u = solved.displacement;
  std::vector<double> ofPiece;
  if (piece_) l = ofPiece = piece_->displacementOf(l);
  const ElasticModel<D>& model = *groups_[groupOf_[k]].model;
  byCell(gradient, [&](std::span<double> own) {
    std::vector<double> field(u.size());
    std::vector<double> less(own.size());
    forEach(u.size(), [&](std::size_t d) { field[d] = u[d] - l[d]; });
    model.fullCellEnergies(field, less);
    forEach(u.size(), [&](std::size_t d) { field[d] = u[d] + l[d]; });
    model.fullCellEnergies(field, own);
    forEach(own.size(), [&](std::size_t i) {
      own[i] = -0.25 * (own[i] - less[i]) * fill_[i] * law_.derivative(solved.density[i]);
    });
    addLoadWork(solved.density, k, l, 1, own);
  });
}

/// Visits the corners of a cell: (node, the place at which forces on the cell's mass that are linear in space
/// act for it, its outward signs). The integral of a linear function times the corner's shape function is the
/// corner's share of the volume times the function a sixth of an edge from the centre towards it.
template <int D>
template <class Visit>
void GridAnalysis<D>::visitCorners(std::size_t cell, const Visit& visit) const {
  const auto nodes = grid_.cellNodes(cell);
  const Point<D> centre = grid_.cellCentre(cell);
  const double sixth = grid_.frame().size / 6;
  for (std::size_t corner = 0; corner < nodes.size(); ++corner) {
    Vec3 signs = Vec3::Zero();
    for (int i = 0; i < D; ++i) signs[i] = corner >> i & 1 ? 1 : -1;
    Vec3 place = sixth * signs;
    place.template head<D>() += centre;
    visit(static_cast<std::size_t>(nodes[corner]), place, signs);
  }
}

/// gradient += factor u^T df_k / d(density).
template <int D>
void GridAnalysis<D>::addLoadWork(std::span<const double> density, std::size_t k, std::span<const double> u,
                                  double factor, std::span<double> gradient) const {
  if (!loadFollowsLayout(k)) return;
  const GridCase<D>& c = cases_[k];
  const DofOrder order = dofOrder(grid_);
  const bool weighs = !c.bodyForce.isZero();
  forEach(gradient.size(), [&](std::size_t i) {
    double ofMass = 0;  // spread evenly over the corners
    double ofGrowth = 0;
    visitCorners(i, [&](std::size_t node, const Vec3& place, const Vec3& signs) {
      const Vec3 moved = order.at(u, node);
      if (weighs) ofMass += c.bodyForce.at(place).dot(moved) / kCorners<D>;
      ofGrowth += signs.dot(moved);
    });
    if (weighs) gradient[i] += factor * cellMass_[i] * ofMass;
    if (c.temperature != 0)
      gradient[i] +=
          factor * c.temperature * growthForce_[i] * ofGrowth * fill_[i] * law_.derivative(density[i]);
  });
}

/// Forces that are not those of a few nodes, by degree of freedom, N: what the layout weighs, what holds back
/// its growth, what moved nodes pull at (with their sign on the free ones). None if there are none.
template <int D>
std::vector<double> GridAnalysis<D>::forcesEverywhere(const Group& group, std::size_t k,
                                                      std::span<const double> density) const {
  const GridCase<D>& c = cases_[k];
  std::vector<double> forces;
  if (loadFollowsLayout(k)) forces.assign(D * grid_.nodeCount(), 0.0);
  const bool weighs = !c.bodyForce.isZero();
  for (std::size_t cell = 0; cell < density.size() && !forces.empty(); ++cell) {
    const double growth =
        c.temperature == 0 ? 0 : c.temperature * growthForce_[cell] * fill_[cell] * law_.share(density[cell]);
    visitCorners(cell, [&](std::size_t node, const Vec3& place, const Vec3& signs) {
      const Vec3 perMass = weighs ? c.bodyForce.at(place) : Vec3::Zero();
      for (int i = 0; i < D; ++i) {
        double& force = forces[gridDof(grid_, node, i)];
        if (weighs) force += density[cell] * cellMass_[cell] / kCorners<D> * perMass[i];
        if (growth != 0) force += growth * signs[i];
      }
    });
  }
  if (c.moved.empty()) return forces;
  const std::vector<double> pull = forcesOfMoving(group, k);
  if (forces.empty()) forces.assign(pull.size(), 0.0);
  forEach(forces.size(), [&](std::size_t d) { forces[d] -= pull[d]; });
  return forces;
}

/// K u_p, with springs, N; no coupling acts on nodes that are moved (validate of a GridCase).
template <int D>
std::vector<double> GridAnalysis<D>::forcesOfMoving(const Group& group, std::size_t k) const {
  const GridCase<D>& c = cases_[k];
  const DofOrder order = dofOrder(grid_);
  std::vector<double> moved(D * grid_.nodeCount(), 0.0);
  order.add(c.moved, 1, moved);
  std::vector<double> forces = group.model->internalForces(moved);
  for (const NodeSupport<D>& support : c.supports) {
    const Eigen::Matrix<double, D, 1> pull =
        support.spring * order.at(moved, support.node).template head<D>();
    for (int i = 0; i < D; ++i) forces[order(support.node, i)] += pull[i];
  }
  return forces;
}

/// What the work of a solve, (f - K u_p)^T v, lacks of C: 2 f^T u_p - u_p^T K u_p.
/// @param everywhere f - K u_p, less the forces on nodes.
template <int D>
double GridAnalysis<D>::workOfMoving(const Group& group, std::size_t k,
                                     std::span<const double> everywhere) const {
  const GridCase<D>& c = cases_[k];
  if (c.moved.empty()) return 0;
  const DofOrder order = dofOrder(grid_);
  const std::vector<double> pull = forcesOfMoving(group, k);
  double work = 0;
  for (const NodalVector& at : c.moved)
    for (int i = 0; i < D; ++i) {
      const std::size_t dof = order(at.node, i);
      const auto found = c.force.find(dof);
      const double force = everywhere[dof] + (found == c.force.end() ? 0 : found->second);
      work += at.value[i] * (2 * force + pull[dof]);
    }
  return work;
}

template class GridAnalysis<2>;
template class GridAnalysis<3>;

}  // namespace barelattice
