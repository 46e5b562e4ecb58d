#include <fmt/format.h>

#include <algorithm>
#include <limits>
#include <utility>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "base/check.hpp"
#include "base/unit_vector.hpp"
#include "shape_parts.hpp"

namespace barelattice {
namespace {

std::vector<ShapePtr> offsetAll(const std::vector<ShapePtr>& parts, double by) {
  std::vector<ShapePtr> moved;
  for (const ShapePtr& part : parts) moved.push_back(part->offset(by));
  return moved;
}

bool anyFlat(const std::vector<ShapePtr>& parts) {
  return std::any_of(parts.begin(), parts.end(), [](const ShapePtr& part) { return part->flat(); });
}

/// Of parts whose least (sense 1) or greatest (sense -1) distance counts, those that decide it within `reach`
/// of `centre`: distances change by no more than the way one goes.
std::vector<ShapePtr> decisive(const std::vector<ShapePtr>& parts, const Vec3& centre, double reach,
                               double sense) {
  std::vector<double> values;
  for (const ShapePtr& part : parts) values.push_back(sense * part->distance(centre));
  const double least = *std::min_element(values.begin(), values.end());
  std::vector<ShapePtr> near;
  for (std::size_t p = 0; p < parts.size(); ++p)
    if (values[p] <= least + 2 * reach) near.push_back(parts[p]->local(centre, reach));
  return near;
}

/// Boxes that tell without asking a part that it is far away.
class Boxes {
 public:
  explicit Boxes(const std::vector<ShapePtr>& parts) {
    if (parts.size() < 2 && !parts.empty()) return;  // nothing to gain
    if (anyFlat(parts)) return;
    for (const ShapePtr& part : parts) boxes_.push_back(part->bounds());
  }
  /// True if the part is sure to be at least `distance` away from the point.
  bool beyond(std::size_t part, const Vec3& point, double distance) const {
    if (boxes_.empty()) return false;
    return distance <= 0 ? !boxes_[part].contains(point)
                         : boxes_[part].squaredExteriorDistance(point) >= distance * distance;
  }

 private:
  std::vector<Box> boxes_;
};

/// A primitive grown or shrunk.
class OffsetShape final : public Shape {
 public:
  OffsetShape(ShapePtr body, double by) : body_(std::move(body)), by_(by) {}
  double distance(const Vec3& point) const override { return body_->distance(point) - by_; }
  Box bounds() const override {
    const Box box = body_->bounds();
    return {box.min() - Vec3::Constant(by_), box.max() + Vec3::Constant(by_)};
  }
  bool convex() const override { return body_->convex(); }
  bool flat() const override { return body_->flat(); }
  ShapePtr local(const Vec3& centre, double reach) const override {
    return std::make_shared<OffsetShape>(body_->local(centre, reach), by_);
  }
  void appendPatches(std::vector<Patch>& patches) const override {
    std::vector<Patch> own;
    body_->appendPatches(own);
    for (const Patch& patch : own)
      if (const auto moved = patch.moved(by_)) patches.push_back(*moved);
  }

 private:
  ShapePtr body_;
  double by_;
};

class UnionShape final : public Shape {
 public:
  explicit UnionShape(std::vector<ShapePtr> parts) : parts_(std::move(parts)), boxes_(parts_) {}
  double distance(const Vec3& point) const override {
    double least = std::numeric_limits<double>::max();
    for (std::size_t p = 0; p < parts_.size(); ++p)
      if (!boxes_.beyond(p, point, least)) least = std::min(least, parts_[p]->distance(point));
    return least;
  }
  bool flat() const override { return anyFlat(parts_); }
  Box bounds() const override {
    Box box;
    for (const ShapePtr& part : parts_) box.extend(part->bounds());
    return box;
  }
  void appendPatches(std::vector<Patch>& patches) const override {
    for (const ShapePtr& part : parts_) part->appendPatches(patches);
  }
  ShapePtr offset(double by) const override {
    if (by < 0 && parts_.size() > 1)
      throw InputError(
          "a union cannot be shrunk: where its parts overlap, the distance to the outside is not known",
          "shrink its parts, or cut the union by something larger");
    return std::make_shared<UnionShape>(offsetAll(parts_, by));
  }
  ShapePtr local(const Vec3& centre, double reach) const override {
    std::vector<ShapePtr> near = decisive(parts_, centre, reach, 1);
    return near.size() == 1 ? near.front() : std::make_shared<UnionShape>(std::move(near));
  }

 private:
  std::vector<ShapePtr> parts_;
  Boxes boxes_;
};

class IntersectionShape final : public Shape {
 public:
  explicit IntersectionShape(std::vector<ShapePtr> parts) : parts_(std::move(parts)) {}
  double distance(const Vec3& point) const override {
    double greatest = std::numeric_limits<double>::lowest();
    for (const ShapePtr& part : parts_) greatest = std::max(greatest, part->distance(point));
    return greatest;
  }
  bool convex() const override {
    return std::all_of(parts_.begin(), parts_.end(), [](const ShapePtr& part) { return part->convex(); });
  }
  bool flat() const override { return anyFlat(parts_); }
  Box bounds() const override {
    Box box = parts_.front()->bounds();
    for (const ShapePtr& part : parts_) box = box.intersection(part->bounds());
    return box;
  }
  void appendPatches(std::vector<Patch>& patches) const override {
    for (const ShapePtr& part : parts_) part->appendPatches(patches);
  }
  ShapePtr offset(double by) const override {
    return std::make_shared<IntersectionShape>(offsetAll(parts_, by));
  }
  ShapePtr local(const Vec3& centre, double reach) const override {
    std::vector<ShapePtr> near = decisive(parts_, centre, reach, -1);
    return near.size() == 1 ? near.front() : std::make_shared<IntersectionShape>(std::move(near));
  }

 private:
  std::vector<ShapePtr> parts_;
};

class DifferenceShape final : public Shape {
 public:
  DifferenceShape(ShapePtr body, std::vector<ShapePtr> cuts)
      : body_(std::move(body)), cuts_(std::move(cuts)), boxes_(cuts_) {}
  double distance(const Vec3& point) const override {
    double value = body_->distance(point);
    for (std::size_t c = 0; c < cuts_.size(); ++c)
      if (!boxes_.beyond(c, point, -value)) value = std::max(value, -cuts_[c]->distance(point));
    return value;
  }
  bool flat() const override { return body_->flat(); }
  Box bounds() const override { return body_->bounds(); }
  void appendPatches(std::vector<Patch>& patches) const override {
    body_->appendPatches(patches);
    const std::size_t own = patches.size();
    for (const ShapePtr& cut : cuts_) cut->appendPatches(patches);
    for (std::size_t i = own; i < patches.size(); ++i) patches[i].flipped = !patches[i].flipped;
  }
  ShapePtr offset(double by) const override {
    return std::make_shared<DifferenceShape>(body_->offset(by), offsetAll(cuts_, -by));
  }
  ShapePtr local(const Vec3& centre, double reach) const override {
    const double value = distance(centre);
    std::vector<ShapePtr> near;
    for (std::size_t c = 0; c < cuts_.size(); ++c)
      if (!boxes_.beyond(c, centre, 2 * reach - value) && -cuts_[c]->distance(centre) >= value - 2 * reach)
        near.push_back(cuts_[c]->local(centre, reach));
    const ShapePtr body = body_->local(centre, reach);
    return near.empty() ? body : std::make_shared<DifferenceShape>(body, std::move(near));
  }

 private:
  ShapePtr body_;
  std::vector<ShapePtr> cuts_;
  Boxes boxes_;
};

class TransformedShape final : public Shape {
 public:
  TransformedShape(ShapePtr body, const Eigen::Isometry3d& map)
      : body_(std::move(body)), map_(map), back_(map.inverse()) {}
  double distance(const Vec3& point) const override { return body_->distance(back_ * point); }
  bool convex() const override { return body_->convex(); }
  bool flat() const override { return body_->flat(); }
  Box bounds() const override {
    const Box own = body_->bounds();
    Box box;
    for (int corner = 0; corner < 8; ++corner)
      box.extend(map_ * own.corner(static_cast<Box::CornerType>(corner)));
    return box;
  }
  void appendPatches(std::vector<Patch>& patches) const override {
    std::vector<Patch> own;
    body_->appendPatches(own);
    for (const Patch& patch : own) patches.push_back(patch.transformed(map_));
  }
  ShapePtr offset(double by) const override {
    return std::make_shared<TransformedShape>(body_->offset(by), map_);
  }
  ShapePtr local(const Vec3& centre, double reach) const override {
    return std::make_shared<TransformedShape>(body_->local(back_ * centre, reach), map_);
  }

 private:
  ShapePtr body_;
  Eigen::Isometry3d map_;
  Eigen::Isometry3d back_;
};

/// All points within `depth` below a piece of surface.
class LayerShape final : public Shape {
 public:
  LayerShape(const Patch& piece, double depth) : piece_(piece), depth_(depth) {
    if (piece_.net) {
      for (const Vec3& vertex : piece_.net->mesh.vertices) bounds_.extend(vertex);
      const Vec3 margin = Vec3::Constant(depth_ + piece_.net->deviation);
      bounds_ = {bounds_.min() - margin, bounds_.max() + margin};
      return;
    }
    Box box;
    for (const SurfacePoint& p : piece_.sample(std::max(extent() / 16, 1e-9))) box.extend(p.position);
    const Vec3 margin = Vec3::Constant(depth_ + extent() / 8);
    bounds_ = {box.min() - margin, box.max() + margin};
  }

  double distance(const Vec3& point) const override {
    if (piece_.net && !wholeTurn()) {
      // The net is never nearer than the surface it lies on.
      const double off =
          piece_.kind == Patch::Kind::freeform ? 0 : piece_.distance(point) - piece_.net->deviation - depth_;
      if (off > depth_) return off;
      const TriangleTree& tree = piece_.net->tree();
      return (near_.empty() ? tree.nearest(point) : tree.nearestOf(point, near_)).distance - depth_;
    }
    const Vec3 offset = point - piece_.origin;
    const double side = piece_.flipped ? -1.0 : 1.0;
    if (piece_.kind == Patch::Kind::plane) {
      const double below = -offset.dot(piece_.direction());
      const Vec3 u = piece_.u.normalized();
      const Vec3 v = piece_.v.normalized();
      const double alongU = slab(offset.dot(u), piece_.u.norm());
      const double alongV = slab(offset.dot(v), piece_.v.norm());
      return std::max({slab(below, depth_), alongU, alongV});
    }
    const double along = offset.dot(piece_.direction());
    const double across = (offset - along * piece_.direction()).norm();
    double below = 0;  // the surface, towards the material
    double ends = -std::numeric_limits<double>::max();
    switch (piece_.kind) {
      case Patch::Kind::sphere:
        below = side * (piece_.radius - offset.norm());
        break;
      case Patch::Kind::torus:
        below = side * (piece_.secondRadius - std::hypot(across - piece_.radius, along));
        break;
      default: {
        const double length = piece_.v.norm();
        const double rise = piece_.kind == Patch::Kind::cone ? piece_.secondRadius - piece_.radius : 0;
        below = side * (piece_.radius + along / length * rise - across) * length / std::hypot(length, rise);
        ends = slab(along, length);
      }
    }
    return std::max(slab(below, depth_), ends);
  }
  ShapePtr local(const Vec3& centre, double reach) const override {
    if (!piece_.net || wholeTurn()) return shared_from_this();
    const double farthest = piece_.net->tree().nearest(centre).distance + 2 * reach;
    auto near = std::make_shared<LayerShape>(*this);
    near->near_ = piece_.net->tree().within(centre, farthest);
    return near;
  }
  Box bounds() const override { return bounds_; }
  void appendPatches(std::vector<Patch>& patches) const override {
    patches.push_back(piece_);
    std::optional<Patch> floor = piece_.moved(-depth_);
    if (!floor) return;
    floor->flipped = !floor->flipped;
    patches.push_back(*floor);
  }

 private:
  /// A round piece that goes all round needs no net: its ends are square, or at least known.
  bool wholeTurn() const {
    return piece_.kind != Patch::Kind::plane && piece_.kind != Patch::Kind::freeform && piece_.sweep == 0;
  }
  /// Signed distance of a coordinate to the range from 0 to `length`.
  static double slab(double at, double length) { return std::max(-at, at - length); }
  double extent() const {
    return std::max({piece_.kind == Patch::Kind::plane ? piece_.u.norm() : 0.0, piece_.v.norm(),
                     piece_.radius + piece_.secondRadius});
  }

  Patch piece_;
  double depth_;
  Box bounds_;
  std::vector<int> near_;  // the triangles of the net that can be nearest in one place; empty for everywhere
};

}  // namespace

ShapePtr Shape::local(const Vec3&, double) const {
  return shared_from_this();
}

ShapePtr Shape::offset(double by) const {
  const Vec3 sizes = bounds().sizes();
  if (by <= -0.5 * sizes.minCoeff())
    throw InputError(
        fmt::format("nothing is left of the shape when {:.4g} mm are taken off", -by * kMillimetresPerMetre),
        "take off less than half its thickness");
  return std::make_shared<OffsetShape>(shared_from_this(), by);
}

ShapePtr makeUnion(std::vector<ShapePtr> parts) {
  if (parts.empty()) throw InputError("a union needs at least one shape");
  for (const ShapePtr& part : parts) requireGiven("a part of a union", part);
  return std::make_shared<UnionShape>(std::move(parts));
}

ShapePtr makeIntersection(std::vector<ShapePtr> parts) {
  if (parts.empty()) throw InputError("an intersection needs at least one shape");
  for (const ShapePtr& part : parts) requireGiven("a part of an intersection", part);
  return std::make_shared<IntersectionShape>(std::move(parts));
}

ShapePtr makeDifference(ShapePtr body, std::vector<ShapePtr> cuts) {
  requireGiven("body", body);
  for (const ShapePtr& cut : cuts) requireGiven("a cut", cut);
  return std::make_shared<DifferenceShape>(std::move(body), std::move(cuts));
}

ShapePtr makeTransformed(ShapePtr body, const Eigen::Isometry3d& map) {
  constexpr double kRigid = 1e-9;
  requireGiven("body", body);
  requireFinite("map", map.matrix());
  if (!(map.linear().transpose() * map.linear()).isApprox(Eigen::Matrix3d::Identity(), kRigid))
    throw InputError("the map is no isometry: it stretches or shears",
                     "give a rotation, reflection or shift");
  return std::make_shared<TransformedShape>(std::move(body), map);
}

ShapePtr makeLayer(ShapePtr body, const Patch& piece, double depth) {
  requireGiven("body", body);
  if (!(depth > 0)) throw InputError("a layer needs a depth above zero");
  return makeIntersection({std::move(body), std::make_shared<LayerShape>(piece, depth)});
}

Eigen::Isometry3d reflection(const Vec3& normal, double at) {
  requireUnit("normal", normal);
  requireFinite("at", at);
  Eigen::Isometry3d map = Eigen::Isometry3d::Identity();
  map.linear() -= 2 * normal * normal.transpose();
  map.translation() = 2 * at * normal;
  return map;
}

}  // namespace barelattice
