#include "barelattice/layout/tool.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/check.hpp"

namespace barelattice {

void validate(const Tool& tool) {
  requireNotNegative("diameter", tool.diameter);
  requireNotNegative("reach", tool.reach);
  requireNotNegative("holder", tool.holder);
  requireWithin("taper", tool.taper, 0, kMostTaper);
  requireWithin("cornerRadius", tool.cornerRadius, 0, 0.5 * tool.diameter);
  if ((tool.reach > 0) != (tool.holder > 0))
    throw InputError("a tool's reach and the diameter of its holder go together", "give both, or neither");
  if (tool.reach > 0 && tool.reach <= tool.cornerRadius)
    throw InputError("a tool's reach is less than the radius of its edge", "give a longer one");
  if (tool.reach > 0 && tool.holder < 2 * tool.cuttingRadius(tool.reach))
    throw InputError("what holds a tool is slimmer than the tool there", "give a wider holder");
}

// From its tip up a tool is its flat end, the arc of its edge, its leaning side:
//   h = 0                                      up to d/2 - c
//   h = c - sqrt(c^2 - (r - (d/2 - c))^2)      up to d/2
//   h = c + (r - d/2) / tan(taper)             beyond
// and from its reach on its holder.
double Tool::cuttingHeightAt(double radius) const {
  const double none = std::numeric_limits<double>::infinity();
  const double aside = radius - (0.5 * diameter - cornerRadius);
  double height = 0;
  if (aside > cornerRadius)
    height = taper > 0 ? cornerRadius + (aside - cornerRadius) / std::tan(taper) : none;
  else if (aside > 0)
    height = cornerRadius - std::sqrt(std::max(0.0, cornerRadius * cornerRadius - aside * aside));
  return reach > 0 && height > reach ? none : height;
}

double Tool::heightAt(double radius) const {
  const double cutting = cuttingHeightAt(radius);
  return reach > 0 && radius <= 0.5 * holder ? std::min(cutting, reach) : cutting;
}

double Tool::cuttingRadius(double depth) const {
  const double deep = reach > 0 ? std::min(depth, reach) : depth;
  return 0.5 * diameter + std::max(0.0, deep - cornerRadius) * std::tan(taper);
}

}  // namespace barelattice
