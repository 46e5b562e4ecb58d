#include "problems.hpp"

#include <fmt/format.h>

#include <cmath>
#include <numbers>

#include "solve/fields.hpp"

namespace barelattice::bench {
namespace {

template <int D>
using At = Point<D>;

constexpr double kThickness = 1;

/// All of a box, or the part of it that is chosen by the centres of cells.
template <int D>
Posed<D> block(std::string name, const Index<D>& cells, double share, double member,
               const std::function<bool(const At<D>&)>& chosen = {}) {
  GridFrame<D> frame;
  frame.cells = cells;
  std::vector<std::uint8_t> in(frame.boxCells(), 1);
  if (chosen)
    forEachIndex<D>(cells, [&](const Index<D>& at) { in[frame.linear(at)] = chosen(frame.centre(at)); });
  Posed<D> posed;
  posed.name = std::move(name);
  posed.grid = std::make_unique<Grid<D>>(frame, in);
  LayoutProblem<D>& p = posed.problem;
  p.grid = posed.grid.get();
  p.material = {"unit", 1, 0.3, 1, 1};
  if (D == 2) p.material = sheetMaterial(p.material, SheetState::planeStress, kThickness);
  p.fill.assign(posed.grid->cellCount(), 1.0);
  p.keep.assign(posed.grid->cellCount(), 0);
  p.massFraction = share;
  p.making = {Walls{member, FilterBoundary::empty}};
  return posed;
}

template <int D>
std::vector<std::size_t> nodesWhere(const Grid<D>& grid, const std::function<bool(const At<D>&)>& chosen) {
  std::vector<std::size_t> nodes;
  for (std::size_t n = 0; n < grid.nodeCount(); ++n)
    if (chosen(grid.nodePosition(n))) nodes.push_back(n);
  return nodes;
}

template <int D>
void keepWhere(Posed<D>& posed, const std::function<bool(const At<D>&)>& chosen) {
  for (std::size_t c = 0; c < posed.grid->cellCount(); ++c)
    if (chosen(posed.grid->cellCentre(c))) posed.problem.keep[c] = 1;
}

/// Holds the directions named by the bits of `which` at the chosen nodes.
template <int D>
std::vector<NodeSupport<D>> held(const Posed<D>& posed, const std::function<bool(const At<D>&)>& chosen,
                                 unsigned which = 7) {
  std::vector<std::size_t> dofs;
  for (const std::size_t n : nodesWhere<D>(*posed.grid, chosen))
    for (int c = 0; c < D; ++c)
      if (which >> static_cast<unsigned>(c) & 1U) dofs.push_back(gridDof(*posed.grid, n, c));
  return supportsOf<D>(*posed.grid, dofs);
}

/// Spreads a force over the chosen nodes.
template <int D>
void push(const Posed<D>& posed, GridCase<D>& load, const std::function<bool(const At<D>&)>& chosen,
          const At<D>& force) {
  const std::vector<std::size_t> nodes = nodesWhere<D>(*posed.grid, chosen);
  for (const std::size_t n : nodes)
    for (int c = 0; c < D; ++c)
      if (force[c] != 0)
        load.force[gridDof(*posed.grid, n, c)] += force[c] / static_cast<double>(nodes.size());
}

/// Cells within a member of a held or loaded node: there the filter reflects.
template <int D>
void attach(Posed<D>& posed) {
  const Grid<D>& grid = *posed.grid;
  posed.problem.attached.assign(grid.cellCount(), 0);
  std::vector<std::uint8_t> acted(grid.nodeCount(), 0);
  for (const GridCase<D>& c : posed.problem.cases) {
    for (const NodeSupport<D>& support : c.supports) acted[support.node] = 1;
    for (const auto& [dof, force] : c.force) acted[dof % grid.nodeCount()] = 1;
  }
  const int reach = static_cast<int>(std::ceil(posed.problem.filterRadius()));
  Index<D> window;
  window.fill(2 * reach);
  for (std::size_t n = 0; n < acted.size(); ++n)
    if (acted[n])
      forEachIndex<D>(window, [&](const Index<D>& offset) {
        Index<D> at = grid.nodeIndex(n);
        double squared = 0;
        for (std::size_t i = 0; i < D; ++i) {
          at[i] += offset[i] - reach;
          squared += std::pow(offset[i] - reach + 0.5, 2);
        }
        const int cell = grid.cellAt(at);
        if (cell >= 0 && squared <= reach * reach) posed.problem.attached[static_cast<std::size_t>(cell)] = 1;
      });
}

bool near(double a, double b) {
  return std::abs(a - b) < 1e-9;
}

/// A cantilever of sheet, held along its left edge, pushed down on a pad in the middle of the right one.
Posed<2> sheetCantilever(const std::string& name, double share, double member) {
  auto posed = block<2>(name, {160, 80}, share, member);
  keepWhere<2>(posed, [](const At<2>& p) { return p.x() > 156 && std::abs(p.y() - 40) < 4; });
  GridCase<2> c{"down", 1, {}, held<2>(posed, [](const At<2>& p) { return near(p.x(), 0); })};
  push<2>(posed, c, [](const At<2>& p) { return near(p.x(), 160) && std::abs(p.y() - 40) < 4.5; }, {0, -1});
  posed.problem.cases = {c};
  attach(posed);
  return posed;
}

/// Two bars at right angles from two pads on the left edge to one on the right, by theory the best there is
/// for that load where all of the edge holds: compliance 4 a^2 / (E V) with the arm a.
Posed<2> twoBars(const std::string& name, double share, double member) {
  auto posed = block<2>(name, {72, 160}, share, member);
  keepWhere<2>(posed, [](const At<2>& p) { return p.x() > 68 && std::abs(p.y() - 80) < 4; });
  GridCase<2> c{"down", 1, {}, held<2>(posed, [](const At<2>& p) { return near(p.x(), 0); })};
  push<2>(posed, c, [](const At<2>& p) { return near(p.x(), 72) && std::abs(p.y() - 80) < 4.5; }, {0, -1});
  posed.problem.cases = {c};
  posed.legal = 4.0 * 72 * 72 / (share * 72 * 160);
  attach(posed);
  return posed;
}

/// A bracket with a re-entrant corner: hung at the top of its upright, pushed down at the end of its arm.
template <int D>
Posed<D> corner(const std::string& name, const Index<D>& cells, int upright, double share, double member) {
  const double top = cells[D - 1];
  const double end = cells[0];
  auto posed = block<D>(name, cells, share, member,
                        [&](const At<D>& p) { return p[0] < upright || p[D - 1] < upright; });
  const double from = upright - 8;
  keepWhere<D>(posed, [&](const At<D>& p) { return p[0] > end - 4 && p[D - 1] > from; });
  GridCase<D> c{"down", 1, {}, held<D>(posed, [&](const At<D>& p) { return near(p[D - 1], top); })};
  At<D> force = At<D>::Zero();
  force[D - 1] = -1;
  push<D>(
      posed, c, [&](const At<D>& p) { return near(p[0], end) && p[D - 1] > from - 0.5; }, force);
  posed.problem.cases = {c};
  attach(posed);
  return posed;
}

/// Three cases that pull at one pad in turn.
template <int D>
Posed<D> threeWays(const std::string& name, const Index<D>& cells, double share, double member,
                   GoalForm goal) {
  auto posed = block<D>(name, cells, share, member);
  const double end = cells[0];
  const auto beside = [&](const At<D>& p, double reach) {
    for (int i = 1; i < D; ++i)
      if (std::abs(p[i] - 0.5 * cells[static_cast<std::size_t>(i)]) > reach) return false;
    return true;
  };
  keepWhere<D>(posed, [&](const At<D>& p) { return p[0] > end - 4 && beside(p, 4); });
  const auto hold = held<D>(posed, [](const At<D>& p) { return near(p[0], 0); });
  for (int k = 0; k < 3; ++k) {
    GridCase<D> c{fmt::format("case {}", k + 1), k == 1 ? 0.7 : 1.0, {}, hold};
    At<D> force = At<D>::Zero();
    if (k == 0) force[D - 1] = -1;
    if (k == 1) force[1] = 1.3;
    if (k == 2) force[0] = 2.5;
    if (D == 2 && k == 1) force[0] = 0.9;
    push<D>(
        posed, c, [&](const At<D>& p) { return near(p[0], end) && beside(p, 4.5); }, force);
    posed.problem.cases.push_back(c);
  }
  posed.problem.goal.form = goal;
  attach(posed);
  return posed;
}

Posed<3> bodyCantilever(const std::string& name, const Index<3>& cells, double share, double member) {
  auto posed = block<3>(name, cells, share, member);
  const double end = cells[0];
  const double middle = 0.5 * cells[2];
  keepWhere<3>(posed, [&](const At<3>& p) { return p.x() > end - 2 && std::abs(p.z() - middle) < 3; });
  GridCase<3> c{"down", 1, {}, held<3>(posed, [](const At<3>& p) { return near(p.x(), 0); })};
  push<3>(posed, c, [&](const At<3>& p) { return near(p.x(), end) && std::abs(p.z() - middle) < 3.5; },
          {0, 0, -1});
  posed.problem.cases = {c};
  attach(posed);
  return posed;
}

/// A block clamped at one end, a solid disc at the other twisted about its axis.
Posed<3> torsion(const std::string& name, double share, double member) {
  auto posed = block<3>(name, {40, 24, 24}, share, member);
  const auto radius = [](const At<3>& p) { return std::hypot(p.y() - 12, p.z() - 12); };
  keepWhere<3>(posed, [&](const At<3>& p) { return p.x() > 37 && radius(p) < 10; });
  GridCase<3> c{"twist", 1, {}, held<3>(posed, [](const At<3>& p) { return near(p.x(), 0); })};
  const auto rim = [&](const At<3>& p) { return near(p.x(), 40) && radius(p) > 6 && radius(p) < 9.5; };
  for (const std::size_t n : nodesWhere<3>(*posed.grid, rim)) {
    const At<3> p = posed.grid->nodePosition(n);
    c.force[gridDof(*posed.grid, n, 1)] = -(p.z() - 12) / 1000;
    c.force[gridDof(*posed.grid, n, 2)] = (p.y() - 12) / 1000;
  }
  posed.problem.cases = {c};
  attach(posed);
  return posed;
}

/// A plate on pads under its four corners, pushed down in the middle.
Posed<3> plate(const std::string& name, double share, double member) {
  auto posed = block<3>(name, {48, 48, 10}, share, member);
  const auto pad = [](const At<3>& p) {
    return std::min(p.x(), 48 - p.x()) < 4.5 && std::min(p.y(), 48 - p.y()) < 4.5;
  };
  const auto middle = [](const At<3>& p) { return std::hypot(p.x() - 24, p.y() - 24) < 4.5; };
  keepWhere<3>(posed, [&](const At<3>& p) { return (pad(p) && p.z() < 2) || (middle(p) && p.z() > 8); });
  GridCase<3> c{"down", 1, {}, held<3>(posed, [&](const At<3>& p) { return pad(p) && near(p.z(), 0); })};
  push<3>(posed, c, [&](const At<3>& p) { return middle(p) && near(p.z(), 10); }, {0, 0, -1});
  posed.problem.cases = {c};
  attach(posed);
  return posed;
}

Posed<2> wheel(double share, double member) {
  auto posed = block<2>(fmt::format("wheel {:g} {:g}", share, member), {208, 100}, share, member);
  const auto pad = [](double middle) {
    return [middle](const At<2>& p) { return std::abs(p.x() - middle) < 4.5 && p.y() < 5; };
  };
  const auto foot = [](double middle) {
    return [middle](const At<2>& p) { return std::abs(p.x() - middle) < 4.5 && near(p.y(), 0); };
  };
  for (const double middle : {4.0, 104.0, 204.0}) keepWhere<2>(posed, pad(middle));
  GridCase<2> c{"down", 1, {}, held<2>(posed, foot(4), 3)};
  const auto right = held<2>(posed, foot(204), 2);
  c.supports.insert(c.supports.end(), right.begin(), right.end());
  std::sort(c.supports.begin(), c.supports.end(),
            [](const auto& a, const auto& b) { return a.node < b.node; });
  push<2>(posed, c, foot(104), {0, -1});
  posed.problem.cases = {c};
  posed.problem.making.push_back(MirrorPlane{0, 104});
  attach(posed);
  return posed;
}

Posed<3> shortCantilever(double voxel, double share) {
  const auto cells = [&](double length) { return static_cast<int>(std::ceil(length / voxel - 1e-9)); };
  auto posed = block<3>(fmt::format("short {:g} {:g}", voxel, share), {cells(60), cells(18), cells(30)},
                        share, 9 / voxel);
  const double end = posed.grid->frame().cells[0];
  const double depth = 6 / voxel;
  keepWhere<3>(posed, [&](const At<3>& p) { return p.x() < depth || p.x() > end - depth; });
  GridCase<3> c{"down", 1, {}, held<3>(posed, [](const At<3>& p) { return near(p.x(), 0); })};
  push<3>(posed, c, [&](const At<3>& p) { return near(p.x(), end); }, {0, 0, -1});
  posed.problem.cases = {c};
  attach(posed);
  return posed;
}

}  // namespace

std::vector<Named<2>> wheels() {
  std::vector<Named<2>> all;
  for (const double share : {0.08, 0.1, 0.12, 0.15, 0.2, 0.3})
    for (const double member : {2.0, 3.0, 4.0, 6.0})
      all.push_back({fmt::format("wheel {:g} {:g}", share, member), [=] { return wheel(share, member); }});
  return all;
}

std::vector<Named<3>> shortCantilevers() {
  std::vector<Named<3>> all;
  for (const double voxel : {1.5, 1.8, 2.0, 2.5, 3.0})
    for (const double share : {0.22, 0.26, 0.3, 0.35, 0.4})
      all.push_back(
          {fmt::format("short {:g} {:g}", voxel, share), [=] { return shortCantilever(voxel, share); }});
  return all;
}

std::vector<Named<2>> suiteOfSheets() {
  std::vector<Named<2>> suite;
  for (const auto& [share, member] : {std::pair{0.15, 4.0},
                                      {0.12, 3.0},
                                      {0.2, 4.0},
                                      {0.3, 4.0},
                                      {0.1, 3.0},
                                      {0.3, 2.0},
                                      {0.2, 6.0},
                                      {0.08, 4.0}})
    suite.push_back({fmt::format("wheel {:g} {:g}", share, member),
                     [share = share, member = member] { return wheel(share, member); }});
  const auto add = [&](const char* kind, double share, double member, const auto& make) {
    const std::string name = fmt::format("{} {:g} {:g}", kind, share, member);
    suite.push_back({name, [=] { return make(name, share, member); }});
  };
  for (const auto& [share, member] : {std::pair{0.08, 3.0}, {0.12, 3.0}, {0.2, 4.0}, {0.35, 5.0}, {0.5, 6.0}})
    add("cantilever", share, member, sheetCantilever);
  for (const auto& [share, member] : {std::pair{0.08, 3.0}, {0.12, 4.0}, {0.2, 4.0}})
    add("two bars", share, member, twoBars);
  const auto sheetCorner = [](const std::string& name, double share, double member) {
    return corner<2>(name, {100, 100}, 40, share, member);
  };
  for (const auto& [share, member] : {std::pair{0.15, 3.0}, {0.25, 4.0}, {0.4, 4.0}})
    add("corner", share, member, sheetCorner);
  const auto ways = [](GoalForm goal) {
    return [goal](const std::string& name, double share, double member) {
      return threeWays<2>(name, {120, 80}, share, member, goal);
    };
  };
  add("three cases, sum", 0.2, 4, ways(GoalForm::weightedSum));
  add("three cases, worst", 0.2, 4, ways(GoalForm::worst));
  add("three cases, worst", 0.1, 3, ways(GoalForm::worst));
  return suite;
}

std::vector<Named<3>> suiteOfBodies() {
  std::vector<Named<3>> suite;
  const auto add = [&](const char* kind, double share, double member, const auto& make) {
    const std::string name = fmt::format("{} {:g} {:g}", kind, share, member);
    suite.push_back({name, [=] { return make(name, share, member); }});
  };
  const auto cantilever = [](const Index<3>& cells) {
    return [cells](const std::string& name, double share, double member) {
      return bodyCantilever(name, cells, share, member);
    };
  };
  for (const auto& [share, member] : {std::pair{0.1, 3.0}, {0.22, 3.0}, {0.3, 4.0}, {0.4, 4.0}, {0.5, 5.0}})
    add("body cantilever", share, member, cantilever({40, 12, 20}));
  for (const double share : {0.05, 0.08}) add("lean body", share, 3, cantilever({48, 20, 30}));
  const auto bodyCorner = [](const std::string& name, double share, double member) {
    return corner<3>(name, {34, 14, 34}, 14, share, member);
  };
  for (const auto& [share, member] : {std::pair{0.15, 3.0}, {0.3, 4.0}})
    add("body corner", share, member, bodyCorner);
  for (const auto& [share, member] : {std::pair{0.15, 3.0}, {0.3, 4.0}})
    add("torsion", share, member, torsion);
  for (const auto& [share, member] : {std::pair{0.15, 2.0}, {0.3, 3.0}}) add("plate", share, member, plate);
  add("one voxel thick", 0.3, 3, cantilever({80, 1, 40}));
  const auto ways = [](GoalForm goal) {
    return [goal](const std::string& name, double share, double member) {
      return threeWays<3>(name, {36, 20, 20}, share, member, goal);
    };
  };
  add("body three cases, sum", 0.2, 3, ways(GoalForm::weightedSum));
  add("body three cases, worst", 0.2, 3, ways(GoalForm::worst));
  add("body three cases, worst", 0.1, 3, ways(GoalForm::worst));
  add("body with a start", 0.3, 4, [](const std::string& name, double share, double member) {
    auto posed = bodyCantilever(name, {40, 12, 20}, share, member);
    for (std::size_t c = 0; c < posed.grid->cellCount(); ++c)
      posed.problem.start.push_back(posed.grid->cellCentre(c).y() < 6 ? 1 : 0);
    return posed;
  });
  return suite;
}

}  // namespace barelattice::bench
