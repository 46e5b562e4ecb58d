// What a lightest part is designed for, as a goal of the optimiser.

#include <fmt/format.h>

#include <algorithm>

#include "barelattice/optimise/face_displacements.hpp"
#include "barelattice/optimise/stress_share.hpp"
#include "barelattice/voxels/grid_ties.hpp"
#include "job_parts.hpp"

namespace barelattice {
namespace {

/// Stress close to supports and loads is not judged, as no mesh finds what it is there; but the part must not
/// come apart where nobody looks. So it may be a few times the strength there, more than voxels find in what
/// holds.
template <int D>
std::shared_ptr<const Response> stressShare(const Domain<D>& domain, const Job& job) {
  constexpr double kNearMore = 3;
  const Brief& brief = job.brief;
  StressLimits limits;
  limits.poisson = brief.material.poisson;
  limits.volume = domain.fill;
  const std::vector<std::uint8_t> near = attachedCells(domain.grid, job, brief.exclusion);
  const bool everywhere = std::all_of(near.begin(), near.end(), [](std::uint8_t n) { return n != 0; });
  for (std::size_t c = 0; c < domain.fill.size(); ++c) {
    Material material = job.setup.materials[domain.material[c]];
    if (brief.sheet) material = sheetMaterial(material, brief.sheet->state, 1);
    limits.modulus.push_back(material.modulus);
    limits.strength.push_back((near[c] && !everywhere ? kNearMore : 1) * material.strength);
  }
  if (brief.sheet) {
    limits.poisson = sheetMaterial(brief.material, brief.sheet->state, 1).poisson;
    if (brief.sheet->state == SheetState::planeStrain) limits.across = brief.material.poisson;
  }
  return std::make_shared<StressShare<D>>(domain.grid, std::move(limits));
}

}  // namespace

template <int D>
Goal lightestGoal(const Domain<D>& domain, const Job& job) {
  Goal goal;
  goal.form = GoalForm::worst;
  std::vector<std::shared_ptr<const Response>> parts;
  const std::vector<Requirement> wanted = job.designedFor();
  for (std::size_t r = 0; r < wanted.size(); ++r) {
    const Requirement& requirement = wanted[r];
    const double correction = job.corrections.empty() ? 1 : job.corrections[r];
    double weight = correction / requirement.bound;
    if (requirement.kind == Requirement::Kind::safetyFactor) {
      parts.push_back(stressShare(domain, job));
      weight = correction * requirement.bound;  // of the strength that is used
    } else {
      const NamedFace& face = job.setup.faces[requirement.face];
      parts.push_back(std::make_shared<FaceDisplacements>(face.name, tieToGrid(domain.grid, face.face),
                                                          dofOrder(domain.grid)));
    }
    goal.weights.insert(goal.weights.end(), job.setup.cases.size(), weight);
  }
  goal.response = std::make_shared<Joined>(std::move(parts));
  return goal;
}

template Goal lightestGoal(const Domain<2>&, const Job&);
template Goal lightestGoal(const Domain<3>&, const Job&);

namespace {

constexpr double kMostlyKept = 0.9;

/// How much of a face stays solid whatever is designed.
double keptShare(const Job& job, std::size_t face) {
  return std::visit(
      [&](const auto& domain) {
        const std::vector<std::size_t> cells = tieToGrid(domain.grid, job.setup.faces[face].face).cells;
        const auto kept = std::count_if(cells.begin(), cells.end(), [&](std::size_t c) {
          return domain.keep[c] != 0 || domain.isBonded(c);
        });
        return cells.empty() ? 0.0 : static_cast<double>(kept) / static_cast<double>(cells.size());
      },
      job.domain);
}

}  // namespace

void checkLightest(const Job& job) {
  const Brief& brief = job.brief;
  if (!brief.lightest) return;
  for (const LoadCase& c : job.setup.cases)
    for (const LoadCase::Factor& f : c.loads)
      if (f.factor != 0 && std::holds_alternative<Temperature>(job.setup.loads[f.load].kind))
        refuse(
            brief, brief.cases[static_cast<std::size_t>(&c - job.setup.cases.data())].place,
            fmt::format("case {} has a temperature, and the lightest part is sought for forces only", c.name),
            "leave the temperature out while designing, and prove the part under it; or give a [target]");
  for (const BriefRule& rule : brief.making)
    if (!rule.ways.empty())
      refuse(brief, rule.place,
             "several ways of making are tried at one mass, and that of a lightest part is not known before",
             "name one way, or give a [target] instead of goal = \"lightest\"");
  for (const Requirement& r : job.designedFor()) {
    if (r.kind != Requirement::Kind::displacement) continue;
    const auto holds = [&](const BriefSupport& s) {
      const auto* held = std::get_if<Held>(&s.kind);
      const std::vector<std::size_t> faces = facesOf(s);
      return held && held->directions == 7 && held->moved.isZero() &&
             std::find(faces.begin(), faces.end(), r.face) != faces.end();
    };
    const auto everywhere =
        std::all_of(job.setup.cases.begin(), job.setup.cases.end(), [&](const LoadCase& c) {
          return std::any_of(c.supports.begin(), c.supports.end(),
                             [&](std::size_t s) { return holds(brief.supports[s]); });
        });
    if (everywhere && job.designedFor().size() == 1)
      refuse(brief, brief.faces[r.face].place,
             fmt::format(
                 "face \"{}\" is held: it does not move, and nothing else bounds how light the part gets",
                 brief.faces[r.face].name),
             "bound the displacement of a face that moves, or give a safety_factor");
    if (everywhere) continue;
    if (const double kept = keptShare(job, r.face); kept < kMostlyKept)
      refuse(
          brief, brief.faces[r.face].place,
          fmt::format("the displacement of face \"{}\" is bounded, but only {:.0f} % of it is sure to have "
                      "material: where there is none nothing moves",
                      brief.faces[r.face].name, 100 * kept),
          fmt::format("keep a layer below it: keep = [{{ face = \"{}\", depth = \"...\" }}] in [design]",
                      brief.faces[r.face].name));
  }
}

}  // namespace barelattice
