#include "barelattice/elasticity/voxel_operator.hpp"

#include <algorithm>
#include <cstring>

#include "barelattice/base/parallel.hpp"
#include "barelattice/base/simd.hpp"

namespace barelattice {
namespace {

constexpr std::size_t kVectorBytes = 64;  // one AVX-512 register; narrower machines split it

template <class Real>
struct Vector {
  using Type __attribute__((vector_size(kVectorBytes))) = Real;
};
template <class Real>
using Lanes = typename Vector<Real>::Type;
template <class Real>
inline constexpr int kLanes = static_cast<int>(kVectorBytes / sizeof(Real));

/// Layers of cells per block. Two blocks of one colour never share a node, whatever this number; two layers
/// keep the nodes between them in cache and leave blocks enough to spread.
constexpr std::size_t kLayersPerBlock = 2;

template <class Real>
BARELATTICE_INLINE void load(Lanes<Real>& to, const Real* from, int lanes) {
  if (lanes == kLanes<Real>) {
    std::memcpy(&to, from, kVectorBytes);
  } else {
    to = Lanes<Real>{};
    for (int i = 0; i < lanes; ++i) to[i] = from[i];
  }
}

template <class Real>
BARELATTICE_INLINE void add(Real* to, const Lanes<Real>& what, int lanes) {
  if (lanes == kLanes<Real>) {
    Lanes<Real> sum;
    std::memcpy(&sum, to, kVectorBytes);
    sum += what;
    std::memcpy(to, &sum, kVectorBytes);
  } else {
    for (int i = 0; i < lanes; ++i) to[i] += what[i];
  }
}

/// Walsh-Hadamard transform of the corner values, in place. Its own inverse but for the factor 2^D.
template <int D, class V>
BARELATTICE_INLINE void transform(V (&v)[kCorners<D>]) {
#pragma GCC unroll 3
  for (int bit = 1; bit < kCorners<D>; bit *= 2) {
#pragma GCC unroll 8
    for (int m = 0; m < kCorners<D>; ++m) {
      if (m & bit) continue;
      const V low = v[m];
      const V high = v[m | bit];
      v[m] = low + high;
      v[m | bit] = low - high;
    }
  }
}

/// What the kernels need, as plain pointers.
template <int D, class Real>
struct KernelData {
  const Real* blocks;
  const Real* scales;
  const Real* x;
  Real* y;
  double* energies;
  std::size_t nodes;
};

/// Corner values of up to kLanes cells, transformed.
template <int D, class Real>
BARELATTICE_INLINE void gather(const KernelData<D, Real>& data, const CellRun<D>& run, int at, int lanes,
                               Lanes<Real> (&u)[D][kCorners<D>]) {
#pragma GCC unroll 3
  for (int c = 0; c < D; ++c) {
    const Real* component = data.x + static_cast<std::size_t>(c) * data.nodes;
#pragma GCC unroll 4
    for (std::size_t row = 0; row < kCorners<D> / 2; ++row) {
      const Real* from = component + run.rows[row] + at;
      load<Real>(u[c][2 * row], from, lanes);
      load<Real>(u[c][2 * row + 1], from + 1, lanes);
    }
    transform<D>(u[c]);
  }
}

/// sum = one entry of B u: component c of block k. Zero modes are rigid translations; in the all-ones mode a
/// component stands alone (D = 3), so its off-diagonal entries vanish.
template <int D, class Real>
BARELATTICE_INLINE void blockRow(const Real* blocks, const Lanes<Real> (&u)[D][kCorners<D>], int k, int c,
                                 Lanes<Real>& sum) {
  constexpr int kAll = kCorners<D> - 1;
  sum = Lanes<Real>{};
#pragma GCC unroll 3
  for (int d = 0; d < D; ++d) {
    const int mode = k ^ 1 << c;
    const int other = k ^ 1 << d;
    if (other == 0 || (c != d && (mode == kAll || other == kAll))) continue;
    sum += blocks[(k * D + c) * D + d] * u[d][other];
  }
}

template <int D, class Real>
BARELATTICE_INLINE void applyChunk(const KernelData<D, Real>& data, const CellRun<D>& run, int at,
                                   int lanes) {
  Lanes<Real> u[D][kCorners<D>];
  gather<D, Real>(data, run, at, lanes, u);
  Lanes<Real> scale;
  load<Real>(scale, data.scales + run.cell + at, lanes);
  Lanes<Real> f[D][kCorners<D>];
#pragma GCC unroll 8
  for (int k = 0; k < kCorners<D>; ++k)
#pragma GCC unroll 3
    for (int c = 0; c < D; ++c) {
      const int mode = k ^ 1 << c;
      f[c][mode] = Lanes<Real>{};
      if (mode == 0) continue;
      blockRow<D, Real>(data.blocks, u, k, c, f[c][mode]);
      f[c][mode] *= scale;
    }
#pragma GCC unroll 3
  for (int c = 0; c < D; ++c) {
    transform<D>(f[c]);
    Real* component = data.y + static_cast<std::size_t>(c) * data.nodes;
#pragma GCC unroll 4
    for (std::size_t row = 0; row < kCorners<D> / 2; ++row) {
      Real* to = component + run.rows[row] + at;
      add<Real>(to, f[c][2 * row], lanes);
      add<Real>(to + 1, f[c][2 * row + 1], lanes);
    }
  }
}

template <int D, class Real>
BARELATTICE_INLINE void energyChunk(const KernelData<D, Real>& data, const CellRun<D>& run, int at,
                                    int lanes) {
  Lanes<Real> u[D][kCorners<D>];
  gather<D, Real>(data, run, at, lanes, u);
  Lanes<Real> energy{};
#pragma GCC unroll 8
  for (int k = 0; k < kCorners<D>; ++k)
#pragma GCC unroll 3
    for (int c = 0; c < D; ++c) {
      if ((k ^ 1 << c) == 0) continue;
      Lanes<Real> force;
      blockRow<D, Real>(data.blocks, u, k, c, force);
      energy += u[c][k ^ 1 << c] * force;
    }
  for (int i = 0; i < lanes; ++i) data.energies[run.cell + at + i] = static_cast<double>(energy[i]);
}

template <int D, class Real>
BARELATTICE_INLINE void applyRuns(const KernelData<D, Real>& data, const CellRun<D>* begin,
                                  const CellRun<D>* end) {
  for (const CellRun<D>* run = begin; run != end; ++run) {
    int at = 0;
    for (; at + kLanes<Real> <= run->length; at += kLanes<Real>)
      applyChunk<D, Real>(data, *run, at, kLanes<Real>);
    if (at < run->length) applyChunk<D, Real>(data, *run, at, run->length - at);
  }
}

template <int D, class Real>
BARELATTICE_INLINE void energyRuns(const KernelData<D, Real>& data, const CellRun<D>* begin,
                                   const CellRun<D>* end) {
  for (const CellRun<D>* run = begin; run != end; ++run)
    for (int at = 0; at < run->length; at += kLanes<Real>)
      energyChunk<D, Real>(data, *run, at, std::min(kLanes<Real>, run->length - at));
}

// The dispatched entry points: plain functions, because target clones cannot be templates.
#define BARELATTICE_KERNELS(D, Real)                                                               \
  BARELATTICE_DISPATCH void applyKernel(const KernelData<D, Real>& data, const CellRun<D>* begin,  \
                                        const CellRun<D>* end) {                                   \
    applyRuns<D, Real>(data, begin, end);                                                          \
  }                                                                                                \
  BARELATTICE_DISPATCH void energyKernel(const KernelData<D, Real>& data, const CellRun<D>* begin, \
                                         const CellRun<D>* end) {                                  \
    energyRuns<D, Real>(data, begin, end);                                                         \
  }
BARELATTICE_KERNELS(2, float)
BARELATTICE_KERNELS(2, double)
BARELATTICE_KERNELS(3, float)
BARELATTICE_KERNELS(3, double)
#undef BARELATTICE_KERNELS

}  // namespace

template <int D, class Real>
VoxelOperator<D, Real>::VoxelOperator(const Grid<D>& grid, double poisson, std::vector<std::size_t> held)
    : grid_(grid),
      held_(std::move(held)),
      stiffness_(cellStiffness<D>(poisson)),
      bound_(scaledEigenvalueBound<D>(stiffness_)),
      scales_(grid.cellCount(), Real{1}) {
  const TransformedStiffness<D> transformed(stiffness_);
  for (std::size_t k = 0; k < kCorners<D>; ++k)
    for (std::size_t c = 0; c < D; ++c)
      for (std::size_t d = 0; d < D; ++d)
        blocks_[(k * D + c) * D + d] =
            static_cast<Real>(transformed.blocks[k](static_cast<int>(c), static_cast<int>(d)));
}

template <int D, class Real>
void VoxelOperator<D, Real>::setScales(std::span<const double> scales) {
  forEach(scales.size(), [&](std::size_t i) { scales_[i] = static_cast<Real>(scales[i]); });
}

template <int D, class Real>
void VoxelOperator<D, Real>::apply(std::span<const Real> x, std::span<Real> y) const {
  forEachBlock(y.size(), [&](std::size_t begin, std::size_t end) {
    std::fill(y.begin() + static_cast<std::ptrdiff_t>(begin), y.begin() + static_cast<std::ptrdiff_t>(end),
              Real{0});
  });
  const KernelData<D, Real> data{blocks_.data(), scales_.data(), x.data(),
                                 y.data(),       nullptr,        grid_.nodeCount()};
  const auto& layers = grid_.layers();
  const std::size_t blocks = (layers.size() - 1 + kLayersPerBlock - 1) / kLayersPerBlock;
  for (std::size_t colour = 0; colour < 2; ++colour)
    tbb::parallel_for(std::size_t{0}, (blocks + 1 - colour) / 2, [&](std::size_t i) {
      const std::size_t first = (2 * i + colour) * kLayersPerBlock;
      const std::size_t last = std::min(first + kLayersPerBlock, layers.size() - 1);
      applyKernel(data, grid_.runs().data() + layers[first], grid_.runs().data() + layers[last]);
    });
  for (const std::size_t dof : held_) y[dof] = 0;
}

template <int D, class Real>
void VoxelOperator<D, Real>::applyPlain(std::span<const Real> x, std::span<Real> y) const {
  std::fill(y.begin(), y.end(), Real{0});
  Eigen::Matrix<double, kCellDofs<D>, 1> u;
  for (std::size_t cell = 0; cell < grid_.cellCount(); ++cell) {
    const auto nodes = grid_.cellNodes(cell);
    const auto dof = [&](int i) {
      return gridDof(grid_, static_cast<std::size_t>(nodes[static_cast<std::size_t>(i / D)]), i % D);
    };
    for (int i = 0; i < kCellDofs<D>; ++i) u[i] = static_cast<double>(x[dof(i)]);
    const Eigen::Matrix<double, kCellDofs<D>, 1> f = static_cast<double>(scales_[cell]) * (stiffness_ * u);
    for (int i = 0; i < kCellDofs<D>; ++i) y[dof(i)] += static_cast<Real>(f[i]);
  }
  for (const std::size_t dof : held_) y[dof] = 0;
}

template <int D, class Real>
std::vector<Real> VoxelOperator<D, Real>::nodeDiagonal() const {
  std::vector<Real> diagonal(grid_.nodeCount(), Real{0});
  const auto k = static_cast<Real>(stiffness_(0, 0));  // all corners and components alike by symmetry
  for (const CellRun<D>& run : grid_.runs())
    for (const int row : run.rows)
      for (int i = 0; i < run.length; ++i) {
        const Real share = k * scales_[static_cast<std::size_t>(run.cell + i)];
        diagonal[static_cast<std::size_t>(row + i)] += share;
        diagonal[static_cast<std::size_t>(row + i + 1)] += share;
      }
  return diagonal;
}

template <int D, class Real>
void VoxelOperator<D, Real>::cellEnergies(std::span<const Real> u, std::span<double> energies) const {
  // B carries the transform's factor: u^T K u = (W u)^T B (W u).
  const KernelData<D, Real> data{blocks_.data(), scales_.data(),  u.data(),
                                 nullptr,        energies.data(), grid_.nodeCount()};
  constexpr std::size_t kRuns = 64;  // per block: some thousand cells
  forEachBlock(
      grid_.runs().size(),
      [&](std::size_t begin, std::size_t end) {
        energyKernel(data, grid_.runs().data() + begin, grid_.runs().data() + end);
      },
      kRuns);
}

template class VoxelOperator<2, float>;
template class VoxelOperator<2, double>;
template class VoxelOperator<3, float>;
template class VoxelOperator<3, double>;

}  // namespace barelattice
