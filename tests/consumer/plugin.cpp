// What a program loads: the library inside of a shared object.
#include <barelattice/core.hpp>

extern "C" __attribute__((visibility("default"))) double volumeOfABall(double radius) {
  try {
    const barelattice::ShapePtr ball = barelattice::makeSphere({0, 0, 0}, radius);
    return barelattice::dualContour(*ball, radius / 20).volume();
  } catch (const barelattice::Error&) {
    return -1;
  }
}
