#include "barelattice/mechanics/setup.hpp"

#include <algorithm>
#include <numeric>

#include "barelattice/mechanics/face_ties.hpp"

namespace barelattice {

LoadCase& Setup::addCase(const std::string& name, const std::vector<OnFace>& actions) {
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
  return !std::holds_alternative<BodyForce>(loads[load].kind);
}

Resultant resultantOf(const Setup& setup, const LoadCase& c, const Vec3& about) {
  Resultant sum;
  for (const LoadCase::Factor& f : c.loads) {
    const Load& load = setup.loads[f.load];
    if (const auto* action = std::get_if<FaceAction>(&load.kind)) {
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
