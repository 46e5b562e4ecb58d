#include <Common/NMR_ErrorConst.h>
#include <Model/COM/NMR_DLLInterfaces.h>
#include <fmt/format.h>

#include <array>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "base/plain_numbers.hpp"
#include "mesh_formats.hpp"
#include "three_mf_limits.hpp"

namespace barelattice {
namespace {

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

void appendObject(TriangleMesh& mesh, NMR::PLib3MFModelMeshObject* object, double unit,
                  const std::filesystem::path& path) {
  DWORD vertices = 0;
  DWORD triangles = 0;
  if (NMR::lib3mf_meshobject_getvertexcount(object, &vertices) != 0 ||
      NMR::lib3mf_meshobject_gettrianglecount(object, &triangles) != 0)
    throw InputError(path.string() + ": an object of the 3MF file is no mesh");
  const auto base = static_cast<long long>(mesh.vertices.size());
  for (DWORD v = 0; v < vertices; ++v) {
    NMR::MODELMESHVERTEX vertex;
    if (NMR::lib3mf_meshobject_getvertex(object, v, &vertex) != 0)
      throw InputError(path.string() + " is damaged");
    const auto& p = vertex.m_fPosition;
    mesh.vertices.push_back(
        unit * Vec3(static_cast<double>(p[0]), static_cast<double>(p[1]), static_cast<double>(p[2])));
    if (!mesh.vertices.back().allFinite())
      throw InputError(path.string() + ": a vertex has invalid coordinates");
  }
  for (DWORD t = 0; t < triangles; ++t) {
    NMR::MODELMESHTRIANGLE triangle;
    if (NMR::lib3mf_meshobject_gettriangle(object, t, &triangle) != 0)
      throw InputError(path.string() + " is damaged");
    std::vector<long long> corners;
    for (const DWORD corner : triangle.m_nIndices) corners.push_back(base + static_cast<long long>(corner));
    appendPolygon(mesh, corners, path);
  }
}

/// The library takes millimetres for a unit the standard does not know, and only leaves a note.
bool notesUnknownUnit(NMR::PLib3MFModelReader* reader) {
  DWORD count = 0;
  NMR::lib3mf_reader_getwarningcount(reader, &count);
  for (DWORD i = 0; i < count; ++i) {
    DWORD code = 0;
    ULONG length = 0;
    NMR::lib3mf_reader_getwarningutf8(reader, i, &code, nullptr, 0, &length);
    if (code == NMR_ERROR_INVALIDMODELUNIT) return true;
  }
  return false;
}

double metresPer(DWORD unit) {
  switch (unit) {
    case NMR::MODELUNIT_MICROMETER:
      return 1e-6;
    case NMR::MODELUNIT_CENTIMETER:
      return 1e-2;
    case NMR::MODELUNIT_INCH:
      return 0.0254;
    case NMR::MODELUNIT_FOOT:
      return 0.3048;
    case NMR::MODELUNIT_METER:
      return 1;
    default:
      return 1e-3;
  }
}

}  // namespace

void write3mf(const std::filesystem::path& path, const TriangleMesh& mesh) {
  const PlainNumbers plain;
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

TriangleMesh parse3mf(const std::string& bytes, const std::filesystem::path& path) {
  const PlainNumbers plain;
  const auto done = [&](LIB3MFRESULT result) {
    if (result != 0)
      throw InputError(fmt::format("{} is not a whole 3MF file (3MF library, code {:#x})", path.string(),
                                   static_cast<unsigned>(result)));
  };
  refuseEndless3mf(bytes, path);
  Handle<NMR::PLib3MFModel> given;
  Handle<NMR::PLib3MFModel> model;
  Handle<NMR::PLib3MFModelReader> reader;
  Handle<NMR::PLib3MFModelResourceIterator> objects;
  done(NMR::lib3mf_createmodel(&given.object));
  done(NMR::lib3mf_model_queryreader(given.object, "3mf", &reader.object));
  std::string copy = bytes;  // the library asks for writable memory
  done(NMR::lib3mf_reader_readfrombuffer(reader.object, reinterpret_cast<BYTE*>(copy.data()), copy.size()));
  if (notesUnknownUnit(reader.object))
    throw InputError(path.string() + ": the model's unit is none of 3MF",
                     "use micron, millimeter, centimeter, inch, foot or meter");
  DWORD unit = NMR::MODELUNIT_MILLIMETER;
  done(NMR::lib3mf_model_getunit(given.object, &unit));
  // All that is to be built becomes one mesh, components and their places resolved.
  done(NMR::lib3mf_model_mergetomodel(given.object, &model.object));
  done(NMR::lib3mf_model_getmeshobjects(model.object, &objects.object));
  TriangleMesh mesh;
  BOOL more = 0;
  for (done(NMR::lib3mf_resourceiterator_movenext(objects.object, &more)); more;
       done(NMR::lib3mf_resourceiterator_movenext(objects.object, &more))) {
    Handle<NMR::PLib3MFModelResource> object;
    done(NMR::lib3mf_resourceiterator_getcurrent(objects.object, &object.object));
    appendObject(mesh, object.object, metresPer(unit), path);
  }
  return mesh;
}

}  // namespace barelattice
