#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <utility>
#include <vector>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/shapes/derived_shapes.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"

namespace barelattice {
namespace {

using Counts = std::array<int, 3>;

/// A function sampled at the points of a lattice, the first coordinate running fastest.
struct Lattice {
  Vec3 origin;
  double spacing = 0;
  Counts points{};
  std::vector<float> values;

  std::size_t linear(const Counts& at) const {
    return static_cast<std::size_t>(at[0]) +
           static_cast<std::size_t>(points[0]) *
               (static_cast<std::size_t>(at[1]) +
                static_cast<std::size_t>(points[1]) * static_cast<std::size_t>(at[2]));
  }
  Vec3 place(const Counts& at) const { return origin + spacing * Vec3(at[0], at[1], at[2]); }
  /// Trilinear; outside, the value at the nearest point of the box.
  double operator()(const Vec3& point) const {
    Counts low{};
    Vec3 share;
    for (Eigen::Index i = 0; i < 3; ++i) {
      const int last = points[static_cast<std::size_t>(i)] - 1;
      const double at = std::clamp((point[i] - origin[i]) / spacing, 0.0, static_cast<double>(last));
      low[static_cast<std::size_t>(i)] = std::min(static_cast<int>(at), last - 1);
      share[i] = at - low[static_cast<std::size_t>(i)];
    }
    double sum = 0;
    for (int corner = 0; corner < 8; ++corner) {
      Counts at = low;
      double weight = 1;
      for (std::size_t i = 0; i < 3; ++i) {
        const bool far = corner >> i & 1;
        at[i] += far;
        weight *= far ? share[static_cast<Eigen::Index>(i)] : 1 - share[static_cast<Eigen::Index>(i)];
      }
      sum += weight * static_cast<double>(values[linear(at)]);
    }
    return sum;
  }
};

/// Samples a body's distance, cut off at `most`: flat morphology does not care how large a value is that
/// stays on its side of the surface.
void sample(const Shape& body, double most, Lattice& lattice) {
  const auto width = static_cast<std::size_t>(lattice.points[0]);
  forEach(
      lattice.values.size() / width,
      [&](std::size_t row) {
        Counts at{0, static_cast<int>(row) % lattice.points[1], static_cast<int>(row) / lattice.points[1]};
        while (at[0] < lattice.points[0]) {
          const double distance = body.distance(lattice.place(at));
          const auto value = static_cast<float>(std::clamp(distance, -most, most));
          const int same = 1 + static_cast<int>(std::max(0.0, (std::abs(distance) - most) / lattice.spacing));
          for (int i = 0; i < same && at[0] < lattice.points[0]; ++i, ++at[0])
            lattice.values[lattice.linear(at)] = value;
        }
      },
      8);
}

/// The least (sense 1) or greatest (sense -1) value within `reach` points along one axis.
void windowed(Lattice& lattice, std::size_t axis, int reach, float sense) {
  std::size_t stride = 1;
  for (std::size_t i = 0; i < axis; ++i) stride *= static_cast<std::size_t>(lattice.points[i]);
  const int n = lattice.points[axis];
  const std::size_t lines = lattice.values.size() / static_cast<std::size_t>(n);
  forEach(
      lines,
      [&](std::size_t line) {
        const std::size_t start = line / stride * stride * static_cast<std::size_t>(n) + line % stride;
        std::vector<float> old(static_cast<std::size_t>(n));
        for (int i = 0; i < n; ++i)
          old[static_cast<std::size_t>(i)] =
              sense * lattice.values[start + static_cast<std::size_t>(i) * stride];
        for (int i = 0; i < n; ++i) {
          const auto from = old.begin() + std::max(0, i - reach);
          const auto to = old.begin() + std::min(n, i + reach + 1);
          lattice.values[start + static_cast<std::size_t>(i) * stride] = sense * *std::min_element(from, to);
        }
      },
      64);
}

/// A connected piece of new material.
struct Piece {
  std::size_t mouth = 0;  ///< sides of its points towards what stays empty
  std::size_t walls = 0;  ///< sides towards the body
  std::vector<Counts> members;

  /// A slot a quarter as deep as wide; of what is left out in a round hole the mouth is at least 0.7.
  bool isPocket() const {
    constexpr double kMouth = 0.65;
    return static_cast<double>(mouth) < kMouth * static_cast<double>(walls);
  }
};

template <class Visit>
void forEachPoint(const Lattice& lattice, const Visit& visit) {
  Counts at{};
  for (at[2] = 0; at[2] < lattice.points[2]; ++at[2])
    for (at[1] = 0; at[1] < lattice.points[1]; ++at[1])
      for (at[0] = 0; at[0] < lattice.points[0]; ++at[0]) visit(at);
}

/// The pieces of what is inside now and was not before.
/// @param[out] pieceOf the piece of each point, -1 for none.
std::vector<Piece> newPieces(const std::vector<float>& before, const Lattice& lattice,
                             std::vector<int>& pieceOf) {
  const auto isNew = [&](std::size_t i) { return lattice.values[i] < 0 && before[i] > 0; };
  std::vector<Piece> pieces;
  forEachPoint(lattice, [&](const Counts& seed) {
    if (pieceOf[lattice.linear(seed)] >= 0 || !isNew(lattice.linear(seed))) return;
    const int number = static_cast<int>(pieces.size());
    Piece& piece = pieces.emplace_back();
    piece.members.assign(1, seed);
    pieceOf[lattice.linear(seed)] = number;
    for (std::size_t m = 0; m < piece.members.size(); ++m) {
      const Counts at = piece.members[m];
      for (std::size_t axis = 0; axis < 3; ++axis)
        for (const int step : {-1, 1}) {
          Counts next = at;
          next[axis] += step;  // the lattice ends well beyond what can be filled
          const std::size_t i = lattice.linear(next);
          if (!isNew(i)) {
            ++(before[i] > 0 ? piece.mouth : piece.walls);
          } else if (pieceOf[i] < 0) {
            pieceOf[i] = number;
            piece.members.push_back(next);
          }
        }
    }
  });
  return pieces;
}

/// Takes back what was filled elsewhere than in pockets (in the rounding of a wider opening's corners and
/// walls), and, if places are given, all but the pocket nearest to each.
void keepPockets(const std::vector<float>& before, const std::vector<Vec3>& places, Lattice& lattice) {
  std::vector<int> pieceOf(before.size(), -1);
  const std::vector<Piece> pieces = newPieces(before, lattice, pieceOf);
  std::vector<int> chosen(places.size(), -1);
  for (std::size_t p = 0; p < places.size(); ++p) {
    double nearest = std::numeric_limits<double>::max();
    for (std::size_t number = 0; number < pieces.size(); ++number) {
      if (!pieces[number].isPocket()) continue;
      for (const Counts& at : pieces[number].members) {
        const double away = (lattice.place(at) - places[p]).norm();
        if (away >= nearest) continue;
        nearest = away;
        chosen[p] = static_cast<int>(number);
      }
    }
  }
  const auto stays = [&](int number) {
    return number >= 0 && pieces[static_cast<std::size_t>(number)].isPocket() &&
           (places.empty() || std::find(chosen.begin(), chosen.end(), number) != chosen.end());
  };
  // Round what stays the closed values count, also of the body's own points, so that the surface between the
  // points runs where it should; elsewhere the body's.
  const std::vector<float> closed = std::exchange(lattice.values, before);
  forEachPoint(lattice, [&](const Counts& at) {
    if (!stays(pieceOf[lattice.linear(at)])) return;
    for (int corner = 0; corner < 27; ++corner) {
      const std::size_t i =
          lattice.linear({at[0] + corner % 3 - 1, at[1] + corner / 3 % 3 - 1, at[2] + corner / 9 - 1});
      if (pieceOf[i] < 0 || stays(pieceOf[i])) lattice.values[i] = closed[i];
    }
  });
}

/// A body together with what a lattice adds to it.
class FilledShape final : public Shape {
 public:
  FilledShape(ShapePtr body, Lattice lattice)
      : body_(std::move(body)), bounds_(body_->bounds()), lattice_(std::move(lattice)) {}

  double distance(const Vec3& point) const override { return std::min(body_->distance(point), added(point)); }
  Box bounds() const override { return bounds_; }  // which is a box, so that closing does not leave it
  void appendPatches(std::vector<Patch>& patches) const override { body_->appendPatches(patches); }
  ShapePtr local(const Vec3& centre, double reach) const override {
    if (added(centre) > body_->distance(centre) + 2 * reach) return body_->local(centre, reach);
    return shared_from_this();
  }

 private:
  double added(const Vec3& point) const {
    // Between lattice points a function of slope one can rise by the square root of three.
    constexpr double kSteepest = 1.7320508075688772;
    const double inside = lattice_(point) / kSteepest;
    const double outside = bounds_.squaredExteriorDistance(point);
    return outside > 0 ? std::max(inside, std::sqrt(outside)) : inside;
  }

  ShapePtr body_;
  Box bounds_;
  Lattice lattice_;
};

}  // namespace

ShapePtr makeFilledPockets(const ShapePtr& body, double largest, const std::vector<Vec3>& near) {
  requireGiven("body", body);
  if (!(largest > 0)) throw InputError("pockets are filled up to a size above zero");
  const Box box = body->bounds();
  constexpr double kMost = 3e7;  // lattice points
  constexpr int kFinest = 6;     // steps in half the largest pocket
  constexpr int kCoarsest = 2;
  Lattice lattice;
  int reach = kFinest;
  for (;; --reach) {
    lattice.spacing = 0.5 * largest / reach;
    double count = 1;
    for (std::size_t i = 0; i < 3; ++i) {
      const double along =
          std::ceil(box.sizes()[static_cast<Eigen::Index>(i)] / lattice.spacing) + 2 * (reach + 1) + 1;
      lattice.points[i] = static_cast<int>(std::min(along, 1e6));
      count *= along;
    }
    if (count <= kMost) break;
    if (reach == kCoarsest)
      throw InputError(
          fmt::format("pockets of up to {:.4g} mm are too small to be found in a body of {:.4g} mm",
                      largest * kMillimetresPerMetre, box.sizes().maxCoeff() * kMillimetresPerMetre),
          "fill larger ones, or name round holes with 'holes_up_to'");
  }
  lattice.origin = box.min() - Vec3::Constant((reach + 1) * lattice.spacing);
  lattice.values.resize(lattice.linear({0, 0, lattice.points[2]}));
  sample(*body, 2 * lattice.spacing, lattice);
  const std::vector<float> before = lattice.values;
  // The grown body stays within the lattice, so that windows may be cut short at its edge.
  for (std::size_t axis = 0; axis < 3; ++axis) windowed(lattice, axis, reach, 1);
  for (std::size_t axis = 0; axis < 3; ++axis) windowed(lattice, axis, reach, -1);
  keepPockets(before, near, lattice);
  bool filled = false;
  for (std::size_t i = 0; i < before.size() && !filled; ++i) filled = lattice.values[i] < 0 && before[i] > 0;
  if (!filled)
    throw InputError(
        fmt::format("there is no pocket of up to {:.4g} mm to fill", largest * kMillimetresPerMetre),
        "give a larger size");
  return std::make_shared<FilledShape>(body, std::move(lattice));
}

}  // namespace barelattice
