// Whether what a brief asks of the making goes together, and with the design space.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "barelattice/base/quantity.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"
#include "job_parts.hpp"

namespace barelattice {
namespace {

constexpr double kMm = kMillimetresPerMetre;

std::vector<const BriefRule*> imposedRules(const Brief& brief) {
  std::vector<const BriefRule*> rules;
  for (const BriefRule& rule : brief.making)
    if (rule.imposed) rules.push_back(&rule);
  return rules;
}

/// The axis a direction runs along; -1 for an oblique one.
int axisOf(const Vec3& direction) {
  for (int i = 0; i < 3; ++i)
    if (std::abs(direction[i]) > 1 - 1e-9) return i;
  return -1;
}

/// Where the box of the space begins and ends along a direction, m.
Range extentAlong(const Box& box, const Vec3& direction) {
  Range range{std::numeric_limits<double>::max(), std::numeric_limits<double>::lowest()};
  for (int corner = 0; corner < 8; ++corner) {
    const double at = direction.dot(box.corner(static_cast<Box::CornerType>(corner)));
    range = {std::min(range.low, at), std::max(range.high, at)};
  }
  return range;
}

std::string directionText(const Vec3& direction) {
  if (const int axis = axisOf(direction); axis >= 0) return std::string(1, "xyz"[axis]);
  return fmt::format("[{:.3g}, {:.3g}, {:.3g}]", direction.x(), direction.y(), direction.z());
}

/// How much of the design space a motion carries onto itself.
struct Match {
  double alone = 0;  ///< share of the volume carried to where there is no space
  bool any = false;  ///< some of it is carried onto other cells
};

template <int D>
Match matchOf(const Job& job, const Eigen::Isometry3d& motion) {
  const auto& domain = std::get<Domain<D>>(job.domain);
  const std::size_t count = domain.grid.cellCount();
  const double size = domain.grid.frame().size;
  std::vector<std::uint8_t> found(count);  // 1 carried onto the space, 2 onto another cell of it
  forEach(
      count,
      [&](std::size_t c) {
        const Vec3 centre = cellCentre(domain, c, job.regions);
        const Vec3 image = motion * centre;
        const bool on = job.regions.available(image) < size;
        found[c] = !on ? 0 : (image - centre).norm() > 0.5 * size ? 2 : 1;
      },
      256);
  Match match;
  double all = 0;
  double alone = 0;
  for (std::size_t c = 0; c < count; ++c) {
    all += domain.fill[c];
    if (found[c] == 0) alone += domain.fill[c];
    match.any = match.any || found[c] == 2;
  }
  match.alone = alone / all;
  return match;
}

Match matchOf(const Job& job, const Eigen::Isometry3d& motion) {
  return job.flat() ? matchOf<2>(job, motion) : matchOf<3>(job, motion);
}

void warnOfAlone(Job& job, const char* what, double alone) {
  constexpr double kLopsided = 0.05;
  if (alone > kLopsided)
    job.warnings.push_back(fmt::format(
        "[making.{}] {:.0f} % of the design space has no like {}", what, 100 * alone,
        what == std::string("mirror") ? "on the other side of the plane: there the layout is not mirrored"
                                      : "in the next piece: there the layout is not repeated"));
}

/// Refuses a symmetry that finds nothing to make alike, warns of one the space does not have.
struct CheckSymmetry {
  Job& job;
  TextPlace place;

  void operator()(const MirrorPlane& plane) const {
    const Match match = matchOf(job, motionOf(plane));
    const Range extent = extentAlong(job.regions.space->bounds(), plane.normal);
    if (!match.any)
      refuse(job.brief, place,
             fmt::format("the mirror plane at {:.4g} mm has none of the design space on its other side: that "
                         "goes from {:.4g} to {:.4g} mm along {}",
                         plane.at * kMm, extent.low * kMm, extent.high * kMm, directionText(plane.normal)),
             "put the plane through the middle of what is symmetric, or leave the mirror out");
    warnOfAlone(job, "mirror", match.alone);
  }
  void operator()(const RepeatRound& round) const {
    const Match match = matchOf(job, motionOf(round));
    if (!match.any)
      refuse(job.brief, place,
             fmt::format("a turn by {:.4g} deg round {} carries nothing of the design space onto itself",
                         360.0 / round.times, directionText(round.axis)),
             "look at 'centre' and 'times', or leave the repetition out");
    warnOfAlone(job, "repeat", match.alone);
  }
  void operator()(const RepeatAlong& along) const {
    const Range extent = extentAlong(job.regions.space->bounds(), along.direction);
    const double length = extent.high - extent.low;
    if (along.step > 0.9999 * length)
      refuse(
          job.brief, place,
          fmt::format("a cell of {:.4g} mm is as long as the design space, which goes from {:.4g} to "
                      "{:.4g} mm along {}",
                      along.step * kMm, extent.low * kMm, extent.high * kMm, directionText(along.direction)),
          "give a shorter step, or leave the repetition out");
    if (along.step < 2 * job.brief.walls().smallestMember)
      refuse(job.brief, place,
             fmt::format("a cell of {:.4g} mm has no room for a member of {:.4g} mm and a gap",
                         along.step * kMm, job.brief.walls().smallestMember * kMm),
             "give a longer step, or a smaller smallest_member");
  }
  void operator()(const ConstantSection& /*section*/) const {}
};

/// A share that may be filled everywhere has to leave room for the mass.
void checkLocalShare(const Job& job, const BriefRule& rule) {
  const auto* share = std::get_if<LocalShare>(&rule.rule);
  if (!share) return;
  const double designed = job.spaceMass - job.keepMass;
  const double wanted = designed > 0 && !job.brief.lightest ? (job.targetMass - job.keepMass) / designed : 0;
  if (share->most < wanted)
    refuse(job.brief, rule.place,
           fmt::format("of any place {:.2g} of the volume may be filled, and the target fills {:.2g} of all",
                       share->most, wanted),
           "give less mass, or let more be filled");
  if (share->within < job.brief.voxel)
    refuse(job.brief, rule.place,
           fmt::format("what lies within {:.3g} mm is less than a voxel of {:.3g} mm", share->within * kMm,
                       job.brief.voxel * kMm),
           "look further, or take smaller voxels");
}

void checkVoids(const Job& job, const BriefRule& rule) {
  if (std::holds_alternative<OpenVoids>(rule.rule) && job.flat())
    refuse(job.brief, rule.place, "the voids of a sheet are open on both of its faces", "leave 'drain' out");
  const auto* voids = std::get_if<OpenVoids>(&rule.rule);
  const double narrowest = job.regions.space->bounds().sizes().minCoeff();
  if (voids && voids->opening > narrowest)
    refuse(job.brief, rule.place,
           fmt::format("an opening of {:.4g} mm is wider than the design space, which is {:.4g} mm at its "
                       "narrowest",
                       voids->opening * kMm, narrowest * kMm),
           "give what powder or a tool needs to get out");
}

void checkTool(Job& job, const BriefRule& rule) {
  const auto* mill = std::get_if<Milling>(&rule.rule);
  if (!mill || mill->tool.diameter == 0) return;
  const double longest = job.regions.bounds().diagonal().norm();
  if (mill->tool.diameter > longest)
    refuse(job.brief, rule.place,
           fmt::format("a tool of {:.4g} mm is wider than the design space", mill->tool.diameter * kMm),
           "it takes nothing away: look for a length in a wrong unit");
  if (mill->tool.diameter < 2 * job.brief.voxel)
    job.warnings.push_back(fmt::format(
        "[making.mill] a tool of {:.3g} mm is less than two voxels: the layout does not see its width, the "
        "solid is measured for it all the same",
        mill->tool.diameter * kMm));
}

void checkParting(const Job& job, const BriefRule& rule) {
  const auto* cast = std::get_if<Casting>(&rule.rule);
  if (!cast || cast->parting != Casting::Parting::plane) return;
  const Range extent = extentAlong(job.regions.bounds(), cast->draw);
  if (cast->at < extent.low || cast->at > extent.high)
    refuse(
        job.brief, rule.place,
        fmt::format("the parting plane at {:.4g} mm lies beside the design space, which goes from {:.4g} to "
                    "{:.4g} mm along {}",
                    cast->at * kMm, extent.low * kMm, extent.high * kMm, directionText(cast->draw)),
        "put it into the space, or give parting = \"back\" or \"free\"");
}

}  // namespace

BetweenCells betweenCells(const Brief& brief) {
  BetweenCells between;
  const auto ask = [&](int axis, double at) {
    std::optional<double>& place = between[static_cast<std::size_t>(axis)];
    if (!place) place = at;
  };
  for (const BriefRule* each : imposedRules(brief)) {
    if (const auto* plane = std::get_if<MirrorPlane>(&each->rule)) {
      if (const int axis = axisOf(plane->normal); axis >= 0) ask(axis, plane->at * plane->normal[axis]);
    } else if (const auto* round = std::get_if<RepeatRound>(&each->rule)) {
      if (const int axis = axisOf(round->axis); axis >= 0)
        for (int i = 0; i < 3; ++i)
          if (i != axis) ask(i, round->through[i]);
    } else if (const auto* along = std::get_if<RepeatAlong>(&each->rule)) {
      if (const int axis = axisOf(along->direction); axis >= 0)
        ask(axis, along->from * along->direction[axis]);
    } else if (const auto* cast = std::get_if<Casting>(&each->rule)) {
      if (const int axis = axisOf(cast->draw); axis >= 0 && cast->parting == Casting::Parting::plane)
        ask(axis, cast->at * cast->draw[axis]);
    }
  }
  return between;
}

void placePartings(Brief& brief) {
  for (BriefRule& each : brief.making) {
    auto* cast = std::get_if<Casting>(&each.rule);
    if (!cast || cast->parting != Casting::Parting::flat) continue;
    constexpr int kPlaces = 7;
    const Range extent = extentAlong(brief.shape(brief.space)->bounds(), cast->draw);
    Casting placed = *cast;
    placed.parting = Casting::Parting::plane;
    for (int k = 1; k <= kPlaces; ++k) {
      constexpr double kDigits = 1e6;  // to a thousandth of a millimetre
      const double at = extent.low + (extent.high - extent.low) * k / (kPlaces + 1);
      placed.at = std::round(at * kDigits) / kDigits;
      each.ways.emplace_back(placed);
    }
    each.rule = each.ways[kPlaces / 2];
    if (!each.imposed) each.ways.clear();
  }
}

const BriefRule& openRule(const Job& job) {
  if (job.open)
    for (const BriefRule& each : job.open->making)
      if (!each.ways.empty()) return each;
  throw InputError("no rule of this job is open");
}

Job settledOn(const Job& job, std::size_t way, double coarser) {
  const BriefRule& open = openRule(job);
  requireIndex("way", way, open.ways.size(), "ways");
  Brief brief = *job.open;
  BriefRule& rule = brief.making[static_cast<std::size_t>(&open - job.open->making.data())];
  rule.rule = open.ways[way];
  rule.ways.clear();
  return prepare(std::move(brief), coarser);
}

std::string wayText(const MakingRule& way) {
  if (const auto* cast = std::get_if<Casting>(&way))
    return fmt::format("parting = \"{:.6g} mm\"", cast->at * kMm);
  const auto* print = std::get_if<Printing>(&way);
  if (!print) return nameOf(way);
  if (const int axis = axisOf(print->up); axis >= 0)
    return fmt::format("up = \"{}{}\"", print->up[axis] > 0 ? '+' : '-', "xyz"[axis]);
  return fmt::format("up = [{:.4g}, {:.4g}, {:.4g}]", print->up.x(), print->up.y(), print->up.z());
}

void refuseContradictions(const Brief& brief) {
  const std::vector<const BriefRule*> rules = imposedRules(brief);
  if (const std::optional<Contradiction> found = contradictionIn(brief.imposed())) {
    const BriefRule& first = *rules[found->first];
    const BriefRule& second = *rules[found->second];
    refuse(brief, second.place,
           fmt::format("'{}' and '{}' (line {}) exclude each other: {}", nameOf(second.rule),
                       nameOf(first.rule), first.place.line, found->why),
           "leave one of them out, or give it impose = false to have the solid measured for it");
  }
  const auto symmetric = std::find_if(
      rules.begin(), rules.end(), [](const BriefRule* each) { return !symmetriesOf({each->rule}).empty(); });
  if (symmetric == rules.end()) return;
  try {
    constexpr double kSame = 1e-5;  // of a voxel
    const Symmetry together(symmetriesOf(brief.imposed()), kSame * brief.voxel);
  } catch (const InputError& error) {
    refuse(brief, (*symmetric)->place, error.what(), error.cure());
  }
}

void checkMaking(Job& job) {
  for (const BriefRule* each : imposedRules(job.brief)) {
    checkParting(job, *each);
    checkVoids(job, *each);
    checkTool(job, *each);
    checkLocalShare(job, *each);
    for (const SymmetryRule& symmetry : symmetriesOf({each->rule}))
      std::visit(CheckSymmetry{job, each->place}, symmetry);
  }
}

}  // namespace barelattice
