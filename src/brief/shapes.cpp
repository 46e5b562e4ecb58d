#include "shapes.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <functional>
#include <map>
#include <set>
#include <sstream>

#include "barelattice/base/file.hpp"
#include "barelattice/base/hash.hpp"
#include "barelattice/formats/cad.hpp"
#include "barelattice/formats/mesh_files.hpp"
#include "barelattice/formats/outline_files.hpp"
#include "barelattice/meshes/mesh_repair.hpp"
#include "barelattice/shapes/derived_shapes.hpp"
#include "barelattice/shapes/mesh_shape.hpp"

namespace barelattice {
namespace {

constexpr std::size_t kMostShapes = 2000;
constexpr std::size_t kMostDepth = 50;       // of shapes made from shapes: each asks the next by a call
constexpr std::size_t kMostPieces = 20'000;  // of one shape, copies counted: each may be asked at every point

class ShapeBuilder {
 public:
  ShapeBuilder(TableReader shapes, const std::optional<BriefSheet>& sheet, std::filesystem::path folder)
      : shapes_(std::move(shapes)), sheet_(sheet), folder_(std::move(folder)) {
    for (const auto& [key, node] : shapes_.raw()) names_.emplace_back(key.str());
    using B = ShapeBuilder;
    if (sheet_)
      makers_ = {{"rectangle", &B::rectangle}, {"disc", &B::disc}, {"outline", &B::outline}};
    else
      makers_ = {{"box", &B::box},       {"cylinder", &B::cylinder}, {"cone", &B::cone},
                 {"sphere", &B::sphere}, {"torus", &B::torus},       {"extrude", &B::extrude},
                 {"mesh", &B::mesh},     {"cad", &B::cad},           {"hull", &B::hull},
                 {"fill", &B::fill},     {"sweep", &B::sweep}};
    const std::vector<std::pair<std::string, Maker>> both{
        {"ring", &B::ring},         {"union", &B::unite},   {"intersection", &B::intersect},
        {"difference", &B::differ}, {"offset", &B::offset}, {"mirror", &B::mirror},
        {"repeat", &B::repeat}};
    makers_.insert(makers_.end(), both.begin(), both.end());
  }

  std::vector<std::string> notes;  // what was mended in files
  std::vector<std::filesystem::path> files;

  std::vector<BriefShape> all() {
    // In the order of the file, which tables do not keep.
    std::vector<std::string> order = names_;
    std::sort(order.begin(), order.end(),
              [&](const std::string& a, const std::string& b) { return lineOf(a) < lineOf(b); });
    if (order.size() > kMostShapes)
      shapes_.fail(fmt::format("defines {} shapes, more than {}", order.size(), kMostShapes),
                   "many like pieces are a 'repeat'; a form of many corners belongs in a file");
    std::vector<BriefShape> shapes;
    for (const std::string& name : order) {
      shapes_.checkName(name);
      const ShapePtr shape = build(name);
      shapes.push_back({name, shape, texts_[name], parts_[name]});
    }
    return shapes;
  }

 private:
  using Maker = ShapePtr (ShapeBuilder::*)(const TableReader&, const toml::node&);

  int lineOf(const std::string& name) const { return TableReader::placeOf(*shapes_.raw().get(name)).line; }

  ShapePtr build(const std::string& name) {
    if (const auto done = done_.find(name); done != done_.end()) return done->second;
    const toml::node& node = *shapes_.raw().get(name);
    TableReader reader = shapes_.table(node, name);
    if (!open_.insert(name).second)
      reader.fail("is made from itself", "a shape can only use shapes that do not use it");
    std::ostringstream normal;
    normal.imbue(std::locale::classic());
    node.visit([&](const auto& value) { normal << value; });
    texts_[name] = name + "=" + normal.str();
    building_.push_back(name);
    if (building_.size() > kMostDepth) refuseDepth(reader);
    ShapePtr shape;
    std::vector<std::string> kinds;
    for (const auto& [key, make] : makers_) {
      kinds.push_back(key);
      const toml::node* value = reader.find(key);
      if (!value) continue;
      if (shape)
        reader.fail(*value, fmt::format("is given twice: '{}' besides another kind", key),
                    "one shape, one kind");
      try {
        shape = (this->*make)(reader, *value);
      } catch (const BriefError&) {
        throw;
      } catch (const InputError& error) {
        reader.fail(*value, fmt::format("is not a shape: {}", error.what()), error.cure());
      }
    }
    reader.finish();
    if (!shape) reader.fail("is empty", fmt::format("give it one of: {}", fmt::join(kinds, ", ")));
    open_.erase(name);
    building_.pop_back();
    std::size_t& pieces = pieces_[name];
    std::size_t& depth = depth_[name];
    for (const std::string& part : parts_[name]) {
      pieces += pieces_[part] * copies_;
      depth = std::max(depth, depth_[part] + 1);
    }
    if (depth > kMostDepth) refuseDepth(reader);
    copies_ = 1;
    pieces = std::max<std::size_t>(pieces, 1);
    if (pieces > kMostPieces) refusePieces(reader, node, pieces);
    return done_[name] = shape;
  }

  [[noreturn]] static void refuseDepth(const TableReader& reader) {
    reader.fail(fmt::format("is the last of more than {} shapes each made from the next", kMostDepth),
                "a union or difference takes a list of shapes");
  }

  [[noreturn]] static void refusePieces(const TableReader& reader, const toml::node& node,
                                        std::size_t pieces) {
    reader.fail(node, fmt::format("is made of {} pieces, more than {}", pieces, kMostPieces),
                "copies of copies multiply: repeat less, or what lies in the design space only");
  }

  /// So many copies of a body, if that is not too much.
  void multiply(const TableReader& reader, const toml::node& node, std::size_t copies) {
    copies_ = copies;
    const std::size_t pieces = pieces_[parts_[building_.back()].back()] * copies;
    if (pieces > kMostPieces) refusePieces(reader, node, pieces);
  }

  static double length(TableReader& reader, const std::string& key, const std::string& cure) {
    return reader.quantity(reader.need(key, cure), key, Measure::length);
  }
  static Vec3 point(TableReader& reader, const std::string& key, const std::string& cure) {
    return reader.point(reader.need(key, cure), key);
  }
  static Eigen::Vector2d planePoint(const TableReader& reader, const toml::node& node,
                                    const std::string& key) {
    const std::vector<double> p = reader.quantities(node, key, Measure::length, 2);
    return {p[0], p[1]};
  }

  ShapePtr box(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "box");
    const Vec3 from = point(reader, "from", "the corner with the lowest x, y and z");
    const Vec3 to = point(reader, "to", "the corner with the highest x, y and z");
    reader.finish();
    return makeBox(from, to);
  }

  ShapePtr cylinder(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "cylinder");
    const Vec3 from = point(reader, "from", "the start of the axis");
    const Vec3 to = point(reader, "to", "the end of the axis");
    const double radius = length(reader, "radius", "a length");
    reader.finish();
    return makeCylinder(from, to, radius);
  }

  ShapePtr cone(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "cone");
    const Vec3 from = point(reader, "from", "the start of the axis");
    const Vec3 to = point(reader, "to", "the end of the axis");
    const double radius = length(reader, "radius", "the radius at 'from'");
    const double end = length(reader, "end_radius", "the radius at 'to', which may be \"0 mm\"");
    reader.finish();
    return makeCone(from, to, radius, end);
  }

  ShapePtr sphere(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "sphere");
    const Vec3 centre = point(reader, "centre", "three lengths");
    const double radius = length(reader, "radius", "a length");
    reader.finish();
    return makeSphere(centre, radius);
  }

  ShapePtr torus(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "torus");
    const Vec3 centre = point(reader, "centre", "three lengths");
    const Vec3 axis = reader.direction(reader.need("axis", "e.g. \"z\""), "axis");
    const double radius = length(reader, "radius", "from the centre to the middle of the tube");
    const double tube = length(reader, "tube", "the radius of the tube");
    reader.finish();
    return makeTorus(centre, axis, radius, tube);
  }

  /// A ring round a hole: what a bolt or a pin needs to stay.
  ShapePtr ring(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "ring");
    const std::string holeCure = "the radius of the hole in the ring";
    const std::string wallCure = "how much material stays round the hole";
    if (sheet_) {
      const Eigen::Vector2d centre = planePoint(reader, reader.need("centre", "two lengths"), "centre");
      const double hole = length(reader, "hole", holeCure);
      const double wall = length(reader, "wall", wallCure);
      reader.finish();
      return makeDifference(discOf(centre, hole + wall), {discOf(centre, hole)});
    }
    const Vec3 from = point(reader, "from", "the start of the axis");
    const Vec3 to = point(reader, "to", "the end of the axis");
    const double hole = length(reader, "hole", holeCure);
    const double wall = length(reader, "wall", wallCure);
    reader.finish();
    const Vec3 beyond = 0.1 * (to - from);  // so that the hole goes through
    return makeDifference(makeCylinder(from, to, hole + wall),
                          {makeCylinder(from - beyond, to + beyond, hole)});
  }

  OutlineLoop corners(const TableReader& reader, const toml::node& list, const std::string& key) {
    OutlineLoop loop;
    for (const toml::node& entry : reader.array(list, key)) {
      if (entry.is_array()) {
        loop.push_back({planePoint(reader, entry, key), std::nullopt});
        continue;
      }
      TableReader arc = reader.table(entry, key);
      const Eigen::Vector2d through = planePoint(arc, arc.need("through", "a point of the arc"), "through");
      loop.push_back({planePoint(arc, arc.need("to", "where the arc ends"), "to"), through});
      arc.finish();
    }
    // A loop may be closed explicitly: its end then only says how the outline gets back to the start.
    if (loop.size() > 2 && loop.back().point == loop.front().point && !loop.front().through) {
      loop.front().through = loop.back().through;
      loop.pop_back();
    }
    return loop;
  }

  /// An outline comes from corners in the brief, a drawing or a face of a CAD solid.
  void readOutline(TableReader& reader, const std::string& key, Extrusion& extrusion) {
    const toml::node* drawing = reader.find("drawing");
    const toml::node* cad = reader.find("cad");
    const toml::node* listed = reader.find(key);
    if ((drawing != nullptr) + (cad != nullptr) + (listed != nullptr) != 1)
      reader.fail(fmt::format("needs one of '{}', 'drawing' and 'cad'", key),
                  "a list of corners, the name of an SVG file, or of a STEP file");
    if (listed) return readCorners(reader, key, extrusion);
    PlaneOutline outline = drawing ? drawnOutline(reader) : faceOutline(reader);
    Eigen::Vector2d origin(0, 0);
    if (const toml::node* node = reader.find("origin")) origin = planePoint(reader, *node, "origin");
    outline.holes.push_back(std::move(outline.outer));
    for (OutlineLoop& loop : outline.holes)
      for (OutlineCorner& corner : loop) {
        corner.point += origin;
        if (corner.through) *corner.through += origin;
      }
    extrusion.outline = std::move(outline.holes.back());
    outline.holes.pop_back();
    extrusion.holes = std::move(outline.holes);
  }

  PlaneOutline drawnOutline(TableReader& reader) {
    const std::filesystem::path path = fileOf(reader, "drawing", "an SVG file");
    std::string id;
    if (const toml::node* node = reader.find("path")) id = reader.text(*node, "path");
    std::optional<double> unit;
    if (const toml::node* node = reader.find("unit")) unit = reader.fileUnit(*node, "unit");
    return readSvgOutline(path, id, unit);
  }

  /// The outline of the one plane face that looks a given way, or of those the one nearest to a point.
  PlaneOutline faceOutline(TableReader& reader) {
    const CadSolid& solid = cadSolid(reader, "cad", reader.raw());
    const toml::node& facing = reader.need("facing", "which way the face looks, e.g. \"+z\"");
    const Vec3 direction = reader.direction(facing, "facing");
    std::vector<std::size_t> found;
    constexpr double kSame = 0.9999;
    for (std::size_t f = 0; f < solid.faces.size(); ++f)
      if (solid.faces[f].patch.kind == Patch::Kind::plane &&
          solid.faces[f].patch.direction().dot(direction) > kSame)
        found.push_back(f);
    if (found.empty()) reader.fail(facing, "no plane face looks that way");
    if (const toml::node* near = reader.find("near")) {
      const Vec3 place = reader.point(*near, "near");
      std::sort(found.begin(), found.end(), [&](std::size_t a, std::size_t b) {
        return (solid.faces[a].centre - place).norm() < (solid.faces[b].centre - place).norm();
      });
    } else if (found.size() > 1) {
      reader.fail(facing, fmt::format("{} plane faces look that way", found.size()),
                  "choose one with 'near': the place its centre is nearest to");
    }
    return outlineOf(solid, found.front());
  }

  void readCorners(TableReader& reader, const std::string& key, Extrusion& extrusion) {
    extrusion.outline = corners(reader, reader.need(key, "a list of corners"), key);
    if (const toml::node* holes = reader.find("holes"))
      for (const toml::node& hole : reader.array(*holes, "holes"))
        extrusion.holes.push_back(corners(reader, hole, "holes"));
  }

  ShapePtr extrude(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "extrude");
    static const std::vector<std::string> planes{"xy", "yz", "zx", "yx", "zy", "xz"};
    Extrusion extrusion;
    const std::string& plane =
        planes[reader.choice(reader.need("plane", "the plane of the outline, e.g. \"xz\""), "plane", planes)];
    extrusion.first = plane[0] - 'x';
    extrusion.second = plane[1] - 'x';
    readOutline(reader, "outline", extrusion);
    extrusion.from = length(reader, "from", "where the extrusion starts");
    extrusion.to = length(reader, "to", "where the extrusion ends");
    reader.finish();
    return makeExtrusion(extrusion);
  }

  ShapePtr flat(Extrusion extrusion) const {
    extrusion.from = 0;
    extrusion.to = sheet_->thickness;
    extrusion.endless = true;
    return makeExtrusion(extrusion);
  }

  ShapePtr outline(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "outline");
    Extrusion extrusion;
    readOutline(reader, "corners", extrusion);
    reader.finish();
    return flat(extrusion);
  }

  ShapePtr rectangle(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "rectangle");
    const Eigen::Vector2d from = planePoint(reader, reader.need("from", "the lowest corner"), "from");
    const Eigen::Vector2d to = planePoint(reader, reader.need("to", "the highest corner"), "to");
    reader.finish();
    if (!(from.array() < to.array()).all())
      throw InputError("a rectangle needs its first corner below its second in x and y",
                       "'from' is the corner with the lowest coordinates, 'to' the one with the highest");
    Extrusion extrusion;
    for (const Eigen::Vector2d& corner :
         {from, Eigen::Vector2d(to.x(), from.y()), to, Eigen::Vector2d(from.x(), to.y())})
      extrusion.outline.push_back({corner, std::nullopt});
    return flat(extrusion);
  }

  ShapePtr discOf(const Eigen::Vector2d& centre, double radius) const {
    if (!(radius > 0)) throw InputError("a disc needs a radius above zero");
    const Eigen::Vector2d x(radius, 0);
    const Eigen::Vector2d y(0, radius);
    Extrusion extrusion;
    extrusion.outline = {{centre + x, centre - y}, {centre - x, centre + y}};
    return flat(extrusion);
  }

  ShapePtr disc(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "disc");
    const Eigen::Vector2d centre = planePoint(reader, reader.need("centre", "two lengths"), "centre");
    const double radius = length(reader, "radius", "a length");
    reader.finish();
    return discOf(centre, radius);
  }

  /// The file under a key, whose content counts towards what the shape is.
  std::filesystem::path fileOf(TableReader& reader, const std::string& key, const std::string& cure) {
    const std::filesystem::path path = folder_ / reader.text(reader.need(key, cure), key);
    texts_[building_.back()] += hashOf(readFile(path));
    files.push_back(path);
    return path;
  }

  ShapePtr mesh(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "mesh");
    const std::filesystem::path path =
        fileOf(reader, "file", "the name of a closed STL, 3MF, OBJ or PLY file, relative to the brief");
    double unit = 1e-3;
    if (const toml::node* given = reader.find("unit")) unit = reader.fileUnit(*given, "unit");
    reader.finish();
    MendedMesh surface = mended(readMesh(path, unit));
    for (const std::string& done : surface.done)
      notes.push_back(fmt::format("[shapes.{}] {}: {}", building_.back(), path.filename().string(), done));
    return makeMeshShape(std::move(surface.mesh));
  }

  ShapePtr cad(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "cad");
    const CadSolid& solid = cadSolid(reader, "file", node);
    reader.finish();
    return makeCadShape(solid);
  }

  /// The solid a table chooses with 'solid' from the file under `key`.
  const CadSolid& cadSolid(TableReader& reader, const std::string& key, const toml::node& node) {
    const std::filesystem::path path = fileOf(reader, key, "the name of a STEP file, relative to the brief");
    auto model = models_.find(path.string());
    if (model == models_.end()) model = models_.emplace(path.string(), readStep(path)).first;
    const std::vector<CadSolid>& solids = model->second.solids;
    std::vector<std::string> names;
    for (const CadSolid& solid : solids) names.push_back(solid.name);
    std::size_t chosen = 0;
    if (const toml::node* solid = reader.find("solid")) {
      if (solid->is_integer()) {
        chosen = static_cast<std::size_t>(reader.wholeNumber(*solid, "solid", 1)) - 1;
        if (chosen >= solids.size())
          reader.fail(*solid, fmt::format("'solid' is {}, but {} holds {}", chosen + 1,
                                          path.filename().string(), solids.size()));
      } else {
        const std::string name = reader.text(*solid, "solid");
        reader.resolve(*solid, "solid", name, names);
        if (std::count(names.begin(), names.end(), name) > 1)
          reader.fail(*solid, fmt::format("several solids are called \"{}\"", name),
                      "choose one by its number");
        chosen = static_cast<std::size_t>(std::find(names.begin(), names.end(), name) - names.begin());
      }
    } else if (solids.size() > 1) {
      reader.fail(node, fmt::format("{} holds {} solids", path.filename().string(), solids.size()),
                  "say which: solid = a number from 1, or one of: " + listed(names));
    }
    if (!solids[chosen].valid)
      notes.push_back(
          fmt::format("[shapes.{}] the CAD kernel finds the solid's topology doubtful: look at it in "
                      "the page",
                      building_.back()));
    return solids[chosen];
  }

  ShapePtr hull(const TableReader& outer, const toml::node& node) {
    if (node.is_string()) return makeHull(named(outer, node, "hull"));
    return makeHull(makeUnion(parts(outer, node, "hull", 1)));
  }

  ShapePtr fill(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "fill");
    const ShapePtr body = named(reader, "of");
    const toml::node* holes = reader.find("holes_up_to");
    const toml::node* pockets = reader.find("pockets_up_to");
    if ((holes == nullptr) == (pockets == nullptr))
      reader.fail(node, "needs one of 'holes_up_to' and 'pockets_up_to'",
                  "holes_up_to: the largest diameter of a round hole to fill, e.g. \"12 mm\"; pockets_up_to: "
                  "the width of holes, slots and pockets of any form");
    const double largest = holes ? reader.quantity(*holes, "holes_up_to", Measure::length)
                                 : reader.quantity(*pockets, "pockets_up_to", Measure::length);
    std::vector<Vec3> near;
    if (const toml::node* places = reader.find("near"))
      for (const toml::node& place : reader.array(*places, "near"))
        near.push_back(reader.point(place, "near"));
    reader.finish();
    return holes ? makeFilled(body, largest, near) : makeFilledPockets(body, largest, near);
  }

  /// A body on its way along lines or round an axis.
  ShapePtr sweep(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "sweep");
    const ShapePtr body = named(reader, "of");
    const toml::node* path = reader.find("along");
    const toml::node* angle = reader.find("angle");
    if ((path == nullptr) == (angle == nullptr))
      reader.fail(
          node, "needs one of 'along' and 'angle'",
          "along: the places it is moved to, one after the other; angle: how far it turns round 'axis' "
          "through 'centre'");
    ShapePtr swept;
    if (path) {
      std::vector<Vec3> places;
      for (const toml::node& place : reader.array(*path, "along"))
        places.push_back(reader.point(place, "along"));
      swept = makeSwept(body, places);
    } else {
      const Vec3 axis = reader.direction(reader.need("axis", "the axis to turn about, e.g. \"z\""), "axis");
      const Vec3 centre = point(reader, "centre", "a point of the axis");
      swept = makeTurned(body, centre, axis, reader.quantity(*angle, "angle", Measure::angle));
    }
    reader.finish();
    return swept;
  }

  ShapePtr named(TableReader& reader, const std::string& key) {
    const toml::node& node = reader.need(key, "the name of a shape");
    return named(reader, node, key);
  }
  ShapePtr named(const TableReader& reader, const toml::node& node, const std::string& key) {
    const std::string name = reader.text(node, key);
    reader.resolve(node, "shape", name, names_);
    parts_[building_.back()].push_back(name);
    return build(name);
  }

  std::vector<ShapePtr> parts(const TableReader& reader, const toml::node& node, const std::string& key,
                              std::size_t least) {
    const toml::array& list = reader.array(node, key);
    if (list.size() < least) reader.fail(node, fmt::format("'{}' needs at least {} shapes", key, least));
    std::vector<ShapePtr> shapes;
    for (const toml::node& entry : list) shapes.push_back(named(reader, entry, key));
    return shapes;
  }

  ShapePtr unite(const TableReader& r, const toml::node& n) { return makeUnion(parts(r, n, "union", 1)); }
  ShapePtr intersect(const TableReader& r, const toml::node& n) {
    return makeIntersection(parts(r, n, "intersection", 1));
  }
  ShapePtr differ(const TableReader& r, const toml::node& n) {
    const std::vector<ShapePtr> list = parts(r, n, "difference", 2);
    return makeDifference(list.front(), {list.begin() + 1, list.end()});
  }

  ShapePtr offset(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "offset");
    const ShapePtr body = named(reader, "of");
    const double by = length(reader, "by", "how far the surface moves out; negative moves it in");
    reader.finish();
    return body->offset(by);
  }

  /// The shape together with its reflection.
  ShapePtr mirror(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "mirror");
    const ShapePtr body = named(reader, "of");
    const MirrorPlane plane = reader.mirrorPlane(sheet_ ? 2 : 3);
    reader.finish();
    multiply(outer, node, 2);
    return makeUnion({body, makeTransformed(body, reflection(plane.normal, plane.at))});
  }

  ShapePtr repeat(const TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "repeat");
    const ShapePtr body = named(reader, "of");
    const int times =
        reader.wholeNumber(reader.need("times", "how many there are, the first included"), "times", 2);
    if (times > 1000) reader.fail(node, "'times' should be at most 1000");
    const toml::node* step = reader.find("step");
    const toml::node* angle = reader.find("angle");
    if ((step == nullptr) == (angle == nullptr))
      reader.fail(node, "needs one of 'step' and 'angle'",
                  "step: from one to the next along a line; angle: from one to the next round 'axis' through "
                  "'centre'");
    Eigen::Isometry3d each = Eigen::Isometry3d::Identity();
    if (step) {
      each.translation() = reader.position(*step, "step", sheet_ ? 2 : 3);
    } else {
      const Vec3 axis =
          sheet_ ? Vec3(Vec3::UnitZ())
                 : reader.direction(reader.need("axis", "the axis to turn about, e.g. \"z\""), "axis");
      const Vec3 centre =
          reader.position(reader.need("centre", "a point of the axis"), "centre", sheet_ ? 2 : 3);
      const double turn = reader.quantity(*angle, "angle", Measure::angle);
      each = Eigen::Translation3d(centre) * Eigen::AngleAxisd(turn, axis) * Eigen::Translation3d(-centre);
    }
    reader.finish();
    multiply(outer, node, static_cast<std::size_t>(times));
    std::vector<ShapePtr> copies{body};
    Eigen::Isometry3d map = Eigen::Isometry3d::Identity();
    for (int i = 1; i < times; ++i) copies.push_back(makeTransformed(body, map = map * each));
    return makeUnion(std::move(copies));
  }

  TableReader shapes_;
  const std::optional<BriefSheet>& sheet_;
  std::filesystem::path folder_;
  std::vector<std::pair<std::string, Maker>> makers_;
  std::vector<std::string> names_;
  std::map<std::string, ShapePtr> done_;
  std::map<std::string, CadModel> models_;  // by file: read once, whatever is taken from it
  std::set<std::string> open_;
  std::vector<std::string> building_;  // innermost last
  std::map<std::string, std::string> texts_;
  std::map<std::string, std::vector<std::string>> parts_;
  std::map<std::string, std::size_t> pieces_;  // of each shape
  std::map<std::string, std::size_t> depth_;   // shapes below each
  std::size_t copies_ = 1;                     // of its parts, in the shape just made
};

}  // namespace

std::vector<BriefShape> buildShapes(const TableReader& shapes, const std::optional<BriefSheet>& sheet,
                                    const std::filesystem::path& folder, std::vector<std::string>& notes,
                                    std::vector<std::filesystem::path>& files) {
  ShapeBuilder builder(shapes, sheet, folder);
  std::vector<BriefShape> all = builder.all();
  notes.insert(notes.end(), builder.notes.begin(), builder.notes.end());
  files.insert(files.end(), builder.files.begin(), builder.files.end());
  return all;
}

}  // namespace barelattice
