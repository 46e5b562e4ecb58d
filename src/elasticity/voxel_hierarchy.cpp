// Amir, Aage & Lazarov 2014, On multigrid-CG for efficient topology optimization (Struct. Multidisc. Optim.
// 49); Wu, Dick & Westermann 2016, A system for high-resolution topology optimization (IEEE TVCG 22).

#include "barelattice/elasticity/voxel_hierarchy.hpp"

#include <array>
#include <bit>

#include "barelattice/base/parallel.hpp"

namespace barelattice {
namespace {

/// Coarsening stops at this many nodes: below it, one more level saves less than the direct solve costs.
constexpr std::size_t kBottomNodes = 260;

constexpr std::size_t kNodesPerBlock = 512;
constexpr std::size_t kCellsPerBlock = 64;

template <int D>
constexpr int kStencil = D == 2 ? 9 : 27;  // a node and its neighbours

template <int D>
constexpr int kCentre = kStencil<D> / 2;

/// Offset -1, 0 or 1 along an axis of stencil entry s.
constexpr int stencilOffset(int s, std::size_t axis) {
  for (std::size_t i = 0; i < axis; ++i) s /= 3;
  return s % 3 - 1;
}

template <int D>
Index<D> stencilNeighbour(const Index<D>& at, int s) {
  Index<D> neighbour = at;
  for (std::size_t i = 0; i < D; ++i) neighbour[i] += stencilOffset(s, i);
  return neighbour;
}

/// Weight of a fine node at stencil entry s round a coarse node: one half for each odd coordinate.
template <int D>
float stencilWeight(int s) {
  float weight = 1;
  for (std::size_t i = 0; i < D; ++i)
    if (stencilOffset(s, i) != 0) weight *= 0.5F;
  return weight;
}

/// Interpolation inside a coarse cell: weight of coarse corner `coarse` at fine corner `corner` of child
/// `child`.
template <int D>
double childWeight(int child, int corner, int coarse) {
  double weight = 1;
  for (int i = 0; i < D; ++i) {
    const int position = (child >> i & 1) + (corner >> i & 1);  // 0, 1 or 2 halves along the axis
    const int far = coarse >> i & 1;
    weight *= position == 1 ? 0.5 : (position == 2) == (far == 1) ? 1.0 : 0.0;
  }
  return weight;
}

template <int D>
struct ChildWeights {
  std::array<std::array<std::array<double, kCorners<D>>, kCorners<D>>, kCorners<D>>
      w{};  // [child][corner][coarse]
  ChildWeights() {
    for (int child = 0; child < kCorners<D>; ++child)
      for (int corner = 0; corner < kCorners<D>; ++corner)
        for (int coarse = 0; coarse < kCorners<D>; ++coarse)
          w[static_cast<std::size_t>(child)][static_cast<std::size_t>(corner)]
           [static_cast<std::size_t>(coarse)] = childWeight<D>(child, corner, coarse);
  }
};

template <int D>
using FloatCellMatrix = Eigen::Matrix<float, kCellDofs<D>, kCellDofs<D>>;

/// sum += P^T K P for one child, P the interpolation of ChildWeights; skips zero weights (two thirds of
/// them).
template <int D>
void addProjected(const CellMatrix<D>& k, int child, const ChildWeights<D>& weights, CellMatrix<D>& sum) {
  const auto& w = weights.w[static_cast<std::size_t>(child)];
  CellMatrix<D> right = CellMatrix<D>::Zero();  // K P
  for (int b = 0; b < kCorners<D>; ++b)
    for (int coarse = 0; coarse < kCorners<D>; ++coarse) {
      const double weight = w[static_cast<std::size_t>(b)][static_cast<std::size_t>(coarse)];
      if (weight != 0) right.template middleCols<D>(D * coarse) += weight * k.template middleCols<D>(D * b);
    }
  for (int a = 0; a < kCorners<D>; ++a)
    for (int coarse = 0; coarse < kCorners<D>; ++coarse) {
      const double weight = w[static_cast<std::size_t>(a)][static_cast<std::size_t>(coarse)];
      if (weight != 0) sum.template middleRows<D>(D * coarse) += weight * right.template middleRows<D>(D * a);
    }
}

template <int D>
Grid<D> coarsened(const Grid<D>& fine) {
  GridFrame<D> frame = fine.frame();
  frame.size *= 2;
  for (int& n : frame.cells) n = (n + 1) / 2;
  std::vector<std::uint8_t> inDomain(frame.boxCells(), 0);
  for (std::size_t c = 0; c < fine.cellCount(); ++c) {
    Index<D> parent = fine.cellIndex(c);
    for (int& i : parent) i /= 2;
    inDomain[frame.linear(parent)] = 1;
  }
  return Grid<D>(frame, inDomain);
}

/// The finest level: matrix-free, scaled with the scalar diagonal.
template <int D>
class FineLevel final : public MultigridLevel {
 public:
  explicit FineLevel(const VoxelOperator<D, float>& a) : a_(a), inverse_(a.nodeDiagonal()) {
    for (float& d : inverse_) d = d > 0 ? 1 / d : 0;
  }
  std::size_t size() const override { return a_.size(); }
  void apply(std::span<const float> x, std::span<float> y) const override { a_.apply(x, y); }
  void scale(std::span<const float> r, float c, std::span<float> z) const override {
    const std::size_t nodes = inverse_.size();
    for (std::size_t i = 0; i < D; ++i)
      forEach(nodes, [&](std::size_t n) { z[i * nodes + n] = c * inverse_[n] * r[i * nodes + n]; });
    for (const std::size_t dof : a_.held()) z[dof] = 0;
  }
  double eigenvalueBound() const override { return a_.eigenvalueBound(); }

 private:
  const VoxelOperator<D, float>& a_;
  std::vector<float> inverse_;
};

/// Tables of the interpolation from a coarse grid to the next finer one.
template <int D>
struct TransferTables {
  std::vector<std::array<int, kStencil<D>>>
      fineRound;                                      // per coarse node: the fine nodes round it, -1 for none
  std::vector<std::array<int, kCorners<D>>> parents;  // per fine node: the coarse corners of its parent cell

  TransferTables(const Grid<D>& fine, const Grid<D>& coarse)
      : fineRound(coarse.nodeCount()), parents(fine.nodeCount()) {
    forEach(fineRound.size(), [&](std::size_t n) {
      Index<D> at = coarse.nodeIndex(n);
      for (int& i : at) i *= 2;
      for (int s = 0; s < kStencil<D>; ++s)
        fineRound[n][static_cast<std::size_t>(s)] = fine.nodeAt(stencilNeighbour<D>(at, s));
    });
    forEach(parents.size(), [&](std::size_t n) {
      for (int corner = 0; corner < kCorners<D>; ++corner) {
        Index<D> at = fine.nodeIndex(n);
        bool used = true;  // along an even coordinate only the near corner has weight
        for (std::size_t i = 0; i < D; ++i) {
          const bool odd = at[i] % 2;
          const bool far = corner >> i & 1;
          used = used && (odd || !far);
          at[i] = at[i] / 2 + (far ? 1 : 0);
        }
        parents[n][static_cast<std::size_t>(corner)] = used ? coarse.nodeAt(at) : -1;
      }
    });
  }
};

/// @tparam ByComponent the fine vector is ordered by component (finest level) instead of by node.
template <int D, bool ByComponent>
class GridTransfer final : public MultigridTransfer {
 public:
  GridTransfer(const TransferTables<D>& tables, const std::vector<std::size_t>* held)
      : tables_(tables), held_(held) {}

  void restrictTo(std::span<const float> fine, std::span<float> coarse) const override {
    const std::size_t nodes = tables_.parents.size();
    forEach(
        tables_.fineRound.size(),
        [&](std::size_t n) {
          std::array<float, D> sum{};
          for (std::size_t s = 0; s < kStencil<D>; ++s) {
            const int from = tables_.fineRound[n][s];
            if (from < 0) continue;
            for (std::size_t i = 0; i < D; ++i)
              sum[i] += weight_[s] * fine[dof(static_cast<std::size_t>(from), i, nodes)];
          }
          for (std::size_t i = 0; i < D; ++i) coarse[D * n + i] = sum[i];
        },
        kNodesPerBlock);
  }

  void prolongAdd(std::span<const float> coarse, std::span<float> fine) const override {
    const std::size_t nodes = tables_.parents.size();
    forEach(
        nodes,
        [&](std::size_t n) {
          std::array<float, D> sum{};
          int count = 0;
          for (const int parent : tables_.parents[n]) {
            if (parent < 0) continue;
            ++count;
            for (std::size_t i = 0; i < D; ++i) sum[i] += coarse[D * static_cast<std::size_t>(parent) + i];
          }
          for (std::size_t i = 0; i < D; ++i) fine[dof(n, i, nodes)] += sum[i] / static_cast<float>(count);
        },
        kNodesPerBlock);
    if (held_)
      for (const std::size_t d : *held_) fine[d] = 0;
  }

 private:
  static std::size_t dof(std::size_t node, std::size_t component, std::size_t nodes) {
    return ByComponent ? component * nodes + node : D * node + component;
  }
  static std::array<float, kStencil<D>> weights() {
    std::array<float, kStencil<D>> w{};
    for (int s = 0; s < kStencil<D>; ++s) w[static_cast<std::size_t>(s)] = stencilWeight<D>(s);
    return w;
  }

  const TransferTables<D>& tables_;
  const std::vector<std::size_t>* held_;
  std::array<float, kStencil<D>> weight_ = weights();
};

/// Sparsity of a coarse grid's matrix: each node couples with the nodes of the cells round it.
template <int D>
BlockMatrix<D> emptyMatrix(const Grid<D>& grid, std::vector<std::uint32_t>& present) {
  BlockMatrix<D> matrix;
  present.assign(grid.nodeCount(), 0);
  for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
    for (int s = 0; s < kStencil<D>; ++s) {
      const int neighbour = grid.nodeAt(stencilNeighbour<D>(grid.nodeIndex(n), s));
      if (neighbour < 0) continue;
      present[n] |= 1U << s;
      matrix.column.push_back(neighbour);
    }
    matrix.rowStart.push_back(matrix.column.size());
  }
  return matrix;
}

}  // namespace

template <int D>
struct VoxelHierarchy<D>::Level {
  explicit Level(const Grid<D>& finer)
      : grid(coarsened(finer)), tables(finer, grid), pattern(emptyMatrix(grid, present)) {
    children.resize(grid.cellCount());
    forEach(children.size(), [&](std::size_t c) {
      for (int child = 0; child < kCorners<D>; ++child) {
        Index<D> at = grid.cellIndex(c);
        for (std::size_t i = 0; i < D; ++i) at[i] = 2 * at[i] + (child >> i & 1);
        children[c][static_cast<std::size_t>(child)] = finer.cellAt(at);
      }
    });
  }

  /// The matrix of the level from the matrices of its cells, row by row so that threads never share one.
  BlockMatrix<D> assemble(const std::vector<FloatCellMatrix<D>>& cells) const {
    BlockMatrix<D> matrix = pattern;
    matrix.block.assign(matrix.column.size(), BlockMatrix<D>::Block::Zero());
    forEach(
        grid.nodeCount(),
        [&](std::size_t n) {
          for (int corner = 0; corner < kCorners<D>; ++corner) {
            Index<D> at = grid.nodeIndex(n);
            for (std::size_t i = 0; i < D; ++i) at[i] -= corner >> i & 1;
            const int cell = grid.cellAt(at);
            if (cell < 0) continue;
            const FloatCellMatrix<D>& k = cells[static_cast<std::size_t>(cell)];
            for (int other = 0; other < kCorners<D>; ++other)
              matrix.block[entry(n, corner, other)] += k.template block<D, D>(D * corner, D * other);
          }
        },
        kNodesPerBlock);
    return matrix;
  }

  /// Where the coupling of node n (corner `corner` of a cell) with corner `other` of that cell is stored.
  std::size_t entry(std::size_t n, int corner, int other) const {
    int s = 0;
    for (int i = D - 1; i >= 0; --i) s = 3 * s + (other >> i & 1) - (corner >> i & 1) + 1;
    const std::uint32_t before = present[n] & ((1U << s) - 1);
    return pattern.rowStart[n] + static_cast<std::size_t>(std::popcount(before));
  }

  Grid<D> grid;
  TransferTables<D> tables;
  std::vector<std::uint32_t> present;  // per node: the stencil entries that exist
  BlockMatrix<D> pattern;
  std::vector<std::array<int, kCorners<D>>> children;  // per cell: cells of the finer grid, -1 for none
};

template <int D>
VoxelHierarchy<D>::VoxelHierarchy(const Grid<D>& grid, double poisson, const std::vector<std::size_t>& held)
    : grid_(grid),
      stiffness_(cellStiffness<D>(poisson)),
      held_(static_cast<std::size_t>(D) * grid.nodeCount(), 0) {
  for (const std::size_t dof : held) held_[dof] = 1;
  levels_.push_back(std::make_unique<Level>(grid));
  while (levels_.back()->grid.nodeCount() > kBottomNodes && levels_.back()->grid.cellCount() > 1) {
    auto next = std::make_unique<Level>(levels_.back()->grid);
    levels_.push_back(std::move(next));
  }
}

template <int D>
VoxelHierarchy<D>::~VoxelHierarchy() = default;

template <int D>
std::unique_ptr<Multigrid> VoxelHierarchy<D>::build(const VoxelOperator<D, float>& fine,
                                                    std::span<const double> scales) const {
  const ChildWeights<D> weights;
  std::array<CellMatrix<D>, kCorners<D>> projected;  // P^T K P of a free child of unit stiffness
  for (int child = 0; child < kCorners<D>; ++child) {
    projected[static_cast<std::size_t>(child)].setZero();
    addProjected<D>(stiffness_, child, weights, projected[static_cast<std::size_t>(child)]);
  }
  std::vector<std::unique_ptr<MultigridLevel>> levels;
  std::vector<std::unique_ptr<MultigridTransfer>> transfers;
  levels.push_back(std::make_unique<FineLevel<D>>(fine));
  transfers.push_back(std::make_unique<GridTransfer<D, true>>(levels_.front()->tables, &fine.held()));

  // Rows and columns of held degrees of freedom drop out of the stiffness before it is projected.
  const auto maskedChild = [&](std::size_t cell) {
    CellMatrix<D> k = stiffness_;
    const auto nodes = grid_.cellNodes(cell);
    for (int i = 0; i < kCellDofs<D>; ++i) {
      if (!held_[gridDof(grid_, static_cast<std::size_t>(nodes[static_cast<std::size_t>(i / D)]), i % D)])
        continue;
      k.row(i).setZero();
      k.col(i).setZero();
    }
    return k;
  };
  std::vector<std::uint8_t> touchesHeld(grid_.cellCount(), 0);
  if (!fine.held().empty())
    forEach(grid_.cellCount(), [&](std::size_t cell) {
      const auto nodes = grid_.cellNodes(cell);
      for (const int n : nodes)
        for (int i = 0; i < D; ++i)
          touchesHeld[cell] |= held_[gridDof(grid_, static_cast<std::size_t>(n), i)];
    });

  std::vector<FloatCellMatrix<D>> cells(levels_.front()->grid.cellCount());
  forEach(
      cells.size(),
      [&](std::size_t c) {
        CellMatrix<D> sum = CellMatrix<D>::Zero();
        for (int child = 0; child < kCorners<D>; ++child) {
          const int cell = levels_.front()->children[c][static_cast<std::size_t>(child)];
          if (cell < 0) continue;
          const double scale = scales[static_cast<std::size_t>(cell)];
          if (touchesHeld[static_cast<std::size_t>(cell)]) {
            const CellMatrix<D> k = scale * maskedChild(static_cast<std::size_t>(cell));
            addProjected<D>(k, child, weights, sum);
          } else {
            sum += scale * projected[static_cast<std::size_t>(child)];
          }
        }
        cells[c] = sum.template cast<float>();
      },
      kCellsPerBlock);

  for (std::size_t l = 0;; ++l) {
    const Level& level = *levels_[l];
    BlockMatrix<D> matrix = level.assemble(cells);
    if (l + 1 == levels_.size()) {
      const Eigen::SparseMatrix<double> bottom = matrix.assembled();
      levels.push_back(std::make_unique<BlockLevel<D>>(std::move(matrix), kCorners<D>));
      return std::make_unique<Multigrid>(std::move(levels), std::move(transfers), bottom);
    }
    levels.push_back(std::make_unique<BlockLevel<D>>(std::move(matrix), kCorners<D>));
    transfers.push_back(std::make_unique<GridTransfer<D, false>>(levels_[l + 1]->tables, nullptr));
    const Level& coarser = *levels_[l + 1];
    std::vector<FloatCellMatrix<D>> parents(coarser.grid.cellCount());
    forEach(
        parents.size(),
        [&](std::size_t c) {
          CellMatrix<D> sum = CellMatrix<D>::Zero();
          for (int child = 0; child < kCorners<D>; ++child) {
            const int cell = coarser.children[c][static_cast<std::size_t>(child)];
            if (cell < 0) continue;
            const CellMatrix<D> k = cells[static_cast<std::size_t>(cell)].template cast<double>();
            addProjected<D>(k, child, weights, sum);
          }
          parents[c] = sum.template cast<float>();
        },
        kCellsPerBlock);
    cells = std::move(parents);
  }
}

template class VoxelHierarchy<2>;
template class VoxelHierarchy<3>;

}  // namespace barelattice
