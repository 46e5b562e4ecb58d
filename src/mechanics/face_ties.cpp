#include "barelattice/mechanics/face_ties.hpp"

#include "barelattice/base/error.hpp"
#include "barelattice/shapes/face_pieces.hpp"
#include "base/check.hpp"

namespace barelattice {
namespace {

/// What each point has, handed on to its nodes by their weights.
NodalVectors spread(const FaceTies& face, std::span<const Vec3> values) {
  NodalVectors vectors;
  vectors.reserve(face.weights.size());
  std::size_t begin = 0;
  for (std::size_t i = 0; i < values.size(); ++i) {
    for (std::size_t w = begin; w < face.ties[i].end; ++w)
      vectors.push_back({face.weights[w].node, face.weights[w].weight * values[i]});
    begin = face.ties[i].end;
  }
  return summed(std::move(vectors));
}

std::vector<SurfacePoint> pointsOf(const FaceTies& face) {
  if (face.ties.empty()) throw InputError("the face lies on empty space");
  std::vector<SurfacePoint> points;
  points.reserve(face.ties.size());
  for (const FaceTies::Tie& tie : face.ties) points.push_back(tie.point);
  return points;
}

std::vector<double> areasOf(const std::vector<SurfacePoint>& points) {
  std::vector<double> areas;
  areas.reserve(points.size());
  for (const SurfacePoint& point : points) areas.push_back(point.area);
  return areas;
}

}  // namespace

NodalVectors forcesOn(const FaceTies& face, const LoadKind& kind) {
  return spread(face, forcesAt(kind, pointsOf(face), face.missesByCoarseness ? face.share() : 1));
}

std::vector<FaceTies> tiesByPiece(const Face& face, const FaceTies& ties) {
  const std::vector<FacePiece> pieces = piecesOf(face);
  std::vector<FaceTies> each(pieces.size());
  for (std::size_t p = 0; p < pieces.size(); ++p) {
    each[p].faceArea = pieces[p].area;
    each[p].missesByCoarseness = ties.missesByCoarseness;
  }
  std::vector<Vec3> places;
  for (const FaceTies::Tie& tie : ties.ties) places.push_back(tie.point.position);
  const std::vector<int> ofPoint = nearestPieces(face, pieces, places);
  std::size_t begin = 0;
  for (std::size_t i = 0; i < ties.ties.size(); ++i) {
    FaceTies& piece = each[static_cast<std::size_t>(ofPoint[i])];
    for (std::size_t w = begin; w < ties.ties[i].end; ++w) piece.weights.push_back(ties.weights[w]);
    piece.close(ties.ties[i].point);
    begin = ties.ties[i].end;
  }
  const std::vector<int> ofNode = nearestPieces(face, pieces, ties.places);
  for (std::size_t n = 0; n < ofNode.size(); ++n) {
    FaceTies& piece = each[static_cast<std::size_t>(ofNode[n])];
    piece.nodes.push_back(ties.nodes[n]);
    piece.places.push_back(ties.places[n]);
  }
  return each;
}

RigidMotion meanMotionOn(const FaceTies& face, std::span<const double> field, const DofOrder& order) {
  RigidMotion mean;
  mean.shift = meanOn(face, field, order);
  const std::vector<SurfacePoint> points = pointsOf(face);
  std::vector<Vec3> displacements;
  displacements.reserve(points.size());
  std::size_t begin = 0;
  for (const FaceTies::Tie& tie : face.ties) {
    Vec3& here = displacements.emplace_back(Vec3::Zero());
    for (std::size_t w = begin; w < tie.end; ++w)
      here += face.weights[w].weight * order.at(field, face.weights[w].node);
    begin = tie.end;
  }
  const MeanMotion motion(points, areasOf(points));
  mean.about = motion.centre();
  mean.turn = motion.turnOf(displacements);
  return mean;
}

Vec3 meanOn(const FaceTies& face, std::span<const double> field, const DofOrder& order) {
  for (const TieWeight& w : face.weights)
    requireIndex("degree of freedom", order(w.node, order.components - 1), field.size(),
                 "entries in the field");
  Vec3 sum = Vec3::Zero();
  std::size_t begin = 0;
  for (const FaceTies::Tie& tie : face.ties) {
    for (std::size_t w = begin; w < tie.end; ++w)
      sum += tie.point.area / face.area * face.weights[w].weight * order.at(field, face.weights[w].node);
    begin = tie.end;
  }
  return sum;
}

std::vector<NodalVectors> meanMotions(const FaceTies& face, const Eigen::Matrix3d& axes,
                                      const std::optional<Vec3>& at) {
  requireFinite("axes", axes);
  const std::vector<SurfacePoint> points = pointsOf(face);
  const MeanMotion motion(points, areasOf(points));
  const auto ofForce = [&](const Vec3& force, const Vec3& moment) {
    std::vector<Vec3> forces;
    forces.reserve(points.size());
    for (std::size_t i = 0; i < points.size(); ++i) forces.push_back(motion.at(i, force, moment));
    return spread(face, forces);
  };
  // A mean motion is what the work of a unit force at the point, or of a unit moment, is done on.
  const Vec3 arm = at ? Vec3(*at - motion.centre()) : Vec3::Zero();
  std::vector<NodalVectors> motions;
  for (int i = 0; i < 3; ++i) motions.push_back(ofForce(axes.col(i), arm.cross(axes.col(i))));
  for (int i = 0; i < 3; ++i)
    motions.push_back(motion.turnsAbout(axes.col(i)) ? ofForce(Vec3::Zero(), axes.col(i)) : NodalVectors{});
  return motions;
}

}  // namespace barelattice
