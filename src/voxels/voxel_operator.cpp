#include "voxel_operator.hpp"

#include <algorithm>
#include <type_traits>

#include "base/parallel.hpp"
#include "cell_lanes.hpp"
#include "layer_sweep.hpp"

namespace barelattice {
namespace {

/// What the kernels need, as plain pointers.
template <int D, class Real, class In>
struct KernelData {
  std::array<Real, static_cast<std::size_t>(kCorners<D>) * D * D> blocks;
  const Real* scales;
  NodeField<In> x;
};

/// One entry of B u: component c of block k. Zero modes are rigid translations; in the all-ones mode a
/// component stands alone (D = 3), so its off-diagonal entries vanish.
template <int D, class Real>
BARELATTICE_INLINE Lanes<Real> blockRow(const Real* blocks, const Lanes<Real> (&u)[D][kCorners<D>], int k,
                                        int c) {
  constexpr int kAll = kCorners<D> - 1;
  Lanes<Real> sum{};
#pragma GCC unroll 3
  for (int d = 0; d < D; ++d) {
    const int mode = k ^ 1 << c;
    const int other = k ^ 1 << d;
    if (other == 0 || (c != d && (mode == kAll || other == kAll))) continue;
    sum += blocks[(k * D + c) * D + d] * u[d][other];
  }
  return sum;
}

/// Forces of the cells of one run, for passRun.
template <int D, class Real>
struct CellForces {
  std::array<Real, static_cast<std::size_t>(kCorners<D>) * D * D> blocks;
  const Real* scales;  // at the run's first cell

  BARELATTICE_INLINE void operator()(const RunPart& part, const Lanes<Real> (&u)[D][kCorners<D>],
                                     Lanes<Real> (&f)[D][kCorners<D>]) const {
    Lanes<Real> scale = loadLanes<Real>(scales + part.at);
    if (part.last - part.first < kLanes<Real>) scale = keptLanes<Real>(scale, part.first, part.last);
#pragma GCC unroll 8
    for (int k = 0; k < kCorners<D>; ++k)
#pragma GCC unroll 3
      for (int c = 0; c < D; ++c) {
        const int mode = k ^ 1 << c;
        if (mode == 0)
          f[c][mode] = Lanes<Real>{};
        else
          f[c][mode] = scale * blockRow<D, Real>(blocks.data(), u, k, c);
      }
  }
};

template <int D, class Real, class In>
BARELATTICE_INLINE void applyRuns(const KernelData<D, Real, In>& data, const LayerBuffers<D, Real>& buffers,
                                  std::span<const typename LayerPlan<D>::Run> runs) {
  CellForces<D, Real> forces{data.blocks, nullptr};
  for (const auto& run : runs) {
    forces.scales = data.scales + run.cell;
    passRun(RunRows<D, Real, In>(data.x, buffers, run), forces);
  }
}

template <int D>
BARELATTICE_INLINE void energyRuns(const KernelData<D, double, double>& data,
                                   std::span<const typename LayerPlan<D>::Run> runs, double* energies) {
  constexpr int kWidth = kLanes<double>;
  for (const auto& run : runs) {
    const RunRows<D, double, double> rows(data.x, run);
    for (int at = 0; at < run.length; at += kWidth) {
      const RunPart part = runPart(at, run.length, kWidth);
      Lanes<double> u[D][kCorners<D>];
      gatherCells(rows, part.at, u);
      Lanes<double> energy{};
#pragma GCC unroll 8
      for (int k = 0; k < kCorners<D>; ++k)
#pragma GCC unroll 3
        for (int c = 0; c < D; ++c)
          if ((k ^ 1 << c) != 0)
            energy += u[c][k ^ 1 << c] * blockRow<D, double>(data.blocks.data(), u, k, c);
      for (int i = part.first; i < part.last; ++i) energies[run.cell + part.at + i] = energy[i];
    }
  }
}

// The dispatched entry points: plain functions, because target clones cannot be templates.
#define BARELATTICE_KERNELS(D, Real, In)                                           \
  BARELATTICE_DISPATCH void applyKernel(const KernelData<D, Real, In>& data,       \
                                        const LayerBuffers<D, Real>& buffers,      \
                                        std::span<const LayerPlan<D>::Run> runs) { \
    applyRuns<D, Real, In>(data, buffers, runs);                                   \
  }
BARELATTICE_KERNELS(2, float, float)
BARELATTICE_KERNELS(2, double, float)
BARELATTICE_KERNELS(2, double, double)
BARELATTICE_KERNELS(3, float, float)
BARELATTICE_KERNELS(3, double, float)
BARELATTICE_KERNELS(3, double, double)
#undef BARELATTICE_KERNELS

#define BARELATTICE_KERNELS(D)                                                                        \
  BARELATTICE_DISPATCH void energyKernel(const KernelData<D, double, double>& data,                   \
                                         std::span<const LayerPlan<D>::Run> runs, double* energies) { \
    energyRuns<D>(data, runs, energies);                                                              \
  }
BARELATTICE_KERNELS(2)
BARELATTICE_KERNELS(3)
#undef BARELATTICE_KERNELS

/// Diagonal shares of the cells, layer by layer: every corner of a cell gets the same.
template <int D>
void addDiagonal(const LayerBuffers<D, float>& buffers, std::span<const typename LayerPlan<D>::Run> runs,
                 const float* scales, float factor) {
  for (const auto& run : runs)
    for (std::size_t row = 0; row < LayerPlan<D>::kRows; ++row) {
      float* to = (buffers.upperRows >> row & 1U ? buffers.high : buffers.low) + run.places[row];
      for (int i = 0; i < run.length; ++i) {
        to[i] += factor * scales[run.cell + i];
        to[i + 1] += factor * scales[run.cell + i];
      }
    }
}

}  // namespace

template <int D>
VoxelOperator<D>::VoxelOperator(const Grid<D>& grid, double poisson, std::vector<NodeSupport<D>> supports)
    : grid_(grid),
      plan_(grid),
      supports_(std::move(supports)),
      stiffness_(barelattice::cellStiffness<D>(poisson)),
      bound_(scaledEigenvalueBound<D>(stiffness_)),
      scales_(grid.cellCount() + kLanes<float>, 1.0),
      singleScales_(scales_.size(), 1.0F) {
  const TransformedStiffness<D> transformed(stiffness_);
  for (std::size_t k = 0; k < kCorners<D>; ++k)
    for (std::size_t c = 0; c < D; ++c)
      for (std::size_t d = 0; d < D; ++d)
        blocks_[(k * D + c) * D + d] = transformed.blocks[k](static_cast<int>(c), static_cast<int>(d));
  std::vector<std::vector<Place>> byLayer(plan_.layerCount() + 1);
  for (std::size_t s = 0; s < supports_.size(); ++s) {
    const auto layer = static_cast<std::size_t>(grid.nodeIndex(supports_[s].node)[plan_.axis()]);
    byLayer[layer].push_back({s, plan_.place(layer, supports_[s].node)});
  }
  placeStart_.push_back(0);
  for (const auto& layer : byLayer) {
    places_.insert(places_.end(), layer.begin(), layer.end());
    placeStart_.push_back(places_.size());
  }
}

template <int D>
void VoxelOperator<D>::setScales(std::span<const double> scales) {
  forEach(scales.size(), [&](std::size_t i) {
    scales_[i] = scales[i];
    singleScales_[i] = static_cast<float>(scales[i]);
  });
}

template <int D>
template <class Real>
const std::vector<Real>& VoxelOperator<D>::scalesIn() const {
  if constexpr (std::is_same_v<Real, float>)
    return singleScales_;
  else
    return scales_;
}

template <int D>
template <class Real, class In>
void VoxelOperator<D>::support(std::size_t layer, std::span<const In> x, Real* buffer) const {
  for (std::size_t i = placeStart_[layer]; i < placeStart_[layer + 1]; ++i) {
    const NodeSupport<D>& support = supports_[places_[i].support];
    Eigen::Matrix<double, D, 1> y;
    Eigen::Matrix<double, D, 1> moved;
    Real* at = buffer + places_[i].place;
    for (std::size_t c = 0; c < D; ++c) {
      y[static_cast<Eigen::Index>(c)] = static_cast<double>(at[c * plan_.stride()]);
      moved[static_cast<Eigen::Index>(c)] = static_cast<double>(x[c * grid_.nodeCount() + support.node]);
    }
    y = support.free * (y + support.spring * moved);
    for (std::size_t c = 0; c < D; ++c)
      at[c * plan_.stride()] = static_cast<Real>(y[static_cast<Eigen::Index>(c)]);
  }
}

template <int D>
template <class Real, class In>
void VoxelOperator<D>::sweepCells(const Fields<const In>& x, bool supported,
                                  const LayerVisitor<D, Real>& visit) const {
  const std::size_t apart = D * plan_.stride();
  KernelData<D, Real, In> common{{}, scalesIn<Real>().data(), {nullptr, grid_.nodeCount()}};
  std::transform(blocks_.begin(), blocks_.end(), common.blocks.begin(),
                 [](double value) { return static_cast<Real>(value); });
  sweepLayers<D, Real>(
      plan_, x.size(),
      [&](std::size_t layer, Real* low, Real* high) {
        KernelData<D, Real, In> data = common;
        for (std::size_t k = 0; k < x.size(); ++k) {
          data.x.values = x[k].data();
          applyKernel(
              data,
              LayerBuffers<D, Real>{low + k * apart, high + k * apart, plan_.stride(), plan_.upperRows()},
              plan_.runs(layer));
        }
      },
      [&](std::size_t layer, Real* buffer) {
        for (std::size_t k = 0; k < x.size(); ++k) {
          if (supported) support<Real>(layer, x[k], buffer + k * apart);
          visitLayer<D, Real>(plan_, k, layer, buffer + k * apart, visit);
        }
      });
}

template <int D>
template <class Real, class In>
void VoxelOperator<D>::sweep(const Fields<const In>& x, const LayerVisitor<D, Real>& visit) const {
  sweepCells<Real>(x, true, visit);
}

namespace {

template <int D, class Real>
LayerVisitor<D, Real> storeIn(std::span<Real> y, std::size_t nodes) {
  return [=](const SweptNodes<D, Real>& swept) {
    for (std::size_t c = 0; c < D; ++c)
      std::copy_n(swept.y[c], swept.count, y.begin() + static_cast<std::ptrdiff_t>(c * nodes + swept.begin));
  };
}

}  // namespace

template <int D>
template <class Real>
void VoxelOperator<D>::apply(std::span<const Real> x, std::span<Real> y) const {
  sweep<Real, Real>({x}, storeIn<D, Real>(y, grid_.nodeCount()));
}

template <int D>
void VoxelOperator<D>::applyUnsupported(std::span<const double> x, std::span<double> y) const {
  sweepCells<double, double>({x}, false, storeIn<D, double>(y, grid_.nodeCount()));
}

template <int D>
void VoxelOperator<D>::applyPlain(std::span<const double> x, std::span<double> y) const {
  std::fill(y.begin(), y.end(), 0.0);
  Eigen::Matrix<double, kCellDofs<D>, 1> u;
  for (std::size_t cell = 0; cell < grid_.cellCount(); ++cell) {
    const auto nodes = grid_.cellNodes(cell);
    const auto dof = [&](int i) {
      return gridDof(grid_, static_cast<std::size_t>(nodes[static_cast<std::size_t>(i / D)]), i % D);
    };
    for (int i = 0; i < kCellDofs<D>; ++i) u[i] = x[dof(i)];
    const Eigen::Matrix<double, kCellDofs<D>, 1> f = scales_[cell] * (stiffness_ * u);
    for (int i = 0; i < kCellDofs<D>; ++i) y[dof(i)] += f[i];
  }
  for (const NodeSupport<D>& s : supports_) {
    Eigen::Matrix<double, D, 1> moved;
    for (int c = 0; c < D; ++c) moved[c] = x[gridDof(grid_, s.node, c)];
    const Eigen::Matrix<double, D, 1> force = s.spring * moved;
    for (int c = 0; c < D; ++c) y[gridDof(grid_, s.node, c)] += force[c];
  }
  project(y);
}

template <int D>
template <class Real>
void VoxelOperator<D>::project(std::span<Real> x) const {
  for (const NodeSupport<D>& s : supports_) {
    Eigen::Matrix<double, D, 1> at;
    for (int c = 0; c < D; ++c) at[c] = static_cast<double>(x[gridDof(grid_, s.node, c)]);
    at = s.free * at;
    for (int c = 0; c < D; ++c) x[gridDof(grid_, s.node, c)] = static_cast<Real>(at[c]);
  }
}

template <int D>
std::vector<float> VoxelOperator<D>::nodeDiagonal() const {
  std::vector<float> diagonal(grid_.nodeCount());
  const auto factor = static_cast<float>(stiffness_(0, 0));  // all corners and components alike by symmetry
  sweepLayers<D, float>(
      plan_, 1,
      [&](std::size_t layer, float* low, float* high) {
        addDiagonal<D>({low, high, plan_.stride(), plan_.upperRows()}, plan_.runs(layer),
                       singleScales_.data(), factor);
      },
      [&](std::size_t layer, const float* buffer) {
        for (const auto& stretch : plan_.stretches(layer))
          std::copy_n(buffer + stretch.place, stretch.count,
                      diagonal.begin() + static_cast<std::ptrdiff_t>(stretch.begin));
      });
  // The trace of a spring is no less than its largest eigenvalue, so the bound of the spectrum still holds.
  for (const NodeSupport<D>& s : supports_) diagonal[s.node] += static_cast<float>(s.spring.trace());
  return diagonal;
}

template <int D>
void VoxelOperator<D>::cellEnergies(std::span<const double> u, std::span<double> energies) const {
  // B carries the transform's factor: u^T K u = (W u)^T B (W u).
  const KernelData<D, double, double> data{blocks_, scales_.data(), {u.data(), grid_.nodeCount()}};
  runTasks(plan_.layerCount(),
           [&](std::size_t layer) { energyKernel(data, plan_.runs(layer), energies.data()); });
}

template class VoxelOperator<2>;
template class VoxelOperator<3>;
#define BARELATTICE_INSTANTIATE(D, Real)                                                     \
  template void VoxelOperator<D>::apply<Real>(std::span<const Real>, std::span<Real>) const; \
  template void VoxelOperator<D>::project<Real>(std::span<Real>) const;                      \
  template void VoxelOperator<D>::sweep<Real, float>(const Fields<const float>&,             \
                                                     const LayerVisitor<D, Real>&) const;
BARELATTICE_INSTANTIATE(2, float)
BARELATTICE_INSTANTIATE(2, double)
BARELATTICE_INSTANTIATE(3, float)
BARELATTICE_INSTANTIATE(3, double)
#undef BARELATTICE_INSTANTIATE
template void VoxelOperator<2>::sweep<double, double>(const Fields<const double>&,
                                                      const LayerVisitor<2, double>&) const;
template void VoxelOperator<3>::sweep<double, double>(const Fields<const double>&,
                                                      const LayerVisitor<3, double>&) const;

}  // namespace barelattice
