/// @file
/// A job on a grid that is its own image in planes, and the piece of it that stands for the whole.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/grid.hpp"
#include "barelattice/voxels/grid_case.hpp"

namespace barelattice BARELATTICE_API {

/// By axis, the layer of nodes that is a plane of symmetry; nothing where there is none.
template <int D>
using MirrorLayers = std::array<std::optional<int>, static_cast<std::size_t>(D)>;

/// The cells on the low sides of one to D planes across the axes, and how fields on them and on the whole
/// grid go over into each other. With E the matrix that carries displacements of the piece onto the whole,
/// mirrored vectors with their components across the plane turned, and n the number of pieces (2, 4 or 8),
///   K_piece = E^T K E / n,  f_piece = E^T f / n,  C = f^T u = n f_piece^T u_piece,
/// where E^T K E / n is the stiffness of the piece's own cells, with the nodes in a plane held across it.
/// Means over images are taken of whatever differs between them by rounding or sampling.
template <int D>
class MirrorPiece {
 public:
  /// O(cells). @throws InputError if a cell has its image outside of the grid's box, or no layer is given.
  MirrorPiece(const Grid<D>& whole, const MirrorLayers<D>& layers);

  const Grid<D>& grid() const { return grid_; }
  int count() const { return count_; }  ///< n, how many pieces make up the whole

  /// The mean over images of what cells hold; those that do not exist hold nothing.
  std::vector<double> heldBy(std::span<const double> whole) const;
  /// The mean over those images that exist.
  std::vector<double> meansOf(std::span<const double> whole) const;
  /// How far images are from their mean, as a share of all.
  double unlikeness(std::span<const double> whole) const;
  /// Derivatives by the cells of the whole of n times a function of what meansOf gives.
  void handOut(std::span<const double> gradient, std::span<double> whole) const;

  /// u_piece of displacements that are their own image; of others those of their symmetric part.
  std::vector<double> displacementOf(std::span<const double> whole) const;
  /// E u_piece.
  void spread(std::span<const double> displacement, std::span<double> whole) const;
  /// E^T f / n.
  std::vector<double> forceOf(std::span<const double> whole) const;

  /// A case on the piece.
  /// @throws InputError where loads, supports or what moves nodes are far from being their own image.
  GridCase<D> caseOf(const GridCase<D>& whole) const;

 private:
  using Vector = Eigen::Matrix<double, D, 1>;
  using Matrix = Eigen::Matrix<double, D, D>;
  void requireAlike(const GridCase<D>& whole) const;
  Vec3 planePlace() const;  ///< a point in all planes, m
  /// Diagonal of the mirror images that carry a node's vectors onto those of the piece.
  Vector signsOf(std::size_t node) const;
  /// 1 across the planes a node of the piece lies in, else 0, by axis.
  Vector acrossOf(std::size_t pieceNode) const;

  MirrorLayers<D> layers_;
  Grid<D> whole_;
  Grid<D> grid_;
  int count_ = 1;
  std::vector<int> cellOf_;  // of the piece, by cell of the whole
  std::vector<int> nodeOf_;  // likewise
  std::vector<std::uint8_t>
      mirrored_;                      // by node of the whole: bit i if it lies beyond the plane across axis i
  std::vector<std::uint8_t> images_;  // how many cells of the whole there are, by cell of the piece
  std::vector<std::uint8_t> nodeImages_;
};

}  // namespace barelattice
