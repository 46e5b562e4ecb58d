#include "barelattice/shapes/mesh_shape.hpp"

#include <array>
#include <cmath>
#include <map>
#include <optional>
#include <unordered_map>

#include "barelattice/base/error.hpp"
#include "barelattice/meshes/triangle_tree.hpp"
#include "mesh_shape_with_faces.hpp"
#include "shape_parts.hpp"

namespace barelattice {
namespace {

std::uint64_t edgeKey(int a, int b) {
  return static_cast<std::uint64_t>(std::min(a, b)) << 32 | static_cast<std::uint32_t>(std::max(a, b));
}

/// Where two faces of a body meet: an edge of their triangles, or a vertex on such an edge.
struct Crease {
  struct Side {
    int face = -1;
    Vec3 normal = Vec3::Zero();  // out of the material, not a unit vector
    Vec3 into = Vec3::Zero();    // from the crease towards the middle of the face, not a unit vector
  };
  std::array<Side, 2> sides;
  bool more = false;  // a corner of three faces or more

  void add(int face, const Vec3& normal, const Vec3& into) {
    for (Side& side : sides) {
      if (side.face >= 0 && side.face != face) continue;
      side.face = face;
      side.normal += normal;
      side.into += into;
      return;
    }
    more = true;
  }
  bool ofTwoFaces() const { return sides[1].face >= 0 && !more; }
};

class MeshShape final : public Shape {
 public:
  explicit MeshShape(TriangleMesh mesh) : mesh_(std::move(mesh)), tree_(mesh_), bounds_(mesh_.bounds()) {
    addNormals();
    findFlats();
  }
  MeshShape(TriangleMesh mesh, std::vector<Patch> faces, std::vector<int> faceOf)
      : mesh_(std::move(mesh)),
        tree_(mesh_),
        bounds_(mesh_.bounds()),
        patches_(std::move(faces)),
        faceOf_(std::move(faceOf)) {
    addNormals();
    addCreases();
    for (const Patch& patch : patches_) margin_ = std::max(margin_, patch.net->deviation);
    bounds_ = {bounds_.min() - Vec3::Constant(margin_), bounds_.max() + Vec3::Constant(margin_)};
  }

  double distance(const Vec3& point) const override { return signedDistance(point, tree_.nearest(point)); }
  double distanceTo(const Vec3& point, const std::vector<int>& triangles) const {
    return signedDistance(point, tree_.nearestOf(point, triangles));
  }
  ShapePtr local(const Vec3& centre, double reach) const override;
  /// Of triangles that can be nearest in some place those that can be in a part of it.
  std::vector<int> reduced(const std::vector<int>& triangles, const Vec3& centre, double reach) const {
    return tree_.within(centre, tree_.nearestOf(centre, triangles).distance + 2 * reach, triangles);
  }
  const TriangleMesh* triangles() const override { return &mesh_; }
  Box bounds() const override { return bounds_; }
  void appendPatches(std::vector<Patch>& patches) const override {
    patches.insert(patches.end(), patches_.begin(), patches_.end());
  }

 private:
  double signedDistance(const Vec3& point, const NearestPoint& near) const {
    const double side = (point - near.position).dot(normalAt(near));
    const double flat = side < 0 ? -near.distance : near.distance;
    if (faceOf_.empty()) return flat;
    const Patch& face = faceBehind(near.triangle);
    if (face.kind == Patch::Kind::freeform) return flat;
    // What lies between the triangle and the exact face behind it.
    const double gap = face.height(near.position);
    const double exact = std::abs(gap) < 2 * margin_ ? flat + gap : flat;
    const Crease* crease = creaseAt(near);
    return crease ? distanceFrom(*crease, point).value_or(exact) : exact;
  }

  const Patch& face(int number) const { return patches_[static_cast<std::size_t>(number)]; }
  const Patch& faceBehind(int triangle) const { return face(faceOf_[static_cast<std::size_t>(triangle)]); }

  /// The crease the nearest point lies on; nullptr if it lies on none, or on a corner of more faces.
  const Crease* creaseAt(const NearestPoint& near) const {
    const auto [vertices, count] = featureOf(near);
    if (count == 1) {
      const auto found = vertexCreases_.find(vertices[0]);
      return found == vertexCreases_.end() ? nullptr : &found->second;
    }
    if (count == 3) return nullptr;
    const auto found = edgeCreases_.find(edgeKey(vertices[0], vertices[1]));
    return found == edgeCreases_.end() ? nullptr : &found->second;
  }

  /// The distance of a point whose nearest triangle point lies on a crease. The crease of the triangles cuts
  /// the corners of a round rim; here it is that of the exact faces' tangent planes. Nothing where a face is
  /// freeform, the faces run into each other smoothly, or the exact faces are elsewhere.
  std::optional<double> distanceFrom(const Crease& crease, const Vec3& point) const {
    const Patch& a = face(crease.sides[0].face);
    const Patch& b = face(crease.sides[1].face);
    if (a.kind == Patch::Kind::freeform || b.kind == Patch::Kind::freeform) return std::nullopt;
    const double cosine = crease.sides[0].normal.normalized().dot(crease.sides[1].normal.normalized());
    constexpr double kSmooth = 0.98;
    if (std::abs(cosine) > kSmooth) return std::nullopt;
    const bool convex = crease.sides[1].normal.dot(crease.sides[0].into) < 0;
    const double sense = convex ? 1 : -1;
    const Eigen::Vector2d heights = sense * Eigen::Vector2d(a.height(point), b.height(point));
    // The nearest point of the planes' wedge is on their line if it pulls towards both planes.
    const Eigen::Vector2d pull =
        Eigen::Vector2d(heights[0] - cosine * heights[1], heights[1] - cosine * heights[0]) /
        (1 - cosine * cosine);
    return sense * (pull.minCoeff() > 0 ? std::sqrt(heights.dot(pull)) : heights.maxCoeff());
  }

  Vec3 faceNormal(std::size_t t) const {
    return (mesh_.corner(t, 1) - mesh_.corner(t, 0))
        .cross(mesh_.corner(t, 2) - mesh_.corner(t, 0))
        .stableNormalized();
  }

  void addNormals() {
    vertexNormals_.assign(mesh_.vertices.size(), Vec3::Zero());
    for (std::size_t t = 0; t < mesh_.triangles.size(); ++t) {
      const Vec3 normal = faceNormal(t);
      faceNormals_.push_back(normal);
      for (int i = 0; i < 3; ++i) {
        const Vec3 a = (mesh_.corner(t, (i + 1) % 3) - mesh_.corner(t, i)).stableNormalized();
        const Vec3 b = (mesh_.corner(t, (i + 2) % 3) - mesh_.corner(t, i)).stableNormalized();
        vertexNormals_[static_cast<std::size_t>(corner(t, i))] +=
            std::acos(std::clamp(a.dot(b), -1.0, 1.0)) * normal;
        const auto [entry, fresh] =
            edgeNormals_.try_emplace(edgeKey(corner(t, i), corner(t, (i + 1) % 3)), normal);
        if (!fresh) entry->second += normal;
      }
    }
  }

  /// Where triangles of different faces meet.
  void addCreases() {
    for (std::size_t t = 0; t < mesh_.triangles.size(); ++t) {
      const Vec3 middle = (mesh_.corner(t, 0) + mesh_.corner(t, 1) + mesh_.corner(t, 2)) / 3;
      for (int i = 0; i < 3; ++i) {
        const Vec3 a = mesh_.corner(t, i);
        const Vec3 b = mesh_.corner(t, (i + 1) % 3);
        edgeCreases_[edgeKey(corner(t, i), corner(t, (i + 1) % 3))].add(faceOf_[t], faceNormals_[t],
                                                                        middle - 0.5 * (a + b));
        vertexCreases_[corner(t, i)].add(faceOf_[t], faceNormals_[t], middle - a);
      }
    }
    std::erase_if(edgeCreases_, [](const auto& entry) { return !entry.second.ofTwoFaces(); });
    std::erase_if(vertexCreases_, [](const auto& entry) { return !entry.second.ofTwoFaces(); });
  }

  int corner(std::size_t t, int i) const { return mesh_.triangles[t][static_cast<std::size_t>(i)]; }

  /// The vertices of the feature the nearest point lies on: one of a corner, two of an edge, three inside.
  std::pair<std::array<int, 3>, int> featureOf(const NearestPoint& near) const {
    constexpr double kOn = 1e-9;
    std::array<int, 3> vertices{};
    int count = 0;
    for (int i = 0; i < 3; ++i)
      if (near.barycentric[i] >= kOn)
        vertices[static_cast<std::size_t>(count++)] = corner(static_cast<std::size_t>(near.triangle), i);
    return {vertices, count};
  }

  /// The normal of that feature, not a unit vector.
  Vec3 normalAt(const NearestPoint& near) const {
    const auto [vertices, count] = featureOf(near);
    if (count == 3) return faceNormals_[static_cast<std::size_t>(near.triangle)];
    if (count == 2) return edgeNormals_.at(edgeKey(vertices[0], vertices[1]));
    return vertexNormals_[static_cast<std::size_t>(vertices[0])];
  }

  /// Connected triangles in one plane, as the rectangle round them.
  void findFlats() {
    std::unordered_map<std::uint64_t, std::array<int, 2>> sides;
    for (std::size_t t = 0; t < mesh_.triangles.size(); ++t)
      for (int i = 0; i < 3; ++i) {
        const auto [entry, fresh] = sides.try_emplace(edgeKey(corner(t, i), corner(t, (i + 1) % 3)),
                                                      std::array<int, 2>{static_cast<int>(t), -1});
        if (!fresh) entry->second[1] = static_cast<int>(t);
      }
    const double least = 1e-3 * mesh_.area();
    std::vector<char> seen(mesh_.triangles.size(), 0);
    for (std::size_t seed = 0; seed < seen.size(); ++seed) {
      if (seen[seed]) continue;
      std::vector<std::size_t> group{seed};
      seen[seed] = 1;
      double area = 0;
      for (std::size_t g = 0; g < group.size(); ++g) {
        const std::size_t t = group[g];
        area +=
            0.5 *
            (mesh_.corner(t, 1) - mesh_.corner(t, 0)).cross(mesh_.corner(t, 2) - mesh_.corner(t, 0)).norm();
        for (int i = 0; i < 3; ++i) {
          const auto& pair = sides.at(edgeKey(corner(t, i), corner(t, (i + 1) % 3)));
          const auto other = static_cast<std::size_t>(pair[0] == static_cast<int>(t) ? pair[1] : pair[0]);
          constexpr double kFlat = 1 - 1e-9;
          if (seen[other] || faceNormals_[other].dot(faceNormals_[seed]) < kFlat) continue;
          seen[other] = 1;
          group.push_back(other);
        }
      }
      if (area >= least) patches_.push_back(rectangleRound(group));
    }
  }

  Patch rectangleRound(const std::vector<std::size_t>& group) const {
    const Vec3 normal = faceNormals_[group.front()];
    const Vec3 origin = mesh_.corner(group.front(), 0);
    const Vec3 u = (mesh_.corner(group.front(), 1) - origin).normalized();
    const Vec3 v = normal.cross(u);
    Eigen::AlignedBox2d box;
    for (const std::size_t t : group)
      for (int i = 0; i < 3; ++i) {
        const Vec3 offset = mesh_.corner(t, i) - origin;
        box.extend(Eigen::Vector2d(offset.dot(u), offset.dot(v)));
      }
    return planePatch(origin + box.min().x() * u + box.min().y() * v, box.sizes().x() * u,
                      box.sizes().y() * v);
  }

  TriangleMesh mesh_;
  TriangleTree tree_;
  Box bounds_;
  std::vector<Vec3> faceNormals_;
  std::vector<Vec3> vertexNormals_;  // angle-weighted sums, not normalised
  std::unordered_map<std::uint64_t, Vec3> edgeNormals_;
  std::vector<Patch> patches_;
  std::unordered_map<std::uint64_t, Crease> edgeCreases_;
  std::unordered_map<int, Crease> vertexCreases_;
  std::vector<int> faceOf_;  // the patch of every triangle, where triangles stand for exact faces
  double margin_ = 0;        // how far those may lie off, m
};

/// A triangle surface seen from one small place.
class LocalMeshShape final : public Shape {
 public:
  /// @param triangles the ones that can be nearest to a point of the place.
  LocalMeshShape(std::shared_ptr<const MeshShape> whole, std::vector<int> triangles)
      : whole_(std::move(whole)), triangles_(std::move(triangles)) {}
  double distance(const Vec3& point) const override { return whole_->distanceTo(point, triangles_); }
  ShapePtr local(const Vec3& centre, double reach) const override {
    return std::make_shared<LocalMeshShape>(whole_, whole_->reduced(triangles_, centre, reach));
  }
  Box bounds() const override { return whole_->bounds(); }
  void appendPatches(std::vector<Patch>& patches) const override { whole_->appendPatches(patches); }

 private:
  std::shared_ptr<const MeshShape> whole_;
  std::vector<int> triangles_;
};

ShapePtr MeshShape::local(const Vec3& centre, double reach) const {
  // No point of the place is farther from the surface than the centre is by more than `reach`.
  const double farthest = tree_.nearest(centre).distance + 2 * reach;
  return std::make_shared<LocalMeshShape>(std::static_pointer_cast<const MeshShape>(shared_from_this()),
                                          tree_.within(centre, farthest));
}

/// Refuses what encloses no body; turns round what faces inward.
TriangleMesh checked(TriangleMesh mesh) {
  if (mesh.triangles.empty()) throw InputError("the triangle surface is empty");
  const MeshDefects defects = inspectTopology(mesh);
  if (!defects.sound())
    throw InputError("the triangle surface does not enclose a body: " + defects.text(),
                     "mend it where it was made: closed, every edge shared by two triangles");
  const double volume = mesh.volume();
  if (!(std::abs(volume) > 1e-12 * std::pow(mesh.bounds().diagonal().norm(), 3)))
    throw InputError("the triangle surface encloses no volume");
  if (volume < 0)
    for (auto& t : mesh.triangles) std::swap(t[1], t[2]);
  if (const std::string fault = faultOfShells(mesh); !fault.empty())
    throw InputError(fault, "unite bodies and cut cavities where the file was made, and export one solid");
  return mesh;
}

}  // namespace

ShapePtr makeMeshShape(TriangleMesh mesh) {
  return std::make_shared<MeshShape>(checked(std::move(mesh)));
}

ShapePtr makeMeshShapeWithFaces(TriangleMesh mesh, std::vector<Patch> faces, std::vector<int> faceOf) {
  return std::make_shared<MeshShape>(checked(std::move(mesh)), std::move(faces), std::move(faceOf));
}

}  // namespace barelattice
