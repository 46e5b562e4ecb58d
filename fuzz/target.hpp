// What every fuzz target offers: its seeds and the reader it feeds.
#pragma once

#include <string>
#include <string_view>
#include <vector>

/// Sound inputs to start mutating from.
std::vector<std::string> seeds();
/// Words that make mutations reach further than random bytes do.
std::vector<std::string> words();
/// Reads one input. InputError is the right answer to a bad one; anything else is a fault.
void read(std::string_view input);
