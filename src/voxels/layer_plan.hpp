/// @file
/// The order in which operators pass over a grid: layer by layer, so that the nodes of a layer are finished
/// while they are still in cache.
#pragma once

#include <array>
#include <cstddef>
#include <functional>
#include <span>
#include <vector>

#include "barelattice/grid/grid.hpp"

namespace barelattice {

/// Finished entries of y = A x at nodes numbered without gaps. In the buffer of the layer they are reached by
/// `y[component][i]` for node `begin + i`.
template <int D, class Real>
struct SweptNodes {
  std::size_t field = 0;  ///< which of the vectors worked on together
  std::size_t part = 0;   ///< number of the stretch, below LayerPlan::partCount, the same in every sweep
  std::size_t begin = 0;  ///< the first node
  std::size_t count = 0;  ///< how many
  std::array<const Real*, D> y{};
};

/// Called once for each stretch of nodes, on any thread, in any order. It may change x at these nodes: no
/// cell still to come reads them.
template <int D, class Real>
using LayerVisitor = std::function<void(const SweptNodes<D, Real>&)>;

/// Cuts a grid into layers of cells across its longer axis but the first, and the layers into slabs. One
/// thread works through a slab from below; nodes between two slabs are finished at the end, from both sides.
/// The cut does not depend on the number of threads, nor does any sum.
template <int D>
class LayerPlan {
 public:
  static constexpr int kRows = 1 << (D - 1);  ///< rows of nodes along a run

  /// A run of cells with the places of its rows of nodes in the buffers of the layer: row r lies in the layer
  /// above the cells if bit r of `upperRows` is set, else in the one below.
  struct Run {
    int cell = 0;
    int length = 0;
    std::array<int, kRows> rows{};    ///< the first node of each row
    std::array<int, kRows> places{};  ///< where that node stands in its layer's buffer
  };
  /// Nodes of a layer numbered without gaps.
  struct Stretch {
    std::size_t begin = 0;
    std::size_t count = 0;
    std::size_t place = 0;  ///< of the first node in the layer's buffer
  };

  explicit LayerPlan(const Grid<D>& grid);

  std::size_t layerCount() const { return runStart_.size() - 1; }  ///< of cells; of nodes one more
  std::span<const Run> runs(std::size_t layer) const;
  std::span<const Stretch> stretches(std::size_t layer) const;
  std::size_t firstPart(std::size_t layer) const { return stretchStart_[layer]; }
  std::size_t partCount() const { return stretches_.size(); }
  /// Buffers hold component c of a layer at [c stride(), c stride() + nodes of the layer).
  std::size_t stride() const { return stride_; }
  unsigned upperRows() const { return upperRows_; }
  /// Slab s covers layers [slabs()[s], slabs()[s + 1]).
  const std::vector<std::size_t>& slabs() const { return slabs_; }

  std::size_t axis() const { return axis_; }  ///< a node's coordinate along it is the number of its layer
  /// Where a node stands in the buffer of its layer.
  std::size_t place(std::size_t layer, std::size_t node) const;

 private:
  std::size_t axis_ = 0;
  std::size_t stride_ = 0;
  unsigned upperRows_ = 0;
  std::vector<Run> runs_;
  std::vector<std::size_t> runStart_;  // by layer
  std::vector<Stretch> stretches_;
  std::vector<std::size_t> stretchStart_;  // by layer of nodes
  std::vector<std::size_t> slabs_;
};

}  // namespace barelattice
