#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <numbers>
#include <pugixml.hpp>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/formats/outline_files.hpp"
#include "loop_nesting.hpp"
#include "svg_path.hpp"

namespace barelattice {
namespace {

using Map = Eigen::Transform<double, 2, Eigen::Affine>;

Map mapOf(const char* text) {
  Map map = Map::Identity();
  SvgScanner scan(text);
  while (!scan.done()) {
    const auto [name, n] = scan.call();
    const auto needs = [&, what = name, count = n.size()](std::size_t least, std::size_t most) {
      if (count < least || count > most)
        throw InputError(fmt::format("the transform '{}' has {} numbers", what, count));
    };
    if (name == "matrix") {
      needs(6, 6);
      Map own = Map::Identity();
      own.matrix().topRows<2>() << n[0], n[2], n[4], n[1], n[3], n[5];
      map = map * own;
    } else if (name == "translate") {
      needs(1, 2);
      map.translate(Vec2(n[0], n.size() > 1 ? n[1] : 0));
    } else if (name == "scale") {
      needs(1, 2);
      map.scale(Vec2(n[0], n.size() > 1 ? n[1] : n[0]));
    } else if (name == "rotate") {
      needs(1, 3);
      const Vec2 about = n.size() == 3 ? Vec2(n[1], n[2]) : Vec2(0, 0);
      map.translate(about).rotate(n[0] * std::numbers::pi / 180).translate(-about);
    } else {
      throw InputError(fmt::format("the transform '{}' is not read here", name),
                       "use matrix, translate, scale or rotate, or apply it in the drawing");
    }
  }
  return map;
}

/// True if circles stay circles.
bool keepsCircles(const Map& map) {
  const Eigen::Matrix2d m = map.linear();
  const Eigen::Matrix2d product = m.transpose() * m;
  const double size = product.trace();
  return size > 0 && std::abs(product(0, 0) - product(1, 1)) + std::abs(product(0, 1)) < 1e-9 * size;
}

double attribute(const pugi::xml_node& node, const char* name) {
  const char* text = node.attribute(name).value();
  if (!*text) return 0;
  return SvgScanner(text).number();
}

std::vector<SvgSubpath> subpathsOf(const pugi::xml_node& node) {
  const std::string kind = node.name();
  if (kind == "path") return readSvgPath(node.attribute("d").value());
  SvgSubpath path;
  const auto lineTo = [&](double x, double y) { path.segments.push_back({SvgSegment::Kind::line, {x, y}}); };
  if (kind == "rect") {
    if (attribute(node, "rx") > 0 || attribute(node, "ry") > 0)
      throw InputError("a rect with round corners is not read here", "turn it into a path in the drawing");
    const double x = attribute(node, "x");
    const double y = attribute(node, "y");
    path.start = {x, y};
    lineTo(x + attribute(node, "width"), y);
    lineTo(x + attribute(node, "width"), y + attribute(node, "height"));
    lineTo(x, y + attribute(node, "height"));
  } else if (kind == "circle" || kind == "ellipse") {
    const Vec2 centre(attribute(node, "cx"), attribute(node, "cy"));
    const double rx = attribute(node, kind == "circle" ? "r" : "rx");
    const double ry = attribute(node, kind == "circle" ? "r" : "ry");
    if (!(rx > 0 && ry > 0)) throw InputError("a " + kind + " needs a radius above zero");
    const Vec2 right = centre + Vec2(rx, 0);
    const Vec2 left = centre - Vec2(rx, 0);
    path.start = right;
    path.segments = {svgArc(right, rx, ry, 0, false, true, left),
                     svgArc(left, rx, ry, 0, false, true, right)};
  } else {
    SvgScanner scan(node.attribute("points").value());
    if (scan.done()) return {};
    path.start = scan.point();
    while (!scan.done()) {
      const Vec2 p = scan.point();
      lineTo(p.x(), p.y());
    }
  }
  return {path};
}

/// Chords of a curve none of which leaves it by more than `off`.
void appendChords(const SvgSegment& curve, const Map& map, double off, int number, OutlineLoop& loop) {
  struct Span {
    double from;
    double to;
    int depth;
  };
  constexpr int kDepth = 12;
  std::vector<Span> open{{0.5, 1, 0}, {0, 0.5, 0}};  // the first span last
  while (!open.empty()) {
    const Span span = open.back();
    open.pop_back();
    const double middle = 0.5 * (span.from + span.to);
    const Vec2 a = map * curve.along(span.from);
    const Vec2 b = map * curve.along(span.to);
    const Vec2 m = map * curve.along(middle);
    if ((m - 0.5 * (a + b)).norm() > off && span.depth < kDepth) {
      open.push_back({middle, span.to, span.depth + 1});
      open.push_back({span.from, middle, span.depth + 1});
      continue;
    }
    loop.push_back({b, std::nullopt, number});
    if (loop.size() > kMostCorners) throw InputError("the path has too many corners");
  }
}

/// The direction in which a curve leaves (end 0) or arrives (end 1).
Vec2 tangent(const SvgSegment& curve, const Map& map, int end) {
  constexpr double kStep = 1e-3;
  return (map * curve.along(end ? 1 : kStep) - map * curve.along(end ? 1 - kStep : 0)).normalized();
}

/// A path as an outline. Curves that run into each other smoothly count as one.
OutlineLoop loopOf(const SvgSubpath& path, const Map& map, double off) {
  const bool circles = keepsCircles(map);
  const auto bent = [&](const SvgSegment& s) {
    return s.kind == SvgSegment::Kind::curve || (s.kind == SvgSegment::Kind::circle && !circles);
  };
  constexpr double kSmooth = 0.999;  // cosine of 2.6 degrees
  const auto runsInto = [&](const SvgSegment& a, const SvgSegment& b) {
    return bent(a) && bent(b) && tangent(a, map, 1).dot(tangent(b, map, 0)) > kSmooth;
  };
  OutlineLoop loop;
  Vec2 from = path.start;
  int curve = 0;
  const SvgSegment* before = nullptr;
  for (const SvgSegment& segment : path.segments) {
    if (segment.to == from && segment.kind == SvgSegment::Kind::line) continue;
    if (bent(segment)) {
      if (!before || !runsInto(*before, segment)) ++curve;
      appendChords(segment, map, off, curve, loop);
    } else if (segment.kind == SvgSegment::Kind::circle) {
      loop.push_back({map * segment.to, Vec2(map * segment.middle)});
    } else {
      loop.push_back({map * segment.to, std::nullopt});
    }
    from = segment.to;
    before = &segment;
  }
  // Every loop is closed. Where it comes back to its start by itself, that corner is there already.
  const Vec2 start = map * path.start;
  constexpr double kSame = 1e-9;
  if (loop.empty()) return loop;
  if ((loop.back().point - start).norm() > kSame * std::max(1.0, start.norm())) {
    loop.push_back({start, std::nullopt});
    return loop;
  }
  loop.back().point = start;
  if (runsInto(*before, path.segments.front()))
    for (OutlineCorner& corner : loop)
      if (corner.curve == 1) corner.curve = curve;
  return loop;
}

Eigen::AlignedBox2d boundsOf(const std::vector<SvgSubpath>& paths, const Map& map) {
  Eigen::AlignedBox2d box;
  for (const SvgSubpath& path : paths) {
    box.extend(map * path.start);
    for (const SvgSegment& segment : path.segments) {
      box.extend(map * segment.to);
      if (segment.kind == SvgSegment::Kind::circle) box.extend(map * segment.middle);
    }
  }
  return box;
}

/// Metres per unit of the drawing, as the drawing has it.
double unitOf(const pugi::xml_node& root) {
  const std::string width = root.attribute("width").value();
  std::size_t digits = 0;
  while (digits < width.size() && !std::isalpha(static_cast<unsigned char>(width[digits])) &&
         width[digits] != '%')
    ++digits;
  const std::string unit = width.substr(digits);
  constexpr std::array<std::pair<const char*, double>, 6> kUnits{
      {{"mm", 1e-3}, {"cm", 1e-2}, {"m", 1}, {"in", 0.0254}, {"pt", 0.0254 / 72}, {"pc", 0.0254 / 6}}};
  const auto known =
      std::find_if(kUnits.begin(), kUnits.end(), [&](const auto& u) { return u.first == unit; });
  if (known == kUnits.end())
    throw InputError("the drawing does not say how large it is",
                     "give 'unit', or the drawing a width in mm and a viewBox");
  SvgScanner box(root.attribute("viewBox").value());
  if (box.done()) throw InputError("the drawing has a width but no viewBox", "give 'unit'");
  box.point();
  const double across = box.number();
  const double wide = SvgScanner(std::string_view(width).substr(0, digits)).number();
  if (!(across > 0 && wide > 0))
    throw InputError("the drawing's width or viewBox is not above zero", "give 'unit'");
  return wide * known->second / across;
}

void findOutlines(const pugi::xml_node& node, int depth, std::vector<pugi::xml_node>& found) {
  constexpr int kDepth = 100;
  if (depth > kDepth) throw InputError("the drawing is nested too deeply");
  for (const pugi::xml_node& child : node.children()) {
    const std::string kind = child.name();
    if (kind == "defs" || kind == "clipPath" || kind == "symbol" || kind == "marker" || kind == "pattern")
      continue;
    if (kind == "path" || kind == "rect" || kind == "circle" || kind == "ellipse" || kind == "polygon")
      found.push_back(child);
    else
      findOutlines(child, depth + 1, found);
  }
}

std::string nameOf(const pugi::xml_node& node) {
  const std::string id = node.attribute("id").value();
  return id.empty() ? std::string("a ") + node.name() + " without id" : "\"" + id + "\"";
}

}  // namespace

PlaneOutline parseSvgOutline(std::string_view text, const std::string& name, const std::string& id,
                             std::optional<double> unit) {
  pugi::xml_document document;
  const pugi::xml_parse_result parsed = document.load_buffer(text.data(), text.size());
  const pugi::xml_node root = document.child("svg");
  if (!parsed || !root)
    throw InputError(name + " is not an SVG drawing" +
                     (parsed ? "" : std::string(": ") + parsed.description()));
  std::vector<pugi::xml_node> found;
  findOutlines(root, 0, found);
  if (found.empty()) throw InputError(name + " holds no path, rect, circle, ellipse or polygon");
  std::vector<std::string> names;
  for (const pugi::xml_node& node : found) names.push_back(nameOf(node));
  if (!id.empty()) {
    std::erase_if(found, [&](const pugi::xml_node& node) { return id != node.attribute("id").value(); });
    if (found.empty())
      throw InputError(fmt::format("{} has no outline \"{}\"", name, id),
                       fmt::format("it has {}", fmt::join(names, ", ")));
  }
  if (found.size() > 1)
    throw InputError(fmt::format("{} has {} outlines", name, found.size()),
                     fmt::format("choose one by its id with 'path': {}", fmt::join(names, ", ")));
  try {
    const double scale = unit ? *unit : unitOf(root);
    // From the innermost transform to the outermost, then y up and to metres.
    Map map = Map::Identity();
    for (pugi::xml_node node = found.front(); node && node != root; node = node.parent())
      map = mapOf(node.attribute("transform").value()) * map;
    map = Map(Eigen::Scaling(scale, -scale)) * map;
    const std::vector<SvgSubpath> paths = subpathsOf(found.front());
    const double size = boundsOf(paths, map).isEmpty() ? 0 : boundsOf(paths, map).diagonal().norm();
    std::vector<OutlineLoop> loops;
    for (const SvgSubpath& path : paths) loops.push_back(loopOf(path, map, size / 5000));
    return nested(std::move(loops));
  } catch (const InputError& error) {
    throw InputError(fmt::format("{}, {}: {}", name, nameOf(found.front()), error.what()), error.cure());
  }
}

PlaneOutline readSvgOutline(const std::filesystem::path& path, const std::string& id,
                            std::optional<double> unit) {
  return parseSvgOutline(readFile(path), path.string(), id, unit);
}

}  // namespace barelattice
