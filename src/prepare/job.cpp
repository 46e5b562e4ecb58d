#include "barelattice/prepare/job.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <set>
#include <utility>

#include "barelattice/base/machine.hpp"
#include "barelattice/base/quantity.hpp"
#include "base/check.hpp"
#include "job_parts.hpp"
#include "surprises.hpp"

namespace barelattice {
namespace {

/// Points of a face per voxel edge: enough that no node on the face is missed.
constexpr double kFaceSpacing = 0.25;

/// How many cells from a support or load stress is told apart, where the brief says neither that nor a
/// smallest member.
constexpr double kCellsApart = 3;

std::vector<NamedFace> pickFaces(const Brief& brief, double spacing) {
  // A face chosen by its neighbours waits until those are found.
  std::vector<std::optional<Face>> found(brief.faces.size());
  std::set<std::size_t> open;
  const std::function<const Face&(std::size_t)> pick = [&](std::size_t number) -> const Face& {
    if (found[number]) return *found[number];
    const BriefFace& f = brief.faces[number];
    if (!open.insert(number).second)
      refuse(brief, f.place, fmt::format("[faces.{}] is chosen by faces that are chosen by it", f.name),
             "say of one of them where it is");
    FaceSelector selector = f.selector;
    for (const std::size_t other : f.beside) selector.beside.push_back(&pick(other));
    try {
      return found[number].emplace(selectFace(*brief.shape(f.shape), selector, spacing));
    } catch (const BriefError&) {
      throw;
    } catch (const InputError& error) {
      refuse(brief, f.place, fmt::format("[faces.{}] {}", f.name, error.what()), error.cure());
    }
  };
  std::vector<NamedFace> faces;
  for (std::size_t f = 0; f < brief.faces.size(); ++f) faces.push_back({brief.faces[f].name, pick(f)});
  return faces;
}

ShapePtr keepShape(const Brief& brief, const BriefKeep& keep, const std::vector<NamedFace>& faces) {
  if (keep.shape) return brief.shape(*keep.shape);
  const ShapePtr& body = brief.shape(brief.faces[keep.face].shape);
  std::vector<ShapePtr> layers;
  for (const Patch& patch : faces[keep.face].face.patches)
    layers.push_back(makeLayer(body, patch, keep.depth));
  return makeUnion(layers);
}

Regions regionsOf(const Brief& brief, const std::vector<NamedFace>& faces) {
  Regions regions;
  regions.space = brief.shape(brief.space);
  for (const BriefKeep& keep : brief.keeps) regions.keeps.push_back(keepShape(brief, keep, faces));
  for (const std::size_t clear : brief.clears) regions.clears.push_back(brief.shape(clear));
  for (std::size_t r = 0; r < brief.regions.size(); ++r)
    regions.materials.push_back(
        {brief.shape(brief.regions[r].shape), static_cast<int>(r) + 1, brief.regions[r].bonded});
  if (brief.sheet) regions.thickness = brief.sheet->thickness;
  return regions;
}

/// What acts on a face needs something to act on: where no keep is below it, a layer of material is kept
/// there.
/// @param entry what acts, as messages call it.
void back(Job& job, const std::string& entry, TextPlace place, std::size_t faceNumber, double depth) {
  constexpr double kMostly = 0.98;
  const auto& [name, face] = job.setup.faces[faceNumber];
  const double below = std::min(depth, 0.1 * job.brief.voxel);
  double kept = 0;
  double bare = 0;  // in clears, or off the design space: refused later, in its own words
  for (const SurfacePoint& point : face.points) {
    const Vec3 under = point.position - below * point.normal;
    if (job.regions.kept(under) < 0) kept += point.area;
    if (job.regions.available(under) > 0) bare += point.area;
  }
  if (below <= 0 || kept >= kMostly * face.area() || bare > 0.5 * face.area()) return;
  job.brief.keeps.push_back({{}, faceNumber, depth, place, true});
  // The face may be of a body from which the space is cut: what is not asked for must not fill that again.
  job.regions.keeps.push_back(
      makeIntersection({keepShape(job.brief, job.brief.keeps.back(), job.setup.faces), job.regions.space}));
  if (!job.brief.designs) return;
  job.assumptions.push_back(fmt::format("below face {} {:.4g} mm of material are kept, for [{}]", name,
                                        depth * kMillimetresPerMetre, entry));
}

void backFaces(Job& job) {
  for (std::size_t l = 0; l < job.setup.loads.size(); ++l) {
    const BriefLoad& load = job.brief.loads[l];
    if (job.setup.actsOnFace(l)) back(job, "loads." + load.name, load.place, load.face, load.backing);
  }
  for (const BriefMass& mass : job.brief.masses)
    back(job, "masses." + mass.name, mass.place, mass.face, mass.backing);
  // What is joined stays, also of a body that is only analysed: it is how its pieces are told from crumbs.
  const double depth = job.brief.designs ? job.brief.walls().smallestMember : kCellsApart * job.brief.voxel;
  for (const BriefConnection& connection : job.brief.connections)
    for (const std::size_t face : {connection.first, connection.second})
      back(job, "connections." + connection.name, connection.place, face, depth);
  for (const BriefSupport& support : job.brief.supports)
    for (const std::size_t face : facesOf(support))
      back(job, "supports." + support.name, support.place, face, support.backing);
}

template <int D>
std::size_t countCells(const Regions& regions, double size) {
  return sampleRegions<D>(regions, size).grid.cellCount();
}

/// The voxel size, to three digits, at which the regions hold about `budget` cells and not more.
double voxelFor(const Regions& regions, double budget) {
  const int dimensions = regions.thickness > 0 ? 2 : 3;
  const Vec3 sizes = regions.bounds().sizes();
  double size = std::pow(sizes.head(dimensions).prod() / budget, 1.0 / dimensions);
  const auto rounded = [](double value) {
    const double digits = std::pow(10, std::floor(std::log10(value)) - 2);
    return std::ceil(value / digits - 1e-9) * digits;
  };
  for (int step = 0; step < 6; ++step) {
    size = rounded(size);
    const double count =
        static_cast<double>(dimensions == 2 ? countCells<2>(regions, size) : countCells<3>(regions, size));
    if (count <= budget && count > 0.9 * budget) break;
    size *= std::pow(count / (0.97 * budget), 1.0 / dimensions);
  }
  return size;
}

/// "60 x 18 x 30 mm"
std::string sizeText(const Vec3& sizes, int dimensions) {
  std::string text;
  for (int i = 0; i < dimensions; ++i)
    text += fmt::format("{}{}", i ? " x " : "", std::round(1e4 * sizes[i]) / 10);  // to a tenth of a mm
  return text + " mm";
}

Estimate estimated(const Job& job) {
  // Measured on the rigger: 216,000 voxels and 166,000 tetrahedra, three cases; the time is for as many
  // iterations as a design usually takes. With a baseline, that and the full block are analysed too.
  constexpr int kUsualIterations = 80;
  constexpr double kSecondsPerVoxelCase = 1.4e-4;
  constexpr double kSecondsPerTetCase = 6e-5;
  constexpr double kSecondsPerTet = 5e-5;  // for the mesh
  // Peak of the optimise step: bench_memory at 4.2 million voxels, the rigger at 0.2 and 1 million, a sheet.
  constexpr double kBytes = 40e6;
  constexpr double kBytesPerVoxel = 220;
  constexpr double kBytesPerVoxelCase = 130;
  constexpr double kBytesPerTet = 7500;
  double cells = job.brief.designs ? static_cast<double>(job.cellCount()) : 0;
  for (const BriefRule& rule : job.brief.making)
    if (rule.half) cells *= 0.5;  // what is not solved takes next to nothing
  const auto cases = static_cast<double>(job.brief.cases.size());
  const int iterations = job.brief.iterations > 0 ? job.brief.iterations : kUsualIterations;
  double bodies = job.brief.baseline ? 3 : 1;
  if (job.brief.inRounds()) bodies += 1;  // two rounds are usual
  return {cases * kSecondsPerVoxelCase * cells * iterations / kUsualIterations +
              bodies * (cases * kSecondsPerTetCase + kSecondsPerTet) * job.brief.tetrahedra,
          std::max(kBytes + (kBytesPerVoxel + kBytesPerVoxelCase * cases) * cells,
                   kBytesPerTet * job.brief.tetrahedra)};
}

/// How much of each cell lies in the shape the design starts from, to within half a cell.
template <int D>
std::vector<double> startDensity(const Domain<D>& domain, const Shape& shape, const Regions& regions) {
  std::vector<double> density(domain.fill.size());
  const double size = domain.grid.frame().size;
  for (std::size_t c = 0; c < density.size(); ++c)
    density[c] = std::clamp(0.5 - shape.distance(cellCentre(domain, c, regions)) / size, 0.0, 1.0);
  return density;
}

void refuseManyVoxels(const Brief& brief, const Vec3& sizes) {
  const int dimensions = brief.sheet ? 2 : 3;
  if (Vec3(sizes / brief.voxel).head(dimensions).prod() > kMostCells)
    refuse(brief, {},
           fmt::format("the box round design space and keeps, {}, holds more than {:.0e} voxels of {:.4g} mm",
                       sizeText(sizes, dimensions), kMostCells, brief.voxel * kMillimetresPerMetre),
           "choose a larger voxel, or look for a length in a wrong unit");
}

/// STL has coordinates of 24 binary digits: far from the origin they do not tell one corner from the next.
void refuseFarAway(const Brief& brief) {
  const Box bounds = brief.shape(brief.space)->bounds();
  const double far = std::max(bounds.min().cwiseAbs().maxCoeff(), bounds.max().cwiseAbs().maxCoeff());
  constexpr double kStlDigits = 1 << 23;
  constexpr double kCoarse = 0.02;  // of a voxel
  if (far / kStlDigits > kCoarse * brief.voxel)
    refuse(
        brief, {},
        fmt::format(
            "the design space lies {:.3g} m from the origin: files of triangles tell places there apart to "
            "{:.2g} mm only",
            far, far / kStlDigits * kMillimetresPerMetre),
        "move the part near the origin, or look for a length in a wrong unit");
}

/// Settles the size of the voxels, and refuses what no such voxels can hold.
void settleVoxel(Brief& brief, double coarser) {
  if (brief.voxel == 0) {
    const double rough = brief.shape(brief.space)->bounds().diagonal().norm() / 300;
    brief.voxel = voxelFor(regionsOf(brief, pickFaces(brief, rough)), brief.voxelBudget);
  }
  const double member = brief.walls().smallestMember;  // zero where nothing is designed
  if (!brief.designs) brief.voxel *= coarser;
  if (brief.exclusion < 0) brief.exclusion = kCellsApart * brief.voxel;
  brief.voxel = std::max(brief.voxel, std::min(coarser * brief.voxel, 0.5 * member));
  if (brief.tolerance == 0) brief.tolerance = 0.5 * brief.voxel;
  if (brief.designs && member < 2 * brief.voxel)
    refuse(brief, brief.placeOfRule<Walls>(),
           fmt::format("'smallest_member' is under two voxels ({:.4g} mm)",
                       2 * brief.voxel * kMillimetresPerMetre),
           "make the voxel smaller or the member thicker");
  // Before anything is sampled: faces take memory too.
  const int dimensions = brief.sheet ? 2 : 3;
  const Vec3 space = brief.shape(brief.space)->bounds().sizes();
  refuseManyVoxels(brief, space);
  refuseFarAway(brief);
  if (member > space.head(dimensions).maxCoeff())
    refuse(brief, brief.placeOfRule<Walls>(),
           fmt::format("'smallest_member' is {:.4g} mm, and the design space is {} in all",
                       member * kMillimetresPerMetre, sizeText(space, dimensions)),
           "it is the thinnest wall or bar you can make: look for a length in a wrong unit");
}

}  // namespace

void refuse(const Brief& brief, TextPlace place, const std::string& what, const std::string& cure) {
  throw BriefError(brief.path, place, what, cure);
}

const Face& Job::face(const std::string& name) const {
  const std::size_t number = setup.faceNumber(name);
  if (number == setup.faces.size()) throw InputError(fmt::format("there is no face \"{}\"", name));
  return setup.faces[number].face;
}

std::size_t Job::cellCount() const {
  return std::visit([](const auto& d) { return d.grid.cellCount(); }, domain);
}

double Job::cellVolume() const {
  return std::visit([](const auto& d) { return d.cellVolume(); }, domain);
}

double Job::designMass(std::size_t cell) const {
  return std::visit(
      [&](const auto& d) {
        const std::size_t number = d.isBonded(cell) ? 0 : d.material[cell];
        return (1 - d.bonded[cell] / d.fill[cell]) * d.cellVolume() * setup.materials[number].density;
      },
      domain);
}

bool Job::mixed() const {
  return std::any_of(brief.regions.begin(), brief.regions.end(),
                     [](const BriefRegion& region) { return !region.bonded; });
}

double Job::massOf(double volume, const Implicit& part, double spacing) const {
  if (!mixed()) return volume * brief.material.density;
  const std::vector<double> volumes = volumesByMaterial(part, regions, spacing);
  double sum = 0;
  double mass = 0;
  for (std::size_t m = 0; m < volumes.size(); ++m) {
    if (m > 0 && brief.regions[m - 1].bonded) continue;
    sum += volumes[m];
    mass += volumes[m] * setup.materials[m].density;
  }
  return sum > 0 ? mass * volume / sum : 0;
}

template <int D>
LayoutProblem<D> Job::layoutProblem() const {
  if (flat() != (D == 2))
    throw InputError(
        fmt::format("a layout in {} dimensions is asked for of a {}", D, flat() ? "sheet" : "body"));
  const auto& own = std::get<Domain<D>>(domain);
  LayoutProblem<D> problem;
  problem.grid = own.grid;
  Material base = brief.material;
  if (!brief.regions.empty()) {
    const std::vector<Material>& all = setup.materials;
    for (const Material& m : all) base.modulus = std::max(base.modulus, m.modulus);
    for (std::size_t c = 0; c < own.fill.size(); ++c) {
      problem.modulus.push_back(all[own.material[c]].modulus / base.modulus);
      problem.mass.push_back(designMass(c));
    }
  }
  problem.material = D == 2 ? sheetMaterial(base, brief.sheet->state, brief.sheet->thickness) : base;
  if (brief.start) problem.start = startDensity(own, *brief.shape(*brief.start), regions);
  problem.fill = own.fill;
  problem.keep = own.keep;
  problem.cases = casesOn(own, setup);
  const bool swings = looksAtModes(brief);
  if (swings || std::any_of(problem.cases.begin(), problem.cases.end(),
                            [](const GridCase<D>& c) { return !c.bodyForce.isZero(); }))
    for (std::size_t c = 0; c < own.fill.size(); ++c)
      problem.cellMass.push_back(own.fill[c] * own.cellVolume() * setup.materials[own.material[c]].density);
  // How stiff a part is does not depend on its temperature, and the work of its growth would drown that of
  // the loads: the goal is that of the other loads.
  for (GridCase<D>& c : problem.cases) c.temperature = 0;
  problem.goal.form = brief.goal;
  if (swings)
    for (const PointMass& mass : setup.masses)
      problem.carried.push_back({tieToGrid(own, setup.faces[mass.face].face), mass.at, mass.mass});
  problem.limits = partLimits(own, *this);
  addWanted(own, *this, problem);
  if (brief.lightest) {
    constexpr double kFirst = 0.4;  // of what is beside the keeps
    problem.massFraction = (keepMass + kFirst * (spaceMass - keepMass)) / spaceMass;
  } else {
    problem.massFraction = targetMass / spaceMass;
  }
  if (!swings) problem.mirrors = mirrorLayers(*this, own.grid);  // a half has not all modes of the whole
  problem.making = brief.imposed();
  problem.attached = attachedCells(own.grid, *this, problem.filterRadius());
  return problem;
}

template BARELATTICE_API LayoutProblem<2> Job::layoutProblem<2>() const;
template BARELATTICE_API LayoutProblem<3> Job::layoutProblem<3>() const;

ProofProblem Job::proofProblem() const {
  AcrossSheet across = AcrossSheet::body;
  if (flat()) across = brief.sheet->state == SheetState::planeStrain ? AcrossSheet::held : AcrossSheet::free;
  std::vector<ShapePtr> places;
  for (const std::size_t shape : brief.judgedPlaces) places.push_back(brief.shape(shape));
  return {setup, across, brief.exclusion, regions.materials, brief.frequencies, std::move(places)};
}

std::string Job::whyNotDesigned() const {
  if (!brief.designs) return "the brief states neither [target] nor [making]";
  for (const LoadCase& c : setup.cases)
    for (const std::size_t s : c.supports)
      if (const Held* held = std::get_if<Held>(&setup.supports[s].kind); held && !held->moved.isZero())
        return fmt::format("in case {} support {} is moved, and a layout is made stiff against forces",
                           c.name, setup.supports[s].name);
  const auto hasForce = [&](const LoadCase& c) {
    return std::any_of(c.loads.begin(), c.loads.end(), [&](const LoadCase::Factor& f) {
      return f.factor != 0 && !std::holds_alternative<Temperature>(setup.loads[f.load].kind);
    });
  };
  if (std::none_of(setup.cases.begin(), setup.cases.end(), hasForce))
    return "nothing but temperature acts, and a layout is made stiff against forces";
  return {};
}

Job prepare(Brief brief, double coarser) {
  requirePositive("coarser", coarser);
  Job job;
  settleVoxel(brief, coarser);
  placePartings(brief);
  refuseContradictions(brief);
  if (std::any_of(brief.making.begin(), brief.making.end(),
                  [](const BriefRule& r) { return !r.ways.empty(); }))
    job.open = brief;
  job.brief = std::move(brief);
  job.warnings = job.brief.notes;
  job.setup = setupOf(job.brief, pickFaces(job.brief, kFaceSpacing * job.brief.voxel));
  job.regions = regionsOf(job.brief, job.setup.faces);
  refuseManyVoxels(job.brief, job.regions.bounds().sizes());
  backFaces(job);
  const BetweenCells between = betweenCells(job.brief);
  try {
    if (job.flat())
      job.domain = sampleRegions<2>(job.regions, job.brief.voxel, between);
    else
      job.domain = sampleRegions<3>(job.regions, job.brief.voxel, between);
  } catch (const InputError& error) {
    refuse(job.brief, {}, error.what(), error.cure());
  }
  checkKeeps(job);
  settleMass(job);
  if (job.open)
    job.assumptions.push_back(
        fmt::format("[making] {}: {} of {} ways, until 'run' or 'optimise' has tried them",
                    nameOf(openRule(job).rule), wayText(openRule(job).rule), openRule(job).ways.size()));
  job.estimate = estimated(job);
  if (job.estimate.bytes > machineMemory())
    refuse(job.brief, job.brief.voxelPlace,
           fmt::format("about {:.1f} GB are needed, and this machine has {:.1f} GB", job.estimate.bytes / 1e9,
                       machineMemory() / 1e9),
           "take a larger voxel, or fewer tetrahedra in the proof");
  checkActing(job);
  checkHalves(job);
  checkWanted(job);
  warnOfSurprises(job);
  if (const std::string why = job.whyNotDesigned(); !why.empty() && job.brief.designs && !job.brief.layout)
    job.warnings.push_back(why + ": 'analyse' and 'proof --solid' can be run, 'optimise' cannot");
  return job;
}

}  // namespace barelattice
