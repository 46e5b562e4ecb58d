// The step that finds the layout, or takes one over from elsewhere.

#include <fmt/format.h>

#include <algorithm>
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
#include "layout_file.hpp"
#include "stamps.hpp"

namespace barelattice {
namespace {

constexpr double kMm = kMillimetresPerMetre;

}  // namespace

/// What went wrong, and what to change; nothing for ends that a later step can work with.
std::optional<FailureRecord> JobRun::failureOf(const OptimiseResult& result) const {
  const double wanted = job_.targetMass;
  const double needed = result.neededMass * job_.spaceMass;
  const double member = job_.brief.walls().smallestMember * kMm;
  const bool lean = needed > 1.02 * wanted;
  const std::string mass =
      lean ? fmt::format("give [target] about {:.3g} kg", needed) : "give [target] more mass";
  const auto failed = [](const std::string& what, const std::string& cure) {
    return FailureRecord{what, cure, {}};
  };
  switch (result.stop) {
    case OptimiseStop::settled:
    case OptimiseStop::iterationLimit:
    case OptimiseStop::cancelled:
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
      return failed("a limit does not hold: " + result.where, mass + ", or a wider limit");
    case OptimiseStop::loose:
      return failed("the layout does not hold: " + result.where,
                    fmt::format("{}, or take another smallest_member", mass));
  }
  return std::nullopt;
}

void JobRun::refuseFailedLayout() const {
  if (!record_.layout || !record_.layout->design || !record_.layout->design->failure) return;
  const FailureRecord& failure = *record_.layout->design->failure;
  throw RunError(failure.what, failure.cure + ". The layout is kept in layout.vti, and 'report' draws it");
}

template <int D>
OptimiseResult JobRun::runOptimiser() {
  const LayoutProblem<D> problem = job_.layoutProblem<D>();
  const auto& domain = std::get<Domain<D>>(job_.domain);
  OptimiseOptions options;
  options.maxIterations = job_.brief.iterations;  // zero for no wish
  const std::filesystem::path checkpoint = folder() / "checkpoint.bin";
  const std::filesystem::path kept = folder() / "iterations";
  const std::string fingerprint = layoutFingerprint(job_);
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
  double writing = 0;  // seconds the last checkpoint took
  constexpr double kWritingShare = 20;
  OptimiseResult result = optimiseLayout<D>(
      problem, options,
      [&](const IterationView& view) {
        history.push_back(view.record);
        writeFile(folder() / "history.csv", historyCsv(history, view.columns));
        if (job_.brief.keepEvery > 0 &&
            (view.record.iteration == 1 || view.record.iteration % job_.brief.keepEvery == 0)) {
          std::filesystem::create_directories(kept);
          CellImage image = imageOf(domain.grid, domain.thickness);
          image.fields = {{"density", spread(domain.grid, view.density)}};
          writeVti(kept / fmt::format("{:04}.vti", view.record.iteration), image);
        }
        const bool stop = stopAsked();
        // Of a large job writing takes its time: it gets a twentieth at most.
        const bool due = view.record.iteration == 1 ||
                         sinceCheckpoint.seconds() > std::max(kCheckpointSeconds, kWritingShare * writing);
        if (stop || view.last || due) {
          const Stopwatch watch;
          writeCheckpoint(checkpoint, fingerprint, view.state);
          // The figures of what is drawn: a step that was taken back is not.
          const auto shown = std::find_if(history.rbegin(), history.rend(),
                                          [](const IterationRecord& r) { return !r.takenBack; });
          if (!stop && !view.last && shown != history.rend())
            storeUnfinished<D>({*shown, view.columns, view.density, view.last, view.level, view.state});
          writing = watch.seconds();
          sinceCheckpoint = Stopwatch();
        }
        if (listener_.iteration) listener_.iteration(view.record);
        return !stop;
      },
      state ? &*state : nullptr);
  return result;
}

/// A layout that was just analysed or is at work.
LayoutRecord JobRun::begunLayout() const {
  LayoutRecord record;
  record.stamp = {layoutFingerprint(job_), inputsOfLayout(job_).values(), {}};
  record.faces = inputsOfFaces(job_).hash();
  return record;
}

template <int D>
void JobRun::storeUnfinished(const IterationView& view) {
  const auto& domain = std::get<Domain<D>>(job_.domain);
  layoutFile().write(view.density, view.level());
  LayoutRecord record = begunLayout();
  record.stop = kAtWork;
  record.mass = view.record.massFraction * job_.spaceMass;
  DesignRecord& design = record.design.emplace();
  design.goal = goalText();
  design.iterations = static_cast<std::size_t>(view.record.iteration);
  design.compliance = view.record.nominal;
  design.eroded = view.record.eroded;
  design.blackAndWhite = std::numeric_limits<double>::infinity();
  const Greyness grey = greyness(view.density, domain.fill);
  design.greyOverMass = grey.overMass;
  design.greyOverSpace = grey.overSpace;
  design.seconds = view.record.seconds;
  record_.layout = std::move(record);
  record_.atWork = true;
  save();
  record_.atWork = false;
}

template <int D>
void JobRun::storeLayout(const OptimiseResult& result) {
  const auto& domain = std::get<Domain<D>>(job_.domain);
  layoutFile().write(result.density, result.level);
  // Also where no iteration was left to do.
  writeFile(folder() / "history.csv", historyCsv(result.history, result.columns));
  LayoutRecord record = begunLayout();
  record.finished = result.stop != OptimiseStop::cancelled;
  record.settled = result.stop == OptimiseStop::settled;
  record.stop = describe(result.stop);
  record.mass = result.massFraction * job_.spaceMass;
  DesignRecord& design = record.design.emplace();
  for (std::size_t k = 0; k < job_.setup.cases.size(); ++k) {
    LayoutCaseRecord& c = design.cases.emplace_back();
    c.name = job_.setup.cases[k].name;
    c.compliance = result.caseCompliance[k];
    c.blackAndWhite = result.caseBlackAndWhite[k];
    for (const NamedFace& face : job_.setup.faces)
      c.faceDisplacement[face.name] =
          meanOn(tieToGrid(domain.grid, face.face), result.displacements[k], dofOrder(domain.grid));
  }
  design.failure = failureOf(result);
  design.goal = goalText();
  design.iterations = result.history.size();
  design.compliance = result.nominal;
  design.eroded = result.eroded;
  design.blackAndWhite = result.blackAndWhite;
  design.threshold = result.threshold;
  design.greyOverSpace = result.grey.overSpace;
  design.greyOverMass = result.grey.overMass;
  design.neededMass = result.neededMass * job_.spaceMass;
  design.seconds = result.history.empty() ? 0 : result.history.back().seconds;
  record_.layout = std::move(record);
}

std::string JobRun::goalText() const {
  return job_.brief.goal == GoalForm::worst ? "worst case" : "weighted sum";
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
  LayoutRecord record = begunLayout();
  record.finished = record.settled = true;
  record.stop = "taken over from " + from.file.filename().string();
  record.mass = mass;
  record.imported = {samples.values.size(), samples.spacing, layout.given * rho, layout.kept * rho,
                     layout.outside};
  record_.layout = std::move(record);
  save();
  note(fmt::format(
      "layout    {} samples of \"{}\" every {:.3g} mm: {:.4g} kg given, {:.4g} kg taken over, {:.2g} % "
      "outside the space; with the keeps {:.4g} kg",
      samples.values.size(), from.field, samples.spacing * kMm, layout.given * rho, layout.kept * rho,
      100 * layout.outside, mass));
}

void JobRun::optimise(bool fresh) {
  if (layoutReady_ && !fresh) return;
  if (!fresh && layoutFits(job_, record_) && record_.layout->finished) {
    note("optimise  reused: layout.vti fits the brief");
    refuseFailedLayout();
    layoutReady_ = true;
    return;
  }
  tellWhy(record_.layout ? &record_.layout->stamp : nullptr, "optimise", inputsOfLayout(job_));
  forgetLayout();
  if (job_.brief.layout) {
    importLayout();
    layoutReady_ = true;
    return;
  }
  if (fresh) std::filesystem::remove(folder() / "checkpoint.bin");
  const OptimiseResult result = job_.flat() ? runOptimiser<2>() : runOptimiser<3>();
  if (job_.flat())
    storeLayout<2>(result);
  else
    storeLayout<3>(result);
  save();
  // Only now: on a full disk the iterations are not lost with it.
  if (result.stop == OptimiseStop::settled) std::filesystem::remove(folder() / "checkpoint.bin");
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
