// Amir, Aage & Lazarov 2014, On multigrid-CG for efficient topology optimization (Struct. Multidisc. Optim.
// 49); Wu, Dick & Westermann 2016, A system for high-resolution topology optimization (IEEE TVCG 22).

#include "voxel_hierarchy.hpp"

#include <array>

#include "base/parallel.hpp"
#include "base/simd.hpp"
#include "cell_lanes.hpp"
#include "grid_transfer.hpp"
#include "projection.hpp"
#include "swept_level.hpp"

namespace barelattice {
namespace {

/// Coarsening stops at this many nodes: below it, one more level saves less than the direct solve costs.
constexpr std::size_t kBottomNodes = 260;

constexpr std::size_t kCellsPerBlock = 64;

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
  return {frame, inDomain};
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

/// The matrices of the cells of a grid from those of the cells they consist of.
template <int D>
std::vector<SingleCellMatrix<D>> parentsOf(const Grid<D>& coarser, const Grid<D>& finer,
                                           const std::vector<SingleCellMatrix<D>>& cells) {
  std::vector<SingleCellMatrix<D>> parents(coarser.cellCount());
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
  return parents;
}

/// The matrix of a small grid for a direct solver; what has no stiffness gets a one on the diagonal.
template <int D>
Eigen::SparseMatrix<double> assembled(const Grid<D>& grid, const std::vector<SingleCellMatrix<D>>& cells) {
  std::vector<Eigen::Triplet<double>> entries;
  for (std::size_t cell = 0; cell < cells.size(); ++cell) {
    const auto nodes = grid.cellNodes(cell);
    const auto dof = [&](int i) {
      return static_cast<int>(
          gridDof(grid, static_cast<std::size_t>(nodes[static_cast<std::size_t>(i / D)]), i % D));
    };
    for (int i = 0; i < kCellDofs<D>; ++i)
      for (int j = 0; j < kCellDofs<D>; ++j)
        entries.emplace_back(dof(i), dof(j), static_cast<double>(cells[cell](i, j)));
  }
  const auto size = static_cast<Eigen::Index>(D * grid.nodeCount());
  Eigen::SparseMatrix<double> matrix(size, size);
  matrix.setFromTriplets(entries.begin(), entries.end());
  for (Eigen::Index i = 0; i < size; ++i)
    if (matrix.coeff(i, i) == 0) matrix.coeffRef(i, i) = 1;
  return matrix;
}

}  // namespace

template <int D>
VoxelHierarchy<D>::VoxelHierarchy(const VoxelOperator<D>& fine) : fine_(fine) {
  grids_.push_back(coarsened(fine.grid()));
  while (grids_.back().nodeCount() > kBottomNodes && grids_.back().cellCount() > 1)
    grids_.push_back(coarsened(grids_.back()));
  projected_ = std::make_unique<ProjectedOperator<D>>(fine, grids_.front());
  const bool deep = grids_.size() > 1;

  std::vector<std::unique_ptr<MultigridLevel>> levels;
  std::vector<std::unique_ptr<MultigridTransfer>> transfers;
  const auto append = [&](const Grid<D>& grid, double bound, typename SweptLevel<D>::Sweep sweep,
                          typename SweptLevel<D>::Admit admit, const Grid<D>& coarser) {
    auto level = std::make_unique<SweptLevel<D>>(grid.nodeCount(), bound, std::move(sweep), std::move(admit));
    SweptLevel<D>* appended = level.get();
    levels.push_back(std::move(level));
    transfers.push_back(std::make_unique<GridTransfer<D>>(grid, coarser));
    return appended;
  };
  using Input = Fields<const float>;
  using Visit = LayerVisitor<D, float>;
  const auto admitAll = [](std::span<float>) {};
  finest_ = append(
      fine.grid(), fine.eigenvalueBound(),
      [this](const Input& x, const Visit& visit) { fine_.template sweep<float>(x, visit); },
      [this](std::span<float> x) { fine_.project(x); }, grids_[0]);
  if (deep)
    second_ = append(
        grids_[0], kCorners<D>, [this](const Input& x, const Visit& visit) { projected_->sweep(x, visit); },
        admitAll, grids_[1]);
  for (std::size_t g = 1; g + 1 < grids_.size(); ++g) {
    stored_.push_back(std::make_unique<StencilOperator<D>>(grids_[g]));
    lower_.push_back(append(
        grids_[g], kCorners<D>,
        [a = stored_.back().get()](const Input& x, const Visit& visit) { a->sweep(x, visit); }, admitAll,
        grids_[g + 1]));
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
void VoxelHierarchy<D>::renew(const LowRank& added) {
  finest_->setDiagonal(fine_.nodeDiagonal());
  projected_->renew();
  if (second_) second_->setDiagonal(projected_->nodeDiagonal());
  std::vector<SingleCellMatrix<D>> cells = second_ ? cellsBelowProjected() : projectedCells();
  for (std::size_t l = 0; l < stored_.size(); ++l) {
    stored_[l]->assemble(cells);
    lower_[l]->setDiagonal(stored_[l]->nodeDiagonal());
    cells = parentsOf<D>(grids_[l + 2], grids_[l + 1], cells);
  }
  multigrid_->setBottom(assembled<D>(grids_.back(), cells), added);
}

/// The cell matrices of the projected level.
template <int D>
std::vector<SingleCellMatrix<D>> VoxelHierarchy<D>::projectedCells() const {
  std::vector<SingleCellMatrix<D>> cells(projected_->grid().cellCount());
  forEach(
      cells.size(), [&](std::size_t c) { cells[c] = projected_->cellMatrix(c).template cast<float>(); },
      kCellsPerBlock);
  return cells;
}

/// The cell matrices of the level below the projected one, from the voxels' scales.
template <int D>
std::vector<SingleCellMatrix<D>> VoxelHierarchy<D>::cellsBelowProjected() const {
  constexpr int kVoxels = kCorners<D> * kCorners<D>;
  const Grid<D>& grid = grids_[1];
  const std::span<const double> scales = fine_.scales();
  std::vector<SingleCellMatrix<D>> cells(grid.cellCount());
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
