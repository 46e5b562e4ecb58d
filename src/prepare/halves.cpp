// Whether half of a job stands for all of it, and which layers of the grid part the halves.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "barelattice/base/quantity.hpp"
#include "barelattice/shapes/face_pieces.hpp"
#include "barelattice/voxels/grid_case.hpp"
#include "base/check.hpp"
#include "job_parts.hpp"

namespace barelattice {
namespace {

/// A plane across an axis, in which everything is to be its own image.
struct HalfPlane {
  int axis;
  double at;  // m
  TextPlace place;
  const char* name() const { return std::array{"x", "y", "z"}[static_cast<std::size_t>(axis)]; }
  Vec3 signs() const { return Vec3::Ones() - 2 * Vec3::Unit(axis); }
  Vec3 image(const Vec3& point) const {
    Vec3 mirrored = point;
    mirrored[axis] = 2 * at - point[axis];
    return mirrored;
  }
};

std::vector<HalfPlane> halfPlanes(const Brief& brief) {
  std::vector<HalfPlane> planes;
  for (const BriefRule& rule : brief.making) {
    if (!rule.half) continue;
    const auto& plane = std::get<MirrorPlane>(rule.rule);
    Eigen::Index axis = 0;
    constexpr double kAlong = 1e-9;
    if (plane.normal.cwiseAbs().maxCoeff(&axis) < 1 - kAlong)
      refuse(brief, rule.place, "'half' needs a plane across x, y or z", "turn the job, or leave 'half' out");
    planes.push_back({static_cast<int>(axis), plane.at * plane.normal[axis], rule.place});
    for (std::size_t other = 0; other + 1 < planes.size(); ++other)
      if (planes[other].axis == axis)
        refuse(brief, rule.place, "two halves along the same axis", "leave one 'half' out");
  }
  return planes;
}

/// Numbers of one kind and unit together: each is compared with the others of its own.
using Numbers = std::vector<Eigen::VectorXd>;

bool alike(const Numbers& one, const Numbers& other) {
  return std::equal(one.begin(), one.end(), other.begin(), other.end(), [](const auto& a, const auto& b) {
    constexpr double kSame = 1e-6;
    return a.size() == b.size() && (a - b).norm() <= kSame * a.norm();
  });
}

Eigen::VectorXd mirrored(const Eigen::Matrix3d& matrix, const Vec3& signs) {
  const Eigen::Matrix3d image = signs.asDiagonal() * matrix * signs.asDiagonal();
  return Eigen::Map<const Eigen::Matrix<double, 9, 1>>(image.data());
}

/// Springs along and about axes of their own, in a mirror image.
Numbers springNumbers(const Eigen::Matrix3d& axes, const Vec3& slide, const Vec3& turn, const Vec3& signs) {
  return {mirrored(axes * slide.asDiagonal() * axes.transpose(), signs),
          mirrored(axes * turn.asDiagonal() * axes.transpose(), signs)};
}

Numbers single(const std::vector<double>& values) {
  Numbers numbers;
  for (const double value : values) numbers.push_back(Eigen::VectorXd::Constant(1, value));
  return numbers;
}

/// What a support is, in numbers that are those of its image if `signs` mirror them.
Numbers numbersOf(const SupportKind& kind, const Vec3& place, const Vec3& signs) {
  if (const auto* held = std::get_if<Held>(&kind)) {
    Eigen::Matrix3d directions = Eigen::Matrix3d::Zero();
    for (int i = 0; i < 3; ++i)
      if (held->directions >> i & 1U) directions += held->axes.col(i) * held->axes.col(i).transpose();
    return {mirrored(directions, signs), signs.cwiseProduct(held->moved.at(place))};
  }
  if (const auto* bed = std::get_if<Foundation>(&kind)) return single({bed->normal, bed->tangential});
  if (const auto* springs = std::get_if<MeanSprings>(&kind))
    return springNumbers(springs->axes, springs->slide, springs->turn, signs);
  if (const auto* bolt = std::get_if<Bolt>(&kind))
    return single({bolt->diameter, bolt->grip, bolt->modulus, bolt->poisson, bolt->preload});
  return {};
}

/// A piece of a supported face, as it is told from others.
struct Stand {
  std::size_t support;
  Vec3 centre;
  double area;
  const SupportKind* kind;
};

std::vector<Stand> standsOf(const Job& job, const LoadCase& c) {
  std::vector<Stand> stands;
  for (const std::size_t s : c.supports) {
    const Support& support = job.setup.supports[s];
    for (const FacePiece& piece : piecesOf(job.setup.faces[support.face].face))
      stands.push_back({s, piece.centre, piece.area, &support.kind});
  }
  return stands;
}

/// Every support has its like on the other side.
void checkSupports(const Job& job, const LoadCase& c, const HalfPlane& plane) {
  const std::vector<Stand> stands = standsOf(job, c);
  const double near = 0.5 * job.brief.voxel;
  for (const Stand& stand : stands) {
    const Vec3 image = plane.image(stand.centre);
    const auto isImage = [&](const Stand& other) {
      constexpr double kAreas = 0.02;
      return (other.centre - image).norm() < near && std::abs(other.area / stand.area - 1) < kAreas &&
             other.kind->index() == stand.kind->index() &&
             alike(numbersOf(*stand.kind, stand.centre, plane.signs()),
                   numbersOf(*other.kind, other.centre, Vec3::Ones()));
    };
    if (std::none_of(stands.begin(), stands.end(), isImage))
      refuse(
          job.brief, plane.place,
          fmt::format("half of the job does not stand for all: [supports.{}] round {} has no like round {}",
                      job.setup.supports[stand.support].name, placeText(stand.centre), placeText(image)),
          "give it one, or leave 'half' out: then all is solved, and the layout is mirrored all the same");
  }
}

/// The loads of a case come to nothing that the plane would turn round: neither a force across it, nor a
/// moment about an axis in it.
void checkLoads(const Job& job, const LoadCase& c, const HalfPlane& plane) {
  const Vec3 about = plane.at * Vec3::Unit(plane.axis);
  const Resultant all = resultantOf(job.setup, c, about);
  double forces = 0;
  double moments = 0;
  for (const LoadCase::Factor& f : c.loads) {
    const Resultant own = resultantOf(job.setup, {{}, 1, {f}, {}}, about);
    forces += own.force.norm();
    moments += own.moment.norm();
  }
  Vec3 inPlane = all.moment;
  inPlane[plane.axis] = 0;
  constexpr double kRounding = 1e-4;  // points of a face stand for it
  const std::string why =
      std::abs(all.force[plane.axis]) > kRounding * forces
          ? fmt::format("{:.3g} N act across the plane", std::abs(all.force[plane.axis]))
      : inPlane.norm() > kRounding * (moments + forces * job.regions.bounds().diagonal().norm())
          ? fmt::format("they turn by {:.3g} N m about an axis in the plane", inPlane.norm())
          : std::string();
  if (!why.empty())
    refuse(job.brief, plane.place,
           fmt::format("half of the job does not stand for all: the loads of case {} are not their own image "
                       "across {}: {}",
                       c.name, plane.name(), why),
           "give each load its like on the other side, or leave 'half' out: then all is solved, and the "
           "layout is mirrored all the same");
}

void checkMasses(const Job& job, const HalfPlane& plane) {
  for (const PointMass& mass : job.setup.masses) {
    const auto alike = [&](const PointMass& other) {
      return (other.at - plane.image(mass.at)).norm() < 0.01 * job.brief.voxel && other.mass == mass.mass;
    };
    if (std::none_of(job.setup.masses.begin(), job.setup.masses.end(), alike))
      refuse(job.brief, plane.place,
             fmt::format("half of the job does not stand for all: [masses.{}] has no like round {}",
                         mass.name, placeText(plane.image(mass.at))),
             "give it one, or leave 'half' out");
  }
}

/// A connection joins the images of the faces that its like joins, by springs that are the image of its own.
void checkConnections(const Job& job, const HalfPlane& plane) {
  const double near = 0.5 * job.brief.voxel;
  const auto centreOf = [&](std::size_t face) { return job.setup.faces[face].face.centroid(); };
  for (const Connection& connection : job.setup.connections) {
    const Vec3 first = plane.image(centreOf(connection.first));
    const Vec3 second = plane.image(centreOf(connection.second));
    const auto isImage = [&](const Connection& other) {
      const auto joins = [&](std::size_t one, std::size_t two) {
        return (centreOf(one) - first).norm() < near && (centreOf(two) - second).norm() < near;
      };
      return (joins(other.first, other.second) || joins(other.second, other.first)) &&
             alike(springNumbers(connection.axes, connection.slide, connection.turn, plane.signs()),
                   springNumbers(other.axes, other.slide, other.turn, Vec3::Ones()));
    };
    if (std::none_of(job.setup.connections.begin(), job.setup.connections.end(), isImage))
      refuse(job.brief, plane.place,
             fmt::format("half of the job does not stand for all: [connections.{}] has no like across {}",
                         connection.name, plane.name()),
             "give it one, or leave 'half' out");
  }
}

/// The space, what is kept of it, and its materials are their own image.
template <int D>
void checkSpace(const Job& job, const Domain<D>& domain, const HalfPlane& plane, int layer) {
  const auto axis = static_cast<std::size_t>(plane.axis);
  double all = 0;
  double unlike = 0;
  Vec3 where = Vec3::Zero();
  double most = 0;
  for (std::size_t c = 0; c < domain.fill.size(); ++c) {
    Index<D> at = domain.grid.cellIndex(c);
    at[axis] = 2 * layer - 1 - at[axis];
    const int image = domain.grid.cellAt(at);
    double here = domain.fill[c];
    if (image >= 0) {
      const auto i = static_cast<std::size_t>(image);
      here = std::abs(domain.fill[c] - domain.fill[i]);
      if (domain.keep[c] != domain.keep[i] || domain.material[c] != domain.material[i])
        here = std::max(here, domain.fill[c]);
    }
    all += domain.fill[c];
    unlike += here;
    if (here > most) {
      most = here;
      where = cellCentre(domain, c, job.regions);
    }
  }
  constexpr double kAlike = 0.002;  // sampling decides where a boundary runs along points of it
  if (unlike > kAlike * all)
    refuse(
        job.brief, plane.place,
        fmt::format("half of the job does not stand for all: {:.2g} % of the design space, its keeps or its "
                    "materials have no like across {}, most round {}",
                    100 * unlike / all, plane.name(), placeText(where)),
        "put the plane through the middle, or leave 'half' out");
}

}  // namespace

template <int D>
MirrorLayers<D> mirrorLayers(const Job& job, const Grid<D>& grid) {
  MirrorLayers<D> layers;
  const GridFrame<D>& frame = grid.frame();
  for (const HalfPlane& plane : halfPlanes(job.brief)) {
    const double layer = (plane.at - frame.origin[plane.axis]) / frame.size;
    const double whole = std::round(layer);
    constexpr double kBetween = 1e-6;  // of a cell
    if (plane.axis >= D || whole < 1 || whole >= frame.cells[static_cast<std::size_t>(plane.axis)])
      refuse(
          job.brief, plane.place,
          fmt::format("the plane across {} at {:.4g} mm misses the design space, and 'half' is to stand for "
                      "both of its sides",
                      plane.name(), plane.at * kMillimetresPerMetre),
          "put the plane through the middle");
    if (std::abs(layer - whole) > kBetween)
      refuse(
          job.brief, plane.place,
          fmt::format("'half' needs its plane between the cells, and across {} another rule has them begin "
                      "elsewhere",
                      plane.name()),
          "put both into one plane, or leave 'half' out");
    layers[static_cast<std::size_t>(plane.axis)] = static_cast<int>(whole);
  }
  return layers;
}

template <int D>
void checkHalves(const Job& job, const Domain<D>& domain) {
  const std::vector<HalfPlane> planes = halfPlanes(job.brief);
  if (planes.empty()) return;
  const MirrorLayers<D> layers = mirrorLayers(job, domain.grid);
  for (const HalfPlane& plane : planes) {
    checkConnections(job, plane);  // first: they keep material where they join
    checkSpace(job, domain, plane, *layers[static_cast<std::size_t>(plane.axis)]);
    checkMasses(job, plane);
    for (const LoadCase& c : job.setup.cases) {
      checkSupports(job, c, plane);
      checkLoads(job, c, plane);
    }
  }
  try {
    const MirrorPiece<D> piece(domain.grid, layers);
    for (const GridCase<D>& c : casesOn(domain, job.setup)) naming("case", c.name, [&] { piece.caseOf(c); });
  } catch (const InputError& error) {
    refuse(job.brief, planes.front().place, error.what(), "leave 'half' out");
  }
}

void checkHalves(const Job& job) {
  if (job.flat())
    checkHalves(job, std::get<Domain<2>>(job.domain));
  else
    checkHalves(job, std::get<Domain<3>>(job.domain));
}

template MirrorLayers<2> mirrorLayers(const Job&, const Grid<2>&);
template MirrorLayers<3> mirrorLayers(const Job&, const Grid<3>&);

}  // namespace barelattice
