// A making rule and a limit the library has never heard of: ribs that repeat along the length, and a centre
// of mass that may not lie far out. Their derivatives are checked before they are used.

#include <barelattice/core.hpp>
#include <cmath>
#include <cstdio>
#include <map>

using namespace barelattice;

namespace {

constexpr double mm = 1e-3;

/// Where the mass of the layout has its centre along x, m: sum(v x rho) / sum(v rho).
class CentreOfMass final : public Response {
 public:
  CentreOfMass(const Grid<2>& grid, std::vector<double> fill) : grid_(grid), fill_(std::move(fill)) {}

  std::vector<std::string> names(const Analysis&) const override { return {"centre_of_mass_m"}; }
  std::vector<double> values(const Analysed& at) const override {
    double mass = 0, moment = 0;
    for (std::size_t c = 0; c < fill_.size(); ++c) {
      mass += fill_[c] * at.states.density[c];
      moment += fill_[c] * at.states.density[c] * grid_.cellCentre(c).x();
    }
    return {moment / mass};
  }
  /// d/d(rho) = v (x - centre) / mass.
  void gradient(const Analysed& at, std::size_t, std::span<double> gradient) const override {
    const double centre = values(at).front();
    double mass = 0;
    for (std::size_t c = 0; c < fill_.size(); ++c) mass += fill_[c] * at.states.density[c];
    for (std::size_t c = 0; c < fill_.size(); ++c)
      gradient[c] = fill_[c] * (grid_.cellCentre(c).x() - centre) / mass;
  }

 private:
  Grid<2> grid_;
  std::vector<double> fill_;
};

/// The same layout every `period` cells along x.
OwnMaking repeated(const Grid<2>& grid, int period) {
  std::map<Index<2>, int> number;
  std::vector<int> orbit;
  for (std::size_t c = 0; c < grid.cellCount(); ++c) {
    Index<2> at = grid.cellIndex(c);
    at[0] %= period;
    orbit.push_back(number.try_emplace(at, static_cast<int>(number.size())).first->second);
  }
  return {"repeated", std::make_shared<OrbitAverage>(orbit), nullptr};  // before the filter
}

}  // namespace

int main() {
  const Grid<2> grid(GridFrame<2>{Point<2>::Zero(), 2 * mm, {60, 20}}, std::vector<std::uint8_t>(1200, 1));
  LayoutProblem<2> problem;
  problem.grid = grid;
  problem.material = sheetMaterial(builtinMaterials().front(), SheetState::planeStress, 5 * mm);
  problem.fill.assign(grid.cellCount(), 1.0);
  problem.keep.assign(grid.cellCount(), 0);
  problem.massFraction = 0.4;
  problem.making = {Walls{6 * mm}};

  // Held at the left edge, pulled down in the middle of the right one.
  std::vector<std::size_t> held;
  for (int j = 0; j <= 20; ++j)
    for (int component = 0; component < 2; ++component)
      held.push_back(gridDof(grid, static_cast<std::size_t>(grid.nodeAt({0, j})), component));
  GridCase<2> load{"pull", 1, {}, supportsOf<2>(grid, held)};
  load.force[gridDof(grid, static_cast<std::size_t>(grid.nodeAt({60, 10})), 1)] = -200;
  problem.cases = {load};

  const OptimiseResult plain = optimiseLayout<2>(problem, {});
  auto centre = std::make_shared<const CentreOfMass>(grid, problem.fill);
  problem.limits = {{centre, 0, LimitSense::atMost, 51 * mm}};
  for (const GradientCheck& check : checkGradients<2>(problem))
    std::printf("derivatives of %s: off by %.1e\n", check.name.c_str(), check.error);
  const OptimiseResult limited = optimiseLayout<2>(problem, {});
  const double found = limited.values.back();
  std::printf("%s: centre of mass at %.2f mm, %.4g J (without the limit %.4g J)\n",
              describe(limited.stop).c_str(), found / mm, limited.nominal, plain.nominal);

  problem.limits.clear();
  problem.making.emplace_back(repeated(grid, 20));
  const OptimiseResult ribs = optimiseLayout<2>(problem, {});
  std::printf("repeated: %.4g J\n", ribs.nominal);
  return limited.stop == OptimiseStop::settled && found <= 51.3 * mm && limited.nominal > plain.nominal &&
                 ribs.nominal > plain.nominal
             ? 0
             : 1;
}
