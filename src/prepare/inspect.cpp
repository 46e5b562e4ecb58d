#include "barelattice/prepare/inspect.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <nlohmann/json.hpp>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/formats/mesh_files.hpp"
#include "barelattice/shapes/face.hpp"
#include "barelattice/shapes/mesh_shape.hpp"
#include "base/json_text.hpp"

namespace barelattice {
namespace {

using nlohmann::json;

constexpr double kMm = kMillimetresPerMetre;

bool isRound(const Patch& patch) {
  return patch.kind != Patch::Kind::plane && patch.kind != Patch::Kind::freeform;
}

/// A number of millimetres rounded to a micrometre.
double rounded(double metres) {
  return std::round(metres * kMm * 1e3) / 1e3 + 0.0;
}

/// A number of millimetres as short as it can be without losing a micrometre.
std::string millimetres(double metres) {
  return fmt::format("{} mm", rounded(metres));
}

std::string placeText(const Vec3& at) {
  return fmt::format("[\"{}\", \"{}\", \"{}\"]", millimetres(at.x()), millimetres(at.y()),
                     millimetres(at.z()));
}

std::string directionText(const Vec3& direction, bool eitherSense) {
  for (int axis = 0; axis < 3; ++axis) {
    const char letter = static_cast<char>('x' + axis);
    if (std::abs(direction[axis]) > 1 - 1e-6)
      return eitherSense ? fmt::format("\"{}\"", letter)
                         : fmt::format("\"{}{}\"", direction[axis] > 0 ? '+' : '-', letter);
  }
  return fmt::format("[{:.6g}, {:.6g}, {:.6g}]", direction.x() + 0.0, direction.y() + 0.0,
                     direction.z() + 0.0);
}

/// Whether a point projects into a triangle no farther away than `reach`, m.
bool liesOn(const Vec3& point, const Vec3& a, const Vec3& b, const Vec3& c, double reach) {
  const Vec3 normal = (b - a).cross(c - a);
  const double squared = normal.squaredNorm();
  if (!(squared > 0) || std::abs(normal.dot(point - a)) > reach * std::sqrt(squared)) return false;
  return (b - a).cross(point - a).dot(normal) >= 0 && (c - b).cross(point - b).dot(normal) >= 0 &&
         (a - c).cross(point - c).dot(normal) >= 0;
}

/// What "near" is best given: the centre of a round face, else the centre of the face or, where that is off
/// the face, the middle of the closest of its triangles.
Vec3 pointOn(const InspectedFace& face) {
  if (!face.patch.net || isRound(face.patch)) return face.centre;
  const TriangleMesh& net = face.patch.net->mesh;
  Vec3 best = face.centre;
  double least = std::numeric_limits<double>::max();
  for (std::size_t t = 0; t < net.triangles.size(); ++t) {
    const Vec3 a = net.corner(t, 0);
    const Vec3 b = net.corner(t, 1);
    const Vec3 c = net.corner(t, 2);
    if (liesOn(face.centre, a, b, c, 2 * face.patch.net->deviation)) return face.centre;
    const Vec3 middle = (a + b + c) / 3;
    const double away = (middle - face.centre).squaredNorm();
    if (away >= least) continue;
    least = away;
    best = middle;
  }
  return best;
}

/// Writes the shortest selector that catches this face only: by kind and size, then by direction, then by
/// place.
void proposeSelectors(std::vector<InspectedFace>& faces) {
  for (InspectedFace& face : faces) {
    const Patch& own = face.patch;
    std::string text = fmt::format("kind = \"{}\"", nameOf(own.kind));
    const auto alone = [&](bool withDirection) {
      return std::count_if(faces.begin(), faces.end(), [&](const InspectedFace& other) {
               const Patch& p = other.patch;
               if (p.kind != own.kind || p.isHole() != own.isHole()) return false;
               if (isRound(own) && !Range(own.radius).holds(p.radius)) return false;
               if (!withDirection || own.kind == Patch::Kind::sphere || own.kind == Patch::Kind::freeform)
                 return true;
               const double cosine = p.direction().dot(own.direction());
               return (isRound(own) ? std::abs(cosine) : cosine) > 0.9998;
             }) == 1;
    };
    if (isRound(own))
      text += fmt::format(", side = \"{}\", radius = \"{}\"", own.isHole() ? "hole" : "boss",
                          millimetres(own.radius));
    const bool directed = own.kind != Patch::Kind::sphere && own.kind != Patch::Kind::freeform;
    if (directed && (!isRound(own) || !alone(false)))
      text += fmt::format(", {} = {}", isRound(own) ? "axis" : "facing",
                          directionText(own.direction(), isRound(own)));
    if (!alone(true)) text += ", near = " + placeText(pointOn(face));
    face.selector = "{ of = \"part\", " + text + " }";
  }
}

InspectedBody bodyOf(const CadSolid& solid, const std::filesystem::path& file, std::size_t number,
                     bool onlyOne, bool nameUnique) {
  InspectedBody body;
  body.name = solid.name;
  const std::string which = onlyOne                             ? ""
                            : nameUnique && !solid.name.empty() ? fmt::format(", solid = \"{}\"", solid.name)
                                                                : fmt::format(", solid = {}", number);
  body.shapeText = fmt::format("part = {{ cad = {{ file = \"{}\"{} }} }}", file.filename().string(), which);
  body.volume = solid.volume;
  body.valid = solid.valid && inspectTopology(solid.surface).sound();
  body.bounds = solid.bounds;
  body.surface = solid.surface;
  body.faceOf = solid.faceOf;
  for (const CadFace& face : solid.faces) {
    body.area += face.area();
    body.faces.push_back({face.patch, face.area(), face.centre, face.adjacent, {}});
  }
  proposeSelectors(body.faces);
  return body;
}

/// What lies flat on a body of triangles.
std::vector<InspectedFace> flatFacesOf(const TriangleMesh& mesh, double diagonal) {
  const ShapePtr shape = makeMeshShape(mesh);
  std::vector<Patch> flats;
  shape->appendPatches(flats);
  const double spacing = std::max(1e-9, diagonal / 200);
  std::vector<InspectedFace> faces;
  for (const Patch& flat : flats) {
    Face face;
    face.points = flat.sample(spacing);
    std::erase_if(face.points, [&](const SurfacePoint& p) {
      return std::abs(shape->distance(p.position)) > 1e-6 * spacing;
    });
    if (face.points.empty()) continue;
    faces.push_back({flat, face.area(), face.centroid(), {}, {}});
  }
  return faces;
}

/// Whether a triangle lies in a flat patch.
bool liesIn(const Patch& patch, const TriangleMesh& mesh, std::size_t t, double diagonal) {
  const Vec3 middle = (mesh.corner(t, 0) + mesh.corner(t, 1) + mesh.corner(t, 2)) / 3;
  const Vec3 normal =
      (mesh.corner(t, 1) - mesh.corner(t, 0)).cross(mesh.corner(t, 2) - mesh.corner(t, 0)).stableNormalized();
  const Vec3 offset = middle - patch.origin;
  const double u = offset.dot(patch.u) / patch.u.squaredNorm();
  const double v = offset.dot(patch.v) / patch.v.squaredNorm();
  return normal.dot(patch.direction()) > 1 - 1e-6 && patch.distance(middle) < 1e-6 * diagonal && u > -1e-6 &&
         u < 1 + 1e-6 && v > -1e-6 && v < 1 + 1e-6;
}

/// Area and centre of faces by their triangles, which tell them better than samples do.
void measureFaces(InspectedBody& body) {
  std::vector<double> areas(body.faces.size(), 0.0);
  std::vector<Vec3> centres(body.faces.size(), Vec3::Zero());
  for (std::size_t t = 0; t < body.surface.triangles.size(); ++t) {
    if (body.faceOf[t] < 0) continue;
    const auto f = static_cast<std::size_t>(body.faceOf[t]);
    const Vec3 a = body.surface.corner(t, 0);
    const Vec3 b = body.surface.corner(t, 1);
    const Vec3 c = body.surface.corner(t, 2);
    const double own = 0.5 * (b - a).cross(c - a).norm();
    areas[f] += own;
    centres[f] += own / 3 * (a + b + c);
  }
  for (std::size_t f = 0; f < body.faces.size(); ++f) {
    if (!(areas[f] > 0)) continue;
    body.faces[f].area = areas[f];
    body.faces[f].centre = centres[f] / areas[f];
  }
}

void inspectTriangles(Inspection& inspection, double unit) {
  inspection.triangles = true;
  inspection.surface = readMesh(inspection.file, unit);
  inspection.unit = meshFormatOf(inspection.file) == MeshFormat::threeMf ? "the file's own"
                    : unit == 1                                          ? "m"
                    : unit == 1e-2                                       ? "cm"
                    : unit == 0.0254                                     ? "in"
                                                                         : "mm";
  inspection.defects = findDefects(inspection.surface);
  MendedMesh after = mended(inspection.surface);
  inspection.mended = after.done;
  inspection.remaining = findDefects(after.mesh);
  InspectedBody body;
  body.shapeText =
      fmt::format("part = {{ mesh = {{ file = \"{}\" }} }}", inspection.file.filename().string());
  body.area = after.mesh.area();
  body.bounds = after.mesh.bounds();
  body.valid = inspectTopology(after.mesh).sound();
  if (body.valid) inspection.fault = faultOfShells(after.mesh);
  inspection.usable = body.valid && inspection.fault.empty();
  const double diagonal = body.bounds.diagonal().norm();
  if (inspection.usable) {
    body.volume = after.mesh.volume();
    body.faces = flatFacesOf(after.mesh, diagonal);
  }
  body.surface = std::move(after.mesh);
  body.faceOf.assign(body.surface.triangles.size(), -1);
  for (std::size_t t = 0; t < body.surface.triangles.size(); ++t)
    for (std::size_t f = 0; f < body.faces.size(); ++f)
      if (liesIn(body.faces[f].patch, body.surface, t, diagonal)) body.faceOf[t] = static_cast<int>(f);
  measureFaces(body);
  proposeSelectors(body.faces);
  inspection.bodies.push_back(std::move(body));
}

}  // namespace

std::string describe(const InspectedFace& face) {
  const Patch& p = face.patch;
  std::string what = nameOf(p.kind);
  if (isRound(p)) {
    what += fmt::format(" {}, radius {}", p.isHole() ? "hole" : "boss", millimetres(p.radius));
    if (p.kind == Patch::Kind::cone || p.kind == Patch::Kind::torus)
      what += fmt::format(" and {}", millimetres(p.secondRadius));
    if (p.kind != Patch::Kind::sphere) what += fmt::format(", axis {}", directionText(p.direction(), true));
  } else if (p.kind == Patch::Kind::plane) {
    what += fmt::format(" facing {}", directionText(p.direction(), false));
  }
  return what;
}

namespace {

std::string faceLine(std::size_t number, const InspectedFace& face) {
  return fmt::format(
      "  {:>3}  {:<46} {:>10.4g} mm2 round ({})\n       {}\n", number, describe(face), face.area * kMm * kMm,
      coordinatesText({rounded(face.centre.x()), rounded(face.centre.y()), rounded(face.centre.z())}),
      face.selector);
}

std::string defectLines(const std::vector<MeshDefect>& defects, const TriangleMesh& mesh) {
  std::map<MeshDefect::Kind, std::vector<Vec3>> byKind;
  for (const MeshDefect& d : defects) byKind[d.kind].push_back(placeOf(mesh, d) * kMm);
  std::string text;
  constexpr std::size_t kPlaces = 5;
  for (const auto& [kind, places] : byKind) {
    text += fmt::format("  {} x {}, at", places.size(), nameOf(kind));
    for (std::size_t i = 0; i < std::min(kPlaces, places.size()); ++i)
      text += fmt::format(" ({})", coordinatesText(places[i]));
    text += places.size() > kPlaces ? fmt::format(" and {} more\n", places.size() - kPlaces) : "\n";
  }
  return text;
}

json listOf(const Vec3& v, double scale) {
  return {v.x() * scale + 0.0, v.y() * scale + 0.0, v.z() * scale + 0.0};
}

json defectsJson(const std::vector<MeshDefect>& defects, const TriangleMesh& mesh) {
  json list = json::array();
  for (const MeshDefect& d : defects)
    list.push_back({{"what", nameOf(d.kind)}, {"at_mm", listOf(placeOf(mesh, d), kMm)}});
  return list;
}

json faceJson(std::size_t number, const InspectedFace& face) {
  const Patch& p = face.patch;
  json entry = {{"number", number},
                {"kind", nameOf(p.kind)},
                {"area_mm2", face.area * kMm * kMm},
                {"centre_mm", listOf(face.centre, kMm)},
                {"selector", face.selector}};
  if (p.kind == Patch::Kind::plane) entry["facing"] = listOf(p.direction(), 1);
  if (isRound(p)) {
    entry["side"] = p.isHole() ? "hole" : "boss";
    entry["radius_mm"] = p.radius * kMm;
    if (p.kind == Patch::Kind::cone || p.kind == Patch::Kind::torus)
      entry["second_radius_mm"] = p.secondRadius * kMm;
    if (p.kind != Patch::Kind::sphere) entry["axis"] = listOf(p.direction(), 1);
  }
  json adjacent = json::array();
  for (const int other : face.adjacent) adjacent.push_back(other + 1);
  if (!face.adjacent.empty()) entry["adjacent"] = adjacent;
  return entry;
}

}  // namespace

Inspection inspectFile(const std::filesystem::path& file, double unit) {
  Inspection inspection;
  inspection.file = file;
  if (!isStepFile(file)) {
    inspectTriangles(inspection, unit);
    return inspection;
  }
  const CadModel model = readStep(file);
  inspection.unit = model.unit;
  inspection.looseFaces = model.looseFaces;
  for (std::size_t s = 0; s < model.solids.size(); ++s) {
    const std::string& name = model.solids[s].name;
    const auto same = std::count_if(model.solids.begin(), model.solids.end(),
                                    [&](const CadSolid& other) { return other.name == name; });
    inspection.bodies.push_back(bodyOf(model.solids[s], file, s + 1, model.solids.size() == 1, same == 1));
    inspection.usable = inspection.usable && inspection.bodies.back().valid;
  }
  return inspection;
}

std::string describe(const Inspection& inspection) {
  std::string text;
  if (inspection.triangles) {
    text +=
        fmt::format("{}: {} triangles, {} vertices, read in {}\n", inspection.file.string(),
                    inspection.surface.triangles.size(), inspection.surface.vertices.size(), inspection.unit);
    text += inspection.defects.empty() ? "no defects\n"
                                       : "defects\n" + defectLines(inspection.defects, inspection.surface);
    if (!inspection.mended.empty()) {
      text += "a brief that uses it mends\n";
      for (const std::string& done : inspection.mended) text += "  " + done + "\n";
      text += inspection.remaining.empty()
                  ? "and nothing is left\n"
                  : "and leaves\n" + defectLines(inspection.remaining, inspection.bodies.front().surface);
    }
    if (!inspection.fault.empty())
      text += "which part of it is material cannot be told: " + inspection.fault +
              "; unite bodies and cut cavities where it was made\n";
    else if (!inspection.usable)
      text += "it encloses no body as it is: mend it where it was made\n";
  } else {
    text += fmt::format("{}: {} solid{}, written in {}\n", inspection.file.string(), inspection.bodies.size(),
                        inspection.bodies.size() == 1 ? "" : "s",
                        inspection.unit.empty() ? "no unit" : inspection.unit);
    if (inspection.looseFaces)
      text += inspection.looseFaces == 1
                  ? "1 face belongs to no solid and is left out\n"
                  : fmt::format("{} faces belong to no solid and are left out\n", inspection.looseFaces);
  }
  for (std::size_t b = 0; b < inspection.bodies.size(); ++b) {
    const InspectedBody& body = inspection.bodies[b];
    const Vec3 low = body.bounds.min() * kMm;
    const Vec3 high = body.bounds.max() * kMm;
    text += fmt::format("\nsolid {}{}: {:.6g} mm3, {:.6g} mm2, from ({}) to ({}) mm{}\n", b + 1,
                        body.name.empty() ? "" : fmt::format(" \"{}\"", body.name),
                        body.volume * std::pow(kMm, 3), body.area * kMm * kMm, coordinatesText(low),
                        coordinatesText(high), body.valid ? "" : ", topology doubtful");
    text += "  in [shapes]:  " + body.shapeText + "\n";
    if (!body.faces.empty())
      text += fmt::format("  {} {}; for [faces]:\n", body.faces.size(),
                          inspection.triangles ? "flat faces" : "faces");
    for (std::size_t f = 0; f < body.faces.size(); ++f) text += faceLine(f + 1, body.faces[f]);
  }
  if (!text.empty() && text.back() == '\n') text.pop_back();
  return text;
}

std::string jsonText(const Inspection& inspection) {
  json result = {
      {"file", inspection.file.string()}, {"unit", inspection.unit}, {"usable", inspection.usable}};
  if (inspection.triangles) {
    result["triangles"] = inspection.surface.triangles.size();
    result["vertices"] = inspection.surface.vertices.size();
    result["defects"] = defectsJson(inspection.defects, inspection.surface);
    result["mended"] = inspection.mended;
    result["fault"] = inspection.fault;
    result["remaining"] = defectsJson(inspection.remaining, inspection.bodies.front().surface);
  } else {
    result["loose_faces"] = inspection.looseFaces;
  }
  result["solids"] = json::array();
  for (const InspectedBody& body : inspection.bodies) {
    json faces = json::array();
    std::map<std::string, int> counts;
    for (std::size_t f = 0; f < body.faces.size(); ++f) {
      faces.push_back(faceJson(f + 1, body.faces[f]));
      ++counts[nameOf(body.faces[f].patch.kind)];
    }
    result["solids"].push_back({{"name", body.name},
                                {"shape", body.shapeText},
                                {"volume_mm3", body.volume * std::pow(kMm, 3)},
                                {"area_mm2", body.area * kMm * kMm},
                                {"low_mm", listOf(body.bounds.min(), kMm)},
                                {"high_mm", listOf(body.bounds.max(), kMm)},
                                {"valid", body.valid},
                                {"face_counts", counts},
                                {"faces", faces}});
  }
  return jsonText(result, 2);
}

}  // namespace barelattice
