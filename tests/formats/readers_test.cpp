// Triangle files from outside: reading every format, finding and mending what is wrong.

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <map>
#include <numbers>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/formats/mesh_files.hpp"
#include "barelattice/formats/stl.hpp"
#include "barelattice/meshes/mesh_repair.hpp"
#include "barelattice/meshes/tet_mesh.hpp"
#include "barelattice/shapes/mesh_shape.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;
using ::testing::IsEmpty;
using Kind = MeshDefect::Kind;

TriangleMesh ball() {
  const ShapePtr shape = makeSphere({0.01, 0.02, 0.03}, 0.005);
  return roundedToStl(
      stuff([&](const Vec3& p) { return shape->distance(p); }, shape->bounds(), 0.002).boundary());
}

/// A box of 2 x 3 x 4, twelve triangles.
TriangleMesh box() {
  TriangleMesh mesh;
  for (int v = 0; v < 8; ++v) mesh.vertices.emplace_back(2.0 * (v & 1), 3.0 * (v >> 1 & 1), 4.0 * (v >> 2));
  mesh.triangles = {{0, 2, 3}, {0, 3, 1}, {4, 5, 7}, {4, 7, 6}, {0, 1, 5}, {0, 5, 4},
                    {2, 6, 7}, {2, 7, 3}, {0, 4, 6}, {0, 6, 2}, {1, 3, 7}, {1, 7, 5}};
  return mesh;
}

std::size_t count(const std::vector<MeshDefect>& defects, Kind kind) {
  return static_cast<std::size_t>(
      std::count_if(defects.begin(), defects.end(), [&](const MeshDefect& d) { return d.kind == kind; }));
}

TEST(ReadMesh, givesBackWhatEveryFormatWrote) {
  const std::filesystem::path first = ownFolder() / "first.stl";
  writeStl(first, ball());
  const TriangleMesh mesh = readStl(first);  // without the lattice's unused vertices
  for (std::size_t f = 0; f < meshFormatNames().size(); ++f) {
    const std::filesystem::path path = ownFolder() / ("read." + meshFormatNames()[f]);
    writeMesh(path, mesh, static_cast<MeshFormat>(f));
    const TriangleMesh read = readMesh(path);
    EXPECT_EQ(read.triangles.size(), mesh.triangles.size()) << path;
    EXPECT_EQ(read.vertices.size(), mesh.vertices.size()) << path;
    EXPECT_NEAR(read.volume() / mesh.volume(), 1, 1e-5) << path;
    EXPECT_LT((read.bounds().center() - mesh.bounds().center()).norm(), 1e-7) << path;
    EXPECT_EQ(inspectMesh(read).text(), "sound") << path;
  }
}

TEST(ReadMesh, takesTheUnitItIsTold) {
  const std::filesystem::path path = ownFolder() / "unit.ply";
  writeMesh(path, ball(), MeshFormat::ply);
  EXPECT_NEAR(readMesh(path, 0.0254).volume() / readMesh(path).volume(), std::pow(25.4, 3), 1);
  const std::filesystem::path own = ownFolder() / "unit.3mf";
  writeMesh(own, ball(), MeshFormat::threeMf);
  EXPECT_NEAR(readMesh(own, 0.0254).volume() / ball().volume(), 1, 1e-5) << "3MF names its unit";
}

/// A zip archive of uncompressed files, as 3MF wants one.
std::string archive(const std::vector<std::pair<std::string, std::string>>& files) {
  const auto number = [](std::uint32_t value, int bytes) {
    std::string text;
    for (int i = 0; i < bytes; ++i) text += i < 4 ? static_cast<char>(value >> 8 * i & 0xFFU) : '\0';
    return text;
  };
  const auto checksum = [](const std::string& bytes) {  // CRC-32 of ISO 3309
    std::uint32_t crc = ~0U;
    for (const char byte : bytes) {
      crc ^= static_cast<unsigned char>(byte);
      for (int bit = 0; bit < 8; ++bit) crc = crc >> 1 ^ (crc & 1 ? 0xEDB88320U : 0U);
    }
    return ~crc;
  };
  std::string body, directory;
  for (const auto& [name, text] : files) {
    const auto size = static_cast<std::uint32_t>(text.size());
    const std::string about = number(20, 2) + number(0, 8) + number(checksum(text), 4) + number(size, 4) +
                              number(size, 4) + number(static_cast<std::uint32_t>(name.size()), 2);
    directory += "PK\1\2" + number(20, 2) + about + number(0, 12) +
                 number(static_cast<std::uint32_t>(body.size()), 4) + name;
    body += "PK\3\4" + about + number(0, 2) + name + text;
  }
  const auto count = static_cast<std::uint32_t>(files.size());
  return body + directory + "PK\5\6" + number(0, 4) + number(count, 2) + number(count, 2) +
         number(static_cast<std::uint32_t>(directory.size()), 4) +
         number(static_cast<std::uint32_t>(body.size()), 4) + number(0, 2);
}

/// A 3MF file with a unit, objects and build items of one's own.
std::filesystem::path threeMf(const std::string& unit, const std::string& objects, const std::string& items) {
  const std::filesystem::path path = ownFolder() / "model.3mf";
  const std::string head = R"(<?xml version="1.0" encoding="UTF-8"?>)";
  writeFile(
      path,
      archive({{"[Content_Types].xml",
                head + R"(<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">
<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>
<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>)"},
               {"_rels/.rels",
                head + R"(<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">
<Relationship Target="/3D/3dmodel.model" Id="rel0"
 Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>)"},
               {"3D/3dmodel.model",
                head + "<model unit=\"" + unit +
                    R"(" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"><resources>)" +
                    objects + "</resources><build>" + items + "</build></model>"}}));
  return path;
}

constexpr const char* kCorner = R"(<object id="1" type="model"><mesh><vertices>
<vertex x="0" y="0" z="0"/><vertex x="1" y="0" z="0"/><vertex x="0" y="1" z="0"/><vertex x="0" y="0" z="1"/>
</vertices><triangles><triangle v1="0" v2="2" v3="1"/><triangle v1="0" v2="1" v3="3"/>
<triangle v1="0" v2="3" v3="2"/><triangle v1="1" v2="2" v3="3"/></triangles></mesh></object>)";

TEST(Read3mf, knowsEveryUnit) {
  const std::map<std::string, double> metres{{"micron", 1e-6}, {"millimeter", 1e-3}, {"centimeter", 1e-2},
                                             {"inch", 0.0254}, {"foot", 0.3048},     {"meter", 1}};
  for (const auto& [unit, size] : metres)
    EXPECT_NEAR(readMesh(threeMf(unit, kCorner, R"(<item objectid="1"/>)")).volume() / std::pow(size, 3),
                1.0 / 6, 1e-6)
        << unit;
}

// What is built is an object of two components, one of them moved and doubled; a third object is not built.
TEST(Read3mf, putsComponentsInTheirPlaces) {
  const std::string objects =
      kCorner + std::string(R"(<object id="2" type="model"><components><component objectid="1"/>
<component objectid="1" transform="2 0 0 0 2 0 0 0 2 10 0 0"/></components></object>)");
  const TriangleMesh mesh =
      readMesh(threeMf("millimeter", objects, R"(<item objectid="2" transform="1 0 0 0 1 0 0 0 1 0 5 0"/>)"));
  EXPECT_NEAR(mesh.volume(), 1e-9 * (1 + 8) / 6, 1e-15);
  EXPECT_LT((mesh.bounds().min() - 1e-3 * Vec3(0, 5, 0)).norm(), 1e-9);
  EXPECT_LT((mesh.bounds().max() - 1e-3 * Vec3(12, 7, 2)).norm(), 1e-9);
}

std::string refused(const std::filesystem::path& path) {
  try {
    readMesh(path);
  } catch (const InputError& error) {
    return error.what();
  }
  return {};
}

// Thirty objects of the one before twice are a billion; five thousand of the one before are as deep.
TEST(Read3mf, refusesWhatNeverEnds) {
  const auto chain = [](int length, int copies) {
    std::string objects = kCorner;
    for (int i = 2; i <= length; ++i) {
      objects += fmt::format("<object id=\"{}\" type=\"model\"><components>", i);
      for (int c = 0; c < copies; ++c)
        objects +=
            fmt::format("<component objectid='{}' transform=\"1 0 0 0 1 0 0 0 1 {} 0 0\"/>", i - 1, 9 * c);
      objects += "</components></object>";
    }
    return threeMf("millimeter", objects, fmt::format("<item objectid=\"{}\"/>", length));
  };
  EXPECT_THAT(refused(chain(30, 2)), HasSubstr("more than 2e+07 triangles"));
  EXPECT_THAT(refused(chain(10, 9)), HasSubstr("more than 2e+07 triangles"));
  EXPECT_THAT(refused(chain(5000, 1)), HasSubstr("nested deeper than 50"));
  EXPECT_NEAR(readMesh(chain(4, 2)).volume(), 8e-9 / 6, 1e-15);
  writeFile(ownFolder() / "model.3mf", "PK, and nothing more");
  EXPECT_THAT(refused(ownFolder() / "model.3mf"), HasSubstr("archive is damaged"));
}

TEST(Read3mf, refusesWhatIsNotWhole) {
  const std::string item = R"(<item objectid="1"/>)";
  EXPECT_THAT(refused(threeMf("furlong", kCorner, item)), HasSubstr("unit is none of 3MF"));
  EXPECT_THAT(refused(threeMf("inch", kCorner, R"(<item objectid="7"/>)")),
              HasSubstr("not a whole 3MF file"));
  EXPECT_THAT(refused(threeMf("inch", kCorner, "")), HasSubstr("model.3mf"));
  std::string far = kCorner;
  far.replace(far.find("v3=\"1\""), 6, "v3=\"9\"");
  EXPECT_THAT(refused(threeMf("inch", far, item)), HasSubstr("not a whole 3MF file"));
}

constexpr const char* kObj = R"(# a box of polygons
o box
v 0 0 0
v 2 0 0
v 2 3 0
v 0 3 0
v 0 0 4
v 2 0 4
v 2 3 4
v 0 3 4
vn 0 0 1
f 1 4 3 2
f 5//1 6//1 7//1 8//1
f 1/1 2/2 6/3 5/4
f -6 -5 -1 -2
f 1 5 8 4
f 2 3 7 6
)";

TEST(Obj, cutsPolygonsAndCountsFromTheEnd) {
  // "-6 -5 -1 -2" is 3 4 8 7.
  const TriangleMesh mesh = parseMesh(kObj, MeshFormat::obj, "b.obj", 1);
  EXPECT_EQ(mesh.triangles.size(), 12U);
  EXPECT_EQ(inspectMesh(mesh).text(), "sound");
  EXPECT_NEAR(mesh.volume(), 24, 1e-12);
}

constexpr const char* kPly = R"(ply
format ascii 1.0
comment a tetrahedron with colours
element vertex 4
property double x
property double y
property double z
property uchar red
element face 4
property list uchar uint vertex_index
property int flag
element edge 1
property int a
property int b
end_header
0 0 0 255
1 0 0 255
0 1 0 255
0 0 1 255
3 0 2 1 7
3 0 1 3 7
3 0 3 2 7
3 1 2 3 7
0 1
)";

TEST(Ply, readsTextAndBothByteOrders) {
  const TriangleMesh text = parseMesh(kPly, MeshFormat::ply, "t.ply", 1);
  EXPECT_NEAR(text.volume(), 1.0 / 6, 1e-12);
  // The same tetrahedron in big-endian floats.
  std::string big =
      "ply\nformat binary_big_endian 1.0\nelement vertex 4\nproperty float x\nproperty float y\n"
      "property float z\nelement face 4\nproperty list uchar int vertex_indices\nend_header\n";
  const std::string one = {'\x3f', '\x80', '\0', '\0'};
  const std::string zero(4, '\0');
  big += zero + zero + zero + one + zero + zero + zero + one + zero + zero + zero + one;
  for (const auto& [a, b, c] : {std::array{0, 2, 1}, {0, 1, 3}, {0, 3, 2}, {1, 2, 3}}) {
    big += '\3';
    for (const int v : {a, b, c}) big += std::string(3, '\0') + static_cast<char>(v);
  }
  EXPECT_NEAR(parseMesh(big, MeshFormat::ply, "b.ply", 1).volume(), 1.0 / 6, 1e-12);
}

template <class T>
void put(std::string& bytes, T value) {
  char raw[sizeof(T)];
  std::memcpy(raw, &value, sizeof(T));
  bytes.append(raw, sizeof(T));
}

/// The tetrahedron in little-endian numbers of the given types.
template <class Coordinate, class Count, class Number>
std::string plyOf(const std::string& coordinate, const std::string& count, const std::string& number) {
  std::string bytes = "ply\nformat binary_little_endian 1.0\nelement vertex 4\n";
  for (const char axis : {'x', 'y', 'z'}) bytes += "property " + coordinate + " " + axis + "\n";
  bytes += "element face 4\nproperty list " + count + " " + number + " vertex_indices\nend_header\n";
  for (const auto& [x, y, z] : {std::array{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}})
    for (const int value : {x, y, z}) put(bytes, static_cast<Coordinate>(value));
  for (const auto& [a, b, c] : {std::array{0, 2, 1}, {0, 1, 3}, {0, 3, 2}, {1, 2, 3}}) {
    put(bytes, Count{3});
    for (const int v : {a, b, c}) put(bytes, static_cast<Number>(v));
  }
  return bytes;
}

TEST(Ply, readsEveryTypeOfNumber) {
  const auto volume = [](const std::string& bytes) {
    return parseMesh(bytes, MeshFormat::ply, "t.ply", 1).volume();
  };
  EXPECT_NEAR((volume(plyOf<double, std::uint8_t, std::uint32_t>("double", "uchar", "uint"))), 1.0 / 6,
              1e-15);
  EXPECT_NEAR((volume(plyOf<float, std::int8_t, std::int16_t>("float32", "int8", "int16"))), 1.0 / 6, 1e-15);
  EXPECT_NEAR((volume(plyOf<std::int16_t, std::uint16_t, std::uint8_t>("short", "ushort", "uchar"))), 1.0 / 6,
              1e-15);
  EXPECT_NEAR((volume(plyOf<std::int8_t, std::int32_t, std::uint16_t>("char", "int", "uint16"))), 1.0 / 6,
              1e-15);
}

struct BadFile {
  const char* name;
  MeshFormat format;
  std::string bytes;
  const char* says;
};

std::string changed(std::string text, const std::string& from, const std::string& to) {
  return text.replace(text.find(from), from.size(), to);
}

TEST(ReadMesh, saysWhatIsWrongWithAFile) {
  const std::string ply = kPly;
  const std::vector<BadFile> files{
      {"empty obj", MeshFormat::obj, "", "holds no triangle"},
      {"binary obj", MeshFormat::obj, std::string("v 0 0\0 0\n", 9), "not an OBJ text file"},
      {"short vertex", MeshFormat::obj, changed(kObj, "v 2 0 0", "v 2 0"),
       ":4: a vertex should hold three numbers"},
      {"no number", MeshFormat::obj, changed(kObj, "f 1 4 3 2", "f 1 x 3"),
       ":12: a face should hold the numbers of vertices"},
      {"vertex zero", MeshFormat::obj, changed(kObj, "f 1 4 3 2", "f 0 4 3"),
       ":12: a face should hold the numbers of vertices"},
      {"two corners", MeshFormat::obj, changed(kObj, "f 1 4 3 2", "f 1 4"), "at least three corners"},
      {"missing vertex", MeshFormat::obj, changed(kObj, "f 1 4 3 2", "f 1 4 99"), "names vertex 99 of 8"},
      {"not ply", MeshFormat::ply, "solid x", "is not a PLY file"},
      {"no format", MeshFormat::ply, changed(ply, "format ascii 1.0\n", ""), "names no format"},
      {"odd format", MeshFormat::ply, changed(ply, "ascii", "utf8"),
       ":2: this line of the PLY header cannot be read"},
      {"odd type", MeshFormat::ply, changed(ply, "property uchar red", "property colour red"),
       "names a type that is none of PLY"},
      {"cut ply", MeshFormat::ply, ply.substr(0, ply.size() - 30), "cut off"},
      {"no place", MeshFormat::ply, changed(ply, "property double z", "property double w"),
       "has invalid coordinates"},
      {"word", MeshFormat::ply, changed(ply, "1 0 0 255", "1 0 a 255"),
       "what stands at byte 287 is not a number"},
      {"long list", MeshFormat::ply, changed(ply, "3 0 2 1 7", "3000000 0 2 1 7"),
       "a list of 3000000 entries"},
      {"far vertex", MeshFormat::ply, changed(ply, "3 0 2 1 7", "3 0 2 44 7"), "names vertex 45 of 4"},
      {"not a zip", MeshFormat::threeMf, "PK nothing", "is not a whole 3MF file"}};
  for (const BadFile& file : files) {
    try {
      parseMesh(file.bytes, file.format, "bad", 1);
      ADD_FAILURE() << file.name << " was read";
    } catch (const InputError& error) {
      EXPECT_THAT(error.what(), HasSubstr(file.says)) << file.name;
    }
  }
  EXPECT_THROW(meshFormatOf("part.iges"), InputError);
}

TEST(MeshRepair, leavesASoundSurfaceAlone) {
  EXPECT_THAT(findDefects(box()), IsEmpty());
  const MendedMesh result = mended(box());
  EXPECT_THAT(result.done, IsEmpty());
  EXPECT_EQ(result.mesh.triangles, box().triangles);
}

TEST(MeshRepair, mendsWhatHasOneAnswer) {
  TriangleMesh mesh = box();
  std::swap(mesh.triangles[3][1], mesh.triangles[3][2]);         // faces inward
  mesh.triangles.push_back(mesh.triangles[5]);                   // twice
  mesh.triangles.push_back({4, 4, 6});                           // no area
  mesh.triangles.erase(mesh.triangles.begin());                  // a hole of one triangle
  mesh.vertices.push_back(mesh.vertices[7] + Vec3(1e-7, 0, 0));  // a crack
  for (int& corner : mesh.triangles[9]) corner = corner == 7 ? 8 : corner;
  const std::vector<MeshDefect> defects = findDefects(mesh);
  EXPECT_EQ(count(defects, Kind::duplicateTriangle), 1U);
  EXPECT_EQ(count(defects, Kind::degenerateTriangle), 1U);
  EXPECT_GE(count(defects, Kind::openEdge), 3U);
  EXPECT_GE(count(defects, Kind::misorientedEdge), 1U);
  const MendedMesh result = mended(mesh);
  EXPECT_EQ(inspectMesh(result.mesh).text(), "sound");
  EXPECT_NEAR(result.mesh.volume(), 24, 1e-5);
  EXPECT_EQ(result.done.size(), 5U) << ::testing::PrintToString(result.done);
}

TEST(MeshRepair, turnsASurfaceRoundThatFacesInward) {
  TriangleMesh mesh = box();
  for (auto& t : mesh.triangles) std::swap(t[0], t[1]);
  const MendedMesh result = mended(mesh);
  EXPECT_NEAR(result.mesh.volume(), 24, 1e-12);
  EXPECT_THAT(result.done, ElementsAre(HasSubstr("faced inward")));
}

TEST(MeshRepair, leavesWhatHasMoreThanOneAnswer) {
  TriangleMesh open = box();
  open.triangles.erase(open.triangles.begin(), open.triangles.begin() + 2);  // a whole side is gone
  EXPECT_EQ(inspectTopology(mended(open).mesh).openEdges, 4U);
  EXPECT_THROW(makeMeshShape(mended(open).mesh), InputError);
}

TEST(MeshRepair, namesCrossingsAndSliversWithTheirPlaces) {
  TriangleMesh two = box();
  const TriangleMesh other = box();
  for (const Vec3& v : other.vertices) two.vertices.push_back(v + Vec3(1, 1, 1));
  for (const auto& t : other.triangles) two.triangles.push_back({t[0] + 8, t[1] + 8, t[2] + 8});
  const std::vector<MeshDefect> defects = findDefects(two);
  EXPECT_GE(count(defects, Kind::intersection), 6U);
  for (const MeshDefect& d : defects) EXPECT_TRUE(two.bounds().contains(placeOf(two, d)));
  TriangleMesh slim;
  slim.vertices = {{0, 0, 0}, {1, 0, 0}, {0.5, 5e-4, 0}};
  slim.triangles = {{0, 1, 2}};
  EXPECT_EQ(count(findDefects(slim), Kind::sliver), 1U);
}

/// A box as triangles, its corners in order, facing out or in.
std::string boxObj(const Vec3& low, const Vec3& high, int first, bool inward = false) {
  std::string text;
  for (int i = 0; i < 8; ++i)
    text += fmt::format("v {} {} {}\n", i & 1 ? high.x() : low.x(), i & 2 ? high.y() : low.y(),
                        i & 4 ? high.z() : low.z());
  for (const auto& q :
       {std::array{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}})
    text += inward ? fmt::format("f {} {} {} {}\n", q[3] + first, q[2] + first, q[1] + first, q[0] + first)
                   : fmt::format("f {} {} {} {}\n", q[0] + first, q[1] + first, q[2] + first, q[3] + first);
  return text;
}

std::string faultOf(const std::string& obj) {
  try {
    makeMeshShape(parseMesh(obj, MeshFormat::obj, "t.obj", 1e-3));
  } catch (const InputError& error) {
    return error.what();
  }
  return {};
}

// Bodies in bodies and bodies across bodies: what is material has one answer, or none is given.
TEST(ReadMesh, takesShellsThatTellWhatIsMaterial) {
  const Vec3 zero(0, 0, 0);
  const Vec3 ten(10, 10, 10);
  const std::string outer = boxObj(zero, ten, 1);
  const auto volume = [](const std::string& obj) {
    return parseMesh(obj, MeshFormat::obj, "t.obj", 1e-3).volume() * 1e9;
  };
  const std::string hollow = outer + boxObj({2, 2, 2}, {8, 8, 8}, 9, true);
  EXPECT_EQ(faultOf(hollow), "");
  EXPECT_NEAR(volume(hollow), 1000 - 216, 1e-9);
  EXPECT_EQ(faultOf(hollow + boxObj({4, 4, 4}, {6, 6, 6}, 17)), "") << "a ball in a cage";
  EXPECT_EQ(faultOf(outer + boxObj({20, 0, 0}, {30, 10, 10}, 9)), "");
  EXPECT_THAT(faultOf(outer + boxObj({2, 2, 2}, {8, 8, 8}, 9)),
              HasSubstr("lies inside another that faces the same"));
  EXPECT_THAT(faultOf(outer + boxObj({20, 0, 0}, {30, 5, 5}, 9, true)), HasSubstr("lies in no body"));
  EXPECT_THAT(faultOf(hollow + boxObj({4, 4, 4}, {6, 6, 6}, 17, true)), HasSubstr("lies in no body"));
  EXPECT_THAT(faultOf(outer + boxObj({5, 5, 5}, {15, 15.5, 16}, 9)), HasSubstr("two bodies overlap at"));
  EXPECT_THAT(faultOf(outer + boxObj({-5, 3, 3}, {15, 5, 5}, 9)), HasSubstr("two bodies overlap at"));
}

// More bodies than can be looked at are refused at once, whether they lie apart or about each other.
TEST(ReadMesh, refusesMoreBodiesThanItCanTellApart) {
  std::string apart;
  for (int i = 0; i < 5100; ++i) apart += boxObj({2.0 * i, 0, 0}, {2.0 * i + 1, 1, 1}, 8 * i + 1);
  EXPECT_THAT(faultOf(apart), HasSubstr("5100 bodies and cavities, too many"));
}

// An L, a comb and a star, prisms of height 1: the areas are those of the shoelace formula.
TEST(ReadMesh, cutsConcavePolygons) {
  const auto prism = [](const std::vector<Eigen::Vector2d>& outline) {
    std::string text;
    double twice = 0;
    const std::size_t n = outline.size();
    for (const int z : {0, 1})
      for (const Eigen::Vector2d& p : outline) text += fmt::format("v {} {} {}\n", p.x(), p.y(), z);
    std::string below = "f";
    std::string above = "f";
    for (std::size_t i = 0; i < n; ++i) {
      below += fmt::format(" {}", n - i);
      above += fmt::format(" {}", n + i + 1);
      const std::size_t j = (i + 1) % n;
      text += fmt::format("f {} {} {} {}\n", i + 1, j + 1, n + j + 1, n + i + 1);
      twice += outline[i].x() * outline[j].y() - outline[j].x() * outline[i].y();
    }
    text += below + "\n" + above + "\n";
    const TriangleMesh mesh = parseMesh(text, MeshFormat::obj, "t.obj", 1);
    EXPECT_TRUE(inspectTopology(mesh).sound());
    EXPECT_TRUE(findIntersections(mesh).empty());
    double area = 0;  // of the lid: a polygon cut wrongly covers more than itself
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
      const Vec3 own =
          (mesh.corner(t, 1) - mesh.corner(t, 0)).cross(mesh.corner(t, 2) - mesh.corner(t, 0)) / 2;
      if (mesh.corner(t, 0).z() == 1 && mesh.corner(t, 1).z() == 1 && mesh.corner(t, 2).z() == 1)
        area += own.norm();
    }
    EXPECT_NEAR(area, 0.5 * twice, 1e-12 * twice);
    EXPECT_NEAR(mesh.volume(), 0.5 * twice, 1e-12 * twice);
  };
  prism({{0, 0}, {50, 0}, {50, 10}, {10, 10}, {10, 40}, {0, 40}});
  prism({{0, 0},
         {7, 0},
         {7, 5},
         {6, 5},
         {6, 1},
         {5, 1},
         {5, 5},
         {4, 5},
         {4, 1},
         {3, 1},
         {3, 5},
         {2, 5},
         {2, 1},
         {0, 1}});
  std::vector<Eigen::Vector2d> star;
  for (int i = 0; i < 60; ++i)
    star.emplace_back((i % 2 ? 1 : 9) * std::cos(std::numbers::pi * i / 30),
                      (i % 2 ? 1 : 9) * std::sin(std::numbers::pi * i / 30));
  prism(star);
  std::vector<Eigen::Vector2d> spiral;  // two arms of a turn and a half, one inside the other
  for (int i = 0; i <= 90; ++i)
    spiral.emplace_back((2 + i / 10.0) * std::cos(i / 10.0), (2 + i / 10.0) * std::sin(i / 10.0));
  for (int i = 90; i >= 0; --i)
    spiral.emplace_back((1.2 + i / 10.0) * std::cos(i / 10.0), (1.2 + i / 10.0) * std::sin(i / 10.0));
  prism(spiral);
  EXPECT_THROW(parseMesh(
                   "v 0 0 0\nf" +
                       [] {
                         std::string f;
                         for (int i = 0; i < 6000; ++i) f += " 1";
                         return f;
                       }(),
                   MeshFormat::obj, "t.obj", 1),
               InputError);
}

TEST(ReadMesh, takesTextAsItIsWritten) {
  const std::string stl =
      "solid a\nfacet normal 0 0 0\nouter loop\nvertex 0 0 0\nvertex 0 1 0\nvertex 1 0 0\nendloop\nendfacet\n"
      "facet normal 0 0 0\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 0 1\nendloop\nendfacet\n"
      "facet normal 0 0 0\nouter loop\nvertex 0 0 0\nvertex 0 0 1\nvertex 0 1 0\nendloop\nendfacet\n"
      "facet normal 0 0 0\nouter loop\nvertex 1 0 0\nvertex 0 1 0\nvertex 0 0 1\nendloop\nendfacet\nendsolid "
      "a\n";
  const auto volume = [](const std::string& text) { return parseStl(text, "t.stl").volume() * 1e9; };
  const auto replaced = [](std::string text, const std::string& from, const std::string& to) {
    for (std::size_t at = 0; (at = text.find(from, at)) != std::string::npos; at += to.size())
      text.replace(at, from.size(), to);
    return text;
  };
  std::string capitals = stl;
  for (char& c : capitals) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  for (const std::string& text :
       {stl, "\xef\xbb\xbf" + stl, " \n\n\t " + stl, capitals, replaced(stl, "\n", "\r"),
        replaced(stl, "\n", "\r\n"), replaced(stl, "solid a", "solid " + std::string(2000, 'n')),
        replaced(stl, "\n", "\n   ")})
    EXPECT_NEAR(volume(text), 1.0 / 6, 1e-9) << text.substr(0, 60);
  const std::string obj = boxObj({0, 0, 0}, {1, 2, 3}, 1);
  for (const std::string& text : {obj, replaced(obj, "f ", "f \\\n"), replaced(obj, "\n", " # a comment\n"),
                                  replaced(obj, "\n", "\r"), "\xef\xbb\xbf" + obj})
    EXPECT_NEAR(parseMesh(text, MeshFormat::obj, "t.obj", 1).volume(), 6, 1e-12) << text.substr(0, 60);
  // Binary, although it begins like text.
  const std::filesystem::path file = ownFolder() / "binary.stl";
  writeStl(file, ball());
  std::string bytes = readFile(file);
  bytes.replace(0, 12, "solid part\n\n");
  EXPECT_NEAR(parseStl(bytes, "b.stl").volume(), readMesh(file).volume(), 1e-15);
}

}  // namespace
}  // namespace barelattice
