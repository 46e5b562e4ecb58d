// Density fields made elsewhere.

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <regex>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/formats/density_samples.hpp"
#include "barelattice/formats/vti.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using ::testing::HasSubstr;

/// A density that varies smoothly over a box of 60 x 20 x 30 mm.
double wave(const Vec3& p) {
  return 0.5 + 0.45 * std::sin(p.x() / 0.012) * std::cos(p.z() / 0.009);
}

std::string csv(double step, double scale) {
  std::string text = "id;x;y;z;rho\n";
  int id = 0;
  for (double z = 0.5 * step; z < 0.030; z += step)
    for (double y = 0.5 * step; y < 0.020; y += step)
      for (double x = 0.5 * step; x < 0.060; x += step)
        text += fmt::format("{};{};{};{};{:.6f}\n", ++id, x * scale, y * scale, z * scale, wave({x, y, z}));
  return text;
}

Domain<3> bar(double voxel) {
  Regions regions;
  regions.space = makeBox({0, 0, 0}, {0.060, 0.020, 0.030});
  return sampleRegions<3>(regions, voxel);
}

TEST(Density, ofACsvKeepsItsMaterialOnFinerAndCoarserVoxels) {
  const DensitySamples samples = parseDensity(csv(0.0025, 1e3), "a.csv", "rho", 1e-3);
  EXPECT_EQ(samples.values.size(), 24U * 8 * 12);
  EXPECT_NEAR(samples.spacing, 0.0025, 1e-9);
  for (const double voxel : {0.001, 0.0025, 0.004}) {
    const Domain<3> domain = bar(voxel);
    const ResampledDensity result = resampled<3>(samples, domain);
    EXPECT_NEAR(result.kept / result.given, 1, 1e-6) << voxel;
    EXPECT_LT(result.outside, 1e-9);
    double worst = 0;
    for (std::size_t c = 0; c < result.density.size(); ++c)
      worst = std::max(worst, std::abs(result.density[c] - wave(domain.grid.cellCentre(c))));
    EXPECT_LT(worst, 0.25) << "half a spacing away at the steepest place";
  }
}

TEST(Density, ofAnImageWeWroteComesBackExactly) {
  const Domain<3> domain = bar(0.0025);
  std::vector<double> density;
  for (std::size_t c = 0; c < domain.grid.cellCount(); ++c)
    density.push_back(wave(domain.grid.cellCentre(c)));
  CellImage image = imageOf(domain.grid, 0);
  image.fields = {{"density", spread(domain.grid, density)}};
  const std::filesystem::path path = ownFolder() / "density.vti";
  writeVti(path, image);
  const ResampledDensity result = resampled<3>(readDensity(path, "density", 1e-3), domain);
  for (std::size_t c = 0; c < density.size(); ++c) EXPECT_NEAR(result.density[c], density[c], 1e-6);
}

/// Two hexahedra of 10 mm with their densities, in text.
std::string hexahedra(const std::string& format = "ascii") {
  return R"(<VTKFile type="UnstructuredGrid" version="1.0" byte_order="LittleEndian">
<UnstructuredGrid><Piece NumberOfPoints="12" NumberOfCells="2">
<CellData><DataArray type="Float64" Name="fraction" format=")" +
         format + R"(">0.25 0.75</DataArray></CellData>
<Points><DataArray type="Float32" NumberOfComponents="3" format="ascii">
0 0 0 10 0 0 20 0 0  0 10 0 10 10 0 20 10 0  0 0 10 10 0 10 20 0 10  0 10 10 10 10 10 20 10 10</DataArray></Points>
<Cells><DataArray type="Int32" Name="connectivity" format="ascii">0 1 4 3 6 7 10 9  1 2 5 4 7 8 11 10</DataArray>
<DataArray type="Int32" Name="offsets" format="ascii">8 16</DataArray>
<DataArray type="UInt8" Name="types" format="ascii">12 12</DataArray></Cells>
</Piece></UnstructuredGrid></VTKFile>
)";
}

TEST(Density, ofAnUnstructuredGridKnowsItsVolumes) {
  const DensitySamples samples = parseDensity(hexahedra(), "h.vtu", "fraction", 1e-3);
  ASSERT_EQ(samples.values.size(), 2U);
  EXPECT_NEAR(samples.volumes[0], 1e-6, 1e-15);
  EXPECT_LT((samples.places[1] - Vec3(0.015, 0.005, 0.005)).norm(), 1e-12);
  Regions regions;
  regions.space = makeBox({0, 0, 0}, {0.020, 0.010, 0.010});
  const Domain<3> domain = sampleRegions<3>(regions, 0.002);
  const ResampledDensity result = resampled<3>(samples, domain);
  EXPECT_NEAR(result.kept, 1e-6, 1e-12);
  for (std::size_t c = 0; c < result.density.size(); ++c)
    EXPECT_NEAR(result.density[c], domain.grid.cellCentre(c).x() < 0.010 ? 0.25 : 0.75, 1e-9);
}

/// One linear cell in text.
std::string oneCell(int type, const std::string& points, int count) {
  std::string numbers;
  for (int i = 0; i < count; ++i) numbers += fmt::format("{} ", i);
  return fmt::format(
      R"(<VTKFile type="UnstructuredGrid" byte_order="LittleEndian"><UnstructuredGrid><Piece>
<CellData><DataArray type="Float32" Name="rho" format="ascii">0.5</DataArray></CellData>
<Points><DataArray type="Float64" NumberOfComponents="3" format="ascii">{}</DataArray></Points>
<Cells><DataArray type="Int64" Name="connectivity" format="ascii">{}</DataArray>
<DataArray type="Int64" Name="offsets" format="ascii">{}</DataArray>
<DataArray type="UInt8" Name="types" format="ascii">{}</DataArray></Cells></Piece></UnstructuredGrid></VTKFile>)",
      points, numbers, count, type);
}

TEST(Density, knowsTheVolumeOfEveryLinearCell) {
  const auto volume = [](int type, const std::string& points, int count) {
    return parseDensity(oneCell(type, points, count), "one.vtu", "rho", 1).volumes.front();
  };
  const std::string base = "0 0 0  2 0 0  0 3 0  ";
  EXPECT_NEAR(volume(10, base + "0 0 4", 4), 4, 1e-12) << "tetrahedron";
  EXPECT_NEAR(volume(13, base + "0 0 4  2 0 4  0 3 4", 6), 12, 1e-12) << "wedge";
  EXPECT_NEAR(volume(11, base + "2 3 0  0 0 4  2 0 4  0 3 4  2 3 4", 8), 24, 1e-12) << "voxel";
  EXPECT_NEAR(volume(12, "0 0 0  2 0 0  2 3 0  0 3 0  0 0 4  2 0 4  2 3 4  0 3 4", 8), 24, 1e-12)
      << "hexahedron";
  EXPECT_THROW(parseDensity(oneCell(14, base + "0 0 4  1 1 1", 5), "one.vtu", "rho", 1), InputError)
      << "pyramid";
}

/// An image of 2 x 1 x 1 cells whose array is given, with what stands behind the image.
std::string image(const std::string& array, const std::string& tail = "") {
  return R"(<VTKFile type="ImageData" byte_order="LittleEndian" header_type="UInt32">
<ImageData WholeExtent="0 2 0 1 0 1" Origin="0 0 0" Spacing="1 1 1"><Piece><CellData>)" +
         array + "</CellData></Piece></ImageData>" + tail + "</VTKFile>";
}

template <class T>
std::string coded(std::vector<T> values) {
  const auto bytes = static_cast<std::uint32_t>(values.size() * sizeof(T));
  std::string raw(4 + bytes, '\0');
  std::memcpy(raw.data(), &bytes, 4);
  std::memcpy(raw.data() + 4, values.data(), bytes);
  return toBase64(raw);
}

TEST(Density, readsArraysOfEveryType) {
  const auto values = [](const std::string& type, const std::string& text) {
    return parseDensity(image("<DataArray type=\"" + type + "\" Name=\"rho\" format=\"binary\">" + text +
                              "</DataArray>"),
                        "i.vti", "rho", 1)
        .values;
  };
  const std::vector<double> wanted{0, 1};
  EXPECT_EQ(values("Float32", coded<float>({0, 1})), wanted);
  EXPECT_EQ(values("Float64", coded<double>({0, 1})), wanted);
  EXPECT_EQ(values("Int8", coded<std::int8_t>({0, 1})), wanted);
  EXPECT_EQ(values("UInt8", coded<std::uint8_t>({0, 1})), wanted);
  EXPECT_EQ(values("Int16", coded<std::int16_t>({0, 1})), wanted);
  EXPECT_EQ(values("UInt16", coded<std::uint16_t>({0, 1})), wanted);
  EXPECT_EQ(values("Int32", coded<std::int32_t>({0, 1})), wanted);
  EXPECT_EQ(values("UInt32", coded<std::uint32_t>({0, 1})), wanted);
  EXPECT_EQ(values("Int64", coded<std::int64_t>({0, 1})), wanted);
  EXPECT_EQ(values("UInt64", coded<std::uint64_t>({0, 1})), wanted);
  EXPECT_THROW(values("Float16", coded<std::int16_t>({0, 1})), InputError);
}

TEST(Density, readsAppendedBase64Arrays) {
  const std::string array = R"(<DataArray type="Float64" Name="rho" format="appended" offset="28"/>)";
  // Something else of the same length comes first.
  const std::string before = coded<double>({0.1, 0.2});
  ASSERT_EQ(before.size(), 28U);
  const auto tail = [&](const std::string& text) {
    return "<AppendedData encoding=\"base64\">_" + before + text + "</AppendedData>";
  };
  EXPECT_EQ(parseDensity(image(array, tail(coded<double>({0.25, 0.75}))), "i.vti", "rho", 1).values,
            (std::vector<double>{0.25, 0.75}));
  for (const std::size_t length : {0U, 4U, 8U, 20U})
    EXPECT_THROW(
        parseDensity(image(array, tail(coded<double>({0.25, 0.75}).substr(0, length))), "i.vti", "rho", 1),
        InputError)
        << length << " characters";
}

TEST(Density, readsAppendedRawArrays) {
  const double values[2] = {0.25, 0.75};
  std::string raw(4 + sizeof values, '\0');
  const std::uint32_t bytes = sizeof values;
  std::memcpy(raw.data(), &bytes, 4);
  std::memcpy(raw.data() + 4, values, sizeof values);
  std::string text = hexahedra();
  const std::string from = "format=\"ascii\">0.25 0.75</DataArray>";
  text.replace(text.find(from), from.size(), "format=\"appended\" offset=\"0\"/>");
  text.replace(text.find("</VTKFile>"), 10,
               "<AppendedData encoding=\"raw\">_" + raw + "</AppendedData></VTKFile>");
  const DensitySamples samples = parseDensity(text, "h.vtu", "fraction", 1e-3);
  EXPECT_EQ(samples.values, (std::vector<double>{0.25, 0.75}));
}

TEST(Density, saysWhatIsWrong) {
  const auto says = [](const std::string& bytes, const char* path, const char* field, const char* words) {
    try {
      parseDensity(bytes, path, field, 1e-3);
      ADD_FAILURE() << words << ": was read";
    } catch (const InputError& error) {
      EXPECT_THAT(error.what() + (" | " + error.cure()), HasSubstr(words));
    }
  };
  const std::string table = csv(0.010, 1e3);
  says(table, "a.csv", "density",
       "there is no column \"density\" | its first line should name x, y, z and density");
  says("x,y,z,rho\n1,2,3\n", "a.csv", "rho", "line 2: an entry is not a number");
  says("x,y,z,rho\n1,2,3,4\n1,2,4,0\n", "a.csv", "rho", "a density lies between 0 and 1");
  says("x,y,z,rho\n", "a.csv", "rho", "holds no sample");
  says("x,y,z,rho\n1,2,3,1\n1,2,3,1\n", "a.csv", "rho", "in one place");
  says(table, "a.txt", "rho", "is not a density file by its name");
  says(hexahedra(), "h.vtu", "rho", "there are: fraction");
  says(hexahedra("binary"), "h.vtu", "fraction", "h.vtu: ");
  says("<VTKFile type='X'/>", "h.vtu", "rho", "neither ImageData");
  says("<VTKFile compressor='z'/>", "h.vtu", "rho", "compressed arrays are not read");
  says("<VTKFile byte_order='BigEndian'/>", "h.vtu", "rho", "big-endian files are not read");
  says("no xml", "h.vtu", "rho", "h.vtu: ");
  says("<svg/>", "h.vtu", "rho", "this is not a VTK XML file");
  std::string cut = hexahedra();
  cut.replace(cut.find("0.25 0.75"), 9, "0.25");
  says(cut, "h.vtu", "fraction", "holds 1 values where 2 are due");
  cut = hexahedra();
  cut.replace(cut.find("11 10<"), 5, "99 10");
  says(cut, "h.vtu", "fraction", "names a point that is not there");
  cut = hexahedra();
  const std::string inlined = "format=\"ascii\">0.25 0.75</DataArray>";
  cut.replace(cut.find(inlined), inlined.size(), "format=\"appended\" offset=\"0\"/>");
  const std::string end = "</VTKFile>";
  const auto withTail = [&](const std::string& tail) {
    std::string text = cut;
    return text.replace(text.find(end), end.size(), "<AppendedData encoding=\"raw\">_" + tail);
  };
  says(withTail("\x10"), "h.vtu", "fraction", "a data array is cut off");
  says(withTail(std::string("\x10\0\0\0\0\0", 6)), "h.vtu", "fraction", "a data array is cut off");
  says(
      "<VTKFile type='ImageData'><ImageData WholeExtent='0 0 0 1 0 1' Origin='0 0 0' Spacing='1 1 "
      "1'><Piece><CellData>"
      "<DataArray type='Float32' Name='rho' format='ascii'>0.5</DataArray></CellData></Piece></ImageData>"
      "</VTKFile>",
      "h.vti", "rho", "the image has 0 cells along one axis");
  says(image("<DataArray type='Float32' Name='rho' format='ascii'>0.5 0.5 0.5</DataArray>"), "h.vti", "rho",
       "holds 3 values where 2 are due");
  says(image("<DataArray type='Float32' Name='rho' format='ascii'>0.5 half</DataArray>"), "h.vti", "rho",
       "holds something that is no number");
  says(image("<DataArray type='Quarter' Name='rho' format='binary'>AAAA</DataArray>"), "h.vti", "rho",
       "h.vti: ");
  const std::string half = image("<DataArray type='Float32' Name='rho' format='ascii'>0.5 0.5</DataArray>");
  const auto without = [&](const std::string& attribute, const std::string& value) {
    return std::regex_replace(half, std::regex(attribute + "=\"[^\"]*\""), attribute + "=\"" + value + "\"");
  };
  says(without("WholeExtent", "0 2 0 1 0"), "h.vti", "rho", "WholeExtent should hold six numbers");
  says(without("Origin", "0 0"), "h.vti", "rho", "Origin should hold three numbers");
  says(without("Spacing", "1 1 0"), "h.vti", "rho", "the image's 'Spacing' is not above zero");
  const auto spoilt = [](const std::string& from, const std::string& to) {
    std::string text = hexahedra();
    return text.replace(text.find(from), from.size(), to);
  };
  says(spoilt(">8 16<", ">16 8<"), "h.vtu", "fraction", "the offsets of the cells do not rise");
  says(spoilt("\"types\"", "\"kinds\""), "h.vtu", "fraction", "the cells have no \"types\"");
  says(spoilt("20 10 10<", "nan 10 10<"), "h.vtu", "fraction", "");
}

TEST(Density, refusesAFieldThatLiesElsewhere) {
  const DensitySamples metres = parseDensity(csv(0.005, 1e3), "a.csv", "rho", 1);
  try {
    resampled<3>(metres, bar(0.0025));
    FAIL() << "was taken";
  } catch (const InputError& error) {
    EXPECT_THAT(error.cure(), HasSubstr("check the unit"));
  }
}

}  // namespace
}  // namespace barelattice
