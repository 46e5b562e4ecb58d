#include "projected_operator.hpp"

#include <algorithm>
#include <bit>

#include "base/parallel.hpp"
#include "cell_lanes.hpp"
#include "layer_sweep.hpp"
#include "projection.hpp"

namespace barelattice {
namespace {

// Why one matrix serves all voxels of a coarse cell. Voxel i (bits: its side along each axis) is the mirror
// image of voxel 0 in the mid-planes of the coarse cell whose bits are set in i. A mirror in axis a acts on
// component c in mode m of the coarse corner values by the sign (-1)^(m_a + [c = a]) = (-1)^(k_a) with
// k = m ^ bit(c) (element.cpp). So with B_0 = the transformed P_0^T K P_0 of voxel 0,
//
//   B_i[(k, c), (k', c')] = (-1)^(bits of i & (k ^ k')) B_0[(k, c), (k', c')]     (1)
//
// and the coarse cell's, with stiffness factors s_i, is
//
//   sum_i s_i B_i = B_0[(k, c), (k', c')] s^(k ^ k'),   s^(n) = sum_i (-1)^(bits of i & n) s_i   (2)
//
// s^ is the Walsh-Hadamard transform of the factors: 2^D numbers a cell, as many as it has voxels, and all
// that is stored. A product costs one transform of the corner values, the entries of (2), and one back.

/// The entries of a projected voxel's matrix that do not vanish, whatever Poisson's ratio: bit D m' + c' of
/// number D m + c for component c in mode m against component c' in mode m'. A third is zero by the
/// symmetries of the cube; the tests against the product itself would show an entry left out.
template <int D>
constexpr std::array<std::uint32_t, kCellDofs<D>> entryPattern() {
  if constexpr (D == 2)
    return {0x00, 0x00, 0xE4, 0xD8, 0xD8, 0xE4, 0xFC, 0xFC};
  else
    return {0x000000, 0x000000, 0x000000, 0xFAC688, 0x650650, 0xA69820, 0x650650, 0xFAC688,
            0xD92900, 0xFFC6D8, 0xFFC6D8, 0xFFB920, 0xA69820, 0xD92900, 0xFAC688, 0xFEDEA8,
            0xFD2F50, 0xFEDEA8, 0xE79E70, 0xFBEF88, 0xFBEF88, 0xFFDEF8, 0xFFEFD8, 0xFFFFA8};
}

/// Whether component c of group k and component d of group `other` act on each other (TransformedStiffness).
template <int D>
constexpr bool isEntry(int k, int c, int other, int d) {
  return entryPattern<D>()[static_cast<std::size_t>(D * (k ^ 1 << c) + c)] >> (D * (other ^ 1 << d) + d) & 1U;
}

template <int D>
constexpr bool anyEntry(int k, int c, int other) {
  for (int d = 0; d < D; ++d)
    if (isEntry<D>(k, c, other, d)) return true;
  return false;
}

template <int D>
struct KernelData {
  const float* entries;
  std::array<const float*, kCorners<D>> modes;
  NodeField<float> x;
};

/// Forces of the cells of one run, for passRun.
template <int D>
struct CellForces {
  static constexpr int kModes = kCorners<D>;
  const KernelData<D>& data;
  int cell;  // the run's first

  BARELATTICE_INLINE void operator()(const RunPart& part, const Lanes<float> (&u)[D][kModes],
                                     Lanes<float> (&f)[D][kModes]) const {
    Lanes<float> scale[kModes];
    for (int m = 0; m < kModes; ++m) {
      scale[m] = loadLanes<float>(data.modes[static_cast<std::size_t>(m)] + cell + part.at);
      if (part.last - part.first < kLanes<float>)
        scale[m] = keptLanes<float>(scale[m], part.first, part.last);
    }
    for (auto& component : f)
      for (auto& mode : component) mode = Lanes<float>{};
#pragma GCC unroll 8
    for (int other = 0; other < kModes; ++other) {
#pragma GCC unroll 8
      for (int k = 0; k < kModes; ++k) {
        const float* entry = data.entries + (other * kModes + k) * D * D;
#pragma GCC unroll 3
        for (int c = 0; c < D; ++c) {
          if (!anyEntry<D>(k, c, other)) continue;
          Lanes<float> product{};
#pragma GCC unroll 3
          for (int d = 0; d < D; ++d)
            if (isEntry<D>(k, c, other, d)) product += entry[c * D + d] * u[d][other ^ 1 << d];
          f[c][k ^ 1 << c] += scale[k ^ other] * product;  // (2)
        }
      }
    }
  }
};

template <int D>
BARELATTICE_INLINE void applyRuns(const KernelData<D>& data, const LayerBuffers<D, float>& buffers,
                                  std::span<const typename LayerPlan<D>::Run> runs) {
  for (const auto& run : runs)
    passRun(RunRows<D, float, float>(data.x, buffers, run), CellForces<D>{data, run.cell});
}

/// f = K u for a cell with a matrix of its own.
template <int D>
BARELATTICE_INLINE void multiplyCell(const float* matrix, const float (&u)[kCellDofs<D>],
                                     float (&f)[kCellDofs<D>]) {
  constexpr int kSize = kCellDofs<D>;
  float sum[kSize] = {};
  for (int j = 0; j < kSize; ++j)
    for (int i = 0; i < kSize; ++i) sum[i] += u[j] * matrix[j * kSize + i];
  std::copy_n(sum, kSize, f);
}

/// The upper triangle of a node's block, row by row, padded to a vector.
template <int D>
using NodeBlock = std::array<double, D == 3 ? 8 : 4>;

/// sum += weighted blocks, one for each corner of a cell.
template <int D>
BARELATTICE_INLINE void addNodeBlocks(const NodeBlock<D>* blocks, const double* weights, NodeBlock<D>& sum) {
  NodeBlock<D> local = sum;
  for (int j = 0; j < kCorners<D>; ++j)
    for (std::size_t i = 0; i < local.size(); ++i) local[i] += weights[j] * blocks[j][i];
  sum = local;
}

#define BARELATTICE_KERNELS(D)                                                                            \
  BARELATTICE_DISPATCH void multiplyKernel(const float* matrix, const float(&u)[kCellDofs<D>],            \
                                           float(&f)[kCellDofs<D>]) {                                     \
    multiplyCell<D>(matrix, u, f);                                                                        \
  }                                                                                                       \
  BARELATTICE_DISPATCH void blocksKernel(const NodeBlock<D>* blocks, const double* weights,               \
                                         NodeBlock<D>& sum) {                                             \
    addNodeBlocks<D>(blocks, weights, sum);                                                               \
  }                                                                                                       \
  BARELATTICE_DISPATCH void applyKernel(const KernelData<D>& data, const LayerBuffers<D, float>& buffers, \
                                        std::span<const LayerPlan<D>::Run> runs) {                        \
    applyRuns<D>(data, buffers, runs);                                                                    \
  }
BARELATTICE_KERNELS(2)
BARELATTICE_KERNELS(3)
#undef BARELATTICE_KERNELS

/// sum += factor times the block on the diagonal of a cell's matrix that belongs to a corner.
template <int D>
void addNodeBlock(double factor, const CellMatrix<D>& matrix, std::size_t corner, NodeBlock<D>& sum) {
  const auto first = static_cast<Eigen::Index>(D * corner);
  std::size_t entry = 0;
  for (int i = 0; i < D; ++i)
    for (int j = i; j < D; ++j) sum[entry++] += factor * matrix(first + i, first + j);
}

}  // namespace

template <int D>
ProjectedOperator<D>::ProjectedOperator(const VoxelOperator<D>& fine, const Grid<D>& grid)
    : fine_(fine), grid_(grid), plan_(grid), stiffness_(fine.cellStiffness()) {
  for (int child = 0; child < kCorners<D>; ++child) {
    CellMatrix<D>& product = projected_[static_cast<std::size_t>(child)];
    product.setZero();
    addProjected<D>(stiffness_, child, product);
  }
  const CellMatrix<D> transformed = transformedMatrix<D>(projected_[0]);
  for (int other = 0; other < kCorners<D>; ++other)
    for (int k = 0; k < kCorners<D>; ++k)
      for (int c = 0; c < D; ++c)
        for (int d = 0; d < D; ++d)
          entries_.push_back(static_cast<float>(transformed(D * (k ^ 1 << c) + c, D * (other ^ 1 << d) + d)));

  std::vector<std::uint8_t> supported(fine.grid().nodeCount(), 0);
  for (const NodeSupport<D>& s : fine.supports()) supported[s.node] = 1;
  std::vector<std::vector<Special>> byLayer(plan_.layerCount());
  specialOf_.assign(grid.cellCount(), -1);
  for (std::size_t c = 0; c < grid.cellCount(); ++c) {
    bool special = false;
    for (const int voxel : children(c))
      if (voxel >= 0)
        for (const int n : fine.grid().cellNodes(static_cast<std::size_t>(voxel)))
          special = special || supported[static_cast<std::size_t>(n)];
    if (!special) continue;
    const auto layer = static_cast<std::size_t>(grid.cellIndex(c)[plan_.axis()]);
    Special cell{c, grid.cellNodes(c), {}, {}, {}};
    for (int corner = 0; corner < kCorners<D>; ++corner) {
      const auto node = static_cast<std::size_t>(cell.nodes[static_cast<std::size_t>(corner)]);
      cell.places[static_cast<std::size_t>(corner)] = plan_.place(layer + (corner >> plan_.axis() & 1), node);
    }
    byLayer[layer].push_back(cell);
  }
  specialStart_.push_back(0);
  for (const auto& layer : byLayer) {
    for (const Special& cell : layer) {
      specialOf_[cell.cell] = static_cast<int>(special_.size());
      special_.push_back(cell);
    }
    specialStart_.push_back(special_.size());
  }
  for (auto& mode : modes_) mode.assign(grid.cellCount() + kLanes<float>, 0.0F);
}

template <int D>
void ProjectedOperator<D>::renew() {
  const std::span<const double> scales = fine_.scales();
  forEach(grid_.cellCount(), [&](std::size_t c) {
    double s[kCorners<D>];
    const auto voxels = children(c);
    for (std::size_t child = 0; child < kCorners<D>; ++child) {
      const int voxel = voxels[child];
      s[child] = voxel < 0 || isSpecial(c) ? 0 : scales[static_cast<std::size_t>(voxel)];
    }
    transform<D>(s);
    for (std::size_t m = 0; m < kCorners<D>; ++m) modes_[m][c] = static_cast<float>(s[m]);
  });
  forEach(
      special_.size(),
      [&](std::size_t i) {
        special_[i].matrix = supportedMatrix(special_[i].cell);
        special_[i].single = special_[i].matrix.template cast<float>();
      },
      16);
}

/// Sum over the voxels with the supports of their nodes: rows and columns projected, springs added where the
/// voxel is the first one at its node.
template <int D>
CellMatrix<D> ProjectedOperator<D>::supportedMatrix(std::size_t cell) const {
  const Grid<D>& voxels = fine_.grid();
  const auto inCell = children(cell);
  const auto& supports = fine_.supports();
  CellMatrix<D> sum = CellMatrix<D>::Zero();
  for (int child = 0; child < kCorners<D>; ++child) {
    const int voxel = inCell[static_cast<std::size_t>(child)];
    if (voxel < 0) continue;
    const double scale = fine_.scales()[static_cast<std::size_t>(voxel)];
    CellMatrix<D> k = scale * stiffness_;
    bool touched = false;
    const auto nodes = voxels.cellNodes(static_cast<std::size_t>(voxel));
    for (int corner = 0; corner < kCorners<D>; ++corner) {
      const auto node = static_cast<std::size_t>(nodes[static_cast<std::size_t>(corner)]);
      const auto s = std::lower_bound(supports.begin(), supports.end(), node,
                                      [](const NodeSupport<D>& a, std::size_t n) { return a.node < n; });
      if (s == supports.end() || s->node != node) continue;
      touched = true;
      Index<D> first = voxels.nodeIndex(node);  // of the cells round the node, the lowest that exists
      int owner = -1;
      for (int back = kCorners<D> - 1; back >= 0 && owner < 0; --back) {
        Index<D> at = first;
        for (std::size_t i = 0; i < D; ++i) at[i] -= back >> i & 1;
        owner = voxels.cellAt(at);
      }
      if (owner == voxel) k.template block<D, D>(D * corner, D * corner) += s->spring;
      k.template middleRows<D>(D * corner) = (s->free * k.template middleRows<D>(D * corner)).eval();
      k.template middleCols<D>(D * corner) = (k.template middleCols<D>(D * corner) * s->free).eval();
    }
    if (touched)
      addProjected<D>(k, child, sum);
    else
      sum += scale * projected_[static_cast<std::size_t>(child)];
  }
  return sum;
}

template <int D>
void ProjectedOperator<D>::sweep(const Fields<const float>& x, const LayerVisitor<D, float>& visit) const {
  const std::size_t apart = D * plan_.stride();
  KernelData<D> common{entries_.data(), {}, {nullptr, grid_.nodeCount()}};
  for (std::size_t m = 0; m < kCorners<D>; ++m) common.modes[m] = modes_[m].data();
  sweepLayers<D, float>(
      plan_, x.size(),
      [&](std::size_t layer, float* low, float* high) {
        KernelData<D> data = common;
        for (std::size_t k = 0; k < x.size(); ++k) {
          data.x.values = x[k].data();
          float* below = low + k * apart;
          float* above = high + k * apart;
          applyKernel(data, LayerBuffers<D, float>{below, above, plan_.stride(), plan_.upperRows()},
                      plan_.runs(layer));
          applySpecial(layer, x[k], below, above);
        }
      },
      [&](std::size_t layer, const float* buffer) {
        for (std::size_t k = 0; k < x.size(); ++k)
          visitLayer<D, float>(plan_, k, layer, buffer + k * apart, visit);
      });
}

template <int D>
void ProjectedOperator<D>::applySpecial(std::size_t layer, std::span<const float> x, float* low,
                                        float* high) const {
  for (std::size_t i = specialStart_[layer]; i < specialStart_[layer + 1]; ++i) {
    const Special& cell = special_[i];
    float u[kCellDofs<D>];
    float f[kCellDofs<D>];
    for (std::size_t corner = 0; corner < kCorners<D>; ++corner)
      for (std::size_t c = 0; c < D; ++c)
        u[D * corner + c] = x[c * grid_.nodeCount() + static_cast<std::size_t>(cell.nodes[corner])];
    multiplyKernel(cell.single.data(), u, f);
    for (std::size_t corner = 0; corner < kCorners<D>; ++corner)
      for (std::size_t c = 0; c < D; ++c)
        (corner >> plan_.axis() & 1 ? high : low)[c * plan_.stride() + cell.places[corner]] +=
            f[D * corner + c];
  }
}

template <int D>
std::vector<float> ProjectedOperator<D>::nodeDiagonal() const {
  const std::size_t nodes = grid_.nodeCount();
  std::vector<float> diagonal(static_cast<std::size_t>(D * (D + 1) / 2) * nodes);
  // sum_i s_i B_i = sum_m s^_m B^_m, where B^ = 2^-D times the transform of the blocks B_i of the voxels.
  std::array<std::array<NodeBlock<D>, kCorners<D>>, kCorners<D>> blocks{};  // B^ by corner and mode
  for (std::size_t corner = 0; corner < kCorners<D>; ++corner)
    for (unsigned mode = 0; mode < kCorners<D>; ++mode)
      for (unsigned child = 0; child < kCorners<D>; ++child)
        addNodeBlock<D>((std::popcount(mode & child) % 2 ? -1.0 : 1.0) / kCorners<D>, projected_[child],
                        corner, blocks[corner][mode]);
  forEach(nodes, [&](std::size_t n) {
    NodeBlock<D> sum{};
    for (std::size_t corner = 0; corner < kCorners<D>; ++corner) {
      Index<D> at = grid_.nodeIndex(n);
      for (std::size_t i = 0; i < D; ++i) at[i] -= static_cast<int>(corner >> i & 1);
      const int found = grid_.cellAt(at);
      if (found < 0) continue;
      const auto cell = static_cast<std::size_t>(found);
      if (isSpecial(cell)) {
        addNodeBlock<D>(1, special_[static_cast<std::size_t>(specialOf_[cell])].matrix, corner, sum);
        continue;
      }
      double weights[kCorners<D>];
      for (std::size_t m = 0; m < kCorners<D>; ++m) weights[m] = static_cast<double>(modes_[m][cell]);
      blocksKernel(blocks[corner].data(), weights, sum);
    }
    for (std::size_t entry = 0; entry * nodes < diagonal.size(); ++entry)
      diagonal[entry * nodes + n] = static_cast<float>(sum[entry]);
  });
  return diagonal;
}

template <int D>
CellMatrix<D> ProjectedOperator<D>::cellMatrix(std::size_t cell) const {
  if (isSpecial(cell)) return special_[static_cast<std::size_t>(specialOf_[cell])].matrix;
  CellMatrix<D> sum = CellMatrix<D>::Zero();
  const auto voxels = children(cell);
  for (std::size_t child = 0; child < kCorners<D>; ++child)
    if (voxels[child] >= 0)
      sum += fine_.scales()[static_cast<std::size_t>(voxels[child])] * projected_[child];
  return sum;
}

template class ProjectedOperator<2>;
template class ProjectedOperator<3>;

}  // namespace barelattice
