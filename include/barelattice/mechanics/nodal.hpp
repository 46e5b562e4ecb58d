/// @file
/// Vectors at the nodes of whatever discretisation a body has.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/meshes/vec.hpp"

namespace barelattice BARELATTICE_API {

/// A vector at a node.
struct NodalVector {
  std::size_t node = 0;
  Vec3 value = Vec3::Zero();
  bool operator==(const NodalVector&) const = default;
};

/// Vectors at some nodes, zero at the others. What functions return is ascending by node, each once.
using NodalVectors = std::vector<NodalVector>;

/// Orders vectors by node and adds up those of the same, in the order they were given in.
NodalVectors summed(NodalVectors vectors);

/// Where the components of a node stand in a plain vector of all degrees of freedom.
struct DofOrder {
  std::size_t perNode = 3;       ///< from a node to the next
  std::size_t perComponent = 1;  ///< from a component to the next
  int components = 3;            ///< 3, or 2 in the plane

  std::size_t operator()(std::size_t node, int component) const {
    return node * perNode + static_cast<std::size_t>(component) * perComponent;
  }
  /// A node's vector; its third component is zero in the plane.
  Vec3 at(std::span<const double> field, std::size_t node) const {
    Vec3 value = Vec3::Zero();
    for (int i = 0; i < components; ++i) value[i] = field[(*this)(node, i)];
    return value;
  }
  /// field += factor * vectors.
  void add(const NodalVectors& vectors, double factor, std::span<double> field) const {
    for (const NodalVector& v : vectors)
      for (int i = 0; i < components; ++i) field[(*this)(v.node, i)] += factor * v.value[i];
  }
  /// The sum of products of nodal vectors with a field.
  double dot(const NodalVectors& vectors, std::span<const double> field) const {
    double sum = 0;
    for (const NodalVector& v : vectors) sum += v.value.dot(at(field, v.node));
    return sum;
  }
};

}  // namespace barelattice
