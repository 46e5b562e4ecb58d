// Levels of the multigrid whose matrix exists only as a sweep over cells.
#pragma once

#include <functional>
#include <span>
#include <vector>

#include "layer_plan.hpp"
#include "solve/multigrid.hpp"

namespace barelattice {

/// Fourth-kind Chebyshev smoothing of degree two, every vector update done on the nodes a sweep has just
/// finished, while they are in cache. Fields are ordered by component.
template <int D>
class SweptLevel final : public MultigridLevel {
 public:
  using Sweep = std::function<void(const Fields<const float>& x, const LayerVisitor<D, float>& visit)>;
  using Admit = std::function<void(std::span<float> x)>;

  /// @param sweep computes A x.
  /// @param admit see MultigridLevel::admit. What is admissible must stay so under the diagonal's inverse.
  SweptLevel(std::size_t nodes, double bound, Sweep sweep, Admit admit);

  /// Takes the diagonal of A: one entry per node where all components have the same, or the upper triangles
  /// of its blocks, each entry an array over the nodes. Degrees of freedom without stiffness stay at rest.
  void setDiagonal(std::vector<float> diagonal);

  std::size_t size() const override { return D * nodes_; }
  void smoothFromZero(const Fields<const float>& b, const Fields<float>& x) override;
  Fields<const float> residual(const Fields<const float>& b, const Fields<float>& x) override;
  void smooth(const Fields<const float>& b, const Fields<float>& x) override;
  void admit(std::span<float> x) const override { admit_(x); }

 private:
  std::size_t nodes_;
  ChebyshevSmoother smoother_;
  Sweep sweep_;
  Admit admit_;
  std::vector<float> inverse_;  // of the diagonal, stored like it
  FieldStore work_;             // the residual, or the step smoothing took last
};

}  // namespace barelattice
