#include "barelattice/elasticity/elastic_model.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "barelattice/base/parallel.hpp"
#include "vectors.hpp"

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

template <int D>
std::vector<NodeSupport<D>> withSpringsOver(double scale, std::vector<NodeSupport<D>> supports) {
  for (NodeSupport<D>& s : supports) s.spring /= scale;
  return supports;
}

/// A u = f with the operator's factors, f in units of E h^(D-2).
template <int D>
class VoxelSystem final : public ConjugateSystem {
 public:
  VoxelSystem(const VoxelOperator<D>& a, Multigrid& multigrid, std::span<const double> f, double scale,
              std::span<double> u)
      : a_(a), multigrid_(multigrid), u_(u), nodes_(a.grid().nodeCount()) {
    for (std::size_t i = 0; i < f.size(); ++i)
      if (f[i] != 0) load_.push_back({i, f[i] / scale});
    projectLoad();
    a_.project(u_);
    for (auto* v : {&r_, &z_, &p_, &q_}) v->resize(f.size());
    sums_.resize(a_.plan().partCount());
  }

  Residual renewResidual() override {
    a_.project(u_);  // directions in single precision stray from oblique planes by their rounding
    a_.template sweep<double>(std::span<const double>(u_), [&](const SweptNodes<D, double>& swept) {
      Residual& sum = sums_[swept.part] = {};
      for (std::size_t c = 0; c < D; ++c) {
        const std::size_t first = c * nodes_ + swept.begin;
        auto load = std::lower_bound(load_.begin(), load_.end(), first,
                                     [](const Load& l, std::size_t dof) { return l.dof < dof; });
        for (std::size_t i = 0; i < swept.count; ++i) {
          double force = 0;
          if (load != load_.end() && load->dof == first + i) force = (load++)->force;
          const double r = force - swept.y[c][i];
          const double change = r - static_cast<double>(r_[first + i]);
          sum.squared += r * r;
          sum.drift += change * change;
          sum.work += (force + r) * u_[first + i];
          r_[first + i] = static_cast<float>(r);
        }
      }
    });
    Residual total;
    for (const Residual& sum : sums_) {
      total.squared += sum.squared;
      total.drift += sum.drift;
      total.work += sum.work;
    }
    return total;
  }

  Preconditioned precondition() override {
    multigrid_.apply(r_, z_);
    const auto [withResidual, withProduct] = dots(z_, r_, q_);
    return {withResidual, withProduct};
  }

  Direction advance(double beta) override {
    combine(z_, static_cast<float>(beta), p_);
    directions_.assign(sums_.size(), {});
    a_.template sweep<double>(std::span<const float>(p_), [&](const SweptNodes<D, double>& swept) {
      Direction& sum = directions_[swept.part];
      for (std::size_t c = 0; c < D; ++c) {
        const std::size_t first = c * nodes_ + swept.begin;
        const auto [energy, residual] =
            storeProduct(swept.y[c], p_.data() + first, r_.data() + first, q_.data() + first, swept.count);
        sum.energy += energy;
        sum.residual += residual;
      }
    });
    Direction total;
    for (const Direction& sum : directions_) {
      total.energy += sum.energy;
      total.residual += sum.residual;
    }
    return total;
  }

  double step(double alpha) override {
    barelattice::advance(alpha, p_, q_, u_, r_);
    double work = 0;
    for (const Load& l : load_) work += l.force * u_[l.dof];
    return work;
  }

  double loadSquared() const override {
    double sum = 0;
    for (const Load& l : load_) sum += l.force * l.force;
    return sum;
  }
  void rest() override { std::fill(u_.begin(), u_.end(), 0.0); }

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

  /// What falls on held directions does nothing.
  void projectLoad() {
    const auto& supports = a_.supports();
    for (const NodeSupport<D>& s : supports) {
      Eigen::Matrix<double, D, 1> force = Eigen::Matrix<double, D, 1>::Zero();
      std::array<std::size_t, D> at{};
      bool any = false;
      for (std::size_t c = 0; c < D; ++c) {
        const std::size_t dof = c * nodes_ + s.node;
        const auto load = std::lower_bound(load_.begin(), load_.end(), dof,
                                           [](const Load& l, std::size_t d) { return l.dof < d; });
        at[c] = static_cast<std::size_t>(load - load_.begin());
        if (load == load_.end() || load->dof != dof) {
          at[c] = load_.size();
          continue;
        }
        force[static_cast<Eigen::Index>(c)] = load->force;
        any = true;
      }
      if (!any) continue;
      force = s.free * force;
      for (std::size_t c = 0; c < D; ++c) {
        const double value = force[static_cast<Eigen::Index>(c)];
        if (at[c] < load_.size())
          load_[at[c]].force = value;
        else if (value != 0)
          extra_.push_back({c * nodes_ + s.node, value});
      }
    }
    load_.insert(load_.end(), extra_.begin(), extra_.end());
    std::sort(load_.begin(), load_.end(), [](const Load& a, const Load& b) { return a.dof < b.dof; });
  }

  const VoxelOperator<D>& a_;
  Multigrid& multigrid_;
  std::span<double> u_;
  std::size_t nodes_;
  std::vector<Load> load_;   // the entries of f that are not zero
  std::vector<Load> extra_;  // of oblique supports
  std::vector<float> r_, z_, p_, q_;
  std::vector<Residual> sums_;
  std::vector<Direction> directions_;
};

}  // namespace

template <int D>
ElasticModel<D>::ElasticModel(const Grid<D>& grid, const Material& material,
                              std::vector<NodeSupport<D>> supports)
    : scale_(validated<D>(material).modulus * std::pow(grid.frame().size, D - 2)),
      operator_(grid, material.poisson, withSpringsOver<D>(scale_, std::move(supports))),
      hierarchy_(operator_) {
  hierarchy_.renew();
}

template <int D>
ElasticModel<D>::ElasticModel(const Grid<D>& grid, const Material& material,
                              std::span<const std::size_t> held)
    : ElasticModel(grid, material, supportsOf<D>(grid, held)) {}

template <int D>
void ElasticModel<D>::setRelativeModuli(std::span<const double> shares) {
  operator_.setScales(shares);
  hierarchy_.renew();
}

template <int D>
SolveReport ElasticModel<D>::solve(std::span<const double> f, std::span<double> u,
                                   const SolveOptions& options) {
  VoxelSystem<D> system(operator_, hierarchy_.multigrid(), f, scale_, u);
  SolveReport report = solveConjugateGradients(system, options);
  report.work *= scale_;
  return report;
}

template <int D>
void ElasticModel<D>::fullCellEnergies(std::span<const double> u, std::span<double> energies) const {
  operator_.cellEnergies(u, energies);
  forEach(energies.size(), [&](std::size_t c) { energies[c] *= scale_; });
}

template <int D>
std::vector<double> ElasticModel<D>::reactions(std::span<const double> u, std::span<const double> f) const {
  std::vector<double> force(u.size());
  operator_.applyUnsupported(u, force);
  std::vector<double> reaction(u.size(), 0.0);
  const std::size_t nodes = u.size() / D;
  for (const NodeSupport<D>& s : operator_.supports())
    for (std::size_t c = 0; c < D; ++c)
      if (s.free(static_cast<Eigen::Index>(c), static_cast<Eigen::Index>(c)) != 1 || !s.spring.isZero())
        reaction[c * nodes + s.node] = scale_ * force[c * nodes + s.node] - f[c * nodes + s.node];
  return reaction;
}

template class ElasticModel<2>;
template class ElasticModel<3>;

}  // namespace barelattice
