#include "barelattice/mechanics/face_action.hpp"

namespace barelattice {

Resultant resultantOnFace(const Face& face, const FaceAction& action, const Vec3& about) {
  Resultant sum{action.force, (face.centroid() - about).cross(action.force)};
  for (const SurfacePoint& point : face.points) {
    const Vec3 force = -action.pressure * point.area * point.normal;
    sum.force += force;
    sum.moment += (point.position - about).cross(force);
  }
  return sum;
}

}  // namespace barelattice
