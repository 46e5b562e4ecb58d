/// @file
/// The brief: the text file that states one job. docs/brief.md is its reference.
#pragma once

#include <algorithm>
#include <filesystem>
#include <iterator>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/base/error.hpp"
#include "barelattice/formats/mesh_files.hpp"
#include "barelattice/grid/domain.hpp"
#include "barelattice/layout/density_filter.hpp"
#include "barelattice/mechanics/setup.hpp"
#include "barelattice/optimise/optimiser.hpp"
#include "barelattice/proof/verdict.hpp"
#include "barelattice/shapes/face.hpp"
#include "barelattice/solid/reinterpret.hpp"

namespace barelattice BARELATTICE_API {

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
  std::string text;                ///< what it is made from, in normal form, with the content hash of files
  std::vector<std::string> parts;  ///< shapes it uses directly
};

/// Shapes and faces are referred to by their number in the brief's order, here and below.
struct BriefFace {
  std::string name;
  std::size_t shape = 0;
  FaceSelector selector;
  std::vector<std::size_t> beside;  ///< faces it must meet
  TextPlace place;
};

/// Its face is one of the brief's, by number; of a sheet it holds within its plane only.
struct BriefSupport : Support {
  TextPlace place;
  double backing = 0;  ///< see BriefLoad
};

struct BriefLoad : Load {
  TextPlace place;
  std::optional<double> torque =
      {};              ///< about the axis of the face, N m; becomes the moment of a Remote load
  double backing = 0;  ///< how deep the material below the face is kept where no keep is, m; 0 leaves it free
};

struct BriefMass : PointMass {
  TextPlace place;
  double backing = 0;  ///< see BriefLoad
};

struct BriefConnection : Connection {
  TextPlace place;
};

/// Loads and supports are those of the brief, by number, in its order.
struct BriefCase : LoadCase {
  TextPlace place;
};

/// What must stay solid: a shape, or a layer below a face.
struct BriefKeep {
  std::optional<std::size_t> shape;  ///< nothing for a layer
  std::size_t face = 0;              ///< of a layer
  double depth = 0;                  ///< of a layer, m
  TextPlace place;
  bool assumed = false;  ///< not in the brief: below a load
};

/// A piece of the body that is made of a material of its own.
struct BriefRegion {
  std::string name;
  std::size_t shape = 0;
  Material material;
  bool bonded = false;  ///< a part joined for good, which is not designed
  TextPlace place;
};

/// The most a part of the design space may weigh: exactly one is set.
struct BriefPartTarget {
  std::size_t shape = 0;           ///< where
  std::optional<double> fraction;  ///< of what it weighs full
  std::optional<double> mass;      ///< kg
  TextPlace place;
};

/// Mass target: exactly one is set.
struct BriefTarget {
  std::optional<double> fraction;  ///< of the mass of the full design space
  std::optional<double> mass;      ///< kg
  bool countKeeps = true;          ///< else mass and space are those beside the keeps
  bool limit = false;              ///< stated as a limit: the finished part is judged by it
  std::vector<BriefPartTarget> within;
  TextPlace place;
};

/// A limit the layout is designed to hold, and the part is judged by.
struct BriefLimit : Requirement {
  TextPlace place;
};

/// What a goal is put together from, each by its value for the full design space.
struct BriefBlend {
  double stiffness = 0, frequency = 0, stress = 0;  ///< weights
  /// Whether it is of one kind.
  bool only() const { return (stiffness > 0) + (frequency > 0) + (stress > 0) == 1; }
};

/// A part cut from sheet: the job is two-dimensional, in x and y.
struct BriefSheet {
  double thickness = 0;  ///< m
  SheetState state = SheetState::planeStress;
};

/// A density field made elsewhere, used instead of an optimisation.
struct BriefLayout {
  std::filesystem::path file;
  std::string field;
  double unit = 0;   ///< metres per unit of the file's coordinates
  std::string hash;  ///< of the file's content
};

/// A making rule and where it is stated.
struct BriefRule {
  MakingRule rule;
  TextPlace place;
  bool imposed = true;  ///< on the layout; else the solid is only measured for it
  std::vector<MakingRule> ways =
      {};             ///< of which the best is to be found, `rule` for one; empty if it is settled
  bool half = false;  ///< of a mirror plane: what acts is its own image too, and one side stands for both
};

/// A brief whose words are all known and whose names all resolve. Whether the job can be done is for
/// `prepare`.
struct Brief {
  std::filesystem::path path;
  std::string title;
  double voxel = 0;        ///< edge of the cells, m; zero when `voxelBudget` decides
  double voxelBudget = 0;  ///< wanted number of cells; zero when `voxel` decides
  std::optional<BriefSheet> sheet;
  Material material;
  std::vector<BriefShape> shapes;
  TextPlace voxelPlace;                      ///< of what the size of the cells follows from
  std::vector<std::filesystem::path> files;  ///< what it reads besides its own text
  std::vector<std::string> notes;            ///< what was mended in files and other things to know
  std::vector<std::string> defaults;         ///< what it left open and was taken for it, in sentences
  std::size_t space = 0;
  std::vector<BriefKeep> keeps;
  std::vector<std::size_t> clears;
  std::vector<BriefRegion> regions;     ///< of other materials, which are numbered from 1 in this order
  std::optional<std::size_t> baseline;  ///< the shape of an existing design. Does not affect the layout
  std::vector<BriefFace> faces;
  std::vector<BriefSupport> supports;
  std::vector<BriefLoad> loads;
  std::vector<BriefMass> masses;
  std::vector<BriefConnection> connections;
  std::vector<BriefCase> cases;
  bool designs =
      true;  ///< false: neither target nor making is stated, so that parts are analysed, none designed
  BriefTarget target;
  GoalForm goal = GoalForm::weightedSum;
  std::optional<BriefBlend> blend;  ///< the goal, where it is more than stiffness
  bool lightest = false;  ///< the least mass is sought that holds the limits; there is no target then
  std::vector<BriefLimit> limits;
  std::vector<std::size_t> judgedPlaces;  ///< shapes within which some limits on stress hold
  int rounds =
      0;  ///< how often a part with limits may be designed, each time as the proof before corrects it
  std::vector<BriefRule> making;      ///< one rule on walls among them
  double tolerance = 0;               ///< of the process, m; zero for half a voxel, which `prepare` settles
  std::optional<BriefLayout> layout;  ///< instead of an optimisation
  std::vector<Requirement> requirements;
  double exclusion = 0;  ///< m; below zero until `prepare` settles it
  double agreement = 0;  ///< relative difference of the two meshes above which errors count threefold
  int tetrahedra = 0;    ///< wanted number in the proof mesh
  int frequencies = 0;   ///< how many natural frequencies are found of each body
  int iterations = 0;    ///< at most; zero where none are wished for
  std::optional<std::size_t> start;  ///< the shape the design starts from; nothing for a uniform density
  int keepEvery = 0;                 ///< every how many iterations a layout is kept; zero for none
  SolidOptions solid;                ///< but for the spacing
  std::vector<MeshFormat> formats;   ///< the solid is written in, besides STL

  /// Whether the part may be designed again as its proof corrects it.
  bool inRounds() const { return !limits.empty(); }
  /// All the part is judged by, limits first; not those whose bounds are not known yet.
  std::vector<Requirement> judgedBy() const {
    std::vector<Requirement> all;
    std::copy_if(limits.begin(), limits.end(), std::back_inserter(all),
                 [](const BriefLimit& limit) { return limit.bound > 0; });
    all.insert(all.end(), requirements.begin(), requirements.end());
    return all;
  }

  const ShapePtr& shape(std::size_t number) const { return shapes[number].shape; }
  /// What a keep is told by: its shape, or its face.
  const std::string& nameOf(const BriefKeep& keep) const {
    return keep.shape ? shapes[*keep.shape].name : faces[keep.face].name;
  }
  const Walls& walls() const { return *rule<Walls>(); }
  /// The widest wall or gap that is told from wider ones: all a requirement may ask for, and more, m.
  double widestMeasured() const;
  /// The rules that shape the layout.
  std::vector<MakingRule> imposed() const {
    std::vector<MakingRule> rules;
    for (const BriefRule& each : making)
      if (each.imposed) rules.push_back(each.rule);
    return rules;
  }
  /// The first rule of a kind; null for none.
  template <class Rule>
  const Rule* rule() const {
    for (const BriefRule& each : making)
      if (const auto* found = std::get_if<Rule>(&each.rule)) return found;
    return nullptr;
  }
  /// Where it is stated.
  template <class Rule>
  TextPlace placeOfRule() const {
    for (const BriefRule& each : making)
      if (std::holds_alternative<Rule>(each.rule)) return each.place;
    return {};
  }
};

/// Reads a brief from text.
/// @param path for messages, and the folder that file names in the brief are relative to.
/// @throws BriefError on the first thing that is wrong.
Brief parseBrief(std::string_view text, const std::filesystem::path& path);

/// Reads a brief from its file.
/// @throws InputError if the file cannot be read; BriefError as parseBrief.
Brief readBrief(const std::filesystem::path& path);

}  // namespace barelattice
