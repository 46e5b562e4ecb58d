// The paths of SVG drawings, as their text states them. Internal to the room.
#pragma once

#include <Eigen/Core>
#include <cstddef>
#include <functional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace barelattice {

using Vec2 = Eigen::Vector2d;

/// Pieces of a path, and corners of what becomes of it, at most.
inline constexpr std::size_t kMostCorners = 200'000;

/// Reads the numbers, flags and letters of SVG's little languages.
/// All throw InputError where something else stands.
class SvgScanner {
 public:
  explicit SvgScanner(std::string_view text) : at_(text.data()), end_(text.data() + text.size()) {}

  bool done();
  /// The next letter if there is one here, or nothing.
  char letter();
  double number();
  /// A flag of an arc, which may stand without a space before the next number.
  bool flag();
  Vec2 point();
  /// The name before a bracket and the numbers within.
  std::pair<std::string, std::vector<double>> call();

 private:
  void skip();
  const char* at_;
  const char* end_;
};

/// A piece of a path from the point before, in the drawing's coordinates.
struct SvgSegment {
  enum class Kind { line, circle, curve } kind = Kind::line;
  Vec2 to = Vec2::Zero();
  Vec2 middle = Vec2::Zero();              // circle: half-way
  std::function<Vec2(double)> along = {};  // circle and curve: from 0 to 1
};

struct SvgSubpath {
  Vec2 start = Vec2::Zero();
  std::vector<SvgSegment> segments;
};

/// An arc of an ellipse as SVG states it: half axes, the first one turned by so many degrees from x.
SvgSegment svgArc(const Vec2& from, double rx, double ry, double turned, bool large, bool sweep,
                  const Vec2& to);

/// The subpaths of a path's "d". @throws InputError if it is no path.
std::vector<SvgSubpath> readSvgPath(std::string_view text);

}  // namespace barelattice
