// What the layout and parts of it may weigh.

#include <fmt/format.h>

#include <algorithm>

#include "job_parts.hpp"

namespace barelattice {
namespace {

/// What each cell weighs full, kg; zero outside a shape.
template <int D>
std::vector<double> massesWithin(const Domain<D>& domain, const Job& job, const Shape& shape) {
  std::vector<double> masses(domain.fill.size(), 0.0);
  for (std::size_t c = 0; c < masses.size(); ++c)
    if (shape.distance(cellCentre(domain, c, job.regions)) < 0)
      masses[c] = domain.fill[c] * job.designMass(c);
  return masses;
}

void settleParts(Job& job) {
  const Brief& brief = job.brief;
  for (const BriefPartTarget& wanted : brief.target.within) {
    PartTarget part{wanted.shape, 0, 0};
    double keeps = 0;
    std::visit(
        [&](const auto& domain) {
          const std::vector<double> masses = massesWithin(domain, job, *brief.shape(wanted.shape));
          for (std::size_t c = 0; c < masses.size(); ++c) {
            part.full += masses[c];
            if (domain.keep[c]) keeps += masses[c];
          }
        },
        job.domain);
    const std::string& name = brief.shapes[wanted.shape].name;
    if (part.full == 0)
      refuse(brief, wanted.place, fmt::format("shape \"{}\" holds nothing of the design space", name),
             "look at its place, or leave its target out");
    const double apart = brief.target.countKeeps ? 0 : keeps;
    part.most = apart + wanted.mass.value_or(wanted.fraction.value_or(0) * (part.full - apart));
    if (part.most <= keeps)
      refuse(brief, wanted.place,
             fmt::format("in \"{}\" at most {:.4g} kg are wanted, and the keeps there weigh {:.4g} kg", name,
                         part.most, keeps),
             "allow more");
    if (part.most >= part.full)
      refuse(brief, wanted.place,
             fmt::format("in \"{}\" at most {:.4g} kg are wanted, and it weighs {:.4g} kg full", name,
                         part.most, part.full),
             "allow less, or leave it out: it bounds nothing");
    if (job.spaceMass - part.full + part.most < job.targetMass)
      refuse(brief, wanted.place,
             fmt::format("with at most {:.4g} kg in \"{}\" no more than {:.4g} kg find room in all, and the "
                         "target is {:.4g} kg",
                         part.most, name, job.spaceMass - part.full + part.most, job.targetMass),
             "allow more there, or want less in all");
    job.partTargets.push_back(part);
  }
}

}  // namespace

void settleMass(Job& job) {
  const Brief& brief = job.brief;
  const std::vector<Material>& materials = job.setup.materials;
  std::vector<std::size_t> cells(materials.size(), 0);
  std::visit(
      [&](const auto& domain) {
        for (std::size_t c = 0; c < domain.fill.size(); ++c) {
          ++cells[domain.material[c]];
          if (domain.bonded[c] > 0)
            job.bondedMass += domain.bonded[c] * domain.cellVolume() *
                              materials[static_cast<std::size_t>(job.regions.nearestBondedMaterial(
                                            cellCentre(domain, c, job.regions)))]
                                  .density;
          const double mass = domain.fill[c] * job.designMass(c);
          job.spaceMass += mass;
          if (domain.keep[c]) job.keepMass += mass;
        }
      },
      job.domain);
  for (std::size_t r = 0; r < brief.regions.size(); ++r)
    if (cells[r + 1] == 0)
      refuse(brief, brief.regions[r].place,
             fmt::format("[{}.{}] holds no voxel", brief.regions[r].bonded ? "inserts" : "regions",
                         brief.regions[r].name),
             brief.regions[r].bonded ? "it is smaller than a voxel, or lies inside another part"
                                     : "it lies outside the design space, or other regions cover it");
  if (!brief.designs) return;
  if (brief.lightest) {  // it is what is sought
    constexpr double kMost = 0.95;
    if (job.keepMass > kMost * job.spaceMass)
      refuse(brief, {},
             fmt::format(
                 "the keeps weigh {:.4g} kg of the {:.4g} kg of the full design space: there is nothing to "
                 "make lighter",
                 job.keepMass, job.spaceMass),
             "make the keeps and the 'backing' of loads smaller, or enlarge the design space");
    return;
  }
  const double apart = brief.target.countKeeps ? 0 : job.keepMass;
  job.targetMass =
      apart + brief.target.mass.value_or(brief.target.fraction.value_or(0) * (job.spaceMass - apart));
  if (brief.target.limit) {
    job.brief.requirements.push_back({Requirement::Kind::mass, 0, job.targetMass});
    // The finished part is not to exceed it by what reading it may be off.
    if (brief.solid.keepVolume) job.targetMass *= 1 - brief.solid.volumeTolerance;
  }
  if (job.targetMass <= job.keepMass)
    refuse(brief, brief.target.place,
           fmt::format("the mass target of {:.4g} kg is not above the mass of the keep regions, {:.4g} kg",
                       job.targetMass, job.keepMass),
           fmt::format("raise the target above {:.4g} kg, or make the keeps{} smaller", job.keepMass,
                       job.assumptions.empty() ? "" : " and the 'backing' of loads"));
  if (job.targetMass >= job.spaceMass)
    refuse(
        brief, brief.target.place,
        fmt::format("the mass target of {:.4g} kg is not below the mass of the full design space, {:.4g} kg",
                    job.targetMass, job.spaceMass),
        "lower the target, or enlarge the design space");
  settleParts(job);
}
template <int D>
std::vector<Limit> partLimits(const Domain<D>& domain, const Job& job) {
  std::vector<Limit> limits;
  for (const PartTarget& part : job.partTargets) {
    const std::string name = "mass_fraction_in_" + job.brief.shapes[part.shape].name;
    limits.push_back(
        {std::make_shared<MassFraction>(massesWithin(domain, job, *job.brief.shape(part.shape)), name), 0,
         LimitSense::atMost, part.most / part.full});
  }
  return limits;
}

template std::vector<Limit> partLimits<2>(const Domain<2>&, const Job&);
template std::vector<Limit> partLimits<3>(const Domain<3>&, const Job&);

}  // namespace barelattice
