#include "barelattice/mechanics/setup.hpp"

#include <algorithm>
#include <numeric>

#include "barelattice/mechanics/face_ties.hpp"
#include "base/check.hpp"

namespace barelattice {

namespace {

void validateAxes(const Eigen::Matrix3d& axes) {
  constexpr double kSquare = 1e-6;
  requireFinite("axes", axes);
  if (!(axes.transpose() * axes).isApprox(Eigen::Matrix3d::Identity(), kSquare))
    throw InputError("axes are not unit vectors at right angles", "normalise them");
}

void validateKind(const Held& held) {
  if (held.directions > 7) throw InputError(fmt::format("directions are {}", held.directions), "give 0 to 7");
  validateAxes(held.axes);
}
void validateKind(const Foundation& foundation) {
  requireNotNegative("normal stiffness", foundation.normal);
  requireNotNegative("tangential stiffness", foundation.tangential);
}
void validateKind(const MeanSprings& springs) {
  for (int i = 0; i < 3; ++i) {
    requireNotNegative("stiffness against sliding", springs.slide[i]);
    requireNotNegative("stiffness against turning", springs.turn[i]);
  }
  validateAxes(springs.axes);
}
void validateKind(const std::shared_ptr<const OwnSupport>& own) {
  requireGiven("the support of one's own", own);
}
void validateKind(const FaceAction& action) {
  requireFinite("force", action.force);
  requireFinite("pressure", action.pressure);
}
void validateKind(const BodyForce& force) {
  requireFinite("perMass", force.perMass);
}
void validateKind(const std::shared_ptr<const OwnLoad>& own) {
  requireGiven("the load of one's own", own);
}

}  // namespace

void validate(const Setup& setup) {
  for (const Material& material : setup.materials) validate(material);
  for (const NamedFace& named : setup.faces)
    naming("face", named.name, [&] {
      for (const SurfacePoint& point : named.face.points) {
        requireFinite("place of a point", point.position);
        requireFinite("normal of a point", point.normal);
        requireNotNegative("area of a point", point.area);
      }
    });
  for (const Support& support : setup.supports)
    naming("support", support.name, [&] {
      requireIndex("face", support.face, setup.faces.size(), "faces");
      std::visit([](const auto& kind) { validateKind(kind); }, support.kind);
    });
  for (const Load& load : setup.loads)
    naming("load", load.name, [&] {
      if (!std::holds_alternative<BodyForce>(load.kind))
        requireIndex("face", load.face, setup.faces.size(), "faces");
      std::visit([](const auto& kind) { validateKind(kind); }, load.kind);
    });
  for (const LoadCase& c : setup.cases)
    naming("case", c.name, [&] {
      requireNotNegative("weight", c.weight);
      for (const LoadCase::Factor& f : c.loads) {
        requireIndex("a load", f.load, setup.loads.size(), "loads");
        requireFinite("factor", f.factor);
      }
      for (const std::size_t s : c.supports) requireIndex("a support", s, setup.supports.size(), "supports");
    });
}

LoadCase& Setup::addCase(const std::string& name, const std::vector<OnFace>& actions) {
  for (const OnFace& on : actions) requireIndex("face", on.face, faces.size(), "faces");
  LoadCase& added = cases.emplace_back(LoadCase{name, 1, {}, std::vector<std::size_t>(supports.size())});
  std::iota(added.supports.begin(), added.supports.end(), std::size_t{0});
  for (const OnFace& on : actions) {
    added.loads.push_back({loads.size(), 1});
    loads.push_back({actions.size() == 1 ? name : name + " " + faces[on.face].name, on.face, on.action});
  }
  return added;
}

std::size_t Setup::faceNumber(const std::string& name) const {
  return static_cast<std::size_t>(
      std::find_if(faces.begin(), faces.end(), [&](const NamedFace& f) { return f.name == name; }) -
      faces.begin());
}

bool Setup::actsOnFace(std::size_t load) const {
  requireIndex("load", load, loads.size(), "loads");
  return !std::holds_alternative<BodyForce>(loads[load].kind);
}

Resultant resultantOf(const Setup& setup, const LoadCase& c, const Vec3& about) {
  Resultant sum;
  for (const LoadCase::Factor& f : c.loads) {
    requireIndex("load", f.load, setup.loads.size(), "loads");
    const Load& load = setup.loads[f.load];
    if (const auto* action = std::get_if<FaceAction>(&load.kind)) {
      requireIndex("face of a load", load.face, setup.faces.size(), "faces");
      const Resultant own = resultantOnFace(setup.faces[load.face].face, *action * f.factor, about);
      sum.force += own.force;
      sum.moment += own.moment;
    }
  }
  return sum;
}

NodalVectors faceForces(const Load& load, const FaceTies& face) {
  if (const auto* action = std::get_if<FaceAction>(&load.kind)) return forcesOn(face, *action);
  if (const auto* own = std::get_if<std::shared_ptr<const OwnLoad>>(&load.kind))
    return summed((*own)->forces(face));
  return {};
}

Vec3 bodyForce(const Setup& setup, const LoadCase& c) {
  Vec3 sum = Vec3::Zero();
  for (const LoadCase::Factor& f : c.loads)
    if (const auto* force = std::get_if<BodyForce>(&setup.loads[f.load].kind))
      sum += f.factor * force->perMass;
  return sum;
}

std::vector<std::vector<std::size_t>> casesBySupports(const std::vector<LoadCase>& cases) {
  std::vector<std::vector<std::size_t>> groups;
  for (std::size_t k = 0; k < cases.size(); ++k) {
    const auto same = [&](const std::vector<std::size_t>& group) {
      return cases[group.front()].supports == cases[k].supports;
    };
    const auto group = std::find_if(groups.begin(), groups.end(), same);
    (group == groups.end() ? groups.emplace_back() : *group).push_back(k);
  }
  return groups;
}

}  // namespace barelattice
