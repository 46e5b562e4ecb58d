/// @file
/// The brief: the text file that states one job. docs/brief.md is its reference.
#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "barelattice/base/error.hpp"
#include "barelattice/elasticity/material.hpp"
#include "barelattice/geometry/face.hpp"
#include "barelattice/grid/domain.hpp"
#include "barelattice/layout/density_filter.hpp"
#include "barelattice/proof/proof.hpp"

namespace barelattice {

/// A place in the brief's text, both from 1; 0 for the file as a whole.
struct TextPlace {
  int line = 0;
  int column = 0;
};

/// Something wrong in a brief. `what()` reads "file:line:column: what is wrong".
class BriefError : public InputError {
 public:
  BriefError(const std::filesystem::path& file, TextPlace place, const std::string& what,
             const std::string& cure);
  TextPlace place() const { return place_; }

 private:
  TextPlace place_;
};

struct BriefShape {
  std::string name;
  ShapePtr shape;
};

struct BriefFace {
  std::string name;
  std::string shape;
  FaceSelector selector;
  TextPlace place;
};

struct BriefSupport {
  std::string name;
  std::string face;
  TextPlace place;
};

struct BriefLoad {
  std::string name;
  std::string face;
  Vec3 force = Vec3::Zero();  ///< N, spread evenly over the face
  TextPlace place;
};

struct BriefCase {
  std::string name;
  double weight = 1;                    ///< in the weighted sum, above zero
  std::map<std::string, double> loads;  ///< factor by load name
  TextPlace place;
};

/// Mass target: exactly one is set.
struct BriefTarget {
  std::optional<double> fraction;  ///< of the mass of the full design space
  std::optional<double> mass;      ///< kg
  TextPlace place;
};

/// A brief whose words are all known and whose names all resolve. Whether the job can be done is for
/// `prepare`.
struct Brief {
  std::filesystem::path path;
  std::map<std::string, std::string>
      sections;  ///< top-level key to its value in normal form, comments dropped
  std::string title;
  double voxel = 0;  ///< m
  Material material;
  std::vector<BriefShape> shapes;
  std::string space;
  std::vector<std::string> keeps;
  std::vector<std::string> clears;
  std::vector<BriefFace> faces;
  std::vector<BriefSupport> supports;
  std::vector<BriefLoad> loads;
  std::vector<BriefCase> cases;
  BriefTarget target;
  double smallestMember = 0;  ///< m
  std::optional<MirrorPlane> mirror;
  TextPlace mirrorPlace;
  FilterBoundary walls = FilterBoundary::empty;  ///< what the filter sees beyond the design space
  std::vector<Requirement> requirements;
  double exclusion = 0;  ///< m
  int tetrahedra = 0;    ///< wanted number in the proof mesh
  int iterations = 0;    ///< at most

  const ShapePtr& shape(const std::string& name) const;
  Regions regions() const;
};

/// Reads a brief from text.
/// @param path for messages and relative names only; nothing is read from it.
/// @throws BriefError on the first thing that is wrong.
Brief parseBrief(std::string_view text, const std::filesystem::path& path);

/// Reads a brief from its file.
/// @throws InputError if the file cannot be read; BriefError as parseBrief.
Brief readBrief(const std::filesystem::path& path);

}  // namespace barelattice
