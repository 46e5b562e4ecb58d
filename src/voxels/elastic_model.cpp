#include "barelattice/voxels/elastic_model.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

#include "base/check.hpp"
#include "base/parallel.hpp"
#include "checks.hpp"
#include "solve/conjugate_gradients.hpp"
#include "solve/low_rank.hpp"
#include "solve/vectors.hpp"
#include "voxel_hierarchy.hpp"
#include "voxel_operator.hpp"

namespace barelattice {
namespace {

/// What shares may be above one by.
constexpr double kRounding = 1e-9;

/// Cases solved in one pass at most: each needs vectors of its own.
constexpr std::size_t kTogether = 4;

/// After W-cycles have done with this few iterations the next solve tries V-cycles again: late in a design,
/// where solves start close to their end, both take as many, and a W-cycle costs twice a V-cycle.
constexpr int kWeakensAt = 4;

/// Sheets in plane strain have their Poisson's ratio mapped beyond the bound of bodies; see sheetMaterial.
template <int D>
const Material& validated(const Material& material) {
  Material bounded = material;
  if (D == 2 && material.poisson <= kMostPoisson / (1 - kMostPoisson)) bounded.poisson = 0;
  validate(bounded);
  return material;
}

template <int D>
std::vector<NodeSupport<D>> withSpringsOver(double scale, std::vector<NodeSupport<D>> supports) {
  for (NodeSupport<D>& s : supports) s.spring /= scale;
  return supports;
}

/// A u = f with the operator's factors, f in units of E h^(D-2).
template <int D>
class VoxelSystem final : public ConjugateSystem {
 public:
  VoxelSystem(const VoxelOperator<D>& a, const LowRank& added, Multigrid& multigrid,
              std::span<const LoadedField> fields, double scale)
      : a_(a), added_(added), multigrid_(multigrid), nodes_(a.grid().nodeCount()) {
    for (const LoadedField& field : fields) {
      Column column;
      column.u = field.u;
      for (const auto& [dof, force] : projected(*field.f)) column.load.push_back({dof, force / scale});
      column.everywhere.assign(field.everywhere.begin(), field.everywhere.end());
      if (!column.everywhere.empty()) a_.project(std::span<double>(column.everywhere));
      for (double& force : column.everywhere) force /= scale;
      for (auto* v : {&column.r, &column.z, &column.p, &column.q}) v->resize(a.size());
      a_.project(column.u);
      columns_.push_back(std::move(column));
    }
  }

  std::size_t count() const override { return columns_.size(); }

  std::vector<Residual> renewResidual(Which which) override {
    Fields<const double> u;
    std::vector<std::vector<Load>> acting;  // with what couplings exert
    std::vector<double> strained;           // u^T W S W^T u
    for (const std::size_t k : which) {
      a_.project(
          columns_[k].u);  // directions in single precision stray from oblique planes by their rounding
      u.push_back(columns_[k].u);
      acting.push_back(columns_[k].load);
      strained.push_back(added_.empty() ? 0 : subtractCouplings(columns_[k].u, acting.back()));
    }
    Parts<Residual> parts(which.size(), std::vector<Residual>(a_.plan().partCount()));
    a_.template sweep<double>(u, [&](const SweptNodes<D, double>& swept) {
      Column& column = columns_[which[swept.field]];
      const std::vector<Load>& loads = acting[swept.field];
      Residual& sum = parts[swept.field][swept.part];
      for (std::size_t c = 0; c < D; ++c) {
        const std::size_t first = c * nodes_ + swept.begin;
        auto load = std::lower_bound(loads.begin(), loads.end(), first,
                                     [](const Load& l, std::size_t dof) { return l.dof < dof; });
        for (std::size_t i = 0; i < swept.count; ++i) {
          double force = column.everywhere.empty() ? 0 : column.everywhere[first + i];
          if (load != loads.end() && load->dof == first + i) force += (load++)->force;
          const double r = force - swept.y[c][i];
          const double change = r - static_cast<double>(column.r[first + i]);
          sum.squared += r * r;
          sum.drift += change * change;
          sum.work += (force + r) * column.u[first + i];
          column.r[first + i] = static_cast<float>(r);
        }
      }
    });
    std::vector<Residual> totals(which.size());
    for (std::size_t k = 0; k < which.size(); ++k) {
      for (const Residual& part : parts[k]) {
        totals[k].squared += part.squared;
        totals[k].drift += part.drift;
        totals[k].work += part.work;
      }
      totals[k].work += strained[k];  // what couplings exert is no load
    }
    return totals;
  }

  std::vector<Preconditioned> precondition(Which which) override {
    Fields<const float> r;
    Fields<float> z;
    for (const std::size_t k : which) {
      r.push_back(columns_[k].r);
      z.push_back(columns_[k].z);
    }
    multigrid_.apply(r, z);
    if (!added_.empty())
      for (const std::span<float> each : z) added_.correct(each);
    std::vector<Preconditioned> result;
    for (const std::size_t k : which) {
      const auto [withResidual, withProduct] = dots(columns_[k].z, columns_[k].r, columns_[k].q);
      result.push_back({withResidual, withProduct});
    }
    return result;
  }

  std::vector<Direction> advance(Which which, std::span<const double> beta) override {
    Fields<const float> p;
    for (std::size_t i = 0; i < which.size(); ++i) {
      Column& column = columns_[which[i]];
      combine(column.z, static_cast<float>(beta[i]), column.p);
      p.push_back(column.p);
    }
    Parts<Direction> parts(which.size(), std::vector<Direction>(a_.plan().partCount()));
    a_.template sweep<double>(p, [&](const SweptNodes<D, double>& swept) {
      Column& column = columns_[which[swept.field]];
      Direction& sum = parts[swept.field][swept.part];
      for (std::size_t c = 0; c < D; ++c) {
        const std::size_t first = c * nodes_ + swept.begin;
        const auto [energy, residual] =
            storeProduct(swept.y[c], column.p.data() + first, column.r.data() + first,
                         column.q.data() + first, swept.count);
        sum.energy += energy;
        sum.residual += residual;
      }
    });
    std::vector<Direction> totals(which.size());
    for (std::size_t k = 0; k < which.size(); ++k) {
      for (const Direction& part : parts[k]) {
        totals[k].energy += part.energy;
        totals[k].residual += part.residual;
      }
      if (added_.empty()) continue;
      const LowRank::Product product = added_.times(p[k]);
      totals[k].energy += product.energy;
      added_.add(product.forces, 1, std::span<float>(columns_[which[k]].q));
    }
    return totals;
  }

  std::vector<double> step(Which which, std::span<const double> alpha) override {
    std::vector<double> work;
    for (std::size_t i = 0; i < which.size(); ++i) {
      Column& column = columns_[which[i]];
      barelattice::advance(alpha[i], column.p, column.q, column.u, column.r);
      double sum = 0;
      for (const Load& l : column.load) sum += l.force * column.u[l.dof];
      if (!column.everywhere.empty()) sum += dot(column.everywhere, column.u);
      work.push_back(sum);
    }
    return work;
  }

  double loadSquared(std::size_t k) const override {
    double sum = 0;
    for (const Load& l : columns_[k].load) sum += l.force * l.force;
    if (!columns_[k].everywhere.empty()) sum += dot(columns_[k].everywhere, columns_[k].everywhere);
    return sum;
  }
  void rest(std::size_t k) override { std::fill(columns_[k].u.begin(), columns_[k].u.end(), 0.0); }

  /// Single precision carries seven digits of r; after four of them are used up the rest shows the rounding.
  double renewalDrop() const override { return 1e-8; }

  bool strengthen() override {
    if (multigrid_.cycle() == Cycle::w) return false;
    multigrid_.setCycle(Cycle::w);
    return true;
  }

 private:
  struct Load {
    std::size_t dof;
    double force;
  };
  struct Column {
    std::span<double> u;
    std::vector<Load> load;          // ascending
    std::vector<double> everywhere;  // adds to it; empty for nothing
    std::vector<float> r, z, p, q;
  };
  template <class Sum>
  using Parts = std::vector<std::vector<Sum>>;  // by column and part of the sweep

  /// What falls on held directions does nothing.
  Forces projected(const Forces& given) const {
    Forces forces = given;
    for (const NodeSupport<D>& s : a_.supports()) {
      Eigen::Matrix<double, D, 1> force = Eigen::Matrix<double, D, 1>::Zero();
      bool any = false;
      for (std::size_t c = 0; c < D; ++c) {
        const auto found = given.find(c * nodes_ + s.node);
        if (found == given.end()) continue;
        force[static_cast<Eigen::Index>(c)] = found->second;
        any = true;
      }
      if (!any) continue;
      force = s.free * force;
      for (std::size_t c = 0; c < D; ++c) forces[c * nodes_ + s.node] = force[static_cast<Eigen::Index>(c)];
    }
    return forces;
  }

  /// Takes W S W^T u off forces. @return u^T W S W^T u.
  double subtractCouplings(std::span<const double> u, std::vector<Load>& forces) const {
    const LowRank::Product product = added_.times(u);
    std::map<std::size_t, double> exerted;
    for (std::size_t i = 0; i < added_.columns().size(); ++i) {
      const LowRank::Column& column = added_.columns()[i];
      for (std::size_t k = 0; k < column.dofs.size(); ++k)
        exerted[column.dofs[k]] += product.forces[static_cast<Eigen::Index>(i)] * column.values[k];
    }
    for (const Load& load : forces) exerted[load.dof] -= load.force;
    forces.clear();
    for (const auto& [dof, force] : exerted) forces.push_back({dof, -force});
    return product.energy;
  }

  const VoxelOperator<D>& a_;
  const LowRank& added_;  // in the same units
  Multigrid& multigrid_;
  std::size_t nodes_;
  std::vector<Column> columns_;
};

}  // namespace

namespace {

template <int D>
std::vector<NodeSupport<D>> checked(const Grid<D>& grid, std::vector<NodeSupport<D>> supports,
                                    const std::vector<Coupling>& couplings) {
  if (grid.cellCount() == 0) throw InputError("the grid has no cells", "give one with cells");
  checkStanding<D>(grid, supports, couplings);
  return supports;
}

}  // namespace

template <int D>
struct ElasticModel<D>::Parts {
  Parts(const Grid<D>& grid, double poisson, std::vector<NodeSupport<D>> supports,
        const std::vector<Coupling>& couplings, double scale)
      : stiffness(grid, poisson, std::move(supports)),
        added(couplings, dofOrder(grid), stiffness.size(), scale, 1,
              [this](std::span<double> field) { stiffness.project(field); }),
        hierarchy(stiffness) {}

  /// The multigrid of the shares set last.
  Multigrid& renewed() {
    if (stale) {
      hierarchy.renew(added);
      if (!added.empty())
        added.renew([&](const auto& r, const auto& z) { hierarchy.multigrid().apply(r, z); },
                    stiffness.size());
    }
    stale = false;
    return hierarchy.multigrid();
  }

  VoxelOperator<D> stiffness;
  LowRank added;  // couplings
  VoxelHierarchy<D> hierarchy;
  bool stale = true;  // the hierarchy has yet to take over the shares
};

template <int D>
ElasticModel<D>::~ElasticModel() = default;

template <int D>
ElasticModel<D>::ElasticModel(const Grid<D>& grid, const Material& material,
                              std::vector<NodeSupport<D>> supports, const std::vector<Coupling>& couplings)
    : scale_(validated<D>(material).modulus * std::pow(grid.frame().size, D - 2)),
      parts_(std::make_unique<Parts>(
          grid, material.poisson,
          withSpringsOver<D>(scale_, checked<D>(grid, std::move(supports), couplings)), couplings, scale_)) {}

template <int D>
ElasticModel<D>::ElasticModel(const Grid<D>& grid, const Material& material,
                              std::span<const std::size_t> held)
    : ElasticModel(grid, material, supportsOf<D>(grid, held)) {}

template <int D>
void ElasticModel<D>::setRelativeModuli(std::span<const double> shares) {
  requireCount("shares", shares.size(), parts_->stiffness.grid().cellCount(), "cells");
  requireEach("shares", shares, 0, 1 + kRounding);
  parts_->stiffness.setScales(shares);
  parts_->stale = true;
}

template <int D>
Cycle ElasticModel<D>::cycle() const {
  return parts_->hierarchy.multigrid().cycle();
}

template <int D>
void ElasticModel<D>::setCycle(Cycle cycle) {
  parts_->hierarchy.multigrid().setCycle(cycle);
}

template <int D>
void ElasticModel<D>::apply(std::span<const double> u, std::span<double> y) const {
  requireCount("u", u.size(), size(), "degrees of freedom");
  requireCount("y", y.size(), size(), "degrees of freedom");
  parts_->stiffness.template apply<double>(u, y);
  if (!parts_->added.empty()) parts_->added.add(parts_->added.times(u).forces, 1, y);
}

template <int D>
double ElasticModel<D>::energy(std::span<const double> u) const {
  requireCount("u", u.size(), size(), "degrees of freedom");
  std::vector<double> force(u.size());
  apply(u, force);
  return scale_ * dot(force, u);
}

template <int D>
void ElasticModel<D>::precondition(std::span<const double> r, std::span<double> z) {
  requireCount("r", r.size(), size(), "degrees of freedom");
  requireCount("z", z.size(), size(), "degrees of freedom");
  parts_->renewed().apply(r, z);
  if (!parts_->added.empty()) parts_->added.correct(z);
}

template <int D>
std::vector<std::size_t> ElasticModel<D>::coupledNodes() const {
  std::set<std::size_t> nodes;
  for (const LowRank::Column& column : parts_->added.columns())
    for (const std::size_t dof : column.dofs) nodes.insert(dof % parts_->stiffness.grid().nodeCount());
  return {nodes.begin(), nodes.end()};
}

template <int D>
const VoxelOperator<D>& ElasticModel<D>::stiffness() const {
  return parts_->stiffness;
}

template <int D>
std::size_t ElasticModel<D>::size() const {
  return parts_->stiffness.size();
}

template <int D>
std::size_t ElasticModel<D>::levelCount() const {
  return parts_->hierarchy.levelCount();
}

template <int D>
std::vector<SolveReport> ElasticModel<D>::solve(std::span<const LoadedField> fields,
                                                const SolveOptions& options) {
  for (const LoadedField& field : fields) {
    requireGiven("f", field.f);
    checkForces(*field.f, size());
    requireCount("u", field.u.size(), size(), "degrees of freedom");
    requireCountOrNone("everywhere", field.everywhere.size(), size(), "degrees of freedom");
  }
  validate(options);
  std::vector<SolveReport> reports;
  while (!fields.empty()) {
    if (options.goOn && !options.goOn())
      throw Cancelled();  // before the grids are set up, which takes a while
    const auto together = fields.first(std::min(fields.size(), kTogether));
    VoxelSystem<D> system(parts_->stiffness, parts_->added, parts_->renewed(), together, scale_);
    for (SolveReport& report : solveConjugateGradients(system, options)) {
      report.work *= scale_;
      reports.push_back(report);
    }
    fields = fields.subspan(together.size());
  }
  if (std::all_of(reports.begin(), reports.end(),
                  [](const SolveReport& report) { return report.iterations <= kWeakensAt; }))
    setCycle(Cycle::v);
  return reports;
}

template <int D>
SolveReport ElasticModel<D>::solve(const Forces& f, std::span<double> u, const SolveOptions& options) {
  const LoadedField field{&f, u};
  return solve({&field, 1}, options).front();
}

template <int D>
void ElasticModel<D>::fullCellEnergies(std::span<const double> u, std::span<double> energies) const {
  requireCount("u", u.size(), size(), "degrees of freedom");
  requireCount("energies", energies.size(), parts_->stiffness.grid().cellCount(), "cells");
  parts_->stiffness.cellEnergies(u, energies);
  forEach(energies.size(), [&](std::size_t c) { energies[c] *= scale_; });
}

template <int D>
std::vector<double> ElasticModel<D>::internalForces(std::span<const double> u) const {
  requireCount("u", u.size(), size(), "degrees of freedom");
  std::vector<double> force(u.size());
  parts_->stiffness.applyUnsupported(u, force);
  forEach(force.size(), [&](std::size_t dof) { force[dof] *= scale_; });
  return force;
}

template class ElasticModel<2>;
template class ElasticModel<3>;

}  // namespace barelattice
