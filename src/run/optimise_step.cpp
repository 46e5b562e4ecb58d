// The step that finds the layout, or takes one over from elsewhere.

#include <fmt/format.h>

#include <cmath>

#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/base/stopwatch.hpp"
#include "barelattice/formats/density_samples.hpp"
#include "barelattice/formats/vti.hpp"
#include "barelattice/run/checkpoint.hpp"
#include "barelattice/run/run.hpp"
#include "barelattice/voxels/grid_ties.hpp"
#include "figures.hpp"
#include "inputs.hpp"
#include "layout_file.hpp"

namespace barelattice {
namespace {

using nlohmann::json;

constexpr double kMm = kMillimetresPerMetre;

/// A figure as JSON can hold it: nothing where it is infinite.
json figure(double value) {
  return std::isfinite(value) ? json(value) : json(nullptr);
}

json failureJson(const std::optional<JobRun::Failure>& failure) {
  if (!failure) return nullptr;
  return {{"what", failure->what}, {"cure", failure->cure}};
}

}  // namespace

/// What went wrong, and what to change; nothing for ends that a later step can work with.
std::optional<JobRun::Failure> JobRun::failureOf(const OptimiseResult& result) const {
  const double wanted = job_.targetMass;
  const double needed = result.neededMass * job_.spaceMass;
  const double member = job_.brief.walls().smallestMember * kMm;
  const bool lean = needed > 1.02 * wanted;
  const std::string mass =
      lean ? fmt::format("give [target] about {:.3g} kg", needed) : "give [target] more mass";
  switch (result.stop) {
    case OptimiseStop::settled:
    case OptimiseStop::iterationLimit:
    case OptimiseStop::cancelled:
      return std::nullopt;
    case OptimiseStop::tooLittleMass:
      return Failure{
          fmt::format("{:.4g} kg are too little for members of {:.3g} mm{}", wanted, member,
                      lean ? fmt::format(": what was found would hold with about {:.3g} kg", needed) : ""),
          fmt::format("{}, or take a smaller smallest_member than {:.3g} mm", mass, member)};
    case OptimiseStop::restless:
      return Failure{
          fmt::format(
              "the layout still changes after {} iterations{}", result.history.size(),
              lean ? fmt::format(": {:.4g} kg may be too little for members of {:.3g} mm, what was found "
                                 "would hold with about {:.3g} kg",
                                 wanted, member, needed)
                   : ""),
          fmt::format("{}, or take another smallest_member; to take the layout as it stands, give [optimise] "
                      "iterations = {}",
                      mass, result.history.size())};
    case OptimiseStop::grey:
      return Failure{
          fmt::format("the layout is grey: read black and white its compliance is {:.3g} J, not {:.3g} J",
                      result.blackAndWhite, result.nominal),
          "take smaller voxels, or a smallest_member of more voxels"};
    case OptimiseStop::loose:
      return Failure{"the layout does not hold: " + result.where,
                     fmt::format("{}, or take another smallest_member", mass)};
  }
  return std::nullopt;
}

void JobRun::refuseFailedLayout() const {
  const json failure = results_["optimise"].value("failure", json());
  if (!failure.is_object()) return;
  throw RunError(
      failure["what"].get<std::string>(),
      failure["cure"].get<std::string>() + ". The layout is kept in layout.vti, and 'report' draws it");
}

template <int D>
OptimiseResult JobRun::runOptimiser() {
  const LayoutProblem<D> problem = job_.layoutProblem<D>();
  const auto& domain = std::get<Domain<D>>(job_.domain);
  OptimiseOptions options;
  options.maxIterations = job_.brief.iterations;  // zero for no wish
  const std::filesystem::path checkpoint = folder_ / "checkpoint.bin";
  const std::filesystem::path kept = folder_ / "iterations";
  const std::string fingerprint = layoutFingerprint();
  std::optional<OptimiseState> state = readCheckpoint(checkpoint, fingerprint);
  const auto most = static_cast<std::size_t>(job_.brief.iterations);
  if (state && most > 0 && state->history.size() > most) state.reset();  // fewer are wished for now
  std::vector<IterationRecord> history;
  if (state) {
    history = state->history;
    note(fmt::format("optimise  goes on after iteration {}", history.size()));
  } else {
    std::filesystem::remove_all(kept);
  }
  Stopwatch sinceCheckpoint;
  OptimiseResult result = optimiseLayout<D>(
      problem, options,
      [&](const IterationView& view) {
        history.push_back(view.record);
        writeFile(folder_ / "history.csv", historyCsv(history, view.columns));
        if (job_.brief.keepEvery > 0 &&
            (view.record.iteration == 1 || view.record.iteration % job_.brief.keepEvery == 0)) {
          std::filesystem::create_directories(kept);
          CellImage image = imageOf(domain.grid, domain.thickness);
          image.fields = {{"density", spread(domain.grid, view.density)}};
          writeVti(kept / fmt::format("{:04}.vti", view.record.iteration), image);
        }
        const bool stop = stopAsked();
        if (stop || view.last || sinceCheckpoint.seconds() > kCheckpointSeconds) {
          writeCheckpoint(checkpoint, fingerprint, view.state());
          sinceCheckpoint = Stopwatch();
        }
        if (listener_.iteration) listener_.iteration(view.record);
        return !stop;
      },
      state ? &*state : nullptr);
  return result;
}

template <int D>
void JobRun::storeLayout(const OptimiseResult& result) {
  const auto& domain = std::get<Domain<D>>(job_.domain);
  layoutFile().write(result.density, result.level);
  writeFile(folder_ / "history.csv", historyCsv(result.history,
                                                result.columns));  // also where no iteration was left to do
  json cases = json::array();
  for (std::size_t k = 0; k < job_.setup.cases.size(); ++k) {
    json faces = json::object();
    for (const NamedFace& face : job_.setup.faces)
      faces[face.name] = vectorJson(
          meanOn(tieToGrid(domain.grid, face.face), result.displacements[k], dofOrder(domain.grid)), kMm);
    cases.push_back({{"name", job_.setup.cases[k].name},
                     {"compliance_J", figure(result.caseCompliance[k])},
                     {"black_and_white_J", figure(result.caseBlackAndWhite[k])},
                     {"face_displacement_mm", faces}});
  }
  results_["optimise"] = {{"fingerprint", layoutFingerprint()},
                          {"inputs", inputsOfLayout(job_).json()},
                          {"faces", inputsOfFaces(job_).hash()},
                          {"finished", result.stop != OptimiseStop::cancelled},
                          {"settled", result.stop == OptimiseStop::settled},
                          {"stop", describe(result.stop)},
                          {"failure", failureJson(failureOf(result))},
                          {"goal", job_.brief.goal == GoalForm::worst ? "worst case" : "weighted sum"},
                          {"iterations", result.history.size()},
                          {"compliance_J", figure(result.nominal)},
                          {"eroded_J", figure(result.eroded)},
                          {"black_and_white_J", figure(result.blackAndWhite)},
                          {"black_and_white_threshold", result.threshold},
                          {"grey_over_space", result.grey.overSpace},
                          {"grey_over_mass", result.grey.overMass},
                          {"needed_mass_kg", result.neededMass * job_.spaceMass},
                          {"mass_kg", result.massFraction * job_.spaceMass},
                          {"cases", cases},
                          {"seconds", result.history.empty() ? 0 : result.history.back().seconds}};
}

void JobRun::importLayout() {
  const BriefLayout& from = *job_.brief.layout;
  const DensitySamples samples = readDensity(from.file, from.field, from.unit);
  const ResampledDensity layout = std::visit(
      [&](const auto& domain) {
        ResampledDensity taken = resampled(samples, domain);
        for (std::size_t c = 0; c < taken.density.size(); ++c)
          if (domain.keep[c]) taken.density[c] = 1;
        return taken;
      },
      job_.domain);
  layoutFile().write(layout.density, layout.density);
  const double mass = overCells(job_, [&](const auto& domain, std::size_t c) {
    return layout.density[c] * domain.fill[c] * job_.designMass(c);
  });
  const double rho = job_.brief.material.density;
  results_["optimise"] = {{"fingerprint", layoutFingerprint()},
                          {"inputs", inputsOfLayout(job_).json()},
                          {"faces", inputsOfFaces(job_).hash()},
                          {"finished", true},
                          {"settled", true},
                          {"stop", "taken over from " + from.file.filename().string()},
                          {"imported",
                           {{"samples", samples.values.size()},
                            {"spacing_mm", samples.spacing * kMm},
                            {"mass_given_kg", layout.given * rho},
                            {"mass_taken_kg", layout.kept * rho},
                            {"share_outside", layout.outside}}},
                          {"mass_kg", mass}};
  save();
  note(fmt::format(
      "layout    {} samples of \"{}\" every {:.3g} mm: {:.4g} kg given, {:.4g} kg taken over, {:.2g} % "
      "outside the space; with the keeps {:.4g} kg",
      samples.values.size(), from.field, samples.spacing * kMm, layout.given * rho, layout.kept * rho,
      100 * layout.outside, mass));
}

void JobRun::optimise(bool fresh) {
  if (layoutReady_ && !fresh) return;
  if (!fresh && layoutFits() && results_["optimise"].value("finished", false)) {
    note("optimise  reused: layout.vti fits the brief");
    refuseFailedLayout();
    layoutReady_ = true;
    return;
  }
  tellWhy("optimise", "optimise", inputsOfLayout(job_));
  forget({"optimise", "solid", "proof"});
  if (job_.brief.layout) {
    importLayout();
    layoutReady_ = true;
    return;
  }
  if (fresh) std::filesystem::remove(folder_ / "checkpoint.bin");
  const OptimiseResult result = job_.flat() ? runOptimiser<2>() : runOptimiser<3>();
  if (job_.flat())
    storeLayout<2>(result);
  else
    storeLayout<3>(result);
  save();
  // Only now: on a full disk the iterations are not lost with it.
  if (result.stop == OptimiseStop::settled) std::filesystem::remove(folder_ / "checkpoint.bin");
  note(
      fmt::format("optimise  {} iterations, {}: compliance {:.4g} J{}, read black and white {}, grey "
                  "{:.0f} %, mass {:.4g} kg",
                  result.history.size(), describe(result.stop), result.nominal,
                  job_.brief.goal == GoalForm::worst ? " in the worst case" : "",
                  std::isfinite(result.blackAndWhite) ? fmt::format("{:.4g} J", result.blackAndWhite)
                                                      : "it does not hold",
                  100 * result.grey.overMass, result.massFraction * job_.spaceMass));
  if (result.stop == OptimiseStop::cancelled) throw Cancelled();
  refuseFailedLayout();
  layoutReady_ = true;
}

}  // namespace barelattice
