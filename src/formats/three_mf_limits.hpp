// What a 3MF file may unpack and multiply to. Internal to the room.
#pragma once

#include <filesystem>
#include <string>

namespace barelattice {

/// Looks through an archive before anything is made of it: a few kilobytes can hold gigabytes of zeros, and
/// thirty components each made of the one before twice are a billion copies, at which the 3MF library never
/// ends. Takes the time of unpacking once, and the memory of a block.
/// @throws InputError if it holds more than is read, or is no archive.
void refuseEndless3mf(const std::string& bytes, const std::filesystem::path& path);

}  // namespace barelattice
