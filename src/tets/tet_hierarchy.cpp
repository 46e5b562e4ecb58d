#include "tet_hierarchy.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <unordered_map>

#include "base/parallel.hpp"

namespace barelattice {
namespace {

/// Few enough nodes that the direct solve takes well under a second, even with the wide stencils of the
/// grids.
constexpr std::size_t kBottomNodes = 700;
constexpr std::size_t kRowsPerBlock = 128;

/// Of a quadratic tetrahedron 10; one that lies in eight cells of a coarse grid reaches their 27 corners.
constexpr double kMostNodesPerElement = 27;

Interpolation transposed(const Interpolation& p) {
  Interpolation t;
  t.columns = p.rowStart.size() - 1;
  t.rowStart.assign(p.columns + 1, 0);
  for (const int c : p.column) ++t.rowStart[static_cast<std::size_t>(c) + 1];
  for (std::size_t i = 0; i < p.columns; ++i) t.rowStart[i + 1] += t.rowStart[i];
  std::vector<std::size_t> next(t.rowStart.begin(), t.rowStart.end() - 1);
  t.column.resize(p.column.size());
  t.weight.resize(p.weight.size());
  for (std::size_t row = 0; row + 1 < p.rowStart.size(); ++row)
    for (std::size_t e = p.rowStart[row]; e < p.rowStart[row + 1]; ++e) {
      const std::size_t at = next[static_cast<std::size_t>(p.column[e])]++;
      t.column[at] = static_cast<int>(row);
      t.weight[at] = p.weight[e];
    }
  return t;
}

class SparseTransfer final : public MultigridTransfer {
 public:
  explicit SparseTransfer(Interpolation p) : p_(std::move(p)), transposed_(transposed(p_)) {}
  void restrictTo(std::span<const float> fine, std::span<float> coarse) const override {
    multiply(transposed_, fine, coarse, 0);
  }
  void prolongAdd(std::span<const float> coarse, std::span<float> fine) const override {
    multiply(p_, coarse, fine, 1);
  }

 private:
  static void multiply(const Interpolation& m, std::span<const float> x, std::span<float> y, float keep) {
    forEach(
        m.rowStart.size() - 1,
        [&](std::size_t row) {
          std::array<float, 3> sum{};
          for (std::size_t e = m.rowStart[row]; e < m.rowStart[row + 1]; ++e)
            for (std::size_t i = 0; i < 3; ++i)
              sum[i] += m.weight[e] * x[3 * static_cast<std::size_t>(m.column[e]) + i];
          for (std::size_t i = 0; i < 3; ++i) y[3 * row + i] = keep * y[3 * row + i] + sum[i];
        },
        kRowsPerBlock);
  }
  Interpolation p_;
  Interpolation transposed_;
};

/// Quadratic from linear: corners keep their value, edge middles take the mean of the ends.
Interpolation fromLinear(const QuadraticTets& mesh, const std::vector<std::uint8_t>& held) {
  Interpolation p;
  p.columns = mesh.cornerCount();
  for (std::size_t n = 0; n < mesh.nodeCount(); ++n) {
    if (!held[n]) {
      if (n < mesh.cornerCount()) {
        p.column.push_back(static_cast<int>(n));
        p.weight.push_back(1);
      } else {
        const auto& ends = mesh.edges()[n - mesh.cornerCount()];
        p.column.insert(p.column.end(), ends.begin(), ends.end());
        p.weight.insert(p.weight.end(), 2, 0.5F);
      }
    }
    p.rowStart.push_back(p.column.size());
  }
  return p;
}

/// Points from the corners of a regular grid of cubes, multilinear. Replaces `points` by the grid's corners.
/// Corners that no point gives a tenth of its weight would make nearly dependent columns; the weights of the
/// others are scaled up to one instead, so that constants stay exact.
Interpolation fromGrid(std::vector<Vec3>& points, double size) {
  constexpr double kLeastWeight = 0.1;
  struct Corner {
    double most = 0;
    int number = -1;
  };
  std::map<std::array<int, 3>, Corner> corners;
  const auto forEachCorner = [&](const Vec3& point, const auto& visit) {
    const Vec3 at = point / size;
    const Vec3 low = at.array().floor();
    for (int corner = 0; corner < 8; ++corner) {
      double weight = 1;
      std::array<int, 3> index{};
      for (int i = 0; i < 3; ++i) {
        const bool far = corner >> i & 1;
        weight *= far ? at[i] - low[i] : 1 - (at[i] - low[i]);
        index[static_cast<std::size_t>(i)] = static_cast<int>(low[i]) + far;
      }
      if (weight > 0) visit(corners[index], index, weight);
    }
  };
  for (const Vec3& point : points)
    forEachCorner(point, [](Corner& c, const auto&, double weight) { c.most = std::max(c.most, weight); });
  Interpolation p;
  std::vector<Vec3> coarse;
  for (const Vec3& point : points) {
    const std::size_t first = p.column.size();
    double sum = 0;
    forEachCorner(point, [&](Corner& c, const std::array<int, 3>& index, double weight) {
      if (c.most < kLeastWeight) return;
      if (c.number < 0) {
        c.number = static_cast<int>(coarse.size());
        coarse.push_back(size * Vec3(index[0], index[1], index[2]));
      }
      p.column.push_back(c.number);
      p.weight.push_back(static_cast<float>(weight));
      sum += weight;
    });
    for (std::size_t e = first; e < p.weight.size(); ++e) p.weight[e] /= static_cast<float>(sum);
    p.rowStart.push_back(p.column.size());
  }
  p.columns = coarse.size();
  points = std::move(coarse);
  return p;
}

/// Largest eigenvalue of M^-1 A with M the block diagonal, by power iteration from a fixed start, with a
/// margin for what the iteration has not reached. An estimate serves here, unlike on voxels: the stiffness is
/// uniform, so the top of the spectrum is crowded and found fast. Capped by `most`, the nodes per element,
/// which is a true bound.
double spectrumBound(const BlockMatrix<3>& a, double most) {
  const BlockLevel<3> level(a, 1);
  std::vector<float> x(level.size());
  std::vector<float> y(level.size());
  std::uint32_t state = 1;
  for (float& value : x) {
    state = state * 1664525U + 1013904223U;  // linear congruential (Knuth), the same on every machine
    value = static_cast<float>(state >> 8) / 16777216.0F - 0.5F;
  }
  constexpr int kSteps = 15;
  constexpr double kMargin = 1.15;
  double growth = 1;
  for (int step = 0; step < kSteps; ++step) {
    level.apply(x, y);
    level.scale(y, 1, x);
    const double norm = std::sqrt(sumBlocks(x.size(), [&](std::size_t begin, std::size_t end) {
      double sum = 0;
      for (std::size_t i = begin; i < end; ++i) sum += static_cast<double>(x[i]) * static_cast<double>(x[i]);
      return sum;
    }));
    growth = norm;
    forEach(x.size(), [&](std::size_t i) { x[i] = static_cast<float>(static_cast<double>(x[i]) / norm); });
  }
  return std::min(kMargin * growth, most);
}

BlockMatrix<3> inSinglePrecision(const BlockMatrix<3, double>& a) {
  BlockMatrix<3> single{a.rowStart, a.column, {}};
  single.block.resize(a.block.size());
  forEach(a.block.size(), [&](std::size_t e) { single.block[e] = a.block[e].cast<float>(); });
  return single;
}

}  // namespace

BlockMatrix<3, double> galerkinProduct(const BlockMatrix<3, double>& a, const Interpolation& p) {
  const Interpolation t = transposed(p);
  std::vector<std::vector<std::pair<int, BlockMatrix<3, double>::Block>>> rows(p.columns);
  forEachBlock(
      p.columns,
      [&](std::size_t begin, std::size_t end) {
        std::vector<int> slot(p.columns, -1);  // where a column stands in the row being summed
        for (std::size_t row = begin; row < end; ++row) {
          auto& sum = rows[row];
          for (std::size_t ti = t.rowStart[row]; ti < t.rowStart[row + 1]; ++ti) {
            const auto i = static_cast<std::size_t>(t.column[ti]);
            for (std::size_t e = a.rowStart[i]; e < a.rowStart[i + 1]; ++e) {
              const auto j = static_cast<std::size_t>(a.column[e]);
              const BlockMatrix<3, double>::Block left = static_cast<double>(t.weight[ti]) * a.block[e];
              for (std::size_t pj = p.rowStart[j]; pj < p.rowStart[j + 1]; ++pj) {
                int& at = slot[static_cast<std::size_t>(p.column[pj])];
                if (at < 0) {
                  at = static_cast<int>(sum.size());
                  sum.emplace_back(p.column[pj], BlockMatrix<3, double>::Block::Zero());
                }
                sum[static_cast<std::size_t>(at)].second += static_cast<double>(p.weight[pj]) * left;
              }
            }
          }
          for (const auto& entry : sum) slot[static_cast<std::size_t>(entry.first)] = -1;
        }
      },
      std::max<std::size_t>(kRowsPerBlock, p.columns / 16 + 1));
  BlockMatrix<3, double> product;
  for (auto& row : rows) {
    std::sort(row.begin(), row.end(), [](const auto& x, const auto& y) { return x.first < y.first; });
    for (const auto& [column, block] : row) {
      product.column.push_back(column);
      product.block.push_back(block);
    }
    product.rowStart.push_back(product.column.size());
  }
  return product;
}

std::unique_ptr<Multigrid> buildTetHierarchy(const QuadraticTets& mesh, double spacing,
                                             const BlockMatrix<3, double>& stiffness, const LowRank& added) {
  std::vector<std::uint8_t> held(mesh.nodeCount());
  for (std::size_t n = 0; n < held.size(); ++n) {
    held[n] = 1;  // a node held in all directions has no stiffness left
    for (std::size_t e = stiffness.rowStart[n]; e < stiffness.rowStart[n + 1]; ++e)
      if (stiffness.column[e] == static_cast<int>(n) && stiffness.block[e].trace() > 0) held[n] = 0;
  }
  std::vector<std::unique_ptr<MultigridLevel>> levels;
  std::vector<std::unique_ptr<MultigridTransfer>> transfers;
  // Products are formed in double precision: a thin sheet is a million times softer in bending than along
  // itself, and rounding to single would turn the smallest eigenvalues of the coarse grids negative.
  BlockMatrix<3, double> coarse;
  const BlockMatrix<3, double>* matrix = &stiffness;
  std::vector<Vec3> points(mesh.nodes().begin(),
                           mesh.nodes().begin() + static_cast<std::ptrdiff_t>(mesh.cornerCount()));
  Interpolation p = fromLinear(mesh, held);
  double size = spacing;
  for (;;) {
    BlockMatrix<3, double> next = galerkinProduct(*matrix, p);
    BlockMatrix<3> single = inSinglePrecision(*matrix);
    const double bound = spectrumBound(single, kMostNodesPerElement);
    levels.push_back(std::make_unique<BlockLevel<3>>(std::move(single), bound));
    transfers.push_back(std::make_unique<SparseTransfer>(std::move(p)));
    coarse = std::move(next);
    matrix = &coarse;
    if (coarse.rows() <= kBottomNodes) break;
    size *= 2;
    p = fromGrid(points, size);
  }
  // Corners of the grids that hardly any point reaches leave the bottom nearly singular. A shift far above
  // the rounding of the products keeps it definite at no cost in convergence.
  constexpr double kShift = 1e-10;
  Eigen::SparseMatrix<double> bottom = coarse.assembled();
  for (Eigen::Index i = 0; i < bottom.rows(); ++i) bottom.coeffRef(i, i) *= 1 + kShift;
  auto multigrid = std::make_unique<Multigrid>(std::move(levels), std::move(transfers));
  multigrid->setBottom(bottom, added);
  return multigrid;
}

}  // namespace barelattice
