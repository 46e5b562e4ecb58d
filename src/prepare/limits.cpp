// Goal and limits of a brief, as the optimiser knows them.

#include <fmt/format.h>

#include <algorithm>

#include "barelattice/optimise/face_motions.hpp"
#include "barelattice/optimise/natural_periods.hpp"
#include "barelattice/optimise/stress_share.hpp"
#include "barelattice/voxels/grid_ties.hpp"
#include "job_parts.hpp"

namespace barelattice {
namespace {

using Kind = Requirement::Kind;

StressKind stressKindOf(Kind kind) {
  return kind == Kind::tension       ? StressKind::tension
         : kind == Kind::compression ? StressKind::compression
                                     : StressKind::vonMises;
}

/// Stress close to supports and loads is not judged, as no mesh finds what it is there; but the part must not
/// come apart where nobody looks. So it may be a few times the strength there, more than voxels find in what
/// holds.
/// @param within null for everywhere.
template <int D>
std::shared_ptr<const Response> stressShare(const Domain<D>& domain, const Job& job, const std::string& name,
                                            StressKind kind, const Shape* within) {
  constexpr double kNearMore = 3;
  const Brief& brief = job.brief;
  StressLimits limits;
  limits.kind = kind;
  limits.name = name;
  limits.poisson = brief.material.poisson;
  limits.volume = domain.fill;
  const std::vector<std::uint8_t> near = attachedCells(domain.grid, job, brief.exclusion);
  const bool everywhere = std::all_of(near.begin(), near.end(), [](std::uint8_t n) { return n != 0; });
  for (std::size_t c = 0; c < domain.fill.size(); ++c) {
    Material material = job.setup.materials[domain.material[c]];
    if (brief.sheet) material = sheetMaterial(material, brief.sheet->state, 1);
    limits.modulus.push_back(material.modulus);
    limits.strength.push_back((near[c] && !everywhere ? kNearMore : 1) * material.strength);
    if (within && within->distance(cellCentre(domain, c, job.regions)) > 0) limits.volume[c] = 0;
  }
  if (brief.sheet) {
    limits.poisson = sheetMaterial(brief.material, brief.sheet->state, 1).poisson;
    if (brief.sheet->state == SheetState::planeStrain) limits.across = brief.material.poisson;
  }
  return std::make_shared<StressShare<D>>(domain.grid, std::move(limits));
}

template <int D>
std::shared_ptr<const Response> faceMotion(const Domain<D>& domain, const Job& job,
                                           const Requirement& limit) {
  const auto tiesOf = [&](std::size_t face) { return tieToGrid(domain, job.setup.faces[face].face); };
  FaceMotion motion{tiesOf(limit.face), {}, limit.kind == Kind::rotation, limit.along};
  if (limit.over) motion.over = tiesOf(*limit.over);
  return std::make_shared<FaceMotions>(limit.name, motion, dofOrder(domain.grid));
}

/// Values of a response, each of which has a bound in its own unit.
struct Bounded {
  std::shared_ptr<const Response> response;
  std::vector<std::size_t> which;
  std::size_t count = 0;  // of the response's values
  LimitSense sense = LimitSense::atMost;
  double bound = 0;
};

/// How many sets of supports the cases stand on.
template <int D>
std::size_t supportSets(const std::vector<GridCase<D>>& cases) {
  std::size_t sets = 0;
  for (std::size_t k = 0; k < cases.size(); ++k)
    sets += std::none_of(cases.begin(), cases.begin() + static_cast<std::ptrdiff_t>(k),
                         [&](const GridCase<D>& other) { return other.standsAs(cases[k]); });
  return sets;
}

/// @param correction of its figure, see Job::corrections.
template <int D>
Bounded boundedBy(const Domain<D>& domain, const Job& job, const Requirement& limit, double correction,
                  std::size_t sets) {
  Bounded bounded;
  const Brief& brief = job.brief;
  const Shape* within = limit.within ? brief.shape(brief.judgedPlaces[*limit.within]).get() : nullptr;
  bounded.count = limit.kind == Kind::frequency ? sets : job.setup.cases.size();
  for (std::size_t k = 0; k < bounded.count; ++k)
    if (limit.in(k)) bounded.which.push_back(k);
  bounded.bound = limit.bound / correction;
  switch (limit.kind) {
    case Kind::displacement:
    case Kind::rotation:
      bounded.response = faceMotion(domain, job, limit);
      break;
    case Kind::compliance:
      bounded.response = std::make_shared<Compliances>(limit.name);
      break;
    case Kind::frequency:
      bounded.response = std::make_shared<NaturalPeriods>(limit.name);
      bounded.bound = 1 / (limit.bound * correction);
      if (!limit.below) break;
      bounded.sense = LimitSense::atLeast;
      bounded.bound = correction / limit.bound;
      break;
    default:
      bounded.response = stressShare(domain, job, limit.name, stressKindOf(limit.kind), within);
      bounded.bound = limit.kind == Kind::safetyFactor
                          ? 1 / (limit.bound * correction)
                          : limit.bound / (correction * job.setup.materials.front().strength);
  }
  return bounded;
}

/// The terms of a goal that is more than stiffness.
template <int D>
Goal blendedGoal(const Domain<D>& domain, const Job& job, const std::vector<GridCase<D>>& cases) {
  const BriefBlend& blend = *job.brief.blend;
  Goal goal;
  goal.form = job.brief.goal;
  goal.perFull = goal.form == GoalForm::weightedSum;  // of a worst the terms are of one kind
  std::vector<std::shared_ptr<const Response>> parts;
  double sum = 0;
  for (const GridCase<D>& c : cases) sum += c.weight;
  const auto addByCase = [&](double weight) {
    for (const GridCase<D>& c : cases)
      goal.weights.push_back(goal.form == GoalForm::worst ? 1 : weight * c.weight / sum);
  };
  if (blend.stiffness > 0) {
    parts.push_back(std::make_shared<Compliances>());
    addByCase(blend.stiffness);
  }
  if (blend.frequency > 0) {
    parts.push_back(std::make_shared<NaturalPeriods>());
    const std::size_t sets = supportSets(cases);
    goal.weights.insert(goal.weights.end(), sets, blend.frequency / static_cast<double>(sets));
  }
  if (blend.stress > 0) {
    parts.push_back(stressShare(domain, job, "strength_used", StressKind::vonMises, nullptr));
    addByCase(blend.stress);
  }
  goal.response = std::make_shared<Joined>(std::move(parts));
  return goal;
}

/// A part that swings as fast as can be would rather be without what its loads act on. They are to be borne,
/// if a few times less stiffly than the mass would allow.
template <int D>
void addBearing(const Job& job, LayoutProblem<D>& problem) {
  constexpr double kSofter = 4;  // than the full space, where stiffness goes with the mass
  const auto bearing = std::make_shared<Compliances>("bearing");
  for (std::size_t k = 0; k < problem.cases.size(); ++k)
    problem.limits.push_back(
        {bearing, k, LimitSense::atMost, kSofter * job.spaceMass / job.targetMass, true});
}

}  // namespace

bool looksAtModes(const Brief& brief) {
  return (brief.blend && brief.blend->frequency > 0) ||
         std::any_of(brief.limits.begin(), brief.limits.end(),
                     [](const BriefLimit& limit) { return limit.kind == Kind::frequency; });
}

template <int D>
void addWanted(const Domain<D>& domain, const Job& job, LayoutProblem<D>& problem) {
  const Brief& brief = job.brief;
  const std::size_t sets = supportSets(problem.cases);
  problem.lightest = brief.lightest;
  problem.goal.form = brief.goal;
  if (brief.blend) {
    problem.goal = blendedGoal(domain, job, problem.cases);
    if (brief.blend->only() && brief.blend->frequency > 0) addBearing(job, problem);
  }
  std::vector<std::shared_ptr<const Response>> terms;
  for (std::size_t r = 0; r < brief.limits.size(); ++r) {
    const double correction = job.corrections.empty() ? 1 : job.corrections[r];
    BriefLimit limit = brief.limits[r];
    if (limit.bound == 0) limit.bound = 1;  // not known yet: what is looked at before does not depend on it
    const Bounded bounded = boundedBy(domain, job, limit, correction, sets);
    // The lightest is found where the worst of what is to be at most something is just that.
    if (brief.lightest && bounded.sense == LimitSense::atMost) {
      terms.push_back(bounded.response);
      const std::size_t first = problem.goal.weights.size();
      problem.goal.weights.resize(first + bounded.count, 0.0);
      for (const std::size_t which : bounded.which) problem.goal.weights[first + which] = 1 / bounded.bound;
      continue;
    }
    for (const std::size_t which : bounded.which)
      problem.limits.push_back({bounded.response, which, bounded.sense, bounded.bound});
  }
  if (brief.lightest) problem.goal.response = std::make_shared<Joined>(std::move(terms));
}

template void addWanted(const Domain<2>&, const Job&, LayoutProblem<2>&);
template void addWanted(const Domain<3>&, const Job&, LayoutProblem<3>&);

std::vector<LimitColumn> columnsOf(const Job& job, const Requirement& limit) {
  std::vector<LimitColumn> columns;
  for (std::size_t k = 0; k < job.setup.cases.size(); ++k) {
    if (!limit.in(k)) continue;
    LimitColumn column{limit.name + "_in_" + job.setup.cases[k].name, k};
    switch (limit.kind) {
      case Kind::displacement:
        column.name += "_m";
        break;
      case Kind::rotation:
        column.name += "_rad";
        break;
      case Kind::compliance:
        column.name += "_J";
        break;
      case Kind::frequency:
        column.name += "_s";
        column.inverse = true;
        break;
      case Kind::safetyFactor:
        column.inverse = true;
        break;
      default:
        column.scale = job.setup.materials.front().strength;
    }
    columns.push_back(std::move(column));
  }
  return columns;
}

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

/// Whether a face is fixed in every case of a limit.
bool heldThroughout(const Job& job, const Requirement& limit, std::size_t face) {
  const auto holds = [&](const BriefSupport& s) {
    const auto* held = std::get_if<Held>(&s.kind);
    const std::vector<std::size_t> faces = facesOf(s);
    return held && held->directions == 7 && held->moved.isZero() &&
           std::find(faces.begin(), faces.end(), face) != faces.end();
  };
  for (std::size_t k = 0; k < job.setup.cases.size(); ++k) {
    const std::vector<std::size_t>& supports = job.setup.cases[k].supports;
    if (limit.in(k) && std::none_of(supports.begin(), supports.end(),
                                    [&](std::size_t s) { return holds(job.brief.supports[s]); }))
      return false;
  }
  return true;
}

/// A bounded motion has to be that of something.
void checkMotion(const Job& job, const BriefLimit& limit) {
  const Brief& brief = job.brief;
  std::vector<std::size_t> faces{limit.face};
  if (limit.over) faces.push_back(*limit.over);
  if (std::all_of(faces.begin(), faces.end(),
                  [&](std::size_t face) { return heldThroughout(job, limit, face); }))
    refuse(brief, limit.place,
           fmt::format("face \"{}\" is held: it does not move, and the limit bounds nothing",
                       brief.faces[limit.face].name),
           "bound the motion of a face that moves");
  for (const std::size_t face : faces) {
    const double kept = keptShare(job, face);
    if (kept >= kMostlyKept || heldThroughout(job, limit, face)) continue;
    refuse(brief, brief.faces[face].place,
           fmt::format("the motion of face \"{}\" is bounded, but only {:.0f} % of it is sure to have "
                       "material: where there is none nothing moves",
                       brief.faces[face].name, 100 * kept),
           fmt::format("keep a layer below it: keep = [{{ face = \"{}\", depth = \"...\" }}] in [design]",
                       brief.faces[face].name));
  }
}

void checkStress(Job& job, const BriefLimit& limit) {
  const Brief& brief = job.brief;
  const double strength = job.setup.materials.front().strength;
  if (limit.kind == Kind::vonMises && limit.bound > strength)
    job.warnings.push_back(fmt::format(
        "limit {} allows {:.4g} MPa, more than the strength of {}, {:.4g} MPa: the part may yield",
        limit.name, limit.bound * 1e-6, brief.material.name, strength * 1e-6));
  if (!limit.within) return;
  const Shape& within = *brief.shape(brief.judgedPlaces[*limit.within]);
  const bool any = std::visit(
      [&](const auto& domain) {
        for (std::size_t c = 0; c < domain.fill.size(); ++c)
          if (domain.fill[c] > 0 && within.distance(cellCentre(domain, c, job.regions)) <= 0) return true;
        return false;
      },
      job.domain);
  if (!any)
    refuse(brief, limit.place, "the shape the limit holds within has no voxel of the design space",
           "name a shape that reaches into it, or leave 'within' out");
}

/// What grows when it gets warmer is not designed for.
void refuseTemperature(const Job& job, const BriefLimit& limit) {
  if (limit.kind == Kind::frequency || limit.kind == Kind::compliance) return;
  for (std::size_t k = 0; k < job.setup.cases.size(); ++k)
    for (const LoadCase::Factor& f : job.setup.cases[k].loads)
      if (limit.in(k) && f.factor != 0 && std::holds_alternative<Temperature>(job.setup.loads[f.load].kind))
        refuse(job.brief, job.brief.cases[k].place,
               fmt::format("case {} has a temperature, and limit {} is designed for forces only",
                           job.setup.cases[k].name, limit.name),
               "give the limit the other cases, cases = [...], and require the figure of this one");
}

}  // namespace

void checkWanted(Job& job) {
  const Brief& brief = job.brief;
  if (brief.limits.empty() && !brief.blend) return;
  for (const BriefRule& rule : brief.making)
    if (!rule.ways.empty())
      refuse(brief, rule.place,
             "several ways of making are tried for stiffness at one mass, and more is wanted here",
             "name one way, or leave [limits] out and take a goal of stiffness");
  for (const BriefLimit& limit : brief.limits) {
    refuseTemperature(job, limit);
    if (limit.kind == Kind::displacement || limit.kind == Kind::rotation) checkMotion(job, limit);
    if (limit.ofStress()) checkStress(job, limit);
    if (limit.kind != Kind::frequency || limit.below || limit.bound == 0) continue;
    for (const BriefLimit& other : brief.limits)
      if (other.kind == Kind::frequency && other.below && other.bound > 0 && other.bound <= limit.bound)
        refuse(brief, other.place,
               fmt::format("limits {} and {} exclude each other: at least {:.4g} Hz, at most {:.4g} Hz",
                           limit.name, other.name, limit.bound, other.bound),
               "leave room between them");
  }
}

}  // namespace barelattice
