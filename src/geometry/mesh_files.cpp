#include "barelattice/geometry/mesh_files.hpp"

#include <Model/COM/NMR_DLLInterfaces.h>
#include <fmt/format.h>

#include <algorithm>
#include <cstdint>
#include <cstring>
#include <iterator>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/geometry/stl.hpp"

namespace barelattice {
namespace {

std::string objText(const TriangleMesh& mesh) {
  std::string text = "# Bare Lattice solid, millimetres\n";
  for (const Vec3& v : mesh.vertices) {
    const Vec3 mm = kMillimetresPerMetre * v;
    fmt::format_to(std::back_inserter(text), "v {:.7g} {:.7g} {:.7g}\n", mm.x(), mm.y(), mm.z());
  }
  for (const auto& t : mesh.triangles)
    fmt::format_to(std::back_inserter(text), "f {} {} {}\n", t[0] + 1, t[1] + 1, t[2] + 1);
  return text;
}

template <class T>
void append(std::string& bytes, T value) {
  char raw[sizeof(T)];
  std::memcpy(raw, &value, sizeof(T));
  bytes.append(raw, sizeof(T));
}

std::string plyBytes(const TriangleMesh& mesh) {
  std::string bytes = fmt::format(
      "ply\nformat binary_little_endian 1.0\ncomment Bare Lattice solid, millimetres\nelement vertex {}\n"
      "property float x\nproperty float y\nproperty float z\nelement face {}\n"
      "property list uchar int vertex_indices\nend_header\n",
      mesh.vertices.size(), mesh.triangles.size());
  for (const Vec3& v : mesh.vertices)
    for (int i = 0; i < 3; ++i) append(bytes, static_cast<float>(kMillimetresPerMetre * v[i]));
  for (const auto& t : mesh.triangles) {
    append(bytes, std::uint8_t{3});
    for (const int v : t) append(bytes, static_cast<std::int32_t>(v));
  }
  return bytes;
}

/// Releases an object of the 3MF library.
template <class T>
struct Handle {
  T* object = nullptr;
  Handle() = default;
  Handle(const Handle&) = delete;
  Handle& operator=(const Handle&) = delete;
  ~Handle() {
    if (object) NMR::lib3mf_release(object);
  }
};

void write3mf(const std::filesystem::path& path, const TriangleMesh& mesh) {
  std::vector<NMR::MODELMESHVERTEX> vertices;
  for (const Vec3& v : mesh.vertices) {
    const Eigen::Vector3f mm = (kMillimetresPerMetre * v).cast<float>();
    vertices.push_back({{mm.x(), mm.y(), mm.z()}});
  }
  std::vector<NMR::MODELMESHTRIANGLE> triangles;
  for (const auto& t : mesh.triangles) {
    NMR::MODELMESHTRIANGLE triangle;
    for (std::size_t i = 0; i < 3; ++i) triangle.m_nIndices[i] = static_cast<DWORD>(t[i]);
    triangles.push_back(triangle);
  }
  const std::filesystem::path half = path.string() + ".part";
  const auto done = [&](LIB3MFRESULT result) {
    if (result == 0) return;
    std::error_code ignored;
    std::filesystem::remove(half, ignored);
    throw RunError(fmt::format("cannot write {} (3MF library, code {})", path.string(), result));
  };
  Handle<NMR::PLib3MFModel> model;
  Handle<NMR::PLib3MFModelMeshObject> object;
  Handle<NMR::PLib3MFModelBuildItem> item;
  Handle<NMR::PLib3MFModelWriter> writer;
  done(NMR::lib3mf_createmodel(&model.object));
  done(NMR::lib3mf_model_setunit(model.object, NMR::MODELUNIT_MILLIMETER));
  done(NMR::lib3mf_model_addmeshobject(model.object, &object.object));
  done(NMR::lib3mf_object_setnameutf8(object.object, "solid"));
  done(NMR::lib3mf_meshobject_setgeometry(object.object, vertices.data(), static_cast<DWORD>(vertices.size()),
                                          triangles.data(), static_cast<DWORD>(triangles.size())));
  done(NMR::lib3mf_model_addbuilditem(model.object, object.object, nullptr, &item.object));
  done(NMR::lib3mf_model_querywriter(model.object, "3mf", &writer.object));
  done(NMR::lib3mf_writer_writetofileutf8(writer.object, half.c_str()));
  std::error_code fault;
  std::filesystem::rename(half, path, fault);
  if (fault) throw RunError(fmt::format("cannot write {}: {}", path.string(), fault.message()));
}

}  // namespace

const std::vector<std::string>& meshFormatNames() {
  static const std::vector<std::string> names{"stl", "3mf", "obj", "ply"};
  return names;
}

void writeMesh(const std::filesystem::path& path, const TriangleMesh& mesh, MeshFormat format) {
  switch (format) {
    case MeshFormat::stl:
      return writeStl(path, mesh);
    case MeshFormat::threeMf:
      return write3mf(path, mesh);
    case MeshFormat::obj:
      return writeFile(path, objText(mesh));
    case MeshFormat::ply:
      return writeFile(path, plyBytes(mesh));
  }
}

TriangleMesh readMesh(const std::filesystem::path& path) {
  std::string ending = path.extension().string();
  std::transform(ending.begin(), ending.end(), ending.begin(),
                 [](unsigned char c) { return std::tolower(c); });
  if (ending != ".stl")
    throw InputError(fmt::format("{}: only STL files are read", path.string()), "export the surface as STL");
  return readStl(path);
}

}  // namespace barelattice
