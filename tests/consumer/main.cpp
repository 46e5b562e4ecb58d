#include <barelattice/barelattice.hpp>
#include <cstdio>

int main() {
  const barelattice::Job job =
      barelattice::prepare(barelattice::parseBrief(barelattice::firstBrief(), "first.toml"));
  std::printf("%s: %zu voxels\n", job.brief.title.c_str(), job.cellCount());
  return job.cellCount() > 1000 ? 0 : 1;
}
