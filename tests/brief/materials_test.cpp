// Regions of other materials, bonded parts, the density a design starts from.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "barelattice/prepare/job.hpp"
#include "barelattice/solid/solid_function.hpp"
#include "support/brief.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using testing::changed;
using ::testing::HasSubstr;

Job prepared(const std::string& text) {
  return prepare(parseBrief(text, ownFolder() / "test.toml"));
}

/// The test brief with something before its [design].
std::string with(const std::string& text) {
  return changed("[design]", text + "\n[design]");
}

const std::string kPlug = "[inserts.plug]\nshape = \"pin\"\nmaterial = { use = \"titanium\" }\n";

TEST(Materials, bondedPartsAreSolidWeighedApartAndNotDesigned) {
  // The pin is also a clear, which it wins over.
  const Job job = prepared(with(kPlug));
  const Job plain = prepared(testing::kBrief);
  // A cylinder of radius 4 and length 22, of which 20 lie in the block.
  EXPECT_NEAR(job.bondedMass / (4430 * 3.14159265 * 16e-6 * 22e-3), 1, 3e-3);
  EXPECT_NEAR(job.spaceMass / plain.spaceMass, 1, 1e-3);
  // Voxels mostly of the pin are kept, with the little of the block they hold.
  EXPECT_GE(job.keepMass, plain.keepMass);
  EXPECT_LE(job.keepMass, 1.04 * plain.keepMass);
  EXPECT_EQ(job.setup.materials[1].name, "titanium");
  EXPECT_FALSE(job.mixed());
  const LayoutProblem<3> problem = job.layoutProblem<3>();
  const Domain<3>& domain = std::get<Domain<3>>(job.domain);
  std::size_t parts = 0;
  for (std::size_t c = 0; c < domain.fill.size(); ++c) {
    EXPECT_NEAR(problem.modulus[c], domain.isBonded(c) ? 114.0 / 205.0 : 1.0, 1e-12);
    EXPECT_NEAR(problem.mass[c], (1 - domain.bonded[c] / domain.fill[c]) * 7850 * domain.cellVolume(), 1e-12);
    if (domain.isBonded(c)) {
      EXPECT_EQ(problem.keep[c], 1);
    }
    parts += domain.isBonded(c);
  }
  EXPECT_GT(parts, 50U);
  const ProofProblem proof = job.proofProblem();
  EXPECT_EQ(proof.setup.materials.size(), 2U);
  EXPECT_TRUE(proof.regions[0].bonded);
}

TEST(Materials, theSolidIsReadWithoutBondedPartsAndProvedWithThem) {
  // Across the block, and partly in the way of the pin, which is a clear.
  const Job job = prepared(with("[inserts.slab]\nshape = \"slab\"\nmaterial = { use = \"titanium\" }\n"));
  const Domain<3>& domain = std::get<Domain<3>>(job.domain);
  const std::vector<double> full(domain.fill.size(), 1.0);
  const SmoothLayout layout(domain, full, 0.006);
  const Implicit made = solidFunction(layout, job.regions, 0.5);
  const Implicit proved = solidFunction(layout, job.regions, 0.5, {}, nullptr, BondedParts::joined);
  const Vec3 inPart(0.030, 0.010, 0.003);
  const Vec3 inPartAndClear(0.030, 0.010, 0.010);
  const Vec3 beside(0.040, 0.010, 0.003);
  for (const Vec3& point : {inPart, inPartAndClear}) {
    EXPECT_GT(made(point), 0);
    EXPECT_LT(proved(point), 0);
  }
  EXPECT_LT(made(beside), 0);
  EXPECT_LT(proved(beside), 0);
  // On the seam the designed part ends, the body does not.
  const Vec3 seam(0.032, 0.010, 0.003);
  EXPECT_NEAR(made(seam), 0, 1e-9);
  EXPECT_LT(proved(seam), 1e-9);
}

TEST(Materials, regionsCountWithTheirOwnDensity) {
  // Half the block in magnesium; the steel base is the stiffer one.
  const Job job = prepared(changed(
      "[design]", R"(far = { box = { from = ["30 mm", "-1 mm", "-1 mm"], to = ["70 mm", "30 mm", "30 mm"] } }
[regions.far]
shape = "far"
material = { use = "magnesium" }
[design])"));
  const Job plain = prepared(testing::kBrief);
  EXPECT_NEAR(job.spaceMass / plain.spaceMass, 0.5 * (1 + 1800.0 / 7850), 2e-3);
  EXPECT_TRUE(job.mixed());
  const double steel = 7850;
  const double volume = 60e-3 * 20e-3 * 20e-3;
  const ShapePtr block = job.regions.space;
  EXPECT_NEAR(job.massOf(
                  volume, [&](const Vec3& p) { return block->distance(p); }, 1e-3) /
                  (volume * 0.5 * (steel + 1800)),
              1, 0.01);
}

TEST(Materials, theDesignStartsFromTheGivenShape) {
  const Job job = prepared(changed("[target]", "[optimise]\nstart = \"pad\"\n[target]"));
  const LayoutProblem<3> problem = job.layoutProblem<3>();
  const Domain<3>& domain = std::get<Domain<3>>(job.domain);
  for (std::size_t c = 0; c < domain.fill.size(); ++c) {
    const double x = domain.grid.frame().centre(domain.grid.cellIndex(c)).x();
    EXPECT_NEAR(problem.start[c], x > 0.055 ? 1 : x < 0.053 ? 0 : 0.5, 0.51);
    if (x < 0.052) {
      EXPECT_EQ(problem.start[c], 0);
    }
  }
}

TEST(Materials, refusalsNameTheFault) {
  const auto refuses = [](const std::string& text, const char* what) {
    try {
      prepared(text);
      ADD_FAILURE() << what;
    } catch (const BriefError& error) {
      EXPECT_THAT(error.what() + (" | " + error.cure()), HasSubstr(what));
      EXPECT_GT(error.place().line, 0);
    }
  };
  refuses(with("[inserts.plug]\nshape = \"pinn\"\nmaterial = { use = \"steel\" }\n"),
          "did you mean \"pin\"?");
  refuses(with("[inserts.plug]\nshape = \"pin\"\n"), "'material' is missing");
  refuses(with("[inserts.plug]\nmaterial = { use = \"steel\" }\n"), "'shape' is missing");
  refuses(with("[inserts.plug]\nshape = \"pin\"\nmaterial = { use = \"cheese\" }\n"), "cheese");
  refuses(with("[inserts]\n"), "is empty");
  refuses(with("[regions.far]\nshape = \"pin\"\nmaterial = { use = \"steel\" }\nbonded = true\n"),
          "unknown key 'bonded'");
  refuses(with("far = { sphere = { centre = [\"90 mm\", \"0 mm\", \"0 mm\"], radius = \"9 mm\" } }\n"
               "[regions.far]\nshape = \"far\"\nmaterial = { use = \"titanium\" }\n"),
          "[regions.far] holds no voxel");
  refuses(changed("[target]", "[optimise]\nstart = \"paad\"\n[target]"), "did you mean \"pad\"?");
}

}  // namespace
}  // namespace barelattice
