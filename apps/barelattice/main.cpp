// The command-line tool: arguments in, lines and exit codes out. All work is done by the library.

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <csignal>
#include <memory>
#include <new>
#include <nlohmann/json.hpp>
#include <string_view>

#include "arguments.hpp"
#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/base/stopwatch.hpp"
#include "barelattice/base/thread_limit.hpp"
#include "barelattice/brief/shipped.hpp"
#include "barelattice/prepare/inspect.hpp"
#include "barelattice/prepare/job.hpp"
#include "barelattice/report/page.hpp"
#include "barelattice/run/run.hpp"
#include "terminal.hpp"

using namespace barelattice;

namespace {

/// JSON is UTF-8 and names of files need not be: other bytes are replaced.
std::string textOf(const nlohmann::json& tree) {
  return tree.dump(2, ' ', false, nlohmann::json::error_handler_t::replace);
}

enum ExitCode { kDone = 0, kNotProven = 1, kWrongInput = 2, kFailed = 3 };

std::atomic<bool> stopRequested{false};
/// While a layout is made a safe point, after which files are written, is worth waiting for; other steps
/// begin again anyway, and files appear whole or not at all.
std::atomic<bool> designing{false};

/// A quick look takes voxels this much larger, a quarter of their number, as far as the smallest member
/// allows.
constexpr double kQuickVoxel = 1.6;

RunListener listenerFor(Terminal& terminal, const Job& job) {
  RunListener listener;
  listener.note = [&terminal](const std::string& line) { terminal.line(line); };
  listener.iteration = [&terminal, lightest = job.brief.lightest, spaceMass = job.spaceMass,
                        told = false](const IterationRecord& record) mutable {
    const bool log = terminal.plain() || record.iteration % 10 == 0 || record.iteration == 1;
    terminal.live(describeIteration(record, lightest, spaceMass), log);
    if (record.strengthened && !told)
      terminal.line(fmt::format(
          "  iteration {:>3}: V-cycles converge slowly on this layout, W-cycles from now on where they do",
          record.iteration));
    told = told || record.strengthened;
  };
  listener.progress = [&terminal](const Progress& progress) { terminal.live("  " + progress.stage, false); };
  listener.stopRequested = [] { return stopRequested.load(); };
  return listener;
}

int check(const Job& job, const std::filesystem::path& folder, const Arguments& arguments,
          Terminal& terminal) {
  claimRunFolder(folder);
  writeCheckPage(job, folder / "check.html");
  terminal.line(describeJob(job));
  for (const std::string& taken : job.brief.defaults) terminal.line("  assumed: " + taken);
  terminal.line("the brief can be run; see it in " + (folder / "check.html").string());
  if (arguments.json) {
    nlohmann::json cases = nlohmann::json::array();
    for (const CaseSummary& c : job.summaries) {
      const auto list = [](const Vec3& v) { return nlohmann::json{v.x(), v.y(), v.z()}; };
      cases.push_back({{"name", c.name},
                       {"weight", c.weight},
                       {"force_N", list(c.resultant.force)},
                       {"moment_Nm", list(c.resultant.moment)}});
    }
    std::vector<std::string> assumed = job.assumptions;
    assumed.insert(assumed.end(), job.brief.defaults.begin(), job.brief.defaults.end());
    const nlohmann::json told{
        {"title", job.brief.title},
        {"masses_kg",
         {{"space", job.spaceMass},
          {"keep", job.keepMass},
          {"target", job.brief.lightest ? nlohmann::json() : nlohmann::json(job.targetMass)},
          {"bonded", job.bondedMass}}},
        {"voxels", job.cellCount()},
        {"voxel_mm", job.cellSize() * kMillimetresPerMetre},
        {"estimate", {{"seconds", job.estimate.seconds}, {"bytes", job.estimate.bytes}}},
        {"cases", cases},
        {"assumptions", assumed},
        {"warnings", job.warnings}};
    fmt::print("{}\n", textOf(told));
  }
  return kDone;
}

/// From now on a signal lets the step come to a point from which it can go on, and a second one ends the
/// process at once: that loses no more than a power cut, and a mesh of millions takes its time. Before, there
/// is nothing to keep.
void stopAtSafePoints() {
  std::signal(SIGALRM, [](int) {
    constexpr std::string_view kText = "stopped; what earlier steps left is kept\n";
    static_cast<void>(!::write(STDERR_FILENO, kText.data(), kText.size()));  // perhaps nobody listens
    ::_exit(kFailed);
  });
  for (const int kind : {SIGINT, SIGTERM})
    std::signal(kind, [](int signal) {
      stopRequested = true;
      std::signal(signal, SIG_DFL);
      if (!designing) ::alarm(1);
      constexpr std::string_view kText =
          "\nstopping at the next safe point; a second signal ends it at once\n";
      if (::write(STDERR_FILENO, kText.data(), kText.size()) < 0) return;  // nobody listens
    });
}

/// Draws what the folder holds, whether or not a run is at work in it: that may be watched.
int report(const Job& given, const std::filesystem::path& folder, const Arguments& arguments,
           Terminal& terminal, const Stopwatch& watch) {
  claimRunFolder(folder);
  const RunRecord there = readRun(folder);
  const Job job = settled(given, there);
  const RunRecord found = fitting(there, job);
  for (const std::string& line : found.notes) terminal.line("warning   " + line);
  if (const std::string leftOut = leftOutText(found); !leftOut.empty()) terminal.line("warning   " + leftOut);
  if (found.atWork)
    terminal.line("a run is at work in " + folder.string() +
                  (found.layout ? fmt::format(": this is as far as iteration {}",
                                              found.layout->design ? found.layout->design->iterations : 0)
                                : ": nothing to show of it yet"));
  writeReport(job, found, folder / "report.html");
  terminal.line(
      fmt::format("report    {} ({:.0f} s in all)", (folder / "report.html").string(), watch.seconds()));
  if (arguments.json) fmt::print("{}\n", recordText(found));
  return kDone;
}

int work(const Arguments& arguments, Terminal& terminal) {
  const Stopwatch watch;
  Brief brief = readBrief(arguments.brief);
  const std::filesystem::path folder =
      arguments.folder.empty() ? defaultRunFolder(brief.path) : std::filesystem::path(arguments.folder);
  Job job = prepare(std::move(brief), arguments.quick ? kQuickVoxel : 1);
  if (arguments.verb == "check") return check(job, folder, arguments, terminal);
  terminal.line(describeJob(job));
  if (arguments.verb == "report") return report(job, folder, arguments, terminal, watch);
  stopAtSafePoints();
  RunListener listener = listenerFor(terminal, job);
  JobRun run(std::move(job), folder, std::move(listener));
  const auto design = [&] {
    designing = true;
    run.optimise(arguments.fresh);
    designing = false;
  };
  if (arguments.verb == "optimise") design();
  if (arguments.verb == "solid") run.solid(arguments.fresh);
  const bool outside = !arguments.solid.empty();
  if (outside) run.proofOf(arguments.solid, arguments.fresh);  // first: its file may not be there
  if (arguments.verb == "analyse") run.analyse(arguments.fresh);
  if (arguments.verb == "proof" && !outside) run.proof(arguments.fresh);
  if (arguments.verb == "run") {
    writeCheckPage(run.job(), folder / "check.html");
    design();
    try {
      run.proof();
    } catch (const RunError&) {  // the layout and the solid are still worth a look
      writeReport(run.job(), run.current(), folder / "report.html");
      terminal.line("report    " + (folder / "report.html").string() + ", without a proof");
      throw;
    }
    if (run.job().brief.baseline) run.analyse();
  }
  if (arguments.verb == "analyse" || arguments.verb == "proof" || arguments.verb == "run")
    terminal.line(describeBodies(run.current()));
  if (arguments.verb == "analyse") {
    writeAnalysis(run.job(), run.current(), folder / "analysis.html");
    terminal.line("analysis  " + (folder / "analysis.html").string());
  }
  const RunRecord found = run.current();
  if (const std::string leftOut = leftOutText(found); !leftOut.empty()) terminal.line("warning   " + leftOut);
  if (arguments.verb == "run") {
    writeReport(run.job(), found, folder / "report.html");
    terminal.line(
        fmt::format("report    {} ({:.0f} s in all)", (folder / "report.html").string(), watch.seconds()));
  }
  if (arguments.json) fmt::print("{}\n", recordText(found));
  const bool ownPart = arguments.verb == "optimise" || arguments.verb == "solid" || arguments.verb == "run" ||
                       (arguments.verb == "proof" && !outside);
  if (ownPart && !found.settled()) return kNotProven;
  const bool proofAsked = arguments.verb == "proof" || arguments.verb == "run";
  return proofAsked && proven(outside ? found.outside : found.proof) == false ? kNotProven : kDone;
}

/// Copies the demo's brief to the working folder, unless it is there already, and returns where it is.
std::string demoBrief() {
  const std::filesystem::path target = std::filesystem::path("rigger") / "rigger.toml";
  if (!std::filesystem::exists(target)) {
    std::filesystem::create_directories(target.parent_path());
    writeFile(target, riggerBrief());
  }
  return target.string();
}

/// Lists what a geometry file offers, and draws it when asked.
int inspect(const Arguments& arguments, Terminal& terminal) {
  const Inspection inspection =
      inspectFile(arguments.file, parseQuantity("1 " + arguments.unit, Measure::length));
  if (arguments.json)
    fmt::print("{}\n", jsonText(inspection));
  else
    fmt::print("{}\n", describe(inspection));
  if (arguments.page) {
    const std::string page = std::filesystem::path(arguments.file).filename().string() + ".html";
    if (std::filesystem::exists(page) && readFile(page).find(kPageMark) == std::string::npos)
      throw InputError(page + " is there already, and not a page of this tool",
                       "move it, or call from another folder");
    writeInspectPage(inspection, page);
    terminal.line("page      " + page + ": click a face for its selector");
  }
  return inspection.usable ? kDone : kWrongInput;
}

/// Writes a commented first brief where there is none yet.
int newBrief(const Arguments& arguments, Terminal& terminal) {
  if (std::filesystem::exists(arguments.brief))
    throw InputError(arguments.brief + " is there already", "choose another name");
  writeFile(arguments.brief, firstBrief());
  terminal.line(fmt::format("wrote {}; next: barelattice check {}", arguments.brief, arguments.brief));
  return kDone;
}

int guarded(Arguments arguments, Terminal& terminal) {
  // To people and, where JSON is asked for, to scripts.
  const auto failed = [&](const std::string& what, const std::string& cure, ExitCode code) {
    terminal.error(what, cure);
    if (arguments.json) fmt::print("{}\n", textOf({{"error", what}, {"fix", cure}}));
    return code;
  };
  try {
    std::unique_ptr<ThreadLimit> limit;
    if (arguments.threads > 0) limit = std::make_unique<ThreadLimit>(arguments.threads);
    if (arguments.verb == "demo") {
      arguments.brief = demoBrief();
      arguments.verb = "run";
    }
    if (arguments.verb == "new") return newBrief(arguments, terminal);
    if (arguments.verb == "inspect") return inspect(arguments, terminal);
    return work(arguments, terminal);
  } catch (const Cancelled& error) {
    return failed(
        error.what(),
        "what was done is kept in the run folder: the same call goes on from there, and 'solid' reads the "
        "layout as it is",
        kFailed);
  } catch (const InputError& error) {
    return failed(error.what(), error.cure(), kWrongInput);
  } catch (const Error& error) {
    return failed(error.what(), error.cure(), kFailed);
  } catch (const std::bad_alloc&) {
    return failed("there is not enough memory", "take larger voxels, or fewer tetrahedra in [proof]",
                  kFailed);
  } catch (const nlohmann::json::exception& error) {
    return failed(fmt::format("the run folder holds what this version did not write: {}", error.what()),
                  "take another folder, or delete results.json in it", kFailed);
  } catch (const std::exception& error) {
    return failed(error.what(), "", kFailed);
  }
}

}  // namespace

int main(int argc, char** argv) try {
  std::signal(SIGXFSZ, SIG_IGN);  // a file limit is told like a full disk
  Arguments arguments;
  CLI::App app;
  int exitCode = kDone;
  const auto chosen = [&] {
    Terminal terminal(arguments.json, arguments.plain);
    exitCode = guarded(arguments, terminal);
  };
  const auto notOffered = [&] {
    Terminal(false, false)
        .error(fmt::format("'{}' is not offered yet", arguments.verb),
               "see 'barelattice --help' for what is");
    exitCode = kWrongInput;
  };
  declareArguments(app, arguments, chosen, notOffered);
  app.set_version_flag("--version", std::string("barelattice ") + BARELATTICE_VERSION_TEXT);
  if (argc > 1 && argv[1][0] != '-' && !isVerb(argv[1])) {
    Terminal(false, false).error(fmt::format("'{}' is no step", argv[1]), cureForVerb(argv[1]));
    return kWrongInput;
  }
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    return app.exit(error) == 0 ? kDone : kWrongInput;
  }
  if (std::fflush(stdout) != 0 || std::ferror(stdout)) {
    std::fprintf(stderr, "error: standard output cannot be written to the end\n");
    return kFailed;
  }
  return exitCode;
} catch (const std::exception& error) {  // without memory for its arguments, or nowhere to write to
  std::fprintf(stderr, "error: %s\n", error.what());
  return kFailed;
}
