#include "barelattice/formats/density_samples.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <map>
#include <numeric>
#include <pugixml.hpp>
#include <sstream>
#include <unordered_map>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "base/check.hpp"
#include "base/file_name.hpp"
#include "base/plain_numbers.hpp"

namespace barelattice {
namespace {

constexpr std::size_t kMostSamples = 100'000'000;

std::vector<double> numbersIn(const std::string& text) {
  std::istringstream in = plainStream(text);
  std::vector<double> values;
  for (double value = 0; in >> value;) values.push_back(value);
  if (!in.eof()) throw InputError("a data array holds something that is no number");
  return values;
}

/// Arrays of a VTK XML file in any uncompressed form.
class VtkArrays {
 public:
  explicit VtkArrays(const std::string& bytes) {
    // Appended data may be raw bytes: the text before it is cut off as a document of its own.
    const std::size_t appended = bytes.find("<AppendedData");
    const std::size_t mark = appended == std::string::npos ? appended : bytes.find('_', appended);
    std::string text = bytes;
    if (mark != std::string::npos) {
      text = bytes.substr(0, appended) + "</VTKFile>";
      raw_ = bytes.substr(appended, mark - appended).find("raw") != std::string::npos;
      tail_ = bytes.substr(mark + 1);
      if (!raw_) tail_ = tail_.substr(0, tail_.find('<'));
    }
    const pugi::xml_parse_result result = document_.load_buffer(text.data(), text.size());
    if (!result) throw InputError(result.description());
    if (!file()) throw InputError("this is not a VTK XML file");
    if (file().attribute("compressor"))
      throw InputError("compressed arrays are not read", "write it uncompressed");
    if (std::strcmp(file().attribute("byte_order").value(), "BigEndian") == 0)
      throw InputError("big-endian files are not read", "write it little-endian");
    wideHeader_ = std::strcmp(file().attribute("header_type").value(), "UInt64") == 0;
  }

  pugi::xml_node file() const { return document_.child("VTKFile"); }

  std::vector<double> read(const pugi::xml_node& array) const {
    const std::string format = array.attribute("format").value();
    if (format == "ascii" || format.empty()) return numbersIn(array.child_value());
    std::string bytes;
    if (format == "binary") {
      bytes = fromBase64(array.child_value());
    } else {
      const std::size_t offset = array.attribute("offset").as_ullong();
      if (offset > tail_.size()) throw InputError("a data array lies beyond the end of the file");
      bytes = tail_.substr(offset);
      if (!raw_) bytes = appendedBase64(bytes);
    }
    return converted(payload(bytes), array.attribute("type").value());
  }

 private:
  std::size_t headerSize() const { return wideHeader_ ? 8 : 4; }

  std::uint64_t announced(const std::string& bytes) const {
    if (bytes.size() < headerSize()) throw InputError("a data array is cut off");
    std::uint64_t count = 0;
    std::memcpy(&count, bytes.data(), headerSize());
    return count;
  }

  std::string payload(const std::string& bytes) const {
    const std::uint64_t count = announced(bytes);
    if (count > bytes.size() - headerSize()) throw InputError("a data array is cut off");
    return bytes.substr(headerSize(), count);
  }

  /// The header tells how much base64 belongs to the array.
  std::string appendedBase64(const std::string& text) const {
    const std::size_t lead = (headerSize() + 2) / 3 * 4;
    if (text.size() < lead) throw InputError("a data array is cut off");
    const std::uint64_t count = announced(fromBase64(text.substr(0, lead)));
    if (count > text.size()) throw InputError("a data array is cut off");
    return fromBase64(text.substr(0, (headerSize() + count + 2) / 3 * 4));
  }

  template <class T>
  static std::vector<double> as(const std::string& bytes) {
    std::vector<T> values(bytes.size() / sizeof(T));
    if (!values.empty()) std::memcpy(values.data(), bytes.data(), values.size() * sizeof(T));
    return {values.begin(), values.end()};
  }

  static std::vector<double> converted(const std::string& bytes, const std::string& type) {
    using Convert = std::vector<double> (*)(const std::string&);
    static const std::map<std::string, Convert> known{{"Float32",
                                                       [](const std::string& b) {
                                                         std::vector<double> wide;
                                                         for (const double v : as<float>(b))
                                                           wide.push_back(v);
                                                         return wide;
                                                       }},
                                                      {"Float64", as<double>},
                                                      {"Int8", as<std::int8_t>},
                                                      {"UInt8", as<std::uint8_t>},
                                                      {"Int16", as<std::int16_t>},
                                                      {"UInt16", as<std::uint16_t>},
                                                      {"Int32", as<std::int32_t>},
                                                      {"UInt32", as<std::uint32_t>},
                                                      {"Int64", as<std::int64_t>},
                                                      {"UInt64", as<std::uint64_t>}};
    const auto convert = known.find(type);
    if (convert == known.end()) throw InputError(std::string("a data array has a type that is none of VTK"));
    return convert->second(bytes);
  }

  pugi::xml_document document_;
  std::string tail_;
  bool raw_ = false;
  bool wideHeader_ = false;
};

std::vector<std::string> namesOf(const pugi::xml_node& group) {
  std::vector<std::string> names;
  for (const pugi::xml_node array : group.children("DataArray"))
    names.emplace_back(array.attribute("Name").value());
  return names;
}

/// The field on cells if it is there, else on points.
std::vector<double> fieldOf(const VtkArrays& arrays, const pugi::xml_node& piece, const std::string& field,
                            bool& onCells) {
  for (const char* group : {"CellData", "PointData"})
    for (const pugi::xml_node array : piece.child(group).children("DataArray"))
      if (field == array.attribute("Name").value()) {
        onCells = std::strcmp(group, "CellData") == 0;
        return arrays.read(array);
      }
  std::vector<std::string> names = namesOf(piece.child("CellData"));
  const std::vector<std::string> onPoints = namesOf(piece.child("PointData"));
  names.insert(names.end(), onPoints.begin(), onPoints.end());
  throw InputError(
      fmt::format("there is no field \"{}\"", field),
      names.empty() ? "the file holds no field" : fmt::format("there are: {}", fmt::join(names, ", ")));
}

std::vector<double> three(const pugi::xml_node& node, const char* attribute) {
  std::vector<double> values = numbersIn(node.attribute(attribute).value());
  if (values.size() != 3) throw InputError(fmt::format("{} should hold three numbers", attribute));
  return values;
}

DensitySamples fromImage(const VtkArrays& arrays, const pugi::xml_node& image, const std::string& field,
                         double unit) {
  const std::vector<double> extent = numbersIn(image.attribute("WholeExtent").value());
  const std::vector<double> origin = three(image, "Origin");
  const std::vector<double> step = three(image, "Spacing");
  if (extent.size() != 6) throw InputError("WholeExtent should hold six numbers");
  bool onCells = true;
  DensitySamples samples;
  samples.values = fieldOf(arrays, image.child("Piece"), field, onCells);
  std::array<std::size_t, 3> count{};
  double total = 1;
  double volume = unit * unit * unit;
  for (std::size_t i = 0; i < 3; ++i) {
    const double span = extent[2 * i + 1] - extent[2 * i] + (onCells ? 0 : 1);
    if (!(span >= 1 && span < 1e6))
      throw InputError(fmt::format("the image has {:.0f} cells along one axis; 1 to 999999 are read", span));
    if (!(step[i] > 0)) throw InputError("the image's 'Spacing' is not above zero");
    count[i] = static_cast<std::size_t>(span);
    total *= span;
    volume *= step[i];
  }
  if (total != static_cast<double>(samples.values.size()))
    throw InputError(fmt::format("the field holds {} values where {} are due", samples.values.size(), total));
  for (std::size_t k = 0; k < count[2]; ++k)
    for (std::size_t j = 0; j < count[1]; ++j)
      for (std::size_t i = 0; i < count[0]; ++i) {
        Vec3 place;
        const std::array<std::size_t, 3> at{i, j, k};
        for (std::size_t a = 0; a < 3; ++a)
          place[static_cast<Eigen::Index>(a)] =
              unit *
              (origin[a] + step[a] * (extent[2 * a] + static_cast<double>(at[a]) + (onCells ? 0.5 : 0)));
        samples.places.push_back(place);
      }
  samples.volumes.assign(samples.values.size(), volume);
  samples.spacing = std::cbrt(volume);
  return samples;
}

/// Volume of a linear cell by its VTK type, from tetrahedra; zero for other types.
double cellVolume(int type, const std::vector<Vec3>& p) {
  const auto tet = [&](std::size_t a, std::size_t b, std::size_t c, std::size_t d) {
    return std::abs((p[b] - p[a]).cross(p[c] - p[a]).dot(p[d] - p[a])) / 6;
  };
  constexpr int kTetrahedron = 10, kVoxel = 11, kHexahedron = 12, kWedge = 13, kQuadraticTetrahedron = 24;
  if ((type == kTetrahedron || type == kQuadraticTetrahedron) && p.size() >= 4) return tet(0, 1, 2, 3);
  if (type == kVoxel && p.size() == 8) return std::abs((p[1] - p[0]).cross(p[2] - p[0]).dot(p[4] - p[0]));
  if (type == kHexahedron && p.size() == 8)
    return tet(0, 1, 3, 4) + tet(1, 2, 3, 6) + tet(1, 3, 4, 6) + tet(1, 4, 5, 6) + tet(3, 4, 6, 7);
  if (type == kWedge && p.size() == 6) return tet(0, 1, 2, 3) + tet(1, 2, 3, 4) + tet(2, 3, 4, 5);
  return 0;
}

DensitySamples fromUnstructured(const VtkArrays& arrays, const pugi::xml_node& piece,
                                const std::string& field, double unit) {
  bool onCells = true;
  DensitySamples samples;
  samples.values = fieldOf(arrays, piece, field, onCells);
  const std::vector<double> coordinates = arrays.read(piece.child("Points").child("DataArray"));
  std::vector<Vec3> points;
  for (std::size_t i = 0; i + 2 < coordinates.size(); i += 3)
    points.push_back(unit * Vec3(coordinates[i], coordinates[i + 1], coordinates[i + 2]));
  const auto cellArray = [&](const char* name) {
    for (const pugi::xml_node array : piece.child("Cells").children("DataArray"))
      if (std::strcmp(array.attribute("Name").value(), name) == 0) return arrays.read(array);
    throw InputError(fmt::format("the cells have no \"{}\"", name));
  };
  const std::vector<double> connectivity = cellArray("connectivity");
  const std::vector<double> ends = cellArray("offsets");
  const std::vector<double> types = cellArray("types");
  const std::size_t due = onCells ? ends.size() : points.size();
  if (samples.values.size() != due || types.size() != ends.size())
    throw InputError(fmt::format("the field holds {} values where {} are due", samples.values.size(), due));
  if (!onCells) {
    samples.places = points;
    samples.volumes.assign(points.size(), 0.0);
  }
  double begin = 0;
  double all = 0;
  for (std::size_t c = 0; c < ends.size(); ++c) {
    std::vector<Vec3> corners;
    std::vector<std::size_t> numbers;
    if (!(ends[c] > begin && ends[c] <= static_cast<double>(connectivity.size())))
      throw InputError("the offsets of the cells do not rise");
    for (auto i = static_cast<std::size_t>(begin); i < static_cast<std::size_t>(ends[c]); ++i) {
      if (!(connectivity[i] >= 0 && connectivity[i] < static_cast<double>(points.size())))
        throw InputError("a cell names a point that is not there");
      numbers.push_back(static_cast<std::size_t>(connectivity[i]));
      corners.push_back(points[numbers.back()]);
    }
    begin = ends[c];
    const double volume = cellVolume(static_cast<int>(types[c]), corners);
    all += volume;
    if (onCells) {
      samples.places.push_back(std::accumulate(corners.begin(), corners.end(), Vec3(Vec3::Zero())) /
                               static_cast<double>(corners.size()));
      samples.volumes.push_back(volume);
    } else {
      for (const std::size_t n : numbers) samples.volumes[n] += volume / static_cast<double>(numbers.size());
    }
  }
  samples.spacing = std::cbrt(all / static_cast<double>(std::max<std::size_t>(1, samples.places.size())));
  return samples;
}

std::vector<std::string> splitRow(const std::string& line) {
  std::vector<std::string> cells;
  std::string cell;
  for (const char c : line + ",") {
    if (c != ',' && c != ';' && c != '\t') {
      if (c != '"' && c != '\r') cell += c;
      continue;
    }
    const auto first = cell.find_first_not_of(' ');
    cells.push_back(first == std::string::npos ? ""
                                               : cell.substr(first, cell.find_last_not_of(' ') - first + 1));
    cell.clear();
  }
  return cells;
}

DensitySamples fromCsv(const std::string& bytes, const std::string& field, double unit) {
  std::istringstream in(bytes);
  std::string line;
  std::getline(in, line);
  const std::vector<std::string> heading = splitRow(line);
  std::array<std::size_t, 4> columns{};
  const std::array<std::string, 4> wanted{"x", "y", "z", field};
  for (std::size_t i = 0; i < 4; ++i) {
    const auto found = std::find(heading.begin(), heading.end(), wanted[i]);
    if (found == heading.end())
      throw InputError(
          fmt::format("there is no column \"{}\"", wanted[i]),
          fmt::format("its first line should name x, y, z and {}, with commas between them", field));
    columns[i] = static_cast<std::size_t>(found - heading.begin());
  }
  DensitySamples samples;
  for (int number = 2; std::getline(in, line); ++number) {
    if (line.find_first_not_of(" \t\r") == std::string::npos) continue;
    const std::vector<std::string> cells = splitRow(line);
    std::array<double, 4> values{};
    for (std::size_t i = 0; i < 4; ++i) {
      const std::string cell = columns[i] < cells.size() ? cells[columns[i]] : "";
      const std::optional<double> value = numberFrom(cell);
      if (!value) throw InputError(fmt::format("line {}: an entry is not a number", number));
      values[i] = *value;
    }
    samples.places.push_back(unit * Vec3(values[0], values[1], values[2]));
    samples.values.push_back(values[3]);
  }
  samples.volumes.assign(samples.values.size(), 0.0);
  return samples;
}

/// Buckets of samples, to find the nearest.
class Buckets {
 public:
  Buckets(const std::vector<Vec3>& places, double size) : places_(places), size_(size) {
    for (std::size_t i = 0; i < places.size(); ++i) members_[key(home(places[i]))].push_back(i);
  }

  /// The nearest sample other than `self` within `reach` buckets; the number of samples if there is none.
  std::size_t nearest(const Vec3& point, int reach, std::size_t self) const {
    const std::array<long, 3> middle = home(point);
    std::size_t best = places_.size();
    double least = std::numeric_limits<double>::max();
    for (int ring = 0; ring <= reach; ++ring) {
      if (best < places_.size() && least <= std::pow((ring - 1) * size_, 2)) break;
      for (long x = -ring; x <= ring; ++x)
        for (long y = -ring; y <= ring; ++y)
          for (long z = -ring; z <= ring; ++z) {
            if (std::max({std::abs(x), std::abs(y), std::abs(z)}) != ring) continue;
            const auto found = members_.find(key({middle[0] + x, middle[1] + y, middle[2] + z}));
            if (found == members_.end()) continue;
            for (const std::size_t i : found->second) {
              const double away = (places_[i] - point).squaredNorm();
              if (i == self || away >= least) continue;
              least = away;
              best = i;
            }
          }
    }
    return best;
  }

 private:
  std::array<long, 3> home(const Vec3& p) const {
    std::array<long, 3> at{};
    for (std::size_t i = 0; i < 3; ++i)
      at[i] = static_cast<long>(std::clamp(std::floor(p[static_cast<Eigen::Index>(i)] / size_), -1e6, 1e6));
    return at;
  }
  static std::uint64_t key(const std::array<long, 3>& at) {
    std::uint64_t k = 0;
    for (const long i : at) k = k << 21 | (static_cast<std::uint64_t>(i + (1 << 20)) & 0x1fffff);
    return k;
  }

  const std::vector<Vec3>& places_;
  double size_;
  std::unordered_map<std::uint64_t, std::vector<std::size_t>> members_;
};

/// The middle distance of some samples to their nearest neighbours.
double typicalSpacing(const std::vector<Vec3>& places) {
  Box box;
  for (const Vec3& p : places) box.extend(p);
  const Vec3 sizes = box.sizes().cwiseMax(1e-9 * box.diagonal().norm());
  const double guess = std::cbrt(sizes.prod() / static_cast<double>(places.size()));
  const double flat = std::sqrt(sizes.prod() / sizes.minCoeff() / static_cast<double>(places.size()));
  const Buckets buckets(places, std::max({guess, 0.5 * flat, 1e-12}));
  std::vector<double> gaps;
  const std::size_t step = places.size() / 400 + 1;
  for (std::size_t i = 0; i < places.size(); i += step) {
    const std::size_t other = buckets.nearest(places[i], 6, i);
    if (other < places.size()) gaps.push_back((places[other] - places[i]).norm());
  }
  if (gaps.empty()) return 0;
  std::nth_element(gaps.begin(), gaps.begin() + static_cast<std::ptrdiff_t>(gaps.size() / 2), gaps.end());
  return gaps[gaps.size() / 2];
}

void settle(DensitySamples& samples, const std::string& field) {
  if (samples.values.empty()) throw InputError("the file holds no sample");
  if (samples.values.size() > kMostSamples)
    throw InputError("the file holds more samples than this program reads");
  for (std::size_t i = 0; i < samples.values.size(); ++i) {
    constexpr double kSlack = 1e-3;
    if (!samples.places[i].allFinite() || !std::isfinite(samples.volumes[i]))
      throw InputError(fmt::format("sample {} has invalid coordinates", i + 1));
    if (!(samples.values[i] >= -kSlack && samples.values[i] <= 1 + kSlack))
      throw InputError(fmt::format("sample {} of \"{}\" is {:.4g}: a density lies between 0 and 1", i + 1,
                                   field, samples.values[i]),
                       "name the field that holds densities");
    samples.values[i] = std::clamp(samples.values[i], 0.0, 1.0);
  }
  if (!(samples.spacing > 0)) samples.spacing = typicalSpacing(samples.places);
  if (!(samples.spacing > 0)) throw InputError("the samples all lie in one place");
  // Samples without a volume stand for a cube of their spacing.
  const double cube = std::pow(samples.spacing, 3);
  const bool known =
      std::any_of(samples.volumes.begin(), samples.volumes.end(), [](double v) { return v > 0; });
  if (!known) std::fill(samples.volumes.begin(), samples.volumes.end(), cube);
}

}  // namespace

DensitySamples parseDensity(const std::string& bytes, const std::filesystem::path& path,
                            const std::string& field, double unit) {
  const std::string ending = endingOf(path);
  try {
    DensitySamples samples;
    if (ending == ".csv") {
      samples = fromCsv(bytes, field, unit);
    } else if (ending == ".vti" || ending == ".vtu") {
      const VtkArrays arrays(bytes);
      const pugi::xml_node image = arrays.file().child("ImageData");
      const pugi::xml_node grid = arrays.file().child("UnstructuredGrid");
      if (!image && !grid) throw InputError("the file holds neither ImageData nor an UnstructuredGrid");
      samples = image ? fromImage(arrays, image, field, unit)
                      : fromUnstructured(arrays, grid.child("Piece"), field, unit);
    } else {
      throw InputError("this is not a density file by its name", ".vti, .vtu and .csv files are read");
    }
    settle(samples, field);
    return samples;
  } catch (const InputError& error) {
    throw InputError(fmt::format("{}: {}", path.string(), error.what()), error.cure());
  }
}

DensitySamples readDensity(const std::filesystem::path& path, const std::string& field, double unit) {
  return parseDensity(readFile(path), path, field, unit);
}

namespace {

/// What samples bring into the cells they lie in.
struct Collected {
  std::vector<double> sum, weight;  // by cell: material and volume of the samples, m3
  double given = 0;                 // material of all samples, m3
  double inside = 0;                // of those in or next to a cell
};

template <int D>
Collected collected(const DensitySamples& samples, const Grid<D>& grid) {
  const GridFrame<D>& frame = grid.frame();
  Collected result;
  result.sum.assign(grid.cellCount(), 0.0);
  result.weight.assign(grid.cellCount(), 0.0);
  // A sample may lie in a cell that only just misses the domain: one cell of slack.
  for (std::size_t i = 0; i < samples.values.size(); ++i) {
    const double material = samples.values[i] * samples.volumes[i];
    result.given += material;
    Index<D> at{};
    bool far = false;
    for (std::size_t a = 0; a < D; ++a) {
      const auto e = static_cast<Eigen::Index>(a);
      const double place = (samples.places[i][e] - frame.origin[e]) / frame.size;
      far = far || place < -1 || place > frame.cells[a] + 1;
      at[a] = static_cast<int>(std::clamp(place, 0.0, frame.cells[a] - 1e-9));
    }
    if (far) continue;
    const int own = grid.cellAt(at);
    if (own >= 0) {
      result.sum[static_cast<std::size_t>(own)] += material;
      result.weight[static_cast<std::size_t>(own)] += samples.volumes[i];
    }
    bool near = false;
    Index<D> window;
    window.fill(3);
    forEachIndex<D>(window, [&](const Index<D>& offset) {
      Index<D> other = at;
      for (std::size_t a = 0; a < D; ++a) other[a] += offset[a] - 1;
      near = near || grid.cellAt(other) >= 0;
    });
    if (near) result.inside += material;
  }
  return result;
}

/// Scales a density to a volume of material, m3. What is cut off at one is made up for by the rest.
/// @returns the volume it has then.
template <int D>
double scaleTo(double volume, const Domain<D>& domain, std::vector<double>& density) {
  const auto material = [&] {
    double total = 0;
    for (std::size_t c = 0; c < density.size(); ++c) total += density[c] * domain.fill[c];
    return total * domain.cellVolume();
  };
  constexpr int kRounds = 40;
  for (int round = 0; round < kRounds; ++round) {
    const double now = material();
    if (!(now > 0) || std::abs(now / volume - 1) < 1e-9) break;
    for (double& value : density) value = std::min(1.0, value * volume / now);
  }
  return material();
}

}  // namespace

template <int D>
ResampledDensity resampled(const DensitySamples& samples, const Domain<D>& domain) {
  if (samples.places.empty()) throw InputError("there are no samples");
  requireCount("values", samples.values.size(), samples.places.size(), "places");
  requireCount("volumes", samples.volumes.size(), samples.places.size(), "places");
  requireNotNegative("spacing", samples.spacing);
  const Grid<D>& grid = domain.grid;
  const Collected found = collected(samples, grid);
  ResampledDensity result;
  result.given = found.given;
  result.outside = result.given > 0 ? 1 - found.inside / result.given : 1;
  if (result.outside > 0.5)
    throw InputError(
        fmt::format("{:.0f} % of the density lies outside the design space", 100 * result.outside),
        "check the unit and the origin of the file");
  std::vector<Vec3> places = samples.places;
  if (D == 2)
    for (Vec3& place : places) place.z() = 0;  // onto the plane of a sheet
  const Buckets buckets(places, std::max(samples.spacing, grid.frame().size));
  result.density.assign(grid.cellCount(), 0.0);
  for (std::size_t c = 0; c < result.density.size(); ++c) {
    if (found.weight[c] > 0) {
      result.density[c] = found.sum[c] / found.weight[c];
      continue;
    }
    Vec3 centre = Vec3::Zero();
    centre.template head<D>() = grid.cellCentre(c);
    const std::size_t nearest = buckets.nearest(centre, 2, places.size());
    if (nearest < places.size() && (places[nearest] - centre).norm() < 2 * samples.spacing)
      result.density[c] = samples.values[nearest];
  }
  result.kept = scaleTo(found.inside, domain, result.density);
  return result;
}

template BARELATTICE_API ResampledDensity resampled<2>(const DensitySamples&, const Domain<2>&);
template BARELATTICE_API ResampledDensity resampled<3>(const DensitySamples&, const Domain<3>&);

}  // namespace barelattice
