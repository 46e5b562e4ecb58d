// The step that finds the layout, or takes one over from elsewhere.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/formats/density_samples.hpp"
#include "barelattice/steps/steps.hpp"
#include "barelattice/voxels/grid_ties.hpp"
#include "figures.hpp"
#include "over_cells.hpp"

namespace barelattice {
namespace {

constexpr double kMm = kMillimetresPerMetre;

/// As files hold it.
std::vector<double> inSinglePrecision(std::vector<double> field) {
  for (double& value : field) value = static_cast<double>(static_cast<float>(value));
  return field;
}

/// The limit that values miss by most, for people; empty if they miss none.
std::string missedText(const Job& job, const std::vector<std::string>& columns,
                       const std::vector<double>& values) {
  const std::vector<DesignedRecord> limits = designedLimits(job, columns, values);
  const auto worst = std::max_element(limits.begin(), limits.end(), [](const auto& a, const auto& b) {
    return designedOver(a) < designedOver(b);
  });
  if (worst == limits.end() || designedOver(*worst) <= 1) return {};
  return fmt::format("{} is {:.4g}{}{} in case {}, and was to be {} {:.4g}{}", worst->what, worst->value,
                     worst->unit.empty() ? "" : " ", worst->unit, worst->worstCase, worst->sense,
                     worst->bound,
                     worst->correction == 1
                         ? ""
                         : fmt::format(" once it is corrected by {:.3g} as proofs found", worst->correction));
}

/// What went wrong, and what to change; nothing for ends that a later step can work with.
std::optional<FailureRecord> failureOf(const Job& job, const OptimiseResult& result) {
  const double wanted = job.brief.lightest ? result.massFraction * job.spaceMass : job.targetMass;
  const double needed = result.neededMass * job.spaceMass;
  const double member = job.brief.walls().smallestMember * kMm;
  std::string missed = missedText(job, result.columns, result.values);
  if (missed.empty()) missed = result.where;  // the share of a part of the mass
  const bool lean = needed > 1.02 * wanted;
  const char* target = job.brief.target.limit ? "[limits] mass" : "[target]";
  const std::string mass = job.brief.lightest ? "let the limits ask for more"
                           : lean             ? fmt::format("give {} about {:.3g} kg", target, needed)
                                              : fmt::format("give {} more mass", target);
  const auto failed = [](const std::string& what, const std::string& cure) {
    return FailureRecord{what, cure, {}};
  };
  switch (result.stop) {
    case OptimiseStop::settled:
    case OptimiseStop::iterationLimit:
      return std::nullopt;
    case OptimiseStop::tooLittleMass:
      return failed(
          fmt::format("{:.4g} kg are too little for members of {:.3g} mm{}", wanted, member,
                      lean ? fmt::format(": what was found would hold with about {:.3g} kg", needed) : ""),
          fmt::format("{}, or take a smaller smallest_member than {:.3g} mm", mass, member));
    case OptimiseStop::restless:
      return failed(
          fmt::format(
              "the layout still changes after {} iterations{}", result.history.size(),
              lean ? fmt::format(": {:.4g} kg may be too little for members of {:.3g} mm, what was found "
                                 "would hold with about {:.3g} kg",
                                 wanted, member, needed)
                   : ""),
          fmt::format("{}, or take another smallest_member; to take the layout as it stands, give [optimise] "
                      "iterations = {}",
                      mass, result.history.size()));
    case OptimiseStop::grey:
      return failed(
          fmt::format("the layout is grey: read black and white its compliance is {:.3g} J, not {:.3g} J",
                      result.blackAndWhite, result.nominal),
          "take smaller voxels, or a smallest_member of more voxels");
    case OptimiseStop::missed:
      return job.brief.lightest ? failed("no layout was found that holds: " + missed,
                                         "allow more, enlarge the design space, or take another material")
                                : failed("a limit does not hold: " + missed, mass + ", or a wider limit");
    case OptimiseStop::loose:
      return failed("the layout does not hold: " + result.where,
                    fmt::format("{}, or take another smallest_member", mass));
  }
  return std::nullopt;
}

LayoutRecord recordOf(const Job& job, const OptimiseResult& result) {
  LayoutRecord record;
  record.finished = true;
  record.settled = result.stop == OptimiseStop::settled;
  record.stop = describe(result.stop);
  record.mass = result.massFraction * job.spaceMass;
  DesignRecord& design = record.design.emplace();
  for (std::size_t k = 0; k < job.setup.cases.size(); ++k) {
    LayoutCaseRecord& c = design.cases.emplace_back();
    c.name = job.setup.cases[k].name;
    c.compliance = result.caseCompliance[k];
    c.blackAndWhite = result.caseBlackAndWhite[k];
    std::visit(
        [&](const auto& domain) {
          for (const NamedFace& face : job.setup.faces)
            c.faceDisplacement[face.name] =
                meanOn(tieToGrid(domain, face.face), result.displacements[k], dofOrder(domain.grid));
        },
        job.domain);
  }
  design.failure = failureOf(job, result);
  design.goal = goalText(job);
  design.steps = result.steps;
  design.limits = designedLimits(job, result.columns, result.values);
  for (std::size_t k = 0; job.brief.blend && k < result.full.size() && result.columns[k] != "mass_fraction";
       ++k)
    design.overFull[result.columns[k]] = result.values[k] / result.full[k];
  design.iterations = result.history.size();
  design.compliance = result.nominal;
  design.eroded = result.eroded;
  design.blackAndWhite = result.blackAndWhite;
  design.threshold = result.threshold;
  design.greyOverSpace = result.grey.overSpace;
  design.greyOverMass = result.grey.overMass;
  design.neededMass = result.neededMass * job.spaceMass;
  if (result.made)
    design.made = MadeWithinRecord{job.brief.walls().madeWithin, result.made->goal,
                                   result.made->thin * job.spaceMass, result.made->thick * job.spaceMass};
  design.seconds = result.history.empty() ? 0 : result.history.back().seconds;
  return record;
}

}  // namespace

std::string goalText(const Job& job) {
  if (job.brief.lightest) return "lightest";
  if (job.brief.blend) {
    const BriefBlend& blend = *job.brief.blend;
    if (blend.only())
      return blend.frequency > 0 ? "highest frequency" : blend.stress > 0 ? "least stress" : "weighted sum";
    return fmt::format("blend of {:.3g} stiffness, {:.3g} frequency, {:.3g} stress", blend.stiffness,
                       blend.frequency, blend.stress);
  }
  return job.brief.goal == GoalForm::worst ? "worst case" : "weighted sum";
}

FoundLayout designLayout(const Job& job, const IterationCallback& callback, const OptimiseState* resume,
                         const ProgressCallback& progress) {
  if (const std::string why = job.whyNotDesigned(); !why.empty())
    throw InputError(why, job.brief.designs ? "state what acts there as a force; parts that are there can be "
                                              "analysed under it"
                                            : "give it both to have a part designed, or use 'analyse'");
  for (const BriefLimit& limit : job.brief.limits)
    if (limit.bound == 0)
      throw InputError("the bound of limit " + limit.name + " is relative, and not known yet",
                       "find it with boundsOf, and give it to the job by withBounds");
  OptimiseOptions options;
  options.maxIterations = job.brief.iterations;  // zero for no wish
  options.progress = progress;
  OptimiseResult result;
  try {
    result = job.flat() ? optimiseLayout<2>(job.layoutProblem<2>(), options, callback, resume)
                        : optimiseLayout<3>(job.layoutProblem<3>(), options, callback, resume);
  } catch (const OutOfReach& error) {
    throw RunError(
        "a limit is out of reach: with all of the space full " + missedText(job, error.columns, error.full),
        error.cure());
  }
  LayoutRecord record = recordOf(job, result);
  return {inSinglePrecision(std::move(result.density)), inSinglePrecision(std::move(result.level)),
          std::move(record), std::move(result.history), std::move(result.columns)};
}

FoundLayout importedLayout(const Job& job) {
  if (!job.brief.layout) throw InputError("the brief names no layout to take over", "give it a [layout]");
  const BriefLayout& from = *job.brief.layout;
  const DensitySamples samples = readDensity(from.file, from.field, from.unit);
  const ResampledDensity layout = std::visit(
      [&](const auto& domain) {
        ResampledDensity taken = resampled(samples, domain);
        for (std::size_t c = 0; c < taken.density.size(); ++c)
          if (domain.keep[c]) taken.density[c] = 1;
        return taken;
      },
      job.domain);
  const double rho = job.brief.material.density;
  FoundLayout found;
  found.record.finished = found.record.settled = true;
  found.record.stop = "taken over from " + from.file.filename().string();
  found.record.mass = overCells(job, [&](const auto& domain, std::size_t c) {
    return layout.density[c] * domain.fill[c] * job.designMass(c);
  });
  found.record.imported = {samples.values.size(), samples.spacing, layout.given * rho, layout.kept * rho,
                           layout.outside};
  found.density = found.level = inSinglePrecision(layout.density);
  return found;
}

}  // namespace barelattice
