#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/formats/mesh_files.hpp"
#include "barelattice/formats/stl.hpp"
#include "barelattice/meshes/tet_mesh.hpp"
#include "barelattice/shapes/shape.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using ::testing::HasSubstr;

TriangleMesh ball() {
  const ShapePtr shape = makeSphere({0.01, 0.02, 0.03}, 0.005);
  TriangleMesh mesh =
      stuff([&](const Vec3& p) { return shape->distance(p); }, shape->bounds(), 0.002).boundary();
  return roundedToStl(mesh);
}

TEST(MeshFiles, everyFormatHoldsTheSurface) {
  const TriangleMesh mesh = ball();
  const std::filesystem::path folder = ownFolder();
  for (std::size_t f = 0; f < meshFormatNames().size(); ++f)
    writeMesh(folder / ("ball." + meshFormatNames()[f]), mesh, static_cast<MeshFormat>(f));
  EXPECT_NEAR(readMesh(folder / "ball.stl").volume() / mesh.volume(), 1, 1e-5);
  const std::string obj = readFile(folder / "ball.obj");
  EXPECT_EQ(std::count(obj.begin(), obj.end(), 'v'), static_cast<long>(mesh.vertices.size()));
  EXPECT_EQ(std::count(obj.begin(), obj.end(), 'f'), static_cast<long>(mesh.triangles.size()));
  const std::string ply = readFile(folder / "ball.ply");
  EXPECT_THAT(ply, HasSubstr("element face " + std::to_string(mesh.triangles.size())));
  EXPECT_EQ(ply.size(),
            ply.find("end_header\n") + 11 + 12 * mesh.vertices.size() + 13 * mesh.triangles.size());
  const std::string threeMf = readFile(folder / "ball.3mf");
  EXPECT_EQ(threeMf.substr(0, 2), "PK") << "3MF is a zip archive";
  EXPECT_THAT(threeMf, HasSubstr("3D/3dmodel.model"));
  EXPECT_FALSE(std::filesystem::exists(folder / "ball.3mf.part"));
}

TEST(MeshFiles, sayWhereTheyCannotBeWritten) {
  for (std::size_t f = 0; f < meshFormatNames().size(); ++f)
    EXPECT_THROW(writeMesh("/proc/none/x." + meshFormatNames()[f], ball(), static_cast<MeshFormat>(f)),
                 RunError);
}

TEST(TriangleFiles, countFromNearTheBodyWhereTheirPrecisionAsksForIt) {
  const auto of = [](const Vec3& low, double size) {
    return originOfFiles({low, low + Vec3::Constant(size)});
  };
  EXPECT_EQ(of({-0.5, 3, 15}, 0.2), Vec3(0, 0, 0)) << "within 16 m all is as the brief has it";
  EXPECT_EQ(of({-20, -20, 10}, 40), Vec3(0, 0, 0)) << "a large body reaches that far itself";
  EXPECT_EQ(of({240, -120.4, 0}, 0.1), Vec3(240, -120, 0));
  EXPECT_EQ(originOfFiles(Box()), Vec3(0, 0, 0));
  const Vec3 place(240, -120, 8000);
  const TriangleMesh far = ball().moved(place);
  const auto gap = [&](const Vec3& origin) {
    const TriangleMesh written = roundedToStl(far, origin);
    double most = 0;
    for (std::size_t v = 0; v < written.vertices.size(); ++v)
      most = std::max(most, (written.vertices[v] - far.vertices[v]).norm());
    return most;
  };
  EXPECT_LT(gap(originOfFiles(far.bounds())), 1e-8);
  EXPECT_GT(gap(Vec3::Zero()), 1e-5) << "single precision, 8 km away";
}

TEST(TextStl, isReadLikeBinary) {
  const std::string text =
      "solid w\nfacet normal 0 0 -1\nouter loop\nvertex 0 0 0\nvertex 0 1 0\nvertex 1 0 "
      "0\nendloop\nendfacet\n"
      "facet normal 0 -1 0\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 0 1\nendloop\nendfacet\n"
      "facet normal -1 0 0\nouter loop\nvertex 0 0 0\nvertex 0 0 1\nvertex 0 1 0\nendloop\nendfacet\n"
      "facet normal 1 1 1\nouter loop\nvertex 1 0 0\nvertex 0 1 0\nvertex 0 0 1\nendloop\nendfacet\nendsolid "
      "w\n";
  const TriangleMesh mesh = parseStl(text, "w.stl");
  EXPECT_EQ(mesh.vertices.size(), 4U);
  EXPECT_NEAR(mesh.volume(), 1e-9 / 6, 1e-18);
  for (const auto& [from, to] : {std::pair{"vertex 1 0 0", "vertex 1 0"},
                                 {"vertex 1 0 0\n", ""},
                                 {"endsolid w\n", ""},
                                 {"vertex 1 0 0", "vertex nan 0 0"},
                                 {"outer loop\n", "outer loop\nvertex 9 9 9\n"}}) {
    std::string bad = text;
    bad.replace(bad.find(from), std::string(from).size(), to);
    EXPECT_THROW(parseStl(bad, "w.stl"), InputError) << from << " -> " << to;
  }
}

}  // namespace
}  // namespace barelattice
