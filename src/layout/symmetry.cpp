#include "barelattice/layout/symmetry.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

#include "barelattice/layout/orbit_average.hpp"
#include "barelattice/shapes/shape.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"
#include "base/unit_vector.hpp"

namespace barelattice {
namespace {

// Places that a symmetry makes alike form an orbit, and one of them stands for all. Mirrors and turns
// generate a finite group G; steps and sections are taken care of by a fold s, which carries a point into the
// first cell (along a section: into one plane). Where they fit together, so that G carries cells onto cells,
// the orbit of p within the first cell is
//
//   { s(g p) : g in G }                                                          (1)
//
// and the same set whichever of its points one starts from. Its representative is the first of them in an
// order; with the order by a direction w, the representatives fill the Dirichlet cell
// { p : w . p >= w . g p }, which is convex.
//
// A symmetric layout is a function of the representative alone. On a grid whose cells G carries onto cells,
// those of an orbit share their mean. Elsewhere every cell takes the value of the variables at its
// representative, interpolated. (Rounding representatives to cells instead was tried: orbits then hold two
// cells of one piece and none of another, and a design whose load acts on one piece puts its material into
// cells without a like: a hub of six arms grew two, and four stumps.)

constexpr std::size_t kMostImages = 400;

const Vec3&
orderDirection() {  // no plane or axis a person would choose is perpendicular or oblique to it alike
  static const Vec3 direction = Vec3(1, 0.6180339887, 0.4142135624).normalized();
  return direction;
}

struct Check {
  void operator()(const MirrorPlane& rule) const {
    requireUnit("normal of the mirror", rule.normal);
    requireFinite("place of the mirror", rule.at);
  }
  void operator()(const RepeatRound& rule) const {
    requireUnit("axis of the repetition", rule.axis);
    requireFinite("point of the axis", rule.through);
    if (rule.times < 2) throw InputError(fmt::format("times is {}", rule.times), "give 2 or more");
  }
  void operator()(const RepeatAlong& rule) const {
    requireUnit("direction of the repetition", rule.direction);
    requireFinite("beginning of a cell", rule.from);
    requirePositive("step from cell to cell", rule.step);
  }
  void operator()(const ConstantSection& rule) const { requireUnit("direction of the section", rule.along); }
};

}  // namespace

void validate(const SymmetryRule& rule) {
  std::visit(Check{}, rule);
}

Eigen::Isometry3d motionOf(const SymmetryRule& rule, double distance) {
  struct Motion {
    double distance;
    Eigen::Isometry3d operator()(const MirrorPlane& plane) const {
      return reflection(plane.normal, plane.at);
    }
    Eigen::Isometry3d operator()(const RepeatRound& round) const {
      const double angle = 2 * std::numbers::pi / round.times;
      return Eigen::Translation3d(round.through) * Eigen::AngleAxisd(angle, round.axis) *
             Eigen::Translation3d(-round.through);
    }
    Eigen::Isometry3d operator()(const RepeatAlong& along) const {
      if (along.mirrored) return reflection(along.direction, along.from + along.step);
      return Eigen::Isometry3d(Eigen::Translation3d(along.step * along.direction));
    }
    Eigen::Isometry3d operator()(const ConstantSection& section) const {
      return Eigen::Isometry3d(Eigen::Translation3d(distance * section.along));
    }
  };
  return std::visit(Motion{distance}, rule);
}

Symmetry::Symmetry(const std::vector<SymmetryRule>& rules, double tolerance) : tolerance_(tolerance) {
  requirePositive("tolerance", tolerance);
  std::vector<Eigen::Isometry3d> generators;
  double scale = 1e6 * tolerance;  // of the places tried
  for (const SymmetryRule& rule : rules) {
    validate(rule);
    if (const auto* along = std::get_if<RepeatAlong>(&rule)) {
      steps_.push_back(*along);
      scale = std::max({scale, along->step, std::abs(along->from)});
    } else if (const auto* section = std::get_if<ConstantSection>(&rule)) {
      sections_.push_back(*section);
    } else {
      generators.push_back(motionOf(rule));
      scale = std::max(scale, generators.back().translation().norm());
    }
  }
  closeUp(generators);
  for (const SymmetryRule& rule : rules)
    if (!makesAlike(motionOf(rule, scale), scale))
      throw InputError(
          "the symmetries do not fit together: the cells of one are not carried onto cells by another",
          "put mirror planes and axes where cells begin or into their middle, and steps along or "
          "across them");
}

/// All products of the generators.
void Symmetry::closeUp(const std::vector<Eigen::Isometry3d>& generators) {
  images_ = {Eigen::Isometry3d::Identity()};
  const auto known = [&](const Eigen::Isometry3d& motion) {
    return std::any_of(images_.begin(), images_.end(), [&](const Eigen::Isometry3d& image) {
      return (image.linear() - motion.linear()).cwiseAbs().maxCoeff() < 1e-6 &&
             (image.translation() - motion.translation()).cwiseAbs().maxCoeff() < tolerance_;
    });
  };
  for (std::size_t i = 0; i < images_.size(); ++i)
    for (const Eigen::Isometry3d& generator : generators) {
      const Eigen::Isometry3d product = generator * images_[i];
      if (known(product)) continue;
      images_.push_back(product);
      if (images_.size() > kMostImages)
        throw InputError(
            "the symmetries do not fit together: each makes more pieces alike, without an end",
            "mirror planes and axes have to meet at whole parts of half a turn, and in common points");
    }
}

/// Whether a motion carries places onto places that are alike: tried where there is nothing special.
bool Symmetry::makesAlike(const Eigen::Isometry3d& motion, double scale) const {
  for (int k = 1; k <= 12; ++k) {
    const Vec3 point = scale * Vec3(std::sin(1.7 * k), std::sin(2.3 * k + 1), std::sin(3.1 * k + 2));
    const Vec3 one = representative(point);
    const Vec3 other = representative(motion * point);
    if ((one - other).norm() > 10 * tolerance_) return false;
  }
  return true;
}

Vec3 Symmetry::intoFirstCell(Vec3 point) const {
  for (const ConstantSection& section : sections_) point -= section.along.dot(point) * section.along;
  for (const RepeatAlong& along : steps_) {
    const double period = along.mirrored ? 2 * along.step : along.step;
    const double place = along.direction.dot(point) - along.from;
    double into = place - period * std::floor((place + tolerance_) / period);
    if (along.mirrored) into = std::min(into, period - into);
    point += (into - place) * along.direction;
  }
  return point;
}

bool Symmetry::before(const Vec3& a, const Vec3& b) const {
  const double apart = orderDirection().dot(a - b);
  if (std::abs(apart) > tolerance_) return apart > 0;
  for (int i = 0; i < 3; ++i)
    if (std::abs(a[i] - b[i]) > tolerance_) return a[i] > b[i];
  return false;
}

Vec3 Symmetry::representative(const Vec3& point) const {
  Vec3 first = intoFirstCell(point);
  for (std::size_t i = 1; i < images_.size(); ++i) {  // (1)
    const Vec3 image = intoFirstCell(images_[i] * point);
    if (before(image, first)) first = image;
  }
  return first;
}

namespace {

/// Cells that take the value of a field between others.
template <int D>
class BetweenCellsMap final : public LayoutMap {
 public:
  /// @param places of which the values are taken, by cell, in cells from the centre of the first one of the
  /// box.
  BetweenCellsMap(const Grid<D>& grid, const std::vector<Point<D>>& places)
      : from_(places.size() * kCorners<D>, 0), weight_(places.size() * kCorners<D>, 0) {
    forEach(places.size(), [&](std::size_t c) {
      Index<D> low{};
      Point<D> share;
      for (std::size_t i = 0; i < D; ++i) {
        const double at = places[c][static_cast<Eigen::Index>(i)];
        low[i] = static_cast<int>(std::floor(at + kOnCell));
        share[static_cast<Eigen::Index>(i)] = std::max(0.0, at - low[i]);
      }
      double sum = 0;
      for (std::size_t corner = 0; corner < kCorners<D>; ++corner) {
        Index<D> index = low;
        double weight = 1;
        for (std::size_t i = 0; i < D; ++i) {
          const bool far = corner >> i & 1U;
          index[i] += far;
          weight *= far ? share[static_cast<Eigen::Index>(i)] : 1 - share[static_cast<Eigen::Index>(i)];
        }
        const int cell = weight > kOnCell ? grid.cellAt(index) : -1;
        if (cell < 0) continue;
        from_[c * kCorners<D> + corner] = cell;
        weight_[c * kCorners<D> + corner] = weight;
        sum += weight;
      }
      // Where there is no cell for the place this one has no like, and is its own.
      if (sum == 0) {
        from_[c * kCorners<D>] = static_cast<int>(c);
        weight_[c * kCorners<D>] = 1;
        return;
      }
      for (std::size_t k = c * kCorners<D>; k < (c + 1) * kCorners<D>; ++k) weight_[k] /= sum;
    });
  }

  void forward(std::span<const double> in, std::span<double> out) const override {
    requireCount("in", in.size(), from_.size() / kCorners<D>, "cells");
    requireCount("out", out.size(), in.size(), "cells");
    forEach(out.size(), [&](std::size_t c) {
      double sum = 0;
      for (std::size_t k = c * kCorners<D>; k < (c + 1) * kCorners<D>; ++k)
        sum += weight_[k] * in[static_cast<std::size_t>(from_[k])];
      out[c] = std::min(1.0, sum);  // weights add up to one but for rounding
    });
  }
  void backward(std::span<const double> /*in*/, std::span<const double> /*out*/,
                std::span<const double> gradientOut, std::span<double> gradientIn) const override {
    requireCount("gradientOut", gradientOut.size(), from_.size() / kCorners<D>, "cells");
    requireCount("gradientIn", gradientIn.size(), gradientOut.size(), "cells");
    std::fill(gradientIn.begin(), gradientIn.end(), 0.0);
    for (std::size_t c = 0; c < gradientOut.size(); ++c)  // in one order, whatever the number of threads
      for (std::size_t k = c * kCorners<D>; k < (c + 1) * kCorners<D>; ++k)
        gradientIn[static_cast<std::size_t>(from_[k])] += weight_[k] * gradientOut[c];
  }
  Reads reads() const override { return Reads::nothing; }

  static constexpr double kOnCell = 1e-4;  // of a cell: nearer to a centre a place is that

 private:
  std::vector<int> from_;
  std::vector<double> weight_;
};

/// The orbits of cells whose representatives lie in the same cell. Numbered by their first cells.
template <int D>
std::vector<int> orbitsOf(const std::vector<Point<D>>& places) {
  const auto before = [&](int a, int b) {
    for (int i = 0; i < D; ++i) {
      const double apart = std::round(places[static_cast<std::size_t>(a)][i]) -
                           std::round(places[static_cast<std::size_t>(b)][i]);
      if (apart != 0) return apart < 0;
    }
    return false;
  };
  std::vector<int> sorted(places.size());
  std::iota(sorted.begin(), sorted.end(), 0);
  std::stable_sort(sorted.begin(), sorted.end(), before);
  std::vector<int> orbit(places.size(), -1);  // first by the number of its first cell
  int first = 0;
  for (const int cell : sorted) {
    if (cell == sorted.front() || before(first, cell)) first = cell;
    orbit[static_cast<std::size_t>(cell)] = first;
  }
  int number = 0;  // then without gaps: a first cell comes before the others of its orbit
  for (std::size_t c = 0; c < orbit.size(); ++c)
    orbit[c] = orbit[c] == static_cast<int>(c) ? number++ : orbit[static_cast<std::size_t>(orbit[c])];
  return orbit;
}

}  // namespace

template <int D>
std::shared_ptr<const LayoutMap> symmetryMap(const Grid<D>& grid, const Symmetry& symmetry) {
  const GridFrame<D>& frame = grid.frame();
  std::vector<Point<D>> places(grid.cellCount());
  forEach(places.size(), [&](std::size_t c) {
    Vec3 centre = Vec3::Zero();
    centre.head<D>() = grid.cellCentre(c);
    places[c] =
        (symmetry.representative(centre).head<D>() - frame.origin) / frame.size - Point<D>::Constant(0.5);
  });
  const bool onCells = std::all_of(places.begin(), places.end(), [](const Point<D>& place) {
    for (int i = 0; i < D; ++i)
      if (std::abs(place[i] - std::round(place[i])) > BetweenCellsMap<D>::kOnCell) return false;
    return true;
  });
  // Along a section cells share their mean wherever it runs: there may be none where they are represented.
  if (onCells || symmetry.hasSections()) return std::make_shared<OrbitAverage>(orbitsOf<D>(places));
  return std::make_shared<BetweenCellsMap<D>>(grid, places);
}

template BARELATTICE_API std::shared_ptr<const LayoutMap> symmetryMap<2>(const Grid<2>&, const Symmetry&);
template BARELATTICE_API std::shared_ptr<const LayoutMap> symmetryMap<3>(const Grid<3>&, const Symmetry&);

}  // namespace barelattice
