#include "arguments.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace {

struct Verb {
  const char* name;
  const char* help;
  bool offered;
};

constexpr std::array kVerbs{
    Verb{"new", "write a commented first brief", true},
    Verb{"inspect", "list the solids and faces of a geometry file, its defects, and how a brief names them",
         true},
    Verb{"check", "read the brief, refuse what cannot work, draw what was understood", true},
    Verb{"analyse", "analyse the full block, the baseline and a file under every case", true},
    Verb{"optimise", "find the layout", true},
    Verb{"solid", "turn the layout into a closed surface", true},
    Verb{"proof", "analyse the solid on a fresh mesh and judge it", true},
    Verb{"report", "write the page of what the run folder holds", true},
    Verb{"run", "all of it: optimise, solid, proof, report", true},
    Verb{"demo", "run the sculling rigger in ./rigger", true},
    Verb{"compare", "set variants side by side", false},
};

void declareInspect(CLI::App& sub, Arguments& arguments) {
  sub.add_option("file", arguments.file, "a STEP, STL, 3MF, OBJ or PLY file")
      ->required()
      ->type_name(kGeometryFile);
  sub.add_option("--unit", arguments.unit, "the unit of a triangle file that names none (default: mm)")
      ->check(CLI::IsMember({"mm", "cm", "m", "in"}))
      ->type_name("UNIT");
  sub.add_flag("--page", arguments.page, "write a page to click on, FILE.html, in the current folder");
  sub.add_flag("--json", arguments.json, "write all of it as JSON to standard output");
}

/// The options of a step that works in a run folder.
void declareStep(CLI::App& sub, Arguments& arguments) {
  if (sub.get_name() == "proof" || sub.get_name() == "analyse")
    sub.add_option("--solid", arguments.solid,
                   sub.get_name() == "proof" ? "a STEP, STL, 3MF, OBJ or PLY file to prove under this brief "
                                               "instead of the run's own solid"
                                             : "a STEP, STL, 3MF, OBJ or PLY file to analyse as well")
        ->type_name(kGeometryFile);
  sub.add_option("--folder", arguments.folder, "the run folder (default: NAME.run beside the brief)")
      ->type_name(kFolder);
  sub.add_option("--threads", arguments.threads,
                 "most threads to use (default: all cores; results are the same)")
      ->check(CLI::Range(1, 1024))
      ->type_name("N");
  sub.add_flag("--quick", arguments.quick, "a first look: voxels 1.6 times as large");
  sub.add_flag("--fresh", arguments.fresh, "do the step again even if its result fits the brief");
  sub.add_flag("--plain", arguments.plain, "log lines, one for every iteration, even on a terminal");
  sub.add_flag("--json", arguments.json, "write the results as JSON to standard output, and nothing else");
}

}  // namespace

void declareArguments(CLI::App& app, Arguments& arguments, const std::function<void()>& chosen,
                      const std::function<void()>& notOffered) {
  app.name("barelattice");
  app.description("Bare Lattice: from a brief to a proven part by topology optimisation");
  app.require_subcommand(1);
  for (const Verb& verb : kVerbs) {
    CLI::App* sub = app.add_subcommand(verb.name, verb.help);
    sub->callback([&arguments, name = verb.name, then = verb.offered ? chosen : notOffered] {
      arguments.verb = name;
      then();
    });
    const std::string_view name = verb.name;
    if (!verb.offered) {
      sub->group("");
      sub->allow_extras();
      continue;
    }
    if (name == "inspect") {
      declareInspect(*sub, arguments);
      continue;
    }
    if (name != "demo")
      sub->add_option("brief", arguments.brief, "the brief (TOML)")->required()->type_name(kBriefFile);
    if (name != "new") declareStep(*sub, arguments);
  }
}

bool isVerb(std::string_view word) {
  return std::any_of(kVerbs.begin(), kVerbs.end(), [&](const Verb& v) { return v.name == word; });
}

/// What was probably meant by a first word that is no verb.
std::string cureForVerb(std::string_view word) {
  if (word.ends_with(".toml")) return fmt::format("say what to do with it, e.g. barelattice run {}", word);
  std::string words;
  for (const Verb& verb : kVerbs) {
    const std::string_view name = verb.name;
    constexpr std::size_t kAlike = 3;
    if (verb.offered && name.substr(0, kAlike) == word.substr(0, kAlike))
      return fmt::format("did you mean '{}'?", name);
    if (verb.offered) words += (words.empty() ? "" : ", ") + std::string(name);
  }
  return "the steps are: " + words;
}
