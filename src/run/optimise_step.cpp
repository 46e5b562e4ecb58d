// The step that finds the layout, or takes one over from elsewhere, in its folder.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/base/stopwatch.hpp"
#include "barelattice/formats/vti.hpp"
#include "barelattice/run/checkpoint.hpp"
#include "barelattice/run/run.hpp"
#include "base/folders.hpp"
#include "history.hpp"
#include "layout_file.hpp"
#include "stamps.hpp"
#include "steps/figures.hpp"

namespace barelattice {
namespace {

constexpr double kMm = kMillimetresPerMetre;

}  // namespace

void JobRun::refuseFailedLayout() {
  if (!record_.layout || !record_.layout->design || !record_.layout->design->failure) return;
  const FailureRecord failure = *record_.layout->design->failure;
  if (goBackToRound(failure.what)) return;
  throw RunError(failure.what, failure.cure + ". The layout is kept in layout.vti, and 'report' draws it");
}

/// Writes a layout on the way as a picture of its own.
void JobRun::keepIteration(const IterationView& view, const std::filesystem::path& folder) const {
  std::visit(
      [&](const auto& domain) {
        makeFolder(folder);
        CellImage image = imageOf(domain.grid, domain.thickness);
        image.fields = {{"density", spread(domain.grid, view.density)}};
        writeVti(folder / fmt::format("{:04}.vti", view.record.iteration), image);
      },
      job_.domain);
}

/// What the last design left: of this one, or, where there is another round, of the round before.
std::optional<OptimiseState> JobRun::stateToGoOnWith(const std::string& fingerprint) const {
  const std::filesystem::path checkpoint = folder() / "checkpoint.bin";
  std::optional<OptimiseState> state = readCheckpoint(checkpoint, fingerprint);
  if (!state && !job_.corrections.empty()) {
    const std::vector<RoundRecord>& done = record_.rounds->done;
    Job before = job_;
    before.corrections.clear();
    if (done.size() > 1)
      for (const RoundLimitRecord& limit : done.back().limits)
        before.corrections.push_back(limit.designed.correction);
    state = readCheckpoint(checkpoint, layoutFingerprint(before));
    if (state) state = nextStart(job_, done.back(), std::move(*state));
  }
  const auto most = static_cast<std::size_t>(job_.brief.iterations);
  if (state && most > 0 && state->history.size() - state->begun > most)
    state.reset();  // fewer are wished for
  return state;
}

/// Designs the layout, with a checkpoint from time to time.
FoundLayout JobRun::designed() {
  const std::filesystem::path checkpoint = folder() / "checkpoint.bin";
  const std::filesystem::path kept = folder() / "iterations";
  const std::string fingerprint = layoutFingerprint(job_);
  std::optional<OptimiseState> state = stateToGoOnWith(fingerprint);
  std::vector<IterationRecord> history;
  if (state) {
    history = state->history;
    note(fmt::format("optimise  goes on after iteration {}", history.size()));
  } else {
    removeWhole(kept);
  }
  // Asked to stop, it ends after the iteration, with nothing lost, unless that takes long: then in its
  // solves, and what was done since the checkpoint is done again.
  constexpr double kPatience = 3;  // seconds
  std::size_t attempt = state ? state->attempt : 0;
  Stopwatch sinceIteration;
  Stopwatch sinceCheckpoint;
  double writing = 0;  // seconds the last checkpoint took
  constexpr double kWritingShare = 20;
  return designLayout(
      job_,
      [&](const IterationView& view) {
        if (history.empty()) noteFull(view);
        if (view.state.attempt != attempt)
          note(fmt::format("          begins anew after iteration {}, with members that suit the mass better",
                           view.record.iteration));
        attempt = view.state.attempt;
        history.push_back(view.record);
        writeFile(folder() / "history.csv", historyCsv(history, view.columns));
        const int every = job_.brief.keepEvery;
        if (every > 0 && (view.record.iteration == 1 || view.record.iteration % every == 0))
          keepIteration(view, kept);
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
          if (!view.last && shown != history.rend()) storeUnfinished(*shown, view, stop);
          writing = watch.seconds();
          sinceCheckpoint = Stopwatch();
        }
        if (listener_.iteration) listener_.iteration(view.record);
        sinceIteration = Stopwatch();
        return !stop;
      },
      state ? &*state : nullptr,
      [&](const Progress&) { return sinceIteration.seconds() < kPatience || !stopAsked(); });
}

/// Tells what limits come to where all of the space is full, which the search has to do with.
void JobRun::noteFull(const IterationView& view) const {
  if (view.full.empty()) return;
  for (const DesignedRecord& limit : designedLimits(job_, view.columns, view.full)) {
    const bool holds = overBound(limit, limit.value) <= 1;
    note(fmt::format("{}{}: {:.4g}{}{} with all of the space full, to be {} {:.4g}{}",
                     holds ? "          " : "warning   ", limit.what, limit.value,
                     limit.unit.empty() ? "" : " ", limit.unit, limit.sense, limit.bound,
                     holds ? "" : "; whether less material does better, only the search can tell"));
  }
}

/// Says of a layout what it depends on.
void JobRun::stampLayout(LayoutRecord& record) const {
  record.stamp = {layoutFingerprint(job_), inputsOfLayout(job_).values(), {}};
  record.faces = inputsOfFaces(job_).hash();
}

/// @param shown the figures of what is drawn. @param stopped it goes no further for now.
void JobRun::storeUnfinished(const IterationRecord& shown, const IterationView& view, bool stopped) {
  layoutFile().write(view.density, view.level());
  LayoutRecord record;
  stampLayout(record);
  record.stop = stopped ? kStopped : kAtWork;
  record.mass = shown.massFraction * job_.spaceMass;
  DesignRecord& design = record.design.emplace();
  design.goal = goalText(job_);
  design.iterations = static_cast<std::size_t>(shown.iteration);
  design.compliance = shown.nominal;
  design.eroded = shown.eroded;
  design.blackAndWhite = std::numeric_limits<double>::infinity();
  const Greyness grey =
      std::visit([&](const auto& domain) { return greyness(view.density, domain.fill); }, job_.domain);
  design.greyOverMass = grey.overMass;
  design.greyOverSpace = grey.overSpace;
  design.limits = designedLimits(job_, view.columns, shown.values);
  design.seconds = shown.seconds;
  record_.layout = std::move(record);
  record_.atWork = !stopped;  // or its files are as they will be found
  save();
  record_.atWork = false;
}

void JobRun::storeLayout(const FoundLayout& found) {
  layoutFile().write(found.density, found.level);
  // Also where no iteration was left to do.
  if (found.record.design) writeFile(folder() / "history.csv", historyCsv(found.history, found.columns));
  record_.layout = found.record;
  stampLayout(*record_.layout);
  save();
}

void JobRun::importLayout() {
  const FoundLayout found = importedLayout(job_);
  storeLayout(found);
  const ImportedRecord& from = *found.record.imported;
  note(fmt::format(
      "layout    {} samples of \"{}\" every {:.3g} mm: {:.4g} kg given, {:.4g} kg taken over, {:.2g} % "
      "outside the space; with the keeps {:.4g} kg",
      from.samples, job_.brief.layout->field, from.spacing * kMm, from.massGiven, from.massTaken,
      100 * from.shareOutside, found.record.mass));
}

void JobRun::choose() {
  if (!job_.open) return;
  note(fmt::format("choose    {} ways of {} are tried on voxels up to twice as large",
                   openRule(job_).ways.size(), nameOf(openRule(job_).rule)));
  ChoiceRecord choice = choiceOf(job_, progress());
  choice.fingerprint = choiceFingerprint(job_);
  for (const TriedRecord& tried : choice.tried)
    note(fmt::format(
        "          {}: {}", tried.way,
        tried.failure.empty() ? fmt::format("compliance {:.4g} J", tried.compliance) : tried.failure));
  note("choose    " + choice.tried[choice.taken].way);
  record_.choice = std::move(choice);
  job_ = settled(std::move(job_), record_);
  noteJob();
  save();
}

void JobRun::settleBounds() {
  if (!hasRelativeBounds(job_)) return;
  const std::string fingerprint = boundsFingerprint(job_);
  if (!record_.bounds || record_.bounds->fingerprint != fingerprint)
    record_.bounds = BoundsRecord{fingerprint, boundsOf(job_, progress())};
  job_ = settled(withBounds(std::move(job_), record_.bounds->values), record_);
  save();
}

void JobRun::optimise(bool fresh) {
  if (layoutReady_ && !fresh) return;
  if (fresh) {  // rounds begin anew, and nothing of them is gone back to
    record_.rounds.reset();
    removeWhole(folder() / kKeptRound);
    job_.corrections.clear();
  }
  choose();
  settleBounds();
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
  if (fresh) removeWhole(folder() / "checkpoint.bin");
  FoundLayout found;
  try {
    found = designed();
  } catch (const Cancelled&) {
    if (record_.layout)
      note(fmt::format("optimise  stopped on request; the layout after {} iterations is kept",
                       record_.layout->design->iterations));
    throw;
  } catch (const RunError& error) {
    if (goBackToRound(error.what())) return;
    throw;
  }
  storeLayout(found);
  // Only now: on a full disk the iterations are not lost with it.
  const LayoutRecord& layout = found.record;
  const DesignRecord& design = *layout.design;
  if (layout.settled && !job_.brief.inRounds()) removeWhole(folder() / "checkpoint.bin");
  note(fmt::format(
      "optimise  {} iterations, {}: compliance {:.4g} J{}, read black and white {}, grey "
      "{:.0f} %, mass {:.4g} kg",
      design.iterations, layout.stop, design.compliance,
      job_.brief.goal == GoalForm::worst && !job_.brief.lightest && !job_.brief.blend ? " in the worst case"
                                                                                      : "",
      std::isfinite(design.blackAndWhite) ? fmt::format("{:.4g} J", design.blackAndWhite)
                                          : "it does not hold",
      100 * design.greyOverMass, layout.mass));
  for (const DesignedRecord& limit : design.limits)
    note(fmt::format("          {} {:.4g}{}{} on the voxels in case {}, to be {} {:.4g}{}", limit.what,
                     limit.value, limit.unit.empty() ? "" : " ", limit.unit, limit.worstCase, limit.sense,
                     limit.bound,
                     limit.correction == 1 ? "" : fmt::format(", corrected by {:.3g}", limit.correction)));
  const auto governs = [](const DesignedRecord& limit) {
    constexpr double kGoverns = 0.95;
    return designedOver(limit) > kGoverns;
  };
  if (job_.brief.lightest && layout.settled &&
      std::none_of(design.limits.begin(), design.limits.end(), governs))
    note(
        fmt::format("warning   no limit decides on this mass: with members of {:.3g} mm nothing lighter was "
                    "found that holds together",
                    job_.brief.walls().smallestMember * kMm));
  if (design.made)
    note(fmt::format("made      {:.3g} mm too thin: compliance {:.4g} J, {:.4g} kg; too thick: {:.4g} kg",
                     design.made->offset * kMm, design.made->compliance, design.made->thin,
                     design.made->thick));
  refuseFailedLayout();
  layoutReady_ = true;
}

}  // namespace barelattice
