#include "barelattice/formats/cad.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstdlib>
#include <nlohmann/json.hpp>
#include <numbers>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/shapes/face.hpp"
#include "base/file_name.hpp"
#include "child_process.hpp"
#include "shapes/mesh_shape_with_faces.hpp"

namespace barelattice {
namespace {

using nlohmann::json;

/// Where the program that reads CAD files is; empty if it is nowhere.
std::filesystem::path readerProgram() {
  namespace fs = std::filesystem;
  std::error_code ignored;
  if (const char* given = std::getenv("BARELATTICE_CAD")) return fs::exists(given, ignored) ? given : "";
  std::vector<fs::path> places;
  const fs::path self = fs::read_symlink("/proc/self/exe", ignored);
  if (!ignored) places.push_back(self.parent_path() / "barelattice-cad");
#ifdef BARELATTICE_CAD_PLACES
  if (!ignored) places.push_back(self.parent_path() / BARELATTICE_CAD_FROM_TOOL);
  for (const char* place : {BARELATTICE_CAD_PLACES}) places.emplace_back(place);
#endif
  for (const fs::path& place : places)
    if (fs::exists(place, ignored)) return place;
  return {};
}

Vec3 vectorFrom(const json& list) {
  return {list.at(0).get<double>(), list.at(1).get<double>(), list.at(2).get<double>()};
}

/// The rectangle of a plane patch round its net.
void spanPlane(Patch& patch, const Vec3& normal, const TriangleMesh& net) {
  const Vec3 u = normal.unitOrthogonal();
  const Vec3 v = normal.cross(u);
  Eigen::AlignedBox2d box;
  for (const Vec3& p : net.vertices) {
    const Vec3 offset = p - patch.origin;
    box.extend(Eigen::Vector2d(offset.dot(u), offset.dot(v)));
  }
  patch.origin += box.min().x() * u + box.min().y() * v;
  patch.u = std::max(box.sizes().x(), 1e-12) * u;
  patch.v = std::max(box.sizes().y(), 1e-12) * v;
}

Patch patchFrom(const json& face, const TriangleMesh& net) {
  Patch patch;
  const std::vector<std::string>& kinds = patchKindNames();
  const auto kind = std::find(kinds.begin(), kinds.end(), face.at("kind").get<std::string>());
  patch.kind = kind == kinds.end() ? Patch::Kind::freeform : static_cast<Patch::Kind>(kind - kinds.begin());
  if (patch.kind == Patch::Kind::freeform) return patch;
  patch.origin = vectorFrom(face.at("origin"));
  const Vec3 axis = vectorFrom(face.at("axis")).normalized();
  if (patch.kind == Patch::Kind::plane) {
    spanPlane(patch, axis, net);
    return patch;
  }
  patch.u = vectorFrom(face.at("from")).normalized();
  patch.v = axis * face.value("length", 1.0);
  patch.radius = face.at("radius").get<double>();
  patch.secondRadius = face.value("end_radius", 0.0);
  patch.sweep = face.at("sweep").get<double>();
  if (patch.sweep > 2 * std::numbers::pi - 1e-9) patch.sweep = 0;
  patch.flipped = face.at("inward").get<bool>();
  if (!(patch.radius >= 0 && patch.secondRadius >= 0 && axis.norm() > 0.5 && patch.u.norm() > 0.5))
    throw InputError("a round face has no radius or no axis");
  return patch;
}

CadSolid solidFrom(const json& entry) {
  CadSolid solid;
  solid.name = entry.value("name", "");
  solid.volume = entry.at("volume").get<double>();
  solid.valid = entry.value("valid", false);
  solid.deviation = entry.at("deviation").get<double>();
  const json& numbers = entry.at("vertices");
  const json& triangles = entry.at("triangles");
  if (numbers.size() % 3 || triangles.size() % 4) throw InputError("half a vertex or triangle");
  for (std::size_t i = 0; i < numbers.size(); i += 3)
    solid.surface.vertices.emplace_back(numbers[i].get<double>(), numbers[i + 1].get<double>(),
                                        numbers[i + 2].get<double>());
  solid.bounds = solid.surface.bounds();
  if (entry.contains("low")) solid.bounds = Box(vectorFrom(entry.at("low")), vectorFrom(entry.at("high")));
  const std::size_t faces = entry.at("faces").size();
  std::vector<TriangleMesh> nets(faces);
  // Of each vertex the face it was last met in and its number there. Triangles come face by face; were they
  // mixed, a net would only hold a vertex twice.
  struct Met {
    std::size_t face;
    int number;
  };
  std::vector<Met> met(solid.surface.vertices.size(), {faces, 0});
  for (std::size_t i = 0; i < triangles.size(); i += 4) {
    std::array<int, 3> corners{};
    for (std::size_t k = 0; k < 3; ++k) {
      corners[k] = triangles[i + k].get<int>();
      if (corners[k] < 0 || static_cast<std::size_t>(corners[k]) >= solid.surface.vertices.size())
        throw InputError("a triangle names a vertex that is not there");
    }
    const auto face = triangles[i + 3].get<std::size_t>();
    if (face >= faces) throw InputError("a triangle names a face that is not there");
    solid.surface.triangles.push_back(corners);
    solid.faceOf.push_back(static_cast<int>(face));
    TriangleMesh& net = nets[face];
    for (int& corner : corners) {
      const auto vertex = static_cast<std::size_t>(corner);
      if (met[vertex].face != face) {
        met[vertex] = {face, static_cast<int>(net.vertices.size())};
        net.vertices.push_back(solid.surface.vertices[vertex]);
      }
      corner = met[vertex].number;
    }
    net.triangles.push_back(corners);
  }
  for (std::size_t f = 0; f < faces; ++f) {
    const json& face = entry.at("faces")[f];
    CadFace result;
    result.patch = patchFrom(face, nets[f]);
    result.patch.net =
        std::make_shared<PatchNet>(std::move(nets[f]), face.at("area").get<double>(), solid.deviation);
    result.centre = vectorFrom(face.at("centre"));
    result.adjacent = face.at("adjacent").get<std::vector<int>>();
    for (const int other : result.adjacent)
      if (other < 0 || static_cast<std::size_t>(other) >= faces)
        throw InputError("a face meets one that is not there");
    solid.faces.push_back(std::move(result));
  }
  return solid;
}

}  // namespace

bool isStepFile(const std::filesystem::path& path) {
  const std::string ending = endingOf(path);
  return ending == ".step" || ending == ".stp";
}

bool cadAvailable() {
  return !readerProgram().empty();
}

CadModel readStep(const std::filesystem::path& path, double deviation, const CadLimits& limits) {
  // A first look of our own: a clear word about a file that is missing or something else.
  const std::string start = readFile(path).substr(0, 4096);
  if (start.find("ISO-10303-21") == std::string::npos)
    throw InputError(path.string() + " is not a STEP file", "it should begin with ISO-10303-21;");
  const std::filesystem::path program = readerProgram();
  if (program.empty())
    throw RunError(
        "STEP files cannot be read: the program barelattice-cad is missing",
        "build or install all targets, not the tool alone, or name the program in the environment as "
        "BARELATTICE_CAD");
  const ChildOutcome outcome = runChild({program.string(), path.string(), fmt::format("{:.17g}", deviation)},
                                        {limits.seconds, limits.bytes});
  if (outcome.outOfTime)
    throw InputError(
        fmt::format("{} takes the CAD kernel longer than {:.0f} s", path.string(), limits.seconds),
        "simplify it where it was made");
  if (outcome.output.empty())
    throw InputError(path.string() + " brings the CAD kernel down: it is damaged, or needs too much memory",
                     "export it again");
  return parseCadModel(outcome.output, path);
}

CadModel parseCadModel(const std::string& answer, const std::filesystem::path& path) {
  json document;
  try {
    document = json::from_cbor(answer);
  } catch (const json::exception&) {
    document = nullptr;
  }
  if (!document.is_object()) throw InputError(path.string() + ": the CAD kernel left half an answer");
  CadModel model;
  try {
    if (document.contains("error"))
      throw InputError(path.string() + " " + document["error"].get<std::string>(), "export it again");
    model.unit = document.value("unit", "");
    model.looseFaces = document.value("loose_faces", std::size_t{0});
    for (const json& entry : document.at("solids")) model.solids.push_back(solidFrom(entry));
  } catch (const json::exception& error) {
    throw InputError(path.string() + ": the CAD kernel left an odd answer: " + error.what());
  }
  if (model.solids.empty()) {
    const std::string faces = model.looseFaces == 1 ? "one face" : fmt::format("{} faces", model.looseFaces);
    throw InputError(
        fmt::format("{} holds no solid{}", path.string(), model.looseFaces ? ", only " + faces : ""),
        "export closed solids, not surfaces or meshes");
  }
  return model;
}

ShapePtr makeCadShape(const CadSolid& solid) {
  std::vector<Patch> patches;
  for (const CadFace& face : solid.faces) patches.push_back(face.patch);
  return makeMeshShapeWithFaces(solid.surface, std::move(patches), solid.faceOf);
}

}  // namespace barelattice
