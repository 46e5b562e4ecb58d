#include "barelattice/shapes/dual_contour.hpp"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>

#include "barelattice/base/error.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"

namespace barelattice {
namespace {

using Index = std::array<int, 3>;

class DualContour {
 public:
  DualContour(const Shape& shape, double spacing) : shape_(shape), spacing_(spacing) {
    const Box box = shape.bounds();
    double points = 1;
    for (std::size_t i = 0; i < 3; ++i) {
      // A cell of margin on either side. The lattice is set off on purpose: planes of points that fall on
      // flat faces would see them now inside, now outside.
      const double cells = std::ceil(box.sizes()[static_cast<Eigen::Index>(i)] / spacing) + 2;
      points *= cells + 1;
      constexpr double kMostPoints = 268435456;  // 2^28
      if (points > kMostPoints) throw InputError("the spacing is too small for the size of the body");
      blocks_[i] = static_cast<int>(cells) / kBlock + 1;
      size_[i] = blocks_[i] * kBlock;
    }
    constexpr double kSetOff = 0.618;
    origin_ = box.min() - Vec3::Constant(kSetOff * spacing);
    values_.resize(pointCount());
    runTasks(blockCount(), [&](std::size_t block) { sample(static_cast<int>(block)); });
  }

  TriangleMesh surface() {
    findCrossings();
    placeVertices();
    for (const Crossing& crossing : crossings_) addQuad(crossing);
    return std::move(mesh_);
  }

 private:
  static constexpr int kBlock = 4;  // points along the side of a block

  /// Where the surface crosses an edge of the lattice.
  struct Crossing {
    Index low;     // the edge's first point
    int axis;      // along which it runs
    bool outward;  // the first point is inside
    Vec3 point;    // m
    Vec3 normal;   // unit, out of the body
  };

  std::size_t pointCount() const {
    return static_cast<std::size_t>(size_[0]) * static_cast<std::size_t>(size_[1]) *
           static_cast<std::size_t>(size_[2]);
  }
  std::size_t blockCount() const {
    return static_cast<std::size_t>(blocks_[0]) * static_cast<std::size_t>(blocks_[1]) *
           static_cast<std::size_t>(blocks_[2]);
  }
  std::size_t linear(const Index& at) const {
    return static_cast<std::size_t>(at[0]) +
           static_cast<std::size_t>(size_[0]) *
               (static_cast<std::size_t>(at[1]) +
                static_cast<std::size_t>(size_[1]) * static_cast<std::size_t>(at[2]));
  }
  Vec3 place(const Index& at) const { return origin_ + spacing_ * Vec3(at[0], at[1], at[2]); }

  Index firstOf(int block) const {
    return {kBlock * (block % blocks_[0]), kBlock * (block / blocks_[0] % blocks_[1]),
            kBlock * (block / blocks_[0] / blocks_[1])};
  }
  template <class Visit>
  static void forPoints(const Index& first, const Visit& visit) {
    Index at{};
    for (at[2] = first[2]; at[2] < first[2] + kBlock; ++at[2])
      for (at[1] = first[1]; at[1] < first[1] + kBlock; ++at[1])
        for (at[0] = first[0]; at[0] < first[0] + kBlock; ++at[0]) visit(at);
  }
  /// The body for looks at a block: its points and the edges that begin at them.
  ShapePtr bodyNear(const Index& first) const {
    const double reach = 0.5 * std::sqrt(3.0) * (kBlock + 0.1) * spacing_;
    return shape_.local(place(first) + Vec3::Constant(0.5 * kBlock * spacing_), reach);
  }

  /// The values at the points of a block: one and the same where the surface is far.
  void sample(int block) {
    const Index first = firstOf(block);
    const double middle = shape_.distance(place(first) + Vec3::Constant(0.5 * (kBlock - 1) * spacing_));
    const bool far = std::abs(middle) > 0.5 * std::sqrt(3.0) * kBlock * spacing_;
    const ShapePtr body = far ? nullptr : bodyNear(first);
    forPoints(first,
              [&](const Index& at) { values_[linear(at)] = far ? middle : body->distance(place(at)); });
  }

  void findCrossings() {
    std::vector<std::vector<Crossing>> found(blockCount());
    runTasks(found.size(), [&](std::size_t block) {
      const Index first = firstOf(static_cast<int>(block));
      std::vector<Crossing>& own = found[block];
      forPoints(first, [&](const Index& at) {
        for (int axis = 0; axis < 3; ++axis) {
          const Index end = next(at, axis);
          if (end[static_cast<std::size_t>(axis)] == size_[static_cast<std::size_t>(axis)]) continue;
          const bool inside = values_[linear(at)] < 0;
          if (inside != (values_[linear(end)] < 0))
            own.push_back({at, axis, inside, Vec3::Zero(), Vec3::Zero()});
        }
      });
      if (own.empty()) return;
      const ShapePtr body = bodyNear(first);
      for (Crossing& crossing : own) locate(*body, crossing);
    });
    for (const std::vector<Crossing>& own : found)
      crossings_.insert(crossings_.end(), own.begin(), own.end());
  }

  static Index next(Index at, int axis) {
    ++at[static_cast<std::size_t>(axis)];
    return at;
  }

  /// By the secant, kept between the ends; then central differences for the normal.
  void locate(const Shape& body, Crossing& crossing) const {
    const Index end = next(crossing.low, crossing.axis);
    const Vec3 low = place(crossing.low);
    const Vec3 along = spacing_ * Vec3::Unit(crossing.axis);
    std::array<double, 2> ends{0, 1};
    std::array<double, 2> values{values_[linear(crossing.low)], values_[linear(end)]};
    double share = 0.5;
    constexpr int kSteps = 12;
    for (int step = 0; step < kSteps; ++step) {
      share = step % 3 == 2 ? 0.5 * (ends[0] + ends[1])
                            : ends[0] - values[0] * (ends[1] - ends[0]) / (values[1] - values[0]);
      const double value = body.distance(low + share * along);
      if (std::abs(value) < 1e-4 * spacing_) break;
      const std::size_t side = (value < 0) == (values[0] < 0) ? 0 : 1;
      ends[side] = share;
      values[side] = value;
    }
    crossing.point = low + share * along;
    for (int i = 0; i < 3; ++i) {
      const Vec3 step = 1e-3 * spacing_ * Vec3::Unit(i);
      crossing.normal[i] = body.distance(crossing.point + step) - body.distance(crossing.point - step);
    }
    crossing.normal = crossing.normal.stableNormalized();
  }

  /// Calls visit(cell) for the four cells round an edge, counter-clockwise seen against its direction.
  template <class Visit>
  static void forCellsRound(const Crossing& crossing, const Visit& visit) {
    const auto u = static_cast<std::size_t>((crossing.axis + 1) % 3);
    const auto v = static_cast<std::size_t>((crossing.axis + 2) % 3);
    constexpr std::array<std::array<int, 2>, 4> kRound{{{-1, -1}, {0, -1}, {0, 0}, {-1, 0}}};
    for (const auto& [du, dv] : kRound) {
      Index cell = crossing.low;
      cell[u] += du;
      cell[v] += dv;
      visit(cell);
    }
  }

  void placeVertices() {
    /// Sums over the crossings of a cell: the least squares of distances from their tangent planes.
    struct Planes {
      Index cell{};
      Eigen::Matrix3d normals = Eigen::Matrix3d::Zero();
      Vec3 heights = Vec3::Zero();
      Vec3 sum = Vec3::Zero();
      int count = 0;
    };
    std::vector<Planes> planes;
    vertexOf_.assign(pointCount(), -1);
    for (const Crossing& crossing : crossings_)
      forCellsRound(crossing, [&](const Index& cell) {
        int& vertex = vertexOf_[linear(cell)];
        if (vertex < 0) {
          vertex = static_cast<int>(planes.size());
          planes.emplace_back().cell = cell;
        }
        Planes& p = planes[static_cast<std::size_t>(vertex)];
        p.normals += crossing.normal * crossing.normal.transpose();
        p.heights += crossing.normal * crossing.normal.dot(crossing.point);
        p.sum += crossing.point;
        ++p.count;
      });
    mesh_.vertices.resize(planes.size());
    forEach(
        planes.size(),
        [&](std::size_t v) {
          const Planes& p = planes[v];
          const Vec3 middle = p.sum / p.count;
          const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver(p.normals);
          const Vec3 turned = solver.eigenvectors().transpose() * (p.heights - p.normals * middle);
          Vec3 move = Vec3::Zero();
          constexpr double kBeyond = 0.5;  // of a cell a vertex may leave it
          constexpr double kFlat = 0.05;   // directions the planes say less about than this keep the middle
          for (int i = 0; i < 3; ++i)
            if (solver.eigenvalues()[i] > kFlat * solver.eigenvalues()[2])
              move += turned[i] / solver.eigenvalues()[i] * solver.eigenvectors().col(i);
          // An edge of the body may pass the cell close by; farther off the planes are those of other faces.
          const Vec3 least = place(p.cell) - Vec3::Constant(kBeyond * spacing_);
          const Vec3 most = least + Vec3::Constant((1 + 2 * kBeyond) * spacing_);
          mesh_.vertices[v] = (middle + move).cwiseMax(least).cwiseMin(most);
        },
        256);
  }

  void addQuad(const Crossing& crossing) {
    std::array<int, 4> q{};
    std::size_t count = 0;
    forCellsRound(crossing, [&](const Index& cell) { q[count++] = vertexOf_[linear(cell)]; });
    if (!crossing.outward) std::swap(q[1], q[3]);
    const auto facing = [&](int a, int b, int c) {
      const auto at = [&](int i) -> const Vec3& { return mesh_.vertices[static_cast<std::size_t>(i)]; };
      return (at(b) - at(a)).cross(at(c) - at(a)).stableNormalized().dot(crossing.normal);
    };
    // Along the diagonal that leaves both halves facing more nearly as the surface does.
    const double first = std::min(facing(q[0], q[1], q[2]), facing(q[0], q[2], q[3]));
    const double second = std::min(facing(q[1], q[2], q[3]), facing(q[1], q[3], q[0]));
    if (first >= second) {
      mesh_.triangles.push_back({q[0], q[1], q[2]});
      mesh_.triangles.push_back({q[0], q[2], q[3]});
    } else {
      mesh_.triangles.push_back({q[1], q[2], q[3]});
      mesh_.triangles.push_back({q[1], q[3], q[0]});
    }
  }

  const Shape& shape_;
  double spacing_;
  Vec3 origin_;
  Index blocks_{};
  Index size_{};  // points
  std::vector<double> values_;
  std::vector<Crossing> crossings_;
  std::vector<int> vertexOf_;  // by the lowest point of the cell
  TriangleMesh mesh_;
};

}  // namespace

TriangleMesh dualContour(const Shape& shape, double spacing) {
  requirePositive("spacing", spacing);
  if (shape.bounds().isEmpty()) return {};
  return DualContour(shape, spacing).surface();
}

}  // namespace barelattice
