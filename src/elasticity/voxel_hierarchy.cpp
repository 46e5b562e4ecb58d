// Amir, Aage & Lazarov 2014, On multigrid-CG for efficient topology optimization (Struct. Multidisc. Optim.
// 49); Wu, Dick & Westermann 2016, A system for high-resolution topology optimization (IEEE TVCG 22).

#include "barelattice/elasticity/voxel_hierarchy.hpp"

#include <array>
#include <bit>

#include "barelattice/base/parallel.hpp"
#include "barelattice/base/simd.hpp"
#include "cell_lanes.hpp"
#include "grid_transfer.hpp"
#include "projection.hpp"
#include "swept_level.hpp"

namespace barelattice {
namespace {

/// Coarsening stops at this many nodes: below it, one more level saves less than the direct solve costs.
constexpr std::size_t kBottomNodes = 260;

constexpr std::size_t kNodesPerBlock = 512;
constexpr std::size_t kCellsPerBlock = 64;

template <int D>
constexpr int kStencil = D == 2 ? 9 : 27;  // a node and its neighbours

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

template <int D>
std::unique_ptr<Grid<D>> coarsened(const Grid<D>& fine) {
  GridFrame<D> frame = fine.frame();
  frame.size *= 2;
  for (int& n : frame.cells) n = (n + 1) / 2;
  std::vector<std::uint8_t> inDomain(frame.boxCells(), 0);
  for (std::size_t c = 0; c < fine.cellCount(); ++c) {
    Index<D> parent = fine.cellIndex(c);
    for (int& i : parent) i /= 2;
    inDomain[frame.linear(parent)] = 1;
  }
  return std::make_unique<Grid<D>>(frame, inDomain);
}

constexpr int kCellsAtOnce = 8;

/// matrix[cell] = sum over j of weight[cell][j] table[j], `size` entries each, a multiple of 8.
BARELATTICE_DISPATCH void combineTables(const double* tables, int count, int size, const double* weights,
                                        int cells, float* const* matrices) {
  constexpr int kWidth = kLanes<double>;
  for (int at = 0; at < size; at += kWidth) {
    Lanes<double> sum[kCellsAtOnce]{};
    for (int j = 0; j < count; ++j) {
      const Lanes<double> table = loadLanes<double>(tables + j * size + at);
#pragma GCC unroll 8
      for (int c = 0; c < kCellsAtOnce; ++c) sum[c] += weights[c * count + j] * table;
    }
#pragma GCC unroll 8
    for (int c = 0; c < kCellsAtOnce; ++c)
      if (c < cells)
        for (int i = 0; i < kWidth; ++i) matrices[c][at + i] = static_cast<float>(sum[c][i]);
  }
}

}  // namespace

/// A coarse grid whose matrix is stored.
template <int D>
struct VoxelHierarchy<D>::Stored {
  explicit Stored(const Grid<D>& g) : grid(g), present(g.nodeCount(), 0) {
    for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
      for (int s = 0; s < kStencil<D>; ++s) {
        const int neighbour = grid.nodeAt(stencilNeighbour<D>(grid.nodeIndex(n), s));
        if (neighbour < 0) continue;
        present[n] |= 1U << s;
        pattern.column.push_back(neighbour);
      }
      pattern.rowStart.push_back(pattern.column.size());
    }
    pattern.block.assign(pattern.column.size(), BlockMatrix<D>::Block::Zero());
  }

  /// The matrix of the level from the matrices of its cells, row by row so that threads never share one.
  void assemble(const std::vector<SingleCell>& cells, BlockMatrix<D>& matrix) const {
    forEach(
        grid.nodeCount(),
        [&](std::size_t n) {
          std::fill(matrix.block.begin() + static_cast<std::ptrdiff_t>(matrix.rowStart[n]),
                    matrix.block.begin() + static_cast<std::ptrdiff_t>(matrix.rowStart[n + 1]),
                    BlockMatrix<D>::Block::Zero());
          for (int corner = 0; corner < kCorners<D>; ++corner) {
            Index<D> at = grid.nodeIndex(n);
            for (std::size_t i = 0; i < D; ++i) at[i] -= corner >> i & 1;
            const int cell = grid.cellAt(at);
            if (cell < 0) continue;
            const SingleCell& k = cells[static_cast<std::size_t>(cell)];
            for (int other = 0; other < kCorners<D>; ++other)
              matrix.block[entry(matrix, n, corner, other)] += k.template block<D, D>(D * corner, D * other);
          }
        },
        kNodesPerBlock);
  }

  /// Where the coupling of node n (corner `corner` of a cell) with corner `other` of that cell is stored.
  std::size_t entry(const BlockMatrix<D>& matrix, std::size_t n, int corner, int other) const {
    int s = 0;
    for (int i = D - 1; i >= 0; --i) s = 3 * s + (other >> i & 1) - (corner >> i & 1) + 1;
    const std::uint32_t before = present[n] & ((1U << s) - 1);
    return matrix.rowStart[n] + static_cast<std::size_t>(std::popcount(before));
  }

  const Grid<D>& grid;
  std::vector<std::uint32_t> present;  // per node: the stencil entries that exist
  BlockMatrix<D> pattern;              // the bottom's matrix; elsewhere moved to the level
  BlockLevel<D>* level = nullptr;      // none for the bottom
};

template <int D>
VoxelHierarchy<D>::VoxelHierarchy(const VoxelOperator<D>& fine) : fine_(fine) {
  grids_.push_back(coarsened(fine.grid()));
  while (grids_.back()->nodeCount() > kBottomNodes && grids_.back()->cellCount() > 1)
    grids_.push_back(coarsened(*grids_.back()));
  projected_ = std::make_unique<ProjectedOperator<D>>(fine, *grids_.front());
  const bool deep = grids_.size() > 1;

  std::vector<std::unique_ptr<MultigridLevel>> levels;
  std::vector<std::unique_ptr<MultigridTransfer>> transfers;
  auto finest = std::make_unique<SweptLevel<D>>(
      fine.grid().nodeCount(), fine.eigenvalueBound(),
      [this](const Fields<const float>& x, const LayerVisitor<D, float>& visit) {
        fine_.template sweep<float>(x, visit);
      },
      [this](std::span<float> x) { fine_.project(x); });
  finest_ = finest.get();
  levels.push_back(std::move(finest));
  transfers.push_back(std::make_unique<GridTransfer<D>>(fine.grid(), FieldOrder::byComponent, *grids_.front(),
                                                        deep ? FieldOrder::byComponent : FieldOrder::byNode));
  if (deep) {
    auto second = std::make_unique<SweptLevel<D>>(
        grids_.front()->nodeCount(), kCorners<D>,
        [this](const Fields<const float>& x, const LayerVisitor<D, float>& visit) {
          projected_->sweep(x, visit);
        },
        [](std::span<float>) {});
    second_ = second.get();
    levels.push_back(std::move(second));
    transfers.push_back(std::make_unique<GridTransfer<D>>(*grids_[0], FieldOrder::byComponent, *grids_[1],
                                                          FieldOrder::byNode));
  }
  for (std::size_t g = deep ? 1 : 0; g < grids_.size(); ++g) {
    stored_.push_back(std::make_unique<Stored>(*grids_[g]));
    if (g + 1 == grids_.size()) break;
    auto level = std::make_unique<BlockLevel<D>>(std::move(stored_.back()->pattern), kCorners<D>);
    stored_.back()->level = level.get();
    levels.push_back(std::move(level));
    transfers.push_back(std::make_unique<GridTransfer<D>>(*grids_[g], FieldOrder::byNode, *grids_[g + 1],
                                                          FieldOrder::byNode));
  }
  multigrid_ = std::make_unique<Multigrid>(std::move(levels), std::move(transfers));

  // Two projections in a row are linear in the scales: a table for each of the 4^D voxels.
  if (deep)
    for (int outer = 0; outer < kCorners<D>; ++outer)
      for (int inner = 0; inner < kCorners<D>; ++inner) {
        CellMatrix<D> once = CellMatrix<D>::Zero();
        CellMatrix<D> twice = CellMatrix<D>::Zero();
        addProjected<D>(fine.cellStiffness(), inner, once);
        addProjected<D>(once, outer, twice);
        tables_.insert(tables_.end(), twice.data(), twice.data() + twice.size());
      }
}

template <int D>
VoxelHierarchy<D>::~VoxelHierarchy() = default;

template <int D>
void VoxelHierarchy<D>::renew() {
  finest_->setDiagonal(fine_.nodeDiagonal());
  projected_->renew();
  if (second_) second_->setDiagonal(projected_->nodeDiagonal());
  std::vector<SingleCell> cells = second_ ? cellsBelowProjected() : projectedCells();
  for (std::size_t l = 0;; ++l) {
    Stored& stored = *stored_[l];
    if (!stored.level) {
      stored.assemble(cells, stored.pattern);
      multigrid_->setBottom(stored.pattern.assembled());
      return;
    }
    stored.assemble(cells, stored.level->matrix());
    stored.level->renew();
    const Grid<D>& finer = stored.grid;
    const Grid<D>& coarser = stored_[l + 1]->grid;
    std::vector<SingleCell> parents(coarser.cellCount());
    forEach(
        parents.size(),
        [&](std::size_t c) {
          CellMatrix<D> sum = CellMatrix<D>::Zero();
          const auto children = childrenOf(coarser, c, finer);
          for (int child = 0; child < kCorners<D>; ++child) {
            const int cell = children[static_cast<std::size_t>(child)];
            if (cell < 0) continue;
            addProjected<D>(cells[static_cast<std::size_t>(cell)].template cast<double>(), child, sum);
          }
          parents[c] = sum.template cast<float>();
        },
        8);
    cells = std::move(parents);
  }
}

/// The cell matrices of the projected level.
template <int D>
std::vector<typename VoxelHierarchy<D>::SingleCell> VoxelHierarchy<D>::projectedCells() const {
  std::vector<SingleCell> cells(projected_->grid().cellCount());
  forEach(
      cells.size(), [&](std::size_t c) { cells[c] = projected_->cellMatrix(c).template cast<float>(); },
      kCellsPerBlock);
  return cells;
}

/// The cell matrices of the level below the projected one, from the voxels' scales.
template <int D>
std::vector<typename VoxelHierarchy<D>::SingleCell> VoxelHierarchy<D>::cellsBelowProjected() const {
  constexpr int kVoxels = kCorners<D> * kCorners<D>;
  const Grid<D>& grid = stored_.front()->grid;
  const std::span<const double> scales = fine_.scales();
  std::vector<SingleCell> cells(grid.cellCount());
  forEachBlock(
      cells.size(),
      [&](std::size_t begin, std::size_t end) {
        std::array<double, static_cast<std::size_t>(kCellsAtOnce) * kVoxels> weights{};
        std::array<float*, kCellsAtOnce> matrices{};
        for (std::size_t c = begin; c < end; ++c) {
          matrices[c - begin] = cells[c].data();
          const auto children = childrenOf(grid, c, projected_->grid());
          for (std::size_t outer = 0; outer < kCorners<D>; ++outer) {
            double* of = weights.data() + ((c - begin) * kCorners<D> + outer) * kCorners<D>;
            std::fill_n(of, kCorners<D>, 0.0);
            if (children[outer] < 0) continue;
            const auto parent = static_cast<std::size_t>(children[outer]);
            if (projected_->isSpecial(parent)) continue;
            const auto voxels = projected_->children(parent);
            for (std::size_t inner = 0; inner < kCorners<D>; ++inner)
              if (voxels[inner] >= 0) of[inner] = scales[static_cast<std::size_t>(voxels[inner])];
          }
        }
        combineTables(tables_.data(), kVoxels, kCellDofs<D> * kCellDofs<D>, weights.data(),
                      static_cast<int>(end - begin), matrices.data());
        for (std::size_t c = begin; c < end; ++c) {
          const auto children = childrenOf(grid, c, projected_->grid());
          CellMatrix<D> sum = CellMatrix<D>::Zero();
          bool any = false;
          for (int outer = 0; outer < kCorners<D>; ++outer) {
            const int parent = children[static_cast<std::size_t>(outer)];
            if (parent < 0 || !projected_->isSpecial(static_cast<std::size_t>(parent))) continue;
            addProjected<D>(projected_->cellMatrix(static_cast<std::size_t>(parent)), outer, sum);
            any = true;
          }
          if (any) cells[c] += sum.template cast<float>();
        }
      },
      kCellsAtOnce);
  return cells;
}

template class VoxelHierarchy<2>;
template class VoxelHierarchy<3>;

}  // namespace barelattice
