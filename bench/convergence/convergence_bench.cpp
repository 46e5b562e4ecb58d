// Tries the optimiser on many layout problems, by its own schedule or another, and prints one line of JSON
// each. Usage: convergence_bench SET [SCHEDULE] [NAME]
//   SET       suite, sheets, bodies, wheels, shorts
//   SCHEDULE  usual (what the product does), plain (the filter alone, no erosion), one of the six it is held
//             against (slow, fast, small-steps, wide, eroded-first, other-start), or widening-N (the usual
//             path begun with a filter N times as wide, and no other)
//   NAME      only problems whose name begins so

#include <fmt/format.h>

#include <cstdlib>
#include <nlohmann/json.hpp>
#include <random>
#include <string>

#include "barelattice/base/error.hpp"
#include "barelattice/base/stopwatch.hpp"
#include "measures.hpp"
#include "problems.hpp"

namespace {

using namespace barelattice;
using namespace barelattice::bench;

constexpr double kErosion = 0.25;

/// A path along given sharpnesses and erosions, each leg cut into steps.
Path pathOf(const Path& corners, int steps) {
  Path path{corners.front()};
  for (std::size_t leg = 0; leg + 1 < corners.size(); ++leg)
    for (int k = 1; k <= steps; ++k)
      path.push_back(readingAt(corners, static_cast<double>(leg) + static_cast<double>(k) / steps));
  return path;
}

OptimiseOptions schedule(const std::string& name) {
  OptimiseOptions options;
  options.guard = name == "usual" ? options.guard : 600;
  if (name == "plain") options.path = usualPath(1, 0);
  if (name.starts_with("widening-")) {
    options.path = usualPath(std::stod(name.substr(9)), kErosion);
    options.guard = OptimiseOptions().guard;
  }
  if (name == "slow") {
    options.path = usualPath(1, kErosion);
    options.continuation.stageGain = 0.002;
    options.continuation.stageIterations = 100;
  }
  if (name == "fast") {
    options.path = {{4, 0}, {8, 0.1}, {16, kErosion}, {32, kErosion}};
    options.continuation.stageGain = 0.05;
  }
  if (name == "small-steps") options.path = pathOf({{1, 0}, {8, 0}, {8, kErosion}, {32, kErosion}}, 12);
  if (name == "wide") options.path = usualPath(2, kErosion);
  if (name == "eroded-first")
    options.path = {{1, 0},        {1, kErosion},  {2, kErosion}, {4, kErosion},
                    {8, kErosion}, {16, kErosion}, {32, kErosion}};
  if (name == "other-start") options.path = usualPath(1, kErosion);
  return options;
}

/// Random densities of patches of cells, the same at every call.
template <int D>
std::vector<double> patches(const Grid<D>& grid) {
  constexpr int kPatch = 8;
  std::vector<double> start(grid.cellCount());
  for (std::size_t c = 0; c < start.size(); ++c) {
    std::uint32_t seed = 1;
    for (const int i : grid.cellIndex(c)) seed = seed * 1009 + static_cast<std::uint32_t>(i / kPatch);
    std::mt19937 random(seed);
    start[c] = std::uniform_real_distribution<double>(0, 1)(random);
  }
  return start;
}

template <int D>
nlohmann::json tried(Posed<D> posed, const std::string& name) {
  if (name == "other-start") posed.problem.start = patches(*posed.grid);
  const Stopwatch watch;
  const bool log = std::getenv("BARELATTICE_BENCH_LOG") != nullptr;
  try {
    const OptimiseResult r = optimiseLayout<D>(posed.problem, schedule(name), [&](const IterationView& view) {
      const IterationRecord& i = view.record;
      if (log)
        fmt::print(stderr,
                   "{:4} b {:5.1f} e {:.3f} goal {:.5g} C {:.5g} eroded {:.5g} change {:.4f} solver {} {}\n",
                   i.iteration, i.sharpness, i.erosion, i.goal, i.nominal, i.eroded, i.change,
                   i.solverIterations, i.takenBack ? "back" : "");
      return true;
    });
    const double seconds = watch.seconds();
    const double member = wallsOf(posed.problem.making).smallestMember;
    std::vector<double> read(r.level.size());
    for (std::size_t c = 0; c < read.size(); ++c) read[c] = r.level[c] >= r.threshold ? 1 : 0;
    int solver = 0;
    int back = 0;
    for (const IterationRecord& i : r.history) {
      solver += i.solverIterations;
      back += i.takenBack;
    }
    return {{"stop", describe(r.stop)},
            {"settled", r.stop == OptimiseStop::settled},
            {"iterations", r.history.size()},
            {"taken_back", back},
            {"solver_iterations", solver},
            {"seconds", seconds},
            {"compliance", r.nominal},
            {"eroded", r.eroded},
            {"black_and_white", r.blackAndWhite},
            {"direct", directGoal<D>(posed.problem, read)},
            {"legal", posed.legal},
            {"grey", r.grey.overMass},
            {"thin", thinShare<D>(posed.problem, r.level, r.threshold, 0.9 * member, D == 2 ? 4 : 9)},
            {"needed_mass", r.neededMass}};
  } catch (const Error& error) {
    return {{"stop", error.what()}, {"settled", false}, {"seconds", watch.seconds()}};
  }
}

template <int D>
void tryOne(const Named<D>& problem, const std::string& name) {
  Posed<D> posed = problem.make();
  nlohmann::json line{{"problem", problem.name},
                      {"schedule", name},
                      {"cells", posed.grid->cellCount()},
                      {"share", posed.problem.massFraction}};
  line.update(tried<D>(std::move(posed), name));
  fmt::print("{}\n", line.dump());
  std::fflush(stdout);
}

template <int D>
void tryAll(const std::vector<Named<D>>& problems, const std::string& name, const std::string& prefix) {
  for (const Named<D>& problem : problems)
    if (problem.name.starts_with(prefix)) tryOne<D>(problem, name);
}

}  // namespace

int main(int argc, char** argv) {
  const std::string set = argc > 1 ? argv[1] : "suite";
  const std::string name = argc > 2 ? argv[2] : "usual";
  const std::string prefix = argc > 3 ? argv[3] : "";
  if (set == "suite" || set == "sheets") tryAll<2>(suiteOfSheets(), name, prefix);
  if (set == "suite" || set == "bodies") tryAll<3>(suiteOfBodies(), name, prefix);
  if (set == "wheels") tryAll<2>(wheels(), name, prefix);
  if (set == "shorts") tryAll<3>(shortCantilevers(), name, prefix);
}
