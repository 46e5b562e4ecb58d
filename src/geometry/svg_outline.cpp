#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <cmath>
#include <functional>
#include <numbers>
#include <pugixml.hpp>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/geometry/outline_files.hpp"
#include "loop_nesting.hpp"

namespace barelattice {
namespace {

using Vec2 = Eigen::Vector2d;
using Map = Eigen::Transform<double, 2, Eigen::Affine>;

constexpr std::size_t kMostCorners = 200'000;

double cross2(const Vec2& a, const Vec2& b) {
  return a.x() * b.y() - a.y() * b.x();
}

/// Reads the numbers, flags and letters of SVG's little languages.
class Scanner {
 public:
  explicit Scanner(std::string_view text) : at_(text.data()), end_(text.data() + text.size()) {}

  bool done() {
    skip();
    return at_ == end_;
  }
  /// The next letter if there is one here, or nothing.
  char letter() {
    skip();
    if (at_ == end_ || !std::isalpha(static_cast<unsigned char>(*at_))) return 0;
    return *at_++;
  }
  double number() {
    skip();
    if (at_ != end_ && *at_ == '+') ++at_;
    double value = 0;
    const auto [stop, fault] = std::from_chars(at_, end_, value);
    if (fault != std::errc() || !std::isfinite(value))
      throw InputError(
          fmt::format("a number is expected at \"{}\"", std::string(at_, std::min(end_, at_ + 12))));
    at_ = stop;
    return value;
  }
  /// A flag of an arc, which may stand without a space before the next number.
  bool flag() {
    skip();
    if (at_ == end_ || (*at_ != '0' && *at_ != '1')) throw InputError("an arc's flag should be 0 or 1");
    return *at_++ == '1';
  }
  Vec2 point() {
    const double x = number();
    return {x, number()};
  }
  /// The name before a bracket and the numbers within.
  std::pair<std::string, std::vector<double>> call() {
    std::string name;
    while (const char c = letter()) name += c;
    if (done() || *at_ != '(') throw InputError("a transform should read name(numbers)");
    ++at_;
    std::vector<double> numbers;
    while (!done() && *at_ != ')') numbers.push_back(number());
    if (at_ == end_) throw InputError("a transform misses its closing bracket");
    ++at_;
    return {name, numbers};
  }

 private:
  void skip() {
    while (at_ != end_ && (std::isspace(static_cast<unsigned char>(*at_)) || *at_ == ',')) ++at_;
  }
  const char* at_;
  const char* end_;
};

/// A piece of a path from the point before, in the drawing's coordinates.
struct Segment {
  enum class Kind { line, circle, curve } kind = Kind::line;
  Vec2 to = Vec2::Zero();
  Vec2 middle = Vec2::Zero();              // circle: half-way
  std::function<Vec2(double)> along = {};  // curve: from 0 to 1
};

struct Subpath {
  Vec2 start = Vec2::Zero();
  std::vector<Segment> segments;
};

/// An arc as SVG states it (SVG 1.1, appendix F.6.5: conversion from endpoint to centre).
Segment arcTo(const Vec2& from, double rx, double ry, double turned, bool large, bool sweep, const Vec2& to) {
  rx = std::abs(rx);
  ry = std::abs(ry);
  if (rx == 0 || ry == 0 || from == to) return {Segment::Kind::line, to};
  const Eigen::Rotation2Dd turn(turned * std::numbers::pi / 180);
  const Vec2 half = turn.inverse() * Vec2(0.5 * (from - to));
  const double excess = std::hypot(half.x() / rx, half.y() / ry);
  if (excess > 1) {
    rx *= excess;
    ry *= excess;
  }
  const double a = rx * half.y();
  const double b = ry * half.x();
  const double spread = std::max(0.0, (rx * ry) * (rx * ry) / (a * a + b * b) - 1);
  const Vec2 centre =
      (large == sweep ? -1 : 1) * std::sqrt(spread) * Vec2(rx * half.y() / ry, -ry * half.x() / rx);
  const auto angleOf = [&](const Vec2& p) {
    return std::atan2((p.y() - centre.y()) / ry, (p.x() - centre.x()) / rx);
  };
  const double begin = angleOf(half);
  double way = angleOf(-half) - begin;
  if (sweep && way < 0) way += 2 * std::numbers::pi;
  if (!sweep && way > 0) way -= 2 * std::numbers::pi;
  const Vec2 origin = 0.5 * (from + to);
  const auto at = [=](double share) {
    const double angle = begin + share * way;
    return Vec2(origin + turn * Vec2(centre + Vec2(rx * std::cos(angle), ry * std::sin(angle))));
  };
  constexpr double kRound = 1e-6;
  if (std::abs(rx - ry) < kRound * rx) return {Segment::Kind::circle, to, at(0.5)};
  return {Segment::Kind::curve, to, {}, at};
}

class PathReader {
 public:
  explicit PathReader(std::string_view text) : scan_(text) {}

  std::vector<Subpath> read() {
    char command = 0;
    while (!scan_.done()) {
      if (const char next = scan_.letter())
        command = next;
      else if (command == 0 || std::toupper(command) == 'Z')
        throw InputError("a path begins with a command");
      obey(command);
      // Further pairs after a move are lines.
      if (command == 'M') command = 'L';
      if (command == 'm') command = 'l';
    }
    return std::move(paths_);
  }

 private:
  Vec2 base(char command) const { return std::islower(command) ? here_ : Vec2(0, 0); }

  void add(Segment segment) {
    if (paths_.empty() || fresh_) paths_.push_back({here_, {}});
    fresh_ = false;
    if (++count_ > kMostCorners) throw InputError("the path has too many pieces");
    here_ = segment.to;
    paths_.back().segments.push_back(std::move(segment));
  }

  void addCubic(const Vec2& a, const Vec2& b, const Vec2& to) {
    const Vec2 from = here_;
    add({Segment::Kind::curve, to, {}, [=](double t) {
           const double s = 1 - t;
           return Vec2(s * s * s * from + 3 * s * s * t * a + 3 * s * t * t * b + t * t * t * to);
         }});
  }
  void addQuadratic(const Vec2& control, const Vec2& to) {
    addCubic(here_ + 2.0 / 3 * (control - here_), to + 2.0 / 3 * (control - to), to);
  }

  void obey(char command) {
    const Vec2 origin = base(command);
    Vec2 control = here_;  // of the curve, for a smooth one after it
    switch (std::toupper(command)) {
      case 'M':
        here_ = origin + scan_.point();
        fresh_ = true;
        break;
      case 'Z':
        if (!paths_.empty() && !fresh_) here_ = paths_.back().start;
        fresh_ = true;
        break;
      case 'L':
        add({Segment::Kind::line, origin + scan_.point()});
        break;
      case 'H':
        add({Segment::Kind::line, {origin.x() + scan_.number(), here_.y()}});
        break;
      case 'V':
        add({Segment::Kind::line, {here_.x(), origin.y() + scan_.number()}});
        break;
      case 'C': {
        const Vec2 a = origin + scan_.point();
        control = origin + scan_.point();
        addCubic(a, control, origin + scan_.point());
        break;
      }
      case 'S': {
        const Vec2 a = last_ == 'C' ? Vec2(2 * here_ - control_) : here_;
        control = origin + scan_.point();
        addCubic(a, control, origin + scan_.point());
        break;
      }
      case 'Q':
        control = origin + scan_.point();
        addQuadratic(control, origin + scan_.point());
        break;
      case 'T':
        control = last_ == 'Q' ? Vec2(2 * here_ - control_) : here_;
        addQuadratic(control, origin + scan_.point());
        break;
      case 'A': {
        const double rx = scan_.number();
        const double ry = scan_.number();
        const double turned = scan_.number();
        const bool large = scan_.flag();
        const bool sweep = scan_.flag();
        add(arcTo(here_, rx, ry, turned, large, sweep, origin + scan_.point()));
        break;
      }
      default:
        throw InputError(fmt::format("a path has no command '{}'", command));
    }
    control_ = control;
    const char kind = static_cast<char>(std::toupper(command));
    last_ = kind == 'S' ? 'C' : kind == 'T' ? 'Q' : kind;
  }

  Scanner scan_;
  std::vector<Subpath> paths_;
  Vec2 here_ = Vec2::Zero();
  Vec2 control_ = Vec2::Zero();
  char last_ = 0;
  bool fresh_ = true;  // the next piece begins a new subpath
  std::size_t count_ = 0;
};

Map mapOf(const char* text) {
  Map map = Map::Identity();
  Scanner scan(text);
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
  return Scanner(text).number();
}

std::vector<Subpath> subpathsOf(const pugi::xml_node& node) {
  const std::string kind = node.name();
  if (kind == "path") return PathReader(node.attribute("d").value()).read();
  Subpath path;
  const auto lineTo = [&](double x, double y) { path.segments.push_back({Segment::Kind::line, {x, y}}); };
  if (kind == "rect") {
    if (attribute(node, "rx") > 0 || attribute(node, "ry") > 0)
      throw InputError("a rect with round corners is not read here", "turn it into a path in the drawing");
    const double x = attribute(node, "x");
    const double y = attribute(node, "y");
    path.start = {x, y};
    lineTo(x + attribute(node, "width"), y);
    lineTo(x + attribute(node, "width"), y + attribute(node, "height"));
    lineTo(x, y + attribute(node, "height"));
  } else if (kind == "circle") {
    const Vec2 centre(attribute(node, "cx"), attribute(node, "cy"));
    const double r = attribute(node, "r");
    if (!(r > 0)) throw InputError("a circle needs a radius above zero");
    path.start = centre + Vec2(r, 0);
    path.segments.push_back({Segment::Kind::circle, centre - Vec2(r, 0), centre + Vec2(0, r)});
    path.segments.push_back({Segment::Kind::circle, centre + Vec2(r, 0), centre - Vec2(0, r)});
  } else {
    Scanner scan(node.attribute("points").value());
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
void appendChords(const Segment& curve, const Map& map, double off, OutlineLoop& loop) {
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
    loop.push_back({b, std::nullopt});
    if (loop.size() > kMostCorners) throw InputError("the path has too many corners");
  }
}

OutlineLoop loopOf(const Subpath& path, const Map& map, double off) {
  const bool circles = keepsCircles(map);
  OutlineLoop loop;
  Vec2 from = path.start;
  for (const Segment& segment : path.segments) {
    if (segment.kind == Segment::Kind::curve) {
      appendChords(segment, map, off, loop);
    } else if (segment.kind == Segment::Kind::circle && !circles) {
      throw InputError("a transform makes ellipses of circles", "apply it in the drawing");
    } else if (segment.kind == Segment::Kind::circle) {
      loop.push_back({map * segment.to, Vec2(map * segment.middle)});
    } else if (segment.to != from) {
      loop.push_back({map * segment.to, std::nullopt});
    }
    from = segment.to;
  }
  // Every loop is closed. Where it comes back to its start by itself, that corner is there already.
  const Vec2 start = map * path.start;
  constexpr double kSame = 1e-9;
  if (loop.empty()) return loop;
  if ((loop.back().point - start).norm() > kSame * std::max(1.0, start.norm()))
    loop.push_back({start, std::nullopt});
  else
    loop.back().point = start;
  return loop;
}

Eigen::AlignedBox2d boundsOf(const std::vector<Subpath>& paths, const Map& map) {
  Eigen::AlignedBox2d box;
  for (const Subpath& path : paths) {
    box.extend(map * path.start);
    for (const Segment& segment : path.segments) {
      box.extend(map * segment.to);
      if (segment.kind == Segment::Kind::circle) box.extend(map * segment.middle);
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
  Scanner box(root.attribute("viewBox").value());
  if (box.done()) throw InputError("the drawing has a width but no viewBox", "give 'unit'");
  box.point();
  const double across = box.number();
  const double wide = Scanner(std::string_view(width).substr(0, digits)).number();
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
    if (kind == "path" || kind == "rect" || kind == "circle" || kind == "polygon")
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

double twiceArea(const OutlineLoop& loop) {
  double twice = 0;
  for (std::size_t i = 0; i < loop.size(); ++i) {
    const Vec2& from = loop[(i + loop.size() - 1) % loop.size()].point;
    if (loop[i].through) {
      twice += cross2(from, *loop[i].through) + cross2(*loop[i].through, loop[i].point);
    } else {
      twice += cross2(from, loop[i].point);
    }
  }
  return twice;
}

PlaneOutline nested(std::vector<OutlineLoop> loops) {
  std::erase_if(loops, [](const OutlineLoop& loop) { return loop.size() < 2; });
  if (loops.empty()) throw InputError("there is no outline");
  const auto outer =
      std::max_element(loops.begin(), loops.end(), [](const OutlineLoop& a, const OutlineLoop& b) {
        return std::abs(twiceArea(a)) < std::abs(twiceArea(b));
      });
  std::iter_swap(loops.begin(), outer);
  return {loops.front(), {loops.begin() + 1, loops.end()}};
}

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
  if (found.empty()) throw InputError(name + " holds no path, rect, circle or polygon");
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
    const std::vector<Subpath> paths = subpathsOf(found.front());
    const double size = boundsOf(paths, map).isEmpty() ? 0 : boundsOf(paths, map).diagonal().norm();
    std::vector<OutlineLoop> loops;
    for (const Subpath& path : paths) loops.push_back(loopOf(path, map, size / 5000));
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
