// Writes the man page and the completions of bash, zsh and fish from the declared arguments, when the tool is
// built. Usage: barelattice_manual FOLDER VERSION

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <map>
#include <vector>

#include "arguments.hpp"

namespace {

struct Value {
  std::string name;  ///< as the help names it, e.g. FOLDER; empty for a flag
  std::vector<std::string> choices;
};

struct Option {
  std::string name;  ///< with its dashes; a positional has none
  std::string help;
  Value value;
  bool positional = false;
};

struct Verb {
  std::string name;
  std::string help;
  std::vector<Option> options;
};

std::vector<Verb> declaredVerbs() {
  CLI::App app;
  Arguments arguments;
  const auto nothing = [] {};
  declareArguments(app, arguments, nothing, nothing);
  std::vector<Verb> verbs;
  for (const CLI::App* sub : app.get_subcommands([](const CLI::App* s) { return !s->get_group().empty(); })) {
    Verb verb{sub->get_name(), sub->get_description(), {}};
    for (const CLI::Option* option : sub->get_options()) {
      if (option == sub->get_help_ptr()) continue;
      Option told{option->get_positional() ? option->get_name(true) : option->get_name(),
                  option->get_description(),
                  {},
                  option->get_positional()};
      if (option->get_items_expected_max() > 0) {
        // A type with its checks: "UNIT:{mm,cm,m,in}".
        const std::string type = option->get_type_name();
        told.value.name = type.substr(0, type.find(':'));
        const std::size_t open = type.find('{'), close = type.find('}');
        if (open != std::string::npos && close != std::string::npos)
          told.value.choices = CLI::detail::split(type.substr(open + 1, close - open - 1), ',');
      }
      verb.options.push_back(std::move(told));
    }
    verbs.push_back(std::move(verb));
  }
  return verbs;
}

/// Texts of `items` with `between` between them.
std::string joined(const std::vector<std::string>& items, const std::string& between) {
  return fmt::format("{}", fmt::join(items, between));
}

std::vector<std::string> names(const std::vector<Verb>& verbs) {
  std::vector<std::string> all;
  std::transform(verbs.begin(), verbs.end(), std::back_inserter(all), [](const Verb& v) { return v.name; });
  return all;
}

// --- The man page, in the macros of man(7)
// -----------------------------------------------------------------------

/// Text in which nothing is read as a request: a dash is a minus, as people copy it into a shell.
std::string roff(const std::string& text) {
  std::string out;
  for (const char c : text) {
    if (c == '\\') {
      out += "\\e";
    } else if (c == '-') {
      out += "\\-";
    } else if ((c == '.' || c == '\'') && (out.empty() || out.back() == '\n')) {
      out += std::string("\\&") + c;
    } else {
      out += c;
    }
  }
  return out;
}

std::string sentence(std::string text) {
  if (!text.empty()) text[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(text[0])));
  return text + (text.ends_with('.') ? "" : ".");
}

/// One option with its help, as an item of a list.
std::string item(const Option& option) {
  const std::string value =
      option.value.choices.empty() ? option.value.name : joined(option.value.choices, "|");
  return (value.empty() ? fmt::format(".TP\n.B {}\n", roff(option.name))
                        : fmt::format(".TP\n.BI \"{} \" {}\n", roff(option.name), roff(value))) +
         roff(sentence(option.help)) + "\n";
}

std::string synopsis(const std::vector<Verb>& verbs) {
  std::string text;
  for (const Verb& verb : verbs) {
    text += fmt::format("{}.B barelattice {}\n", text.empty() ? "" : ".br\n", verb.name);
    bool optional = false;
    for (const Option& option : verb.options) {
      if (option.positional) text += fmt::format(".I {}\n", roff(option.value.name));
      optional = optional || !option.positional;
    }
    if (optional) text += ".RI [ options ]\n";
  }
  return text;
}

std::string manPage(const std::vector<Verb>& verbs, const std::string& version) {
  std::string page = fmt::format(".TH BARELATTICE 1 \"\" \"barelattice {}\" \"User Commands\"\n", version);
  page +=
      ".SH NAME\nbarelattice \\- from a brief to a proven part by topology optimisation\n.SH SYNOPSIS\n" +
      synopsis(verbs) + ".SH DESCRIPTION\n" +
      roff(
          "A brief is a text file (TOML) that states a design space, the faces that are held and loaded,\n"
          "load cases, material, mass and making. barelattice finds the stiffest layout of that mass,\n"
          "turns it into a closed surface and proves the surface on meshes of its own. Steps keep their\n"
          "results in the run folder; each redoes only what a change in the brief touches.\n") +
      ".SH STEPS\n";
  // What several steps share is told once, behind them.
  std::vector<Option> shared;
  std::map<std::string, int> uses;
  for (const Verb& verb : verbs)
    for (const Option& option : verb.options) ++uses[option.name + option.help];
  for (const Verb& verb : verbs) {
    page += fmt::format(".SS {}\n{}\n", verb.name, roff(sentence(verb.help)));
    for (const Option& option : verb.options) {
      if (option.positional) continue;
      int& count = uses[option.name + option.help];
      if (count == 1) page += item(option);
      if (count > 1) shared.push_back(option);
      if (count > 1) count = 0;
    }
  }
  page += ".SH OPTIONS OF ALL STEPS ON A BRIEF\n";
  for (const Option& option : shared) page += item(option);
  const std::vector<std::pair<const char*, const char*>> codes{
      {"0", "done, and where a proof was asked for, proven"},
      {"1", "the verdict is not met or inconclusive, or the layout was taken before it settled"},
      {"2", "the brief or the call is wrong"},
      {"3", "the run failed"}};
  page += ".SH EXIT STATUS\n";
  for (const auto& [code, meaning] : codes)
    page += fmt::format(".TP\n.B {}\n{}\n", code, roff(sentence(meaning)));
  page +=
      ".SH FILES\n.TP\n.I NAME.run\n" +
      roff(
          "The run folder of NAME.toml: pages (check.html, report.html), the layout (layout.vti), the solid "
          "(solid.stl), fields of the proof (.vtu), all figures (results.json).") +
      "\n.SH ENVIRONMENT\n.TP\n.B NO_COLOR\n" + roff("Set to anything: no colours on a terminal.") +
      "\n.SH EXAMPLES\n.nf\n" +
      roff(
          "barelattice new bracket.toml\nbarelattice check bracket.toml\nbarelattice run bracket.toml "
          "--quick\n"
          "barelattice inspect bracket.step --page\nbarelattice proof bracket.toml --solid edited.step") +
      "\n.fi\n";
  return page;
}

// --- Completions
// -------------------------------------------------------------------------------------------------

enum class Completes { nothing, brief, geometry, folder, choices };

Completes kindOf(const Value& value) {
  if (!value.choices.empty()) return Completes::choices;
  if (value.name == kBriefFile) return Completes::brief;
  if (value.name == kGeometryFile) return Completes::geometry;
  if (value.name == kFolder) return Completes::folder;
  return Completes::nothing;
}

const std::vector<std::string>& geometryEndings() {
  static const std::vector<std::string> endings(kGeometryEndings.begin(), kGeometryEndings.end());
  return endings;
}

/// The bash command that lists what a value may be.
std::string bashWords(const Value& value) {
  switch (kindOf(value)) {
    case Completes::choices:
      return fmt::format("compgen -W '{}' -- \"$word\"", joined(value.choices, " "));
    case Completes::brief:
      return "compgen -d -- \"$word\"; compgen -f -X '!*.toml' -- \"$word\"";
    case Completes::geometry:
      return fmt::format("compgen -d -- \"$word\"; compgen -f -- \"$word\" | grep -iE '\\.({})$'",
                         joined(geometryEndings(), "|"));
    case Completes::folder:
      return "compgen -d -- \"$word\"";
    case Completes::nothing:
      break;
  }
  return ":";
}

std::string bashCompletion(const std::vector<Verb>& verbs) {
  std::string script =
      "# bash completion for barelattice\n"
      "_barelattice() {\n"
      "  local word=${COMP_WORDS[COMP_CWORD]} before=${COMP_WORDS[COMP_CWORD-1]} verb=${COMP_WORDS[1]}\n"
      "  _barelattice_words() {\n"
      "    if ((COMP_CWORD == 1)); then\n";
  script += fmt::format("      compgen -W '{} --help --version' -- \"$word\"\n      return\n    fi\n",
                        joined(names(verbs), " "));
  script += "    case $verb:$before in\n";
  for (const Verb& verb : verbs)
    for (const Option& option : verb.options)
      if (!option.positional && !option.value.name.empty())
        script +=
            fmt::format("      {}:{}) {}; return ;;\n", verb.name, option.name, bashWords(option.value));
  script += "    esac\n    case $verb in\n";
  for (const Verb& verb : verbs) {
    std::vector<std::string> flags{"--help"};
    std::string files = ":";
    for (const Option& option : verb.options) {
      if (option.positional)
        files = bashWords(option.value);
      else
        flags.push_back(option.name);
    }
    script += fmt::format(
        "      {})\n        if [[ $word == -* ]]; then compgen -W '{}' -- \"$word\"; else {}; fi ;;\n",
        verb.name, joined(flags, " "), files);
  }
  return script +
         "    esac\n  }\n"
         "  mapfile -t COMPREPLY < <(_barelattice_words)\n"
         "  compopt -o filenames 2>/dev/null\n"
         "}\n"
         "complete -F _barelattice barelattice\n";
}

/// Text inside single quotes of zsh's _arguments and of fish.
std::string quoted(const std::string& text, const std::string& special) {
  std::string out;
  for (const char c : text) {
    if (c == '\'') {
      out += "'\\''";
      continue;
    }
    if (special.find(c) != std::string::npos) out += '\\';
    out += c;
  }
  return out;
}

std::string zshAction(const Value& value) {
  switch (kindOf(value)) {
    case Completes::choices:
      return "(" + joined(value.choices, " ") + ")";
    case Completes::brief:
      return "_files -g \"*.toml(-.)\"";
    case Completes::geometry:
      return fmt::format("_files -g \"(#i)*.({})(-.)\"", joined(geometryEndings(), "|"));
    case Completes::folder:
      return "_files -/";
    case Completes::nothing:
      break;
  }
  return " ";
}

std::string zshCompletion(const std::vector<Verb>& verbs) {
  const std::string special = ":[]\\";
  std::string script =
      "#compdef barelattice\n"
      "_barelattice() {\n"
      "  if ((CURRENT == 2)); then\n"
      "    local -a verbs=(\n";
  for (const Verb& verb : verbs)
    script += fmt::format("      '{}:{}'\n", verb.name, quoted(verb.help, special));
  script +=
      "    )\n"
      "    _describe 'step' verbs\n"
      "    return\n"
      "  fi\n"
      "  local verb=$words[2]\n"
      "  shift words\n"
      "  ((CURRENT--))\n"
      "  case $verb in\n";
  for (const Verb& verb : verbs) {
    script += fmt::format("    {})\n      _arguments '--help[print help]'", verb.name);
    for (const Option& option : verb.options) {
      const std::string help = quoted(option.help, special);
      if (option.positional)
        script += fmt::format(" \\\n        '1:{}:{}'", help, zshAction(option.value));
      else if (option.value.name.empty())
        script += fmt::format(" \\\n        '{}[{}]'", option.name, help);
      else
        script += fmt::format(" \\\n        '{}[{}]:{}:{}'", option.name, help, option.value.name,
                              zshAction(option.value));
    }
    script += " ;;\n";
  }
  return script + "  esac\n}\n_barelattice \"$@\"\n";
}

std::string fishAction(const Value& value) {
  switch (kindOf(value)) {
    case Completes::choices:
      return fmt::format(" -x -a '{}'", joined(value.choices, " "));
    case Completes::brief:
      return " -k -x -a '(__fish_complete_suffix .toml)'";
    case Completes::geometry: {
      std::vector<std::string> calls;
      for (const std::string& ending : geometryEndings())
        calls.push_back("__fish_complete_suffix ." + ending);
      return fmt::format(" -k -x -a '({})'", joined(calls, "; "));
    }
    case Completes::folder:
      return " -x -a '(__fish_complete_directories)'";
    case Completes::nothing:
      break;
  }
  return " -x";
}

std::string fishCompletion(const std::vector<Verb>& verbs) {
  std::string script = "complete -c barelattice -f\n";
  for (const Verb& verb : verbs)
    script += fmt::format("complete -c barelattice -n __fish_use_subcommand -a {} -d '{}'\n", verb.name,
                          quoted(verb.help, "\\"));
  for (const Verb& verb : verbs)
    for (const Option& option : verb.options) {
      script += fmt::format("complete -c barelattice -n '__fish_seen_subcommand_from {}'", verb.name);
      if (!option.positional)
        script += fmt::format(" -l {} -d '{}'", option.name.substr(2), quoted(option.help, "\\"));
      script += (option.value.name.empty() ? "" : fishAction(option.value)) + "\n";
    }
  return script;
}

void write(const std::filesystem::path& path, const std::string& text) {
  std::filesystem::create_directories(path.parent_path());
  std::ofstream file(path);
  file << text;
  if (!file.flush()) throw std::runtime_error(path.string() + " cannot be written");
}

}  // namespace

int main(int argc, char** argv) try {
  if (argc != 3) {
    std::cerr << "usage: barelattice_manual FOLDER VERSION\n";
    return 2;
  }
  const std::filesystem::path folder = argv[1];
  const std::vector<Verb> verbs = declaredVerbs();
  write(folder / "barelattice.1", manPage(verbs, argv[2]));
  write(folder / "barelattice.bash", bashCompletion(verbs));
  write(folder / "_barelattice", zshCompletion(verbs));
  write(folder / "barelattice.fish", fishCompletion(verbs));
  return 0;
} catch (const std::exception& error) {
  std::cerr << error.what() << '\n';
  return 3;
}
