#include "loop_nesting.hpp"

#include <algorithm>
#include <cmath>

#include "barelattice/base/error.hpp"

namespace barelattice {
namespace {

double cross2(const Eigen::Vector2d& a, const Eigen::Vector2d& b) {
  return a.x() * b.y() - a.y() * b.x();
}

/// Twice the area of the polygon through the corners and the middles of the arcs, positive counter-clockwise.
double twiceArea(const OutlineLoop& loop) {
  double twice = 0;
  for (std::size_t i = 0; i < loop.size(); ++i) {
    const Eigen::Vector2d& from = loop[(i + loop.size() - 1) % loop.size()].point;
    if (loop[i].through) {
      twice += cross2(from, *loop[i].through) + cross2(*loop[i].through, loop[i].point);
    } else {
      twice += cross2(from, loop[i].point);
    }
  }
  return twice;
}

}  // namespace

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

}  // namespace barelattice
