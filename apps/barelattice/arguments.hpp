// What the tool can be told: its verbs and their options, declared once. The tool parses by it; the man page
// and the completions of shells are written from it (manual.cpp).
#pragma once

#include <CLI/CLI.hpp>
#include <array>
#include <functional>
#include <string>
#include <string_view>

struct Arguments {
  std::string verb;
  std::string brief;
  std::string folder;
  std::size_t threads = 0;
  bool quick = false;
  bool fresh = false;
  bool json = false;
  bool plain = false;
  std::string solid;
  std::string file;
  std::string unit = "mm";
  bool page = false;
};

/// What a value of an option or a positional is, as the help names it and as shells complete it.
inline constexpr const char* kBriefFile = "BRIEF.toml";
inline constexpr const char* kGeometryFile = "FILE";
inline constexpr const char* kFolder = "FOLDER";
/// The endings of files the tool reads geometry from.
inline constexpr std::array kGeometryEndings{"step", "stp", "stl", "3mf", "obj", "ply"};

/// Declares every verb with its options.
/// @param arguments filled by `app.parse`; has to outlive it.
/// @param chosen called when a verb has been parsed, with its name in `arguments.verb`.
/// @param notOffered called for a verb that a later version will have.
void declareArguments(CLI::App& app, Arguments& arguments, const std::function<void()>& chosen,
                      const std::function<void()>& notOffered);

bool isVerb(std::string_view word);
/// What was probably meant by a first word that is no verb.
std::string cureForVerb(std::string_view word);
