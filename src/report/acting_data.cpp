#include "acting_data.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace barelattice {
namespace {

using nlohmann::json;

json listOf(const Vec3& v) {
  return {v.x(), v.y(), v.z()};
}

/// Arrows at some points of a face, each as long as the force by area there, relative to the largest.
json arrowsOf(const Face& face, const std::vector<Vec3>& forces, const PagePlaces& places) {
  constexpr std::size_t kArrows = 24;
  const std::size_t step = face.points.size() / kArrows + 1;
  double most = 0;
  for (std::size_t p = 0; p < forces.size(); ++p)
    most = std::max(most, forces[p].norm() / face.points[p].area);
  constexpr double kSeen = 0.02;
  json arrows = json::array();
  for (std::size_t p = step / 2; p < forces.size() && most > 0; p += step) {
    const double size = forces[p].norm() / face.points[p].area / most;
    if (size < kSeen) continue;
    const Vec3 at = places.inMm(face.points[p].position);
    const Vec3 push = forces[p].normalized();
    arrows.push_back({at.x(), at.y(), at.z(), push.x(), push.y(), push.z(), size});
  }
  return arrows;
}

std::string pressureText(double pascal) {
  return fmt::format("{:.3g} MPa", 1e-6 * pascal);
}

/// What is drawn of a load: `force` from each piece, `moment` and `at`, `arrows`, `along` through the middle
/// of the space or about an axis, `note` beside it.
class LoadDrawing {
 public:
  LoadDrawing(const Job& job, const PagePlaces& places, const Load& load, double factor)
      : job_(job), places_(places), load_(load), factor_(factor) {}

  json entry() const {
    json entry = {{"name", load_.name}};
    if (!std::holds_alternative<BodyForce>(load_.kind) && !std::holds_alternative<Temperature>(load_.kind))
      entry["face"] = job_.setup.faces[load_.face].name;
    std::visit([&](const auto& kind) { add(kind, entry); }, load_.kind);
    return entry;
  }

 private:
  const Face& face() const { return job_.setup.faces[load_.face].face; }

  /// The forces of the load on the face's points, with its factor.
  std::vector<Vec3> forces(const LoadKind& kind) const {
    std::vector<Vec3> all = forcesAt(kind, face().points);
    for (Vec3& force : all) force *= factor_;
    return all;
  }

  void add(const FaceAction& action, json& entry) const {
    entry["force"] = listOf(factor_ * action.force);
    if (action.pressure == 0) return;
    entry["arrows"] = arrowsOf(face(), forces(FaceAction{Vec3::Zero(), action.pressure}), places_);
    entry["note"] = pressureText(factor_ * action.pressure);
  }
  void add(const DepthPressure& liquid, json& entry) const {
    double deepest = 0;
    for (const SurfacePoint& point : face().points)
      deepest = std::max(deepest, liquid.down.dot(point.position - liquid.surface));
    entry["arrows"] = arrowsOf(face(), forces(liquid), places_);
    entry["note"] = "liquid, up to " + pressureText(factor_ * liquid.perDepth * deepest);
  }
  void add(const Bearing& bearing, json& entry) const {
    entry["force"] = listOf(factor_ * bearing.force);
    entry["arrows"] = arrowsOf(face(), forces(bearing), places_);
  }
  void add(const Remote& remote, json& entry) const {
    entry["force"] = listOf(factor_ * remote.force);
    if (!remote.moment.isZero(0)) entry["moment"] = listOf(factor_ * remote.moment);
    if (remote.at) entry["at"] = places_.list(*remote.at);
  }
  void add(const BodyForce& force, json& entry) const {
    const BodyForce acting = force * factor_;
    const Vec3 middle = job_.regions.space->bounds().center();
    entry["along"] = {{"at", places_.list(middle)}, {"way", listOf(acting.at(middle))}};
    entry["note"] = force.isEven() ? fmt::format("{:.4g} m/s2 on all mass", acting.perMass.norm())
                                   : fmt::format("spin, {:.4g} m/s2 in the middle", acting.at(middle).norm());
  }
  void add(const Temperature& temperature, json& entry) const {
    entry["note"] = fmt::format("{:+.4g} K", factor_ * temperature.change);
  }
  void add(const std::shared_ptr<const OwnLoad>& /*own*/, json& entry) const { entry["note"] = "own"; }

  const Job& job_;
  const PagePlaces& places_;
  const Load& load_;
  double factor_;
};

/// "x, z" of directions in which something is held; empty for all.
std::string axesText(const Vec3& held, int count, const char* before = "") {
  std::string text;
  int all = 0;
  for (int i = 0; i < count; ++i)
    if (held[i] > 0) {
      text += (text.empty() ? "" : ", ") + (before + std::string(1, static_cast<char>('x' + i)));
      ++all;
    }
  return all == count ? "" : text;
}

/// What a support is called where it is drawn, and what it leaves out.
class SupportWords {
 public:
  explicit SupportWords(bool flat) : axes_(flat ? 2 : 3) {}

  std::string operator()(const Held& held) const {
    Vec3 directions;
    for (int i = 0; i < 3; ++i) directions[i] = held.directions >> i & 1U;
    const std::string some = axesText(directions, axes_);
    const bool askew = !held.axes.isIdentity(0);
    return (held.moved.isZero() ? "held" : "moved") +
           (some.empty() ? "" : " (" + some + (askew ? ", own frame)" : ")"));
  }
  std::string operator()(const Slide& /*all the same*/) const { return "sliding"; }
  std::string operator()(const Pin& /*all the same*/) const { return "pin"; }
  std::string operator()(const Foundation& /*sizes are in the brief*/) const { return "bedding"; }
  std::string operator()(const MeanSprings& springs) const {
    const auto isRigid = [](double s) { return s == 0 || s == kRigid; };
    const bool rigid = std::all_of(springs.slide.begin(), springs.slide.end(), isRigid) &&
                       std::all_of(springs.turn.begin(), springs.turn.end(), isRigid);
    if (!rigid) return "springs";
    const std::string slides = axesText(springs.slide, axes_);
    return "point held" + (slides.empty() ? "" : " (" + slides + ")");
  }
  std::string operator()(const Bolt& bolt) const {
    return fmt::format("bolt {:.3g} mm", kMillimetresPerMetre * bolt.diameter);
  }
  std::string operator()(const std::shared_ptr<const OwnSupport>& /*own*/) const { return "own"; }

 private:
  int axes_;
};

json supportJson(const Job& job, const Support& support, const PagePlaces& places) {
  json entry = {{"name", support.name},
                {"face", job.setup.faces[support.face].name},
                {"kind", std::visit(SupportWords(job.flat()), support.kind)}};
  if (const Bolt* bolt = std::get_if<Bolt>(&support.kind)) entry["seat"] = job.setup.faces[bolt->seat].name;
  if (const MeanSprings* springs = std::get_if<MeanSprings>(&support.kind); springs && springs->at)
    entry["at"] = places.list(*springs->at);
  return entry;
}

}  // namespace

void addActing(const Job& job, const PagePlaces& places, nlohmann::json& data) {
  const Setup& setup = job.setup;
  data["middle"] = places.list(job.regions.space->bounds().center());
  data["supports"] = json::array();
  for (const Support& support : setup.supports) data["supports"].push_back(supportJson(job, support, places));
  data["masses"] = json::array();
  for (const PointMass& mass : setup.masses)
    data["masses"].push_back({{"name", mass.name},
                              {"face", setup.faces[mass.face].name},
                              {"at", places.list(mass.at)},
                              {"mass", mass.mass}});
  data["connections"] = json::array();
  for (const Connection& connection : setup.connections)
    data["connections"].push_back(
        {{"name", connection.name},
         {"faces", {setup.faces[connection.first].name, setup.faces[connection.second].name}}});
  data["cases"] = json::array();
  for (const LoadCase& c : setup.cases) {
    json loads = json::array();
    for (const LoadCase::Factor& f : c.loads)
      loads.push_back(LoadDrawing(job, places, setup.loads[f.load], f.factor).entry());
    json supports = json::array();
    for (const std::size_t s : c.supports) supports.push_back(setup.supports[s].name);
    data["cases"].push_back({{"name", c.name}, {"supports", supports}, {"loads", loads}});
  }
}

}  // namespace barelattice
