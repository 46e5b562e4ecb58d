// A brief made by a program, from its text to the verdict, without a file read or written.

#include <barelattice/barelattice.hpp>
#include <cstdio>

using namespace barelattice;

namespace {

const char* const kBrief = R"(
title = "hook"
voxel = "2 mm"

[material]
use = "steel"

[shapes]
block = { box = { from = ["0 mm", "0 mm", "0 mm"], to = ["60 mm", "20 mm", "40 mm"] } }
seat = { box = { from = ["50 mm", "0 mm", "0 mm"], to = ["60 mm", "20 mm", "4 mm"] } }

[design]
space = "block"
keep = ["seat", { face = "wall", depth = "4 mm" }]

[faces]
wall = { of = "block", kind = "plane", facing = "-x" }
tip = { of = "seat", kind = "plane", facing = "-z" }

[supports]
wall = { face = "wall" }

[loads]
pull = { face = "tip", force = ["0 N", "0 N", "-800 N"] }

[cases]
pull = { loads = { pull = 1.0 } }

[target]
mass_fraction = 0.35

[making]
smallest_member = "6 mm"

[proof]
tetrahedra = 40000

[require]
safety_factor = 1.5
)";

}  // namespace

int main() {
  try {
    const Job job = prepare(parseBrief(kBrief, "hook.toml"));  // the name is for messages
    std::printf("%s: %zu voxels, target %.3f kg\n", job.brief.title.c_str(), job.cellCount(), job.targetMass);
    const JobResult result = carryOut(job, [](const IterationView& view) {
      if (view.record.iteration % 20 == 0)
        std::printf("  iteration %d: %.4g J\n", view.record.iteration, view.record.nominal);
      return true;
    });
    std::printf("layout: %s after %zu iterations\n", result.layout.record.stop.c_str(),
                result.layout.history.size());
    std::printf("solid:  %.4f kg, %zu triangles, %s\n", result.solid.record.mass,
                result.solid.solid.surface.triangles.size(), result.solid.record.surface.c_str());
    const BodyRecord& body = result.proof.record;
    std::printf("proof:  %zu and %zu tetrahedra, compliance %.4g +- %.2g J\n", body.coarseTetrahedra,
                body.tetrahedra, body.compliance, body.complianceError);
    for (const RequirementRecord& r : body.requirements)
      std::printf("  %s %.3g (%s %.3g): %s\n", r.what.c_str(), r.value, r.sense.c_str(), r.bound,
                  r.verdict.c_str());
    return body.verdict == "met" ? 0 : 1;
  } catch (const Error& error) {  // the root of all the library throws
    std::fprintf(stderr, "%s\n%s\n", error.what(), error.cure().c_str());
    return 2;
  }
}
