#include "barelattice/mechanics/setup.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

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

void validateSprings(const Vec3& slide, const Vec3& turn, const Eigen::Matrix3d& axes) {
  for (int i = 0; i < 3; ++i) {
    requireNotNegative("stiffness against sliding", slide[i]);
    requireNotNegative("stiffness against turning", turn[i]);
  }
  validateAxes(axes);
}

void validateKind(const Held& held) {
  if (held.directions > 7) throw InputError(fmt::format("directions are {}", held.directions), "give 0 to 7");
  validateAxes(held.axes);
  requireFinite("shift", held.moved.shift);
  requireFinite("turn", held.moved.turn);
  requireFinite("about", held.moved.about);
}
void validateKind(const Foundation& foundation) {
  requireNotNegative("normal stiffness", foundation.normal);
  requireNotNegative("tangential stiffness", foundation.tangential);
}
void validateKind(const MeanSprings& springs) {
  validateSprings(springs.slide, springs.turn, springs.axes);
  if (springs.at) requireFinite("at", *springs.at);
}
void validateKind(const std::shared_ptr<const OwnSupport>& own) {
  requireGiven("the support of one's own", own);
}
void validateKind(const Slide& /*has no numbers*/) {}
void validateKind(const Pin& /*has no numbers*/) {}
void validateKind(const Bolt& bolt) {
  requirePositive("diameter", bolt.diameter);
  requirePositive("grip", bolt.grip);
  requirePositive("modulus", bolt.modulus);
  requireWithin("poisson", bolt.poisson, 0, 0.5);
  requireNotNegative("preload", bolt.preload);
}
void validateUnit(const char* what, const Vec3& direction) {
  constexpr double kUnit = 1e-6;
  requireFinite(what, direction);
  if (std::abs(direction.norm() - 1) > kUnit)
    throw InputError(fmt::format("{} has the length {}", what, direction.norm()), "give a unit vector");
}
void validateKind(const FaceAction& action) {
  requireFinite("force", action.force);
  requireFinite("pressure", action.pressure);
}
void validateKind(const DepthPressure& water) {
  requireFinite("surface", water.surface);
  validateUnit("down", water.down);
  requireFinite("perDepth", water.perDepth);
}
void validateKind(const Bearing& bearing) {
  requireFinite("force", bearing.force);
}
void validateKind(const Remote& remote) {
  if (remote.at) requireFinite("at", *remote.at);
  requireFinite("force", remote.force);
  requireFinite("moment", remote.moment);
  if (!remote.spot) return;
  requireFinite("a spot's place", remote.spot->from);
  requireFinite("a spot's end", remote.spot->to);
  requirePositive("reach", remote.spot->reach);
}
void validateKind(const BodyForce& force) {
  requireFinite("perMass", force.perMass);
  requireFinite("gradient", force.gradient);
}
void validateKind(const Temperature& temperature) {
  requireFinite("change", temperature.change);
}
void validateKind(const std::shared_ptr<const OwnLoad>& own) {
  requireGiven("the load of one's own", own);
}

/// Whether a kind of load acts on a face, and not on the whole body.
bool onFace(const LoadKind& kind) {
  return !std::holds_alternative<BodyForce>(kind) && !std::holds_alternative<Temperature>(kind);
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
      if (const Bolt* bolt = std::get_if<Bolt>(&support.kind))
        requireIndex("seat", bolt->seat, setup.faces.size(), "faces");
      std::visit([](const auto& kind) { validateKind(kind); }, support.kind);
    });
  for (const Load& load : setup.loads)
    naming("load", load.name, [&] {
      if (onFace(load.kind)) requireIndex("face", load.face, setup.faces.size(), "faces");
      std::visit([](const auto& kind) { validateKind(kind); }, load.kind);
    });
  for (const PointMass& mass : setup.masses)
    naming("mass", mass.name, [&] {
      requireIndex("face", mass.face, setup.faces.size(), "faces");
      requireFinite("at", mass.at);
      requireNotNegative("mass", mass.mass);
    });
  for (const Connection& connection : setup.connections)
    naming("connection", connection.name, [&] {
      requireIndex("first", connection.first, setup.faces.size(), "faces");
      requireIndex("second", connection.second, setup.faces.size(), "faces");
      if (connection.at) requireFinite("at", *connection.at);
      validateSprings(connection.slide, connection.turn, connection.axes);
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
  return onFace(loads[load].kind);
}

namespace {

/// What a point mass feels of a force on all mass.
Remote feltBy(const PointMass& mass, const BodyForce& force) {
  return {mass.at, mass.mass * force.at(mass.at)};
}

}  // namespace

Resultant resultantOf(const Setup& setup, const LoadCase& c, const Vec3& about) {
  Resultant sum;
  const auto add = [&](const Resultant& own, double factor) {
    sum += {factor * own.force, factor * own.moment};
  };
  for (const LoadCase::Factor& f : c.loads) {
    requireIndex("load", f.load, setup.loads.size(), "loads");
    const Load& load = setup.loads[f.load];
    if (!onFace(load.kind)) continue;
    requireIndex("face of a load", load.face, setup.faces.size(), "faces");
    add(resultantOnFace(setup.faces[load.face].face, load.kind, about), f.factor);
  }
  if (const BodyForce force = bodyForce(setup, c); !force.isZero())
    for (const PointMass& mass : setup.masses) {
      const Remote felt = feltBy(mass, force);
      add({felt.force, (mass.at - about).cross(felt.force)}, 1);
    }
  return sum;
}

NodalVectors faceForces(const Setup& setup, const LoadCase& c, std::span<const FaceTies> faces,
                        std::size_t nodes) {
  requireCount("faces", faces.size(), setup.faces.size(), "faces in the setup");
  NodalVectors all;
  const auto add = [&](const NodalVectors& own, double factor) {
    for (const NodalVector& at : own) {
      requireIndex("its node", at.node, nodes, "nodes");
      requireFinite("its force", at.value);
      all.push_back({at.node, factor * at.value});
    }
  };
  for (const LoadCase::Factor& f : c.loads) {
    const Load& load = setup.loads[f.load];
    if (const auto* own = std::get_if<std::shared_ptr<const OwnLoad>>(&load.kind))
      naming("load", load.name, [&] { add(summed((*own)->forces(faces[load.face])), f.factor); });
    else if (onFace(load.kind))
      naming("load", load.name, [&] { add(forcesOn(faces[load.face], load.kind), f.factor); });
  }
  if (const BodyForce force = bodyForce(setup, c); !force.isZero())
    for (const PointMass& mass : setup.masses)
      naming("mass", mass.name, [&] { add(forcesOn(faces[mass.face], feltBy(mass, force)), 1); });
  return summed(std::move(all));
}

BodyForce bodyForce(const Setup& setup, const LoadCase& c) {
  BodyForce sum;
  for (const LoadCase::Factor& f : c.loads)
    if (const auto* force = std::get_if<BodyForce>(&setup.loads[f.load].kind)) sum += *force * f.factor;
  return sum;
}

double temperatureOf(const Setup& setup, const LoadCase& c) {
  double sum = 0;
  for (const LoadCase::Factor& f : c.loads)
    if (const auto* warm = std::get_if<Temperature>(&setup.loads[f.load].kind))
      sum += f.factor * warm->change;
  return sum;
}

std::vector<std::size_t> loadedFaces(const Setup& setup, std::span<const LoadCase> cases) {
  std::set<std::size_t> faces;
  for (const LoadCase& c : cases)
    for (const LoadCase::Factor& f : c.loads)
      if (setup.actsOnFace(f.load)) faces.insert(setup.loads[f.load].face);
  for (const PointMass& mass : setup.masses) faces.insert(mass.face);
  for (const Connection& connection : setup.connections) {
    faces.insert(connection.first);
    faces.insert(connection.second);
  }
  return {faces.begin(), faces.end()};
}

std::vector<std::size_t> facesOf(const Support& support) {
  if (const Bolt* bolt = std::get_if<Bolt>(&support.kind)) return {support.face, bolt->seat};
  return {support.face};
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
