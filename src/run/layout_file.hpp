/// @file
/// The layout of a run as a file on the voxels of its job.
#pragma once

#include <filesystem>
#include <string>
#include <variant>
#include <vector>

#include "barelattice/prepare/job.hpp"

namespace barelattice {

/// Fields over the voxels of a job, one number per cell of its domain.
class LayoutFile {
 public:
  /// @param job must outlive this.
  LayoutFile(const Job& job, std::filesystem::path path) : job_(job), path_(std::move(path)) {}

  /// @param density of each cell, as the optimiser leaves it.
  /// @param level of each cell, from which the solid is read.
  void write(const std::vector<double>& density, const std::vector<double>& level) const;

  /// @throws InputError if there is no such file, or it is damaged or of other voxels.
  std::vector<double> density() const { return field("density"); }
  std::vector<double> level() const { return field("level"); }

 private:
  std::vector<double> field(const std::string& name) const;

  const Job& job_;
  std::filesystem::path path_;
};

}  // namespace barelattice
