#include "svg_path.hpp"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>
#include <numbers>

#include "barelattice/base/error.hpp"

namespace barelattice {
namespace {

class PathReader {
 public:
  explicit PathReader(std::string_view text) : scan_(text) {}

  std::vector<SvgSubpath> read() {
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

  void add(SvgSegment segment) {
    if (paths_.empty() || fresh_) paths_.push_back({here_, {}});
    fresh_ = false;
    if (++count_ > kMostCorners) throw InputError("the path has too many pieces");
    here_ = segment.to;
    paths_.back().segments.push_back(std::move(segment));
  }

  void addCubic(const Vec2& a, const Vec2& b, const Vec2& to) {
    const Vec2 from = here_;
    add({SvgSegment::Kind::curve, to, {}, [=](double t) {
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
        add({SvgSegment::Kind::line, origin + scan_.point()});
        break;
      case 'H':
        add({SvgSegment::Kind::line, {origin.x() + scan_.number(), here_.y()}});
        break;
      case 'V':
        add({SvgSegment::Kind::line, {here_.x(), origin.y() + scan_.number()}});
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
        add(svgArc(here_, rx, ry, turned, large, sweep, origin + scan_.point()));
        break;
      }
      default:
        throw InputError(fmt::format("a path has no command '{}'", command));
    }
    control_ = control;
    const char kind = static_cast<char>(std::toupper(command));
    last_ = kind == 'S' ? 'C' : kind == 'T' ? 'Q' : kind;
  }

  SvgScanner scan_;
  std::vector<SvgSubpath> paths_;
  Vec2 here_ = Vec2::Zero();
  Vec2 control_ = Vec2::Zero();
  char last_ = 0;
  bool fresh_ = true;  // the next piece begins a new subpath
  std::size_t count_ = 0;
};

}  // namespace

bool SvgScanner::done() {
  skip();
  return at_ == end_;
}

char SvgScanner::letter() {
  skip();
  if (at_ == end_ || !std::isalpha(static_cast<unsigned char>(*at_))) return 0;
  return *at_++;
}

double SvgScanner::number() {
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

bool SvgScanner::flag() {
  skip();
  if (at_ == end_ || (*at_ != '0' && *at_ != '1')) throw InputError("an arc's flag should be 0 or 1");
  return *at_++ == '1';
}

Vec2 SvgScanner::point() {
  const double x = number();
  return {x, number()};
}

std::pair<std::string, std::vector<double>> SvgScanner::call() {
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

void SvgScanner::skip() {
  while (at_ != end_ && (std::isspace(static_cast<unsigned char>(*at_)) || *at_ == ',')) ++at_;
}

// SVG 1.1, appendix F.6.5: conversion from endpoint to centre.
SvgSegment svgArc(const Vec2& from, double rx, double ry, double turned, bool large, bool sweep,
                  const Vec2& to) {
  rx = std::abs(rx);
  ry = std::abs(ry);
  if (rx == 0 || ry == 0 || from == to) return {SvgSegment::Kind::line, to};
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
  if (std::abs(rx - ry) < kRound * rx) return {SvgSegment::Kind::circle, to, at(0.5), at};
  return {SvgSegment::Kind::curve, to, {}, at};
}

std::vector<SvgSubpath> readSvgPath(std::string_view text) {
  return PathReader(text).read();
}

}  // namespace barelattice
