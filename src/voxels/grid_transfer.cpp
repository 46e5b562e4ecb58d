#include "grid_transfer.hpp"

#include <algorithm>

#include "base/parallel.hpp"
#include "base/simd.hpp"

namespace barelattice {
namespace {

constexpr std::size_t kRowsPerBlock = 32;

/// to[i] += weight from[i], for `count` entries.
BARELATTICE_DISPATCH void addRow(const float* from, std::size_t count, float weight, float* to) {
  for (std::size_t i = 0; i < count; ++i) to[i] += weight * from[i];
}

/// to[i] = line[2 i] + (line[2 i - 1] + line[2 i + 1]) / 2.
BARELATTICE_DISPATCH void halveRow(const float* line, std::size_t count, float* to) {
  for (std::size_t i = 0; i < count; ++i) to[i] = line[2 * i] + 0.5F * (line[2 * i - 1] + line[2 * i + 1]);
}

/// to[i] += the mean of line[x / 2] and line[(x + 1) / 2], x = from + i.
BARELATTICE_DISPATCH void doubleRow(const float* line, std::size_t from, std::size_t count, float* to) {
  std::size_t i = 0;
  if (from % 2 == 1 && count > 0) {
    to[0] += 0.5F * (line[from / 2] + line[from / 2 + 1]);
    i = 1;
  }
  const float* at = line + (from + i) / 2;
  const std::size_t pairs = (count - i) / 2;
  float* out = to + i;
  for (std::size_t k = 0; k < pairs; ++k) {
    out[2 * k] += at[k];
    out[2 * k + 1] += 0.5F * (at[k] + at[k + 1]);
  }
  if (i + 2 * pairs < count) out[2 * pairs] += at[pairs];
}

}  // namespace

template <int D>
NodeRows<D>::NodeRows(const Grid<D>& grid) {
  std::size_t rows = 1;
  for (std::size_t i = 0; i + 1 < D; ++i) {
    size[i] = grid.frame().cells[i + 1] + 1;
    rows *= static_cast<std::size_t>(size[i]);
  }
  const auto rowOf = [&](std::size_t node) {
    std::size_t row = 0;
    for (std::size_t i = D - 1; i-- > 0;)
      row = row * static_cast<std::size_t>(size[i]) + static_cast<std::size_t>(grid.nodeIndex(node)[i + 1]);
    return row;
  };
  rowStart.assign(rows + 1, 0);
  std::size_t last = rows;
  for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
    const std::size_t row = rowOf(n);
    const int x = grid.nodeIndex(n)[0];
    if (row == last && stretches.back().from + stretches.back().count == x) {
      ++stretches.back().count;
      continue;
    }
    stretches.push_back({static_cast<int>(n), x, 1});
    ++rowStart[row + 1];
    last = row;
  }
  for (std::size_t row = 0; row < rows; ++row) rowStart[row + 1] += rowStart[row];
}

template <int D>
GridTransfer<D>::GridTransfer(const Grid<D>& fine, const Grid<D>& coarse)
    : fine_(fine), coarse_(coarse), length_(static_cast<std::size_t>(coarse.frame().cells[0]) + 1) {}

template <int D>
void GridTransfer<D>::restrictTo(std::span<const float> fine, std::span<float> coarse) const {
  const std::size_t fineNodes = fine.size() / D;
  const std::size_t coarseNodes = coarse.size() / D;
  const std::size_t width = 2 * length_ + 2;  // with a zero before and behind
  forEachBlock(
      coarse_.rowStart.size() - 1,
      [&](std::size_t begin, std::size_t end) {
        std::vector<float> line(D * width);
        for (std::size_t row = begin; row < end; ++row) {
          if (coarse_.rowStart[row] == coarse_.rowStart[row + 1]) continue;
          std::fill(line.begin(), line.end(), 0.0F);
          // The rows of fine nodes round this one, weight one half for each step aside.
          const int a = 2 * static_cast<int>(row % static_cast<std::size_t>(coarse_.size[0]));
          const int b = 2 * static_cast<int>(row / static_cast<std::size_t>(coarse_.size[0]));
          for (int db = D == 3 ? -1 : 0; db <= (D == 3 ? 1 : 0); ++db)
            for (int da = -1; da <= 1; ++da) {
              if (a + da < 0 || a + da >= fine_.size[0] || b + db < 0) continue;
              if constexpr (D == 3)
                if (b + db >= fine_.size[1]) continue;
              const auto near = static_cast<std::size_t>(a + da + fine_.size[0] * (b + db));
              const float weight = (da == 0 ? 1.0F : 0.5F) * (db == 0 ? 1.0F : 0.5F);
              for (std::size_t s = fine_.rowStart[near]; s < fine_.rowStart[near + 1]; ++s) {
                const auto& stretch = fine_.stretches[s];
                for (std::size_t c = 0; c < D; ++c)
                  addRow(fine.data() + c * fineNodes + static_cast<std::size_t>(stretch.node),
                         static_cast<std::size_t>(stretch.count), weight,
                         line.data() + c * width + 1 + stretch.from);
              }
            }
          for (std::size_t s = coarse_.rowStart[row]; s < coarse_.rowStart[row + 1]; ++s) {
            const auto& stretch = coarse_.stretches[s];
            for (std::size_t c = 0; c < D; ++c)
              halveRow(line.data() + c * width + 1 + 2 * stretch.from,
                       static_cast<std::size_t>(stretch.count),
                       coarse.data() + c * coarseNodes + static_cast<std::size_t>(stretch.node));
          }
        }
      },
      kRowsPerBlock);
}

template <int D>
void GridTransfer<D>::prolongAdd(std::span<const float> coarse, std::span<float> fine) const {
  const std::size_t fineNodes = fine.size() / D;
  const std::size_t coarseNodes = coarse.size() / D;
  const std::size_t width = length_ + 1;  // with a zero behind
  forEachBlock(
      fine_.rowStart.size() - 1,
      [&](std::size_t begin, std::size_t end) {
        std::vector<float> line(D * width);
        for (std::size_t row = begin; row < end; ++row) {
          if (fine_.rowStart[row] == fine_.rowStart[row + 1]) continue;
          std::fill(line.begin(), line.end(), 0.0F);
          const std::size_t a = row % static_cast<std::size_t>(fine_.size[0]);
          const std::size_t b = row / static_cast<std::size_t>(fine_.size[0]);
          const float weight = (a % 2 ? 0.5F : 1.0F) * (b % 2 ? 0.5F : 1.0F);
          for (std::size_t db = 0; db <= b % 2; ++db)
            for (std::size_t da = 0; da <= a % 2; ++da) {
              const std::size_t near = a / 2 + da + static_cast<std::size_t>(coarse_.size[0]) * (b / 2 + db);
              for (std::size_t s = coarse_.rowStart[near]; s < coarse_.rowStart[near + 1]; ++s) {
                const auto& stretch = coarse_.stretches[s];
                for (std::size_t c = 0; c < D; ++c)
                  addRow(coarse.data() + c * coarseNodes + static_cast<std::size_t>(stretch.node),
                         static_cast<std::size_t>(stretch.count), weight,
                         line.data() + c * width + stretch.from);
              }
            }
          for (std::size_t s = fine_.rowStart[row]; s < fine_.rowStart[row + 1]; ++s) {
            const auto& stretch = fine_.stretches[s];
            for (std::size_t c = 0; c < D; ++c)
              doubleRow(line.data() + c * width, static_cast<std::size_t>(stretch.from),
                        static_cast<std::size_t>(stretch.count),
                        fine.data() + c * fineNodes + static_cast<std::size_t>(stretch.node));
          }
        }
      },
      kRowsPerBlock);
}

template struct NodeRows<2>;
template struct NodeRows<3>;
template class GridTransfer<2>;
template class GridTransfer<3>;

}  // namespace barelattice
